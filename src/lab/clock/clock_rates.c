/* SPDX-License-Identifier: MIT
 * The turning that a recording shows. */
#include "lab/clock/clock_rates.h"
#include "lab/log/reading.h"
#include "lab/maths/linear.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

static const int pair[LAB_PAIRS][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};

/* Means of a sensor's vectors over the steps of the grid; a step without a reading repeats the one before. */
static size_t grid_means(const marl_log *log, int sensor, double step_s, double (*mean)[3], size_t capacity)
{
    size_t count = 0, at = 0;
    int64_t from = log->row[0].sample.t_ns;
    memset(mean, 0, capacity * sizeof *mean);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        size_t k = (size_t)((double)(s->t_ns - from) * 1e-9 / step_s);
        for (; at < k && at + 1 < capacity; at++) {
            memcpy(mean[at + 1], mean[at], sizeof *mean);
            count = 0;
        }
        const marl_vec3 *v = lab_reading(s, (marl_sensor)sensor);
        const double value[3] = {(double)v->x, (double)v->y, (double)v->z};
        count++;
        for (int j = 0; j < 3; j++) {
            double old = count == 1 ? value[j] : mean[at][j];
            mean[at][j] = old + (value[j] - old) / (double)count;
        }
    }
    return at + 1;
}

/* Memory for `count` series. */
static marl_status make_series(double **memory, double **series, size_t count, size_t n, marl_error *error)
{
    *memory = n > 0 ? calloc(count * n, sizeof **memory) : NULL;
    for (size_t i = 0; i < count; i++) {
        series[i] = *memory != NULL ? *memory + i * n : NULL;
    }
    return *memory != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

/* The means on the grid, and the whole recording's root mean square of them. */
typedef struct grid {
    double (*mean)[3];
    size_t n;
    double step_s, rms;
} grid;

static marl_status make_grid(grid *g, const marl_log *log, int sensor, double step_s, marl_error *error)
{
    double seconds = lab_log_seconds(log), squares = 0;
    size_t capacity = seconds / step_s < 1e8 ? (size_t)(seconds / step_s) + 2 : 0;
    g->step_s = step_s;
    g->mean = capacity > 0 ? malloc(capacity * sizeof *g->mean) : NULL;
    if (g->mean == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: no memory for a recording of %.4g s", log->path,
                         seconds);
    }
    g->n = grid_means(log, sensor, step_s, g->mean, capacity);
    for (size_t k = 0; k < g->n; k++) {
        squares += lab_dot3(g->mean[k], g->mean[k]);
    }
    g->rms = sqrt(squares / (double)g->n);
    return MARL_OK;
}

/* u and u' at a place of the grid, over `length`, or over u's own where that is 0. 0 at the ends, where
 * nothing is known. */
static int direction(const grid *g, size_t k, double length, double u[3], double change[3])
{
    double own = sqrt(lab_dot3(g->mean[k], g->mean[k])), by = length > 0 ? length : own;
    int inside = k > 0 && k + 1 < g->n && by > 0;
    for (int i = 0; i < 3; i++) {
        u[i] = inside ? g->mean[k][i] / by : 0;
        change[i] = inside ? (g->mean[k + 1][i] - g->mean[k - 1][i]) / (2 * g->step_s * by) : 0;
    }
    return inside;
}

/* Without a gyroscope the part of the rate across the direction must do: u x u'. */
marl_status lab_find_regressor(const marl_log *log, int sensor, double step_s, lab_regressor *c,
                               marl_error *error)
{
    grid g = {0};
    double *all[3 + LAB_PAIRS];
    marl_status status = make_grid(&g, log, sensor, step_s, error);
    if (status != MARL_OK || g.mean == NULL) {
        return status;
    }
    c->n = g.n;
    status = make_series(&c->memory, all, 3 + LAB_PAIRS, c->n, error);
    memcpy(c->rate, all, sizeof c->rate);
    memcpy(c->square, all + 3, sizeof c->square);
    c->from_ns = log->row[0].sample.t_ns;
    for (size_t k = 0; k < c->n && c->memory != NULL; k++) {
        double w[3], u[3], change[3];
        (void)direction(&g, k, 0, u, change);
        lab_cross3(u, change, w);
        for (int i = 0; i < 3; i++) {
            c->rate[i][k] = sensor == MARL_GYRO ? g.mean[k][i] : w[i];
        }
        for (int p = 0; p < LAB_PAIRS; p++) {
            c->square[p][k] = c->rate[pair[p][0]][k] * c->rate[pair[p][1]][k];
        }
    }
    free(g.mean);
    return status;
}

/* With P = [u]x, P'P = u'u - u u' and P'y = y x u. */
static void put_response(lab_response *e, const grid *g, int sensor, size_t k)
{
    double u[3] = {0}, y[3], back[3], one, own = 1;
    if (sensor == MARL_GYRO) {
        memcpy(y, g->mean[k], sizeof y);
        memcpy(back, y, sizeof back);
        one = 1;
    } else {
        one = direction(g, k, e->may_be_off ? g->rms : 0, u, y);
        own = lab_dot3(u, u);
        lab_cross3(y, u, back);
    }
    for (int p = 0; p < LAB_PAIRS; p++) {
        e->second[p][k] = (pair[p][0] == pair[p][1]) * own - u[pair[p][0]] * u[pair[p][1]];
    }
    for (int i = 0; i < 3; i++) {
        e->second[LAB_PAIRS + i][k] = u[i];
        e->first[i][k] = back[i];
        e->first[3 + i][k] = y[i];
    }
    e->second[LAB_PAIRS + 3][k] = one;
    e->length[k] = lab_dot3(y, y);
}

marl_status lab_find_response(const marl_log *log, int sensor, double step_s, lab_response *e,
                              marl_error *error)
{
    grid g = {0};
    double *all[LAB_FIRST_ORDER + LAB_SECOND_ORDER + 1];
    marl_status status = make_grid(&g, log, sensor, step_s, error);
    if (status != MARL_OK || g.mean == NULL) {
        return status;
    }
    e->n = g.n;
    e->may_be_off = sensor == MARL_MAG;
    status = make_series(&e->memory, all, sizeof all / sizeof all[0], e->n, error);
    memcpy(e->first, all, sizeof e->first);
    memcpy(e->second, all + LAB_FIRST_ORDER, sizeof e->second);
    e->length = all[LAB_FIRST_ORDER + LAB_SECOND_ORDER];
    e->from_ns = log->row[0].sample.t_ns;
    for (size_t k = 0; k < e->n && e->memory != NULL; k++) {
        put_response(e, &g, sensor, k);
    }
    free(g.mean);
    return status;
}
