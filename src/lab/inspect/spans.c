/* SPDX-License-Identifier: MIT
 * Spans of time, and the spans of rest in a log. */
#include "lab/inspect/spans.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>

#define MIN_REST INT64_C(1000000000)
#define WIDER 1.8           /* times the noise: beyond the scatter of a window of a dozen readings */
#define SHIFT 6.0           /* deviations of the difference of two means */
#define MAX_ACCEL_NOISE 0.5 /* m/s^2: more is no sensor's noise */
#define MAX_GYRO_NOISE 0.06 /* rad/s */
#define MAX_MAG_NOISE 5.0   /* uT */
enum { MIN_DIFFERENCES = 5 };

void marl_spans_free(marl_spans *spans)
{
    free(spans->span);
    spans->span = NULL;
    spans->n = 0;
}

double marl_spans_seconds(const marl_spans *spans)
{
    double seconds = 0;
    for (size_t i = 0; i < spans->n; i++) {
        seconds += (double)(spans->span[i].to_ns - spans->span[i].from_ns) * 1e-9;
    }
    return seconds;
}

int marl_spans_hold(const marl_spans *spans, int64_t t_ns, size_t *at)
{
    while (*at < spans->n && spans->span[*at].to_ns < t_ns) {
        (*at)++;
    }
    return *at < spans->n && spans->span[*at].from_ns <= t_ns;
}

int lab_spans_add(marl_spans *spans, int64_t from_ns, int64_t to_ns)
{
    if ((spans->n & (spans->n + 1)) == 0) { /* the capacity is always the next power of two */
        marl_span *larger = realloc(spans->span, 2 * (spans->n + 1) * sizeof *larger);
        if (larger == NULL) {
            return 0;
        }
        spans->span = larger;
    }
    spans->span[spans->n++] = (marl_span){from_ns, to_ns};
    return 1;
}

/* Joins quiet windows that follow each other; a run of two or more is rest, if it is long enough. */
typedef struct run {
    int64_t from_ns, to_ns;
    int windows;
} run;

static int end_run(run *r, marl_spans *spans)
{
    int kept = r->windows >= 2 && r->to_ns - r->from_ns >= MIN_REST;
    r->windows = 0;
    return !kept || lab_spans_add(spans, r->from_ns, r->to_ns);
}

static int add_window(run *r, marl_spans *spans, marl_still_verdict verdict, int64_t from, int64_t to)
{
    if (verdict == MARL_STILL_MOVING) {
        return end_run(r, spans);
    }
    if (r->windows++ == 0) {
        r->from_ns = from;
    }
    r->to_ns = to;
    return 1;
}

static int find_rest(const marl_log *log, marl_still *still, marl_spans *spans)
{
    run r = {0, 0, 0};
    for (size_t i = 0; i < log->n; i++) {
        marl_sample s = log->row[i].sample;
        int64_t window = still->window_start_ns;
        /* the sample that closes a window belongs to the next one */
        int64_t last = i > 0 ? log->row[i - 1].sample.t_ns : s.t_ns;
        /* what is invalid is not fresh any more; that is all the detector needs to know */
        (void)!marl_sample_check(&s, NULL);
        marl_still_verdict verdict = marl_still_update(still, &s);
        if (verdict != MARL_STILL_OPEN && !add_window(&r, spans, verdict, window, last)) {
            return 0;
        }
    }
    if (log->n > 0) {
        int64_t window = still->window_start_ns, last = log->row[log->n - 1].sample.t_ns;
        marl_still_verdict verdict = marl_still_finish(still);
        /* too few readings: a still span goes on, but none starts */
        int ends = verdict != MARL_STILL_OPEN || r.windows > 0;
        if (ends && !add_window(&r, spans, verdict, window, last)) {
            return 0;
        }
    }
    return end_run(&r, spans);
}

/* A sensor's noise within a window of the detector, from the differences of neighbours, which slow motion
 * hardly changes: the quieter quarter of all windows. 0 when there are too few; *n is how many readings a
 * window has. */
static double noise_in_windows(const marl_log *log, marl_sensor sensor, double window_s, double *scratch,
                               double *n)
{
    const marl_vec3 *before = NULL;
    double squares[3] = {0}, count = 0, readings = 0;
    size_t windows = 0;
    int64_t start = log->n > 0 ? log->row[0].sample.t_ns : 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->t_ns - start >= (int64_t)(window_s * 1e9)) {
            double max = fmax(squares[0], fmax(squares[1], squares[2]));
            if (count >= MIN_DIFFERENCES) {
                scratch[windows++] = sqrt(max / count / 2);
                readings += count;
            }
            squares[0] = squares[1] = squares[2] = count = 0;
            start = s->t_ns;
            before = NULL;
        }
        if (s->fresh & (1u << sensor)) {
            const marl_vec3 *v = lab_reading(s, sensor);
            if (before != NULL) {
                squares[0] += pow((double)v->x - (double)before->x, 2);
                squares[1] += pow((double)v->y - (double)before->y, 2);
                squares[2] += pow((double)v->z - (double)before->z, 2);
                count++;
            }
            before = v;
        }
    }
    *n = windows > 0 ? readings / (double)windows : 1;
    double noise = windows > 0 ? lab_quantile(scratch, windows, 0.25) : 0;
    return isfinite(noise) ? noise : 0;
}

/* The detector's limits, wider where the sensor's own noise would not fit into them. */
static marl_still_limits limits_for(const marl_log *log, double *scratch)
{
    marl_still_limits limits = marl_still_default_limits();
    double n, noise = noise_in_windows(log, MARL_ACCEL, (double)limits.window_s, scratch, &n);
    noise = fmin(noise, MAX_ACCEL_NOISE);
    limits.accel_deviation = fmaxf(limits.accel_deviation, (float)(WIDER * noise));
    limits.accel_shift = fmaxf(limits.accel_shift, (float)(SHIFT * noise * sqrt(2 / n)));
    noise = fmin(noise_in_windows(log, MARL_GYRO, (double)limits.window_s, scratch, &n), MAX_GYRO_NOISE);
    limits.gyro_deviation = fmaxf(limits.gyro_deviation, (float)(WIDER * noise));
    limits.gyro_shift = fmaxf(limits.gyro_shift, (float)(SHIFT * noise * sqrt(2 / n)));
    noise = fmin(noise_in_windows(log, MARL_MAG, (double)limits.window_s, scratch, &n), MAX_MAG_NOISE);
    limits.mag_shift = fmaxf(limits.mag_shift, (float)(SHIFT * noise * sqrt(2 / n)));
    return limits;
}

marl_status marl_inspect_still(const marl_log *log, marl_spans *spans, marl_error *error)
{
    marl_still still;
    *spans = (marl_spans){0, NULL};
    double *scratch = malloc((log->n + 1) * sizeof *scratch);
    if (scratch == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_still_limits limits = limits_for(log, scratch);
    free(scratch);
    if (marl_still_init(&still, &limits) != MARL_OK || !find_rest(log, &still, spans)) {
        marl_spans_free(spans);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return MARL_OK;
}
