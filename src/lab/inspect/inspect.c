/* SPDX-License-Identifier: MIT
 * What a recording is. */
#include "marlinspike/inspect.h"
#include "lab/inspect/axis_faults.h"
#include "lab/inspect/sensor_summary.h"
#include "lab/inspect/spikes.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* Readings in a span that is longer than most clumps in which they come, and the share of its step that a median is of clumps. */
enum { SPAN = 64 };
#define CLUMPED 0.5

static const uint8_t flags[MARL_SENSOR_COUNT] = {MARL_FRESH_ACCEL, MARL_FRESH_GYRO, MARL_FRESH_MAG};
static const int first_column[MARL_SENSOR_COUNT] = {MARL_COLUMN_ACCEL_X, MARL_COLUMN_GYRO_X,
                                                    MARL_COLUMN_MAG_X};

/* Steps in s between fresh rows into `step`; returns how many. */
static size_t collect_steps(const marl_log *log, marl_sensor sensor, double *step)
{
    size_t n = 0;
    const marl_sample *before = NULL;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & flags[sensor]) {
            if (before != NULL) {
                step[n++] = (double)((uint64_t)s->t_ns - (uint64_t)before->t_ns) * 1e-9;
            }
            before = s;
        }
    }
    return n;
}

/* Where the first step longer than `limit` that is as long as `length` begins. */
static int64_t find_gap(const marl_log *log, marl_sensor sensor, double length)
{
    const marl_sample *before = NULL;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & flags[sensor]) {
            if (before != NULL && (double)((uint64_t)s->t_ns - (uint64_t)before->t_ns) * 1e-9 >= length) {
                return before->t_ns;
            }
            before = s;
        }
    }
    return 0;
}

static double mean_below(const double *step, size_t n, double limit)
{
    double sum = 0, counted = 0;
    for (size_t i = 0; i < n; i++) {
        sum += step[i] <= limit ? step[i] : 0;
        counted += step[i] <= limit;
    }
    return sum / counted;
}

/* The median step, unless readings come in clumps: then the mean without gaps. step has room for as many more. */
static double usual_step(double *step, size_t n)
{
    size_t spans = 0;
    for (size_t i = 0; i + SPAN <= n; i += SPAN) {
        double sum = 0;
        for (size_t k = 0; k < SPAN; k++) {
            sum += step[i + k];
        }
        step[n + spans++] = sum / SPAN;
    }
    double of_spans = spans > 0 ? lab_quantile(step + n, spans, 0.5) : 0;
    double median = lab_quantile(step, n, 0.5);
    return median < CLUMPED * of_spans ? mean_below(step, n, SPAN * of_spans) : median;
}

static void summarise_steps(const marl_log *log, marl_sensor sensor, double *step, size_t n,
                            marl_sensor_summary *summary)
{
    summary->rate_hz = summary->jitter_ms = NAN;
    if (n == 0) {
        return;
    }
    double usual = usual_step(step, n), squares = 0;
    for (size_t i = 0; i < n; i++) {
        if (step[i] > 1.5 * usual) {
            summary->gaps++;
            summary->longest_gap_s = fmax(summary->longest_gap_s, step[i]);
        } else {
            squares += (step[i] - usual) * (step[i] - usual);
        }
    }
    summary->rate_hz = 1.0 / usual;
    summary->jitter_ms = 1e3 * sqrt(squares / (double)(n - summary->gaps));
    if (summary->gaps > 0) {
        summary->longest_gap_ns = find_gap(log, sensor, summary->longest_gap_s);
    }
}

static int same(const marl_vec3 *a, const marl_vec3 *b)
{
    return fabsf(a->x - b->x) <= 0 && fabsf(a->y - b->y) <= 0 && fabsf(a->z - b->z) <= 0;
}

static marl_status find_spikes(const marl_log *log, marl_sensor sensor, marl_sensor_summary *summary,
                               marl_error *error)
{
    uint8_t *of_row = calloc(log->n + 1, 1);
    if (of_row == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status =
        lab_spikes_find(log, sensor, of_row, &summary->spikes, &summary->first_spike_ns, error);
    free(of_row);
    return status;
}

marl_status lab_sensor_summarise(const marl_log *log, marl_sensor sensor, marl_sensor_summary *summary,
                                 marl_error *error)
{
    lab_moments moments[3] = {{0}};
    const marl_vec3 *before = NULL;
    double *step = malloc(2 * (log->n + 1) * sizeof *step);
    if (step == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    *summary = (marl_sensor_summary){.axes = (log->info.columns >> first_column[sensor]) & 7u};
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & flags[sensor]) {
            const marl_vec3 *v = lab_reading(s, sensor);
            lab_moments_add_vector(moments, *v);
            summary->duplicates += before != NULL && same(v, before);
            before = v;
        }
    }
    summary->readings = moments[0].n;
    for (int k = 0; k < 3; k++) {
        summary->mean[k] = moments[k].n ? moments[k].mean : NAN;
        summary->deviation[k] = lab_moments_deviation(&moments[k]);
    }
    summarise_steps(log, sensor, step, collect_steps(log, sensor, step), summary);
    lab_find_axis_faults(log, sensor, summary);
    free(step);
    return find_spikes(log, sensor, summary, error);
}

marl_status marl_inspect(const marl_log *log, marl_inspection *inspection, marl_error *error)
{
    memset(inspection, 0, sizeof *inspection);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        MARL_TRY(lab_sensor_summarise(log, (marl_sensor)i, &inspection->sensor[i], error));
    }
    if (log->n > 0) {
        uint64_t span = (uint64_t)log->row[log->n - 1].sample.t_ns - (uint64_t)log->row[0].sample.t_ns;
        inspection->duration_s = (double)span * 1e-9;
    }
    return marl_inspect_still(log, &inspection->still, error);
}

void marl_inspection_free(marl_inspection *inspection)
{
    marl_spans_free(&inspection->still);
}
