/* SPDX-License-Identifier: MIT
 * What is a reference, and what is not. */
#include "lab/log/series.h"
#include "lab/maths/statistics.h"
#include "marlinspike/compare.h"
#include <math.h>
#include <string.h>

#define MIN_S 10.0
#define MAX_STEP_DEG 90.0
#define HELD_S 0.1 /* what is repeated for so long, and so many times as often as usual ... */
#define HELD_ROWS 5.0
#define HELD_DEG 1.0 /* ... was held if the next step jumps, see compare.h */
#define HELD_USUAL 5.0
#define HELD_AFTER 4.0
enum { MAX_STEPS = 4096 };

/* The step that turns furthest, of those that are interpolated across. */
static size_t widest_step(const marl_series *s, double *deg)
{
    int64_t longest = lab_longest_step_ns(s);
    size_t widest = 0;
    *deg = 0;
    for (size_t i = 1; i < s->n; i++) {
        double angle = lab_quat_angle(s->at[i].q, s->at[i - 1].q) / MARL_DEGREE;
        if (angle > *deg && s->at[i].t_ns - s->at[i - 1].t_ns <= longest) {
            *deg = angle;
            widest = i;
        }
    }
    return widest;
}

static int is_same(marl_quat a, marl_quat b)
{
    return a.w == b.w && a.x == b.x && a.y == b.y && a.z == b.z;
}

/* The angle of attitudes that are the same is not quite 0 in floats. */
static double step_deg(const marl_series *s, size_t i)
{
    return i > 0 && i < s->n && !is_same(s->at[i].q, s->at[i - 1].q)
               ? lab_quat_angle(s->at[i].q, s->at[i - 1].q) / MARL_DEGREE
               : 0;
}

/* The median of the steps that turn at all, of at most MAX_STEPS of them; 0 without any. */
static double median_turn(const marl_series *s)
{
    double turn[MAX_STEPS];
    size_t stride = s->n / MAX_STEPS + 1, n = 0;
    for (size_t i = 1; i < s->n && n < MAX_STEPS; i += stride) {
        double deg = step_deg(s, i);
        turn[n] = deg;
        n += deg > 0;
    }
    return n > 0 ? lab_quantile(turn, n, 0.5) : 0;
}

/* Does the step to i leave an attitude that was only repeated? */
static int jumps(const marl_series *s, size_t i, double usual_deg)
{
    double after = fmax(step_deg(s, i + 1), fmax(step_deg(s, i + 2), step_deg(s, i + 3)));
    return step_deg(s, i) > fmax(fmax(HELD_DEG, HELD_USUAL * usual_deg), HELD_AFTER * after);
}

/* Attitudes that are the same to the last digit in a row, on average. */
static double usual_repeats(const marl_series *s)
{
    size_t changes = 1;
    for (size_t i = 1; i < s->n; i++) {
        changes += !is_same(s->at[i].q, s->at[i - 1].q);
    }
    return (double)s->n / (double)changes;
}

marl_held marl_reference_drop_held(marl_series *s)
{
    marl_held held = {0};
    double usual = median_turn(s), rows = HELD_ROWS * usual_repeats(s);
    size_t kept = 0;
    for (size_t from = 0, to; from < s->n; from = to) {
        for (to = from + 1; to < s->n && is_same(s->at[to].q, s->at[from].q); to++) {
        }
        double seconds = 1e-9 * (double)(s->at[to - 1].t_ns - s->at[from].t_ns);
        int is_held = to < s->n && (double)(to - from) >= rows && seconds >= HELD_S && jumps(s, to, usual);
        if (is_held && seconds > held.longest_s) {
            held.longest_s = seconds;
            held.first_ns = s->at[from].t_ns;
        }
        held.stretches += is_held ? 1 : 0;
        held.seconds += is_held ? seconds : 0;
        size_t n = is_held ? 1 : to - from; /* the first one was measured */
        memmove(s->at + kept, s->at + from, n * sizeof *s->at);
        kept += n;
    }
    s->n = kept;
    return held;
}

marl_status marl_reference_check(const marl_series *reference, const marl_log *log, marl_error *error)
{
    double deg, seconds = 0;
    if (log->report.not_unit > 0) {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s:%ld: the quaternion's length is %.3g and not 1 (%lu such rows)", log->path,
                         log->report.first_not_unit_line, log->report.first_not_unit_length,
                         log->report.not_unit);
    }
    if (reference->n > 1) {
        seconds = 1e-9 * (double)(reference->at[reference->n - 1].t_ns - reference->at[0].t_ns);
    }
    if (seconds < MIN_S) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: %.3g s are too short for a reference: 10 s at least", log->path, seconds);
    }
    size_t widest = widest_step(reference, &deg);
    if (deg > MAX_STEP_DEG) {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s: jumps by %.0f degrees within %.3g ms at t = %.3f s: no reference does",
                         log->path, deg,
                         1e-6 * (double)(reference->at[widest].t_ns - reference->at[widest - 1].t_ns),
                         1e-9 * (double)reference->at[widest].t_ns);
    }
    return MARL_OK;
}
