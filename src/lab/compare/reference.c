/* SPDX-License-Identifier: MIT
 * What is a reference, and what is not. */
#include "lab/log/series.h"
#include "marlinspike/compare.h"
#include <math.h>

#define MIN_S 10.0
#define MAX_STEP_DEG 90.0

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
