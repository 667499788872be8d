/* SPDX-License-Identifier: MIT
 * The figure of an inspection: a row a sensor; readings over time, Allan deviation, spectrum. */
#include "cli/inspect/inspect.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { COLUMNS = 3 };

/* All numbers of the figure, released together. */
typedef struct chunk {
    struct chunk *next;
    double number[];
} chunk;

typedef struct numbers {
    chunk *first;
    int no_memory;
} numbers;

static double *feed(numbers *all, size_t n)
{
    chunk *fresh = malloc(sizeof *fresh + n * sizeof fresh->number[0]);
    if (fresh == NULL) {
        all->no_memory = 1;
        return NULL;
    }
    fresh->next = all->first;
    all->first = fresh;
    return fresh->number;
}

static void release(numbers *all)
{
    while (all->first != NULL) {
        chunk *next = all->first->next;
        free(all->first);
        all->first = next;
    }
}

static void add_curve(marl_panel *panel, int axis, int like, const double *x, const double *y, size_t n)
{
    static const char *const names[3] = {"x", "y", "z"};
    panel->curve[panel->curves++] =
        (marl_curve){.label = like > 0 ? NULL : names[axis], .x = x, .y = y, .n = n, .like = like};
}

static const marl_vec3 *reading(const marl_sample *s, int sensor)
{
    return sensor == MARL_ACCEL ? &s->accel : sensor == MARL_GYRO ? &s->gyro : &s->mag;
}

/* The still spans behind the readings; `ends` has room for both ends of each. */
static void add_still(marl_panel *panel, const marl_spans *still, double *ends)
{
    for (size_t i = 0; i < still->n; i++) {
        ends[i] = 1e-9 * (double)still->span[i].from_ns;
        ends[still->n + i] = 1e-9 * (double)still->span[i].to_ns;
    }
    panel->shade[panel->shades++] = (marl_shade){"still", ends, ends + still->n, still->n};
}

static void add_traces(marl_panel *panel, const cli_inspected *seen, int sensor, numbers *all)
{
    size_t n = seen->inspection.sensor[sensor].readings, at = 0;
    double *block = feed(all, 4 * n + 2 * seen->inspection.still.n);
    if (block == NULL) {
        return;
    }
    add_still(panel, &seen->inspection.still, block + 4 * n);
    for (size_t i = 0; i < seen->log.n && at < n; i++) {
        const marl_sample *s = &seen->log.row[i].sample;
        if (s->fresh & (1u << sensor)) {
            const marl_vec3 *v = reading(s, sensor);
            block[at] = 1e-9 * (double)s->t_ns;
            block[n + at] = (double)v->x / cli_unit_of((marl_sensor)sensor);
            block[2 * n + at] = (double)v->y / cli_unit_of((marl_sensor)sensor);
            block[3 * n + at] = (double)v->z / cli_unit_of((marl_sensor)sensor);
            at++;
        }
    }
    for (size_t k = 0; k < 3; k++) {
        if (seen->inspection.sensor[sensor].axes & (1u << k)) {
            add_curve(panel, (int)k, 0, block, block + (k + 1) * n, n);
        }
    }
}

static void add_allan(marl_panel *panel, const marl_sensor_noise *noise, int sensor, int other, numbers *all)
{
    double *block = feed(all, 6 * MARL_ALLAN_MAX);
    size_t before = panel->curves;
    for (int k = 0; k < 3 && block != NULL; k++) {
        const marl_allan *a = &noise->allan[k];
        double *x = block + 2 * k * MARL_ALLAN_MAX, *y = x + MARL_ALLAN_MAX;
        if (!((noise->axes >> k) & 1)) {
            continue;
        }
        for (size_t i = 0; i < a->n; i++) {
            x[i] = a->point[i].tau_s;
            y[i] = a->point[i].deviation > 0 ? a->point[i].deviation / cli_unit_of((marl_sensor)sensor) : NAN;
        }
        add_curve(panel, k, other ? (int)before : 0, x, y, a->n);
    }
}

static void add_spectrum(marl_panel *panel, const marl_sensor_spectrum *spectrum, int sensor, int other,
                         numbers *all)
{
    double *block = feed(all, 6 * (size_t)MARL_SPECTRUM_BINS);
    size_t before = panel->curves;
    for (int k = 0; k < 3 && block != NULL; k++) {
        const marl_spectrum *s = &spectrum->spectrum[k];
        double *x = block + 2 * k * MARL_SPECTRUM_BINS, *y = x + MARL_SPECTRUM_BINS;
        if (!((spectrum->axes >> k) & 1)) {
            continue;
        }
        for (size_t i = 1; i < s->bins; i++) {
            x[i - 1] = s->step_hz * (double)i;
            y[i - 1] = s->density[i] > 0 ? s->density[i] / cli_unit_of((marl_sensor)sensor) : NAN;
        }
        add_curve(panel, k, other ? (int)before : 0, x, y, s->bins - 1);
    }
}

/* A panel that has the first log's curves gets the other's. */
static void add_row(marl_figure *figure, const cli_inspected *seen, int sensor, char labels[COLUMNS][48],
                    numbers *all)
{
    marl_panel *panel = &figure->panel[figure->panels];
    const cli_inspected *other = seen->against;
    snprintf(labels[0], sizeof labels[0], "%s, %s", marl_sensor_name((marl_sensor)sensor),
             cli_unit_name((marl_sensor)sensor));
    snprintf(labels[1], sizeof labels[1], "Allan deviation, %s", cli_unit_name((marl_sensor)sensor));
    snprintf(labels[2], sizeof labels[2], "density, %s/sqrt(Hz)", cli_unit_name((marl_sensor)sensor));
    panel[0] = (marl_panel){.x_label = "time, s", .y_label = labels[0]};
    add_traces(&panel[0], seen, sensor, all);
    marl_panel *allan = figure->columns == COLUMNS ? &panel[1] : NULL,
               *spectrum = &panel[figure->columns - 1];
    figure->panels += figure->columns;
    if (allan != NULL) {
        *allan = (marl_panel){.x_label = "averaging time, s", .y_label = labels[1], .logarithmic = 1};
        add_allan(allan, &seen->noise[sensor], sensor, 0, all);
    }
    if (allan != NULL && other != NULL && allan->curves > 0) {
        add_allan(allan, &other->noise[sensor], sensor, 1, all);
    }
    *spectrum = (marl_panel){.x_label = "frequency, Hz", .y_label = labels[2], .logarithmic = 1};
    add_spectrum(spectrum, cli_inspect_spectrum(seen, sensor), sensor, 0, all);
    if (other != NULL && spectrum->curves > 0) {
        add_spectrum(spectrum, cli_inspect_spectrum(other, sensor), sensor, 1, all);
    }
}

/* A recording that never rests has no Allan deviation, and its room goes to the others. */
static int has_rest(const cli_inspected *seen)
{
    int rest = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        rest |= seen->noise[i].axes != 0;
    }
    return rest;
}

marl_status cli_inspect_figure(const cli_inspected *seen, const char *path, marl_error *error)
{
    char title[300], labels[MARL_SENSOR_COUNT][COLUMNS][48];
    int rest = has_rest(seen), motion = 0;
    marl_figure figure = {.title = title, .columns = rest ? COLUMNS : COLUMNS - 1};
    numbers all = {0};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (seen->inspection.sensor[i].readings > 1) {
            add_row(&figure, seen, i, labels[i], &all);
            motion |= seen->motion[i].axes != 0;
        }
    }
    snprintf(title, sizeof title, "%.120s: readings%s, spectrum%s%s%.120s", marl_base_name(seen->log.path),
             rest ? ", Allan deviation at rest" : " (never at rest)",
             motion ? " in motion"
             : rest ? " at rest"
                    : "",
             seen->against != NULL ? "; dashed: " : "",
             seen->against != NULL ? marl_base_name(seen->against->log.path) : "");
    marl_status status = all.no_memory ? marl_fail(error, MARL_ERR_SYSTEM, "no memory")
                         : figure.panels > 0
                             ? marl_figure_draw(&figure, path, error)
                             : marl_fail(error, MARL_ERR_INSUFFICIENT,
                                         "%s: no sensor with two readings to draw", seen->log.path);
    release(&all);
    return status;
}
