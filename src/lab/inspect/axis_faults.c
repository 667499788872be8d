/* SPDX-License-Identifier: MIT
 * Axes that are clipped or stuck. */
#include "lab/inspect/axis_faults.h"
#include "lab/inspect/sensor_summary.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include <math.h>

#define STUCK_S 1.0
enum { MIN_STUCK = 20, MIN_CLIPPED = 5 };
#define STEPS_TO_EXTREME 50.0 /* an axis that spans fewer of its own steps is at its extremes by chance */

/* One axis as the readings go by. */
typedef struct axis_watch {
    float min, max;      /* of the recording */
    float step;          /* least change between neighbours */
    float held;          /* value of the open run */
    size_t run;          /* its readings */
    size_t others_moved; /* readings in it in which another axis moved */
} axis_watch;

static float part(const marl_vec3 *v, int axis)
{
    return axis == 0 ? v->x : axis == 1 ? v->y : v->z;
}

static void find_extremes(const marl_log *log, marl_sensor sensor, axis_watch watch[3])
{
    const marl_vec3 *before = NULL;
    for (int k = 0; k < 3; k++) {
        watch[k] = (axis_watch){.min = INFINITY, .max = -INFINITY, .step = INFINITY};
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        const marl_vec3 *now = lab_reading(s, sensor);
        for (int k = 0; k < 3; k++) {
            float value = part(now, k), change = before != NULL ? fabsf(value - part(before, k)) : 0.0f;
            watch[k].min = fminf(watch[k].min, value);
            watch[k].max = fmaxf(watch[k].max, value);
            watch[k].step = change > 0.0f ? fminf(watch[k].step, change) : watch[k].step;
        }
        before = now;
    }
}

/* A quiet sensor at rest keeps its values, too, but then no axis moves. */
static void close_run(axis_watch *w, size_t long_run, int alone, size_t *clipped, size_t *stuck)
{
    int wide = w->max - w->min > STEPS_TO_EXTREME * w->step;
    int moving = alone || w->others_moved > w->run / 2;
    if (w->run >= MIN_CLIPPED && wide && moving && (w->held == w->max || w->held == w->min)) {
        *clipped += w->run;
    } else if (w->run >= long_run && w->others_moved > w->run / 2) {
        *stuck += w->run;
    }
    w->run = w->others_moved = 0;
}

void lab_find_axis_faults(const marl_log *log, marl_sensor sensor, marl_sensor_summary *summary)
{
    axis_watch watch[3];
    int alone = summary->axes == 1u || summary->axes == 2u || summary->axes == 4u;
    const marl_vec3 *before = NULL;
    double wanted = isfinite(summary->rate_hz) ? STUCK_S * summary->rate_hz : MIN_STUCK;
    size_t long_run = wanted > MIN_STUCK ? (size_t)wanted : MIN_STUCK;
    find_extremes(log, sensor, watch);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        const marl_vec3 *now = lab_reading(s, sensor);
        for (int k = 0; k < 3; k++) {
            axis_watch *w = &watch[k];
            float value = part(now, k);
            if (w->run > 0 && value != w->held) {
                close_run(w, long_run, alone, &summary->clipped[k], &summary->stuck[k]);
            }
            w->held = value;
            w->run++;
            int next = (k + 1) % 3, after = (k + 2) % 3;
            w->others_moved += before != NULL && (part(now, next) != part(before, next) ||
                                                  part(now, after) != part(before, after));
        }
        before = now;
    }
    for (int k = 0; k < 3; k++) {
        close_run(&watch[k], long_run, alone, &summary->clipped[k], &summary->stuck[k]);
        if (!(summary->axes & (1u << k))) { /* an axis that is not in the log is not stuck */
            summary->clipped[k] = summary->stuck[k] = 0;
        }
    }
}

static const char *const lost[MARL_SENSOR_COUNT] = {
    "the filters take what is left for the force",
    "its turning is lost there, and the attitude is off by it: choose a wider range of the chip",
    "its field is a wrong one there"};

static void warn_of_sensor(marl_warnings *warnings, const marl_sensor_summary *s, marl_sensor sensor,
                           const char *path)
{
    for (int k = 0; k < 3; k++) {
        if (s->clipped[k] > 0 && 2 * s->duplicates < s->readings) {
            marl_warn(warnings, "clipped", "%s: %s_%c is clipped in %zu of %zu readings: %s", path,
                      marl_sensor_name(sensor), 'x' + k, s->clipped[k], s->readings, lost[sensor]);
        }
        if (s->stuck[k] > 0) {
            marl_warn(warnings, "stuck", "%s: %s_%c keeps one value in %zu of %zu readings while others move",
                      path, marl_sensor_name(sensor), 'x' + k, s->stuck[k], s->readings);
        }
    }
    if (s->spikes > 0) {
        marl_warn(
            warnings, "spikes",
            "%s: %zu of %zu readings of %s stand alone, the first at %.3f s, as a failing bus leaves them "
            "(or a knock): smooth leaves them out; to the filters they are true, unless inspect "
            "--drop-spikes -o LOG takes them out",
            path, s->spikes, s->readings, marl_sensor_name(sensor), 1e-9 * (double)s->first_spike_ns);
    }
}

marl_status marl_axis_faults_warn(marl_warnings *warnings, const marl_log *log, marl_error *error)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_sensor_summary summary;
        MARL_TRY(lab_sensor_summarise(log, (marl_sensor)i, &summary, error));
        warn_of_sensor(warnings, &summary, (marl_sensor)i, log->path);
    }
    return MARL_OK;
}
