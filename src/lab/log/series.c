/* SPDX-License-Identifier: MIT
 * Series of attitudes, and reading between their lines. */
#include "lab/log/series.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { MAX_STEPS = 4096 };

#define STRAIGHT 0.99995 /* the cosine of half a turn of 1.1 degrees */

marl_status marl_series_from_log(marl_series *series, const marl_log *log, marl_error *error)
{
    *series = (marl_series){0, NULL};
    unsigned columns = log->info.columns;
    if ((columns & MARL_COLUMNS_Q) != MARL_COLUMNS_Q && (columns & MARL_COLUMNS_RPY) != MARL_COLUMNS_RPY) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: holds no attitude: it needs q_w, q_x, q_y, q_z or roll, pitch, yaw", log->path);
    }
    series->at = malloc((log->n + 1) * sizeof *series->at);
    if (series->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_log_row *row = &log->row[i];
        if (row->has_q) {
            marl_quat q = log->info.world == MARL_WORLD_NED ? marl_frame_swap_world(row->q) : row->q;
            series->at[series->n++] = (marl_attitude){row->sample.t_ns, q};
        }
    }
    return MARL_OK;
}

void marl_series_free(marl_series *series)
{
    free(series->at);
    *series = (marl_series){0, NULL};
}

static double quat_dot(marl_quat a, marl_quat b)
{
    return (double)a.w * (double)b.w + (double)a.x * (double)b.x + (double)a.y * (double)b.y +
           (double)a.z * (double)b.z;
}

marl_quat lab_quat_mix(marl_quat a, double ka, marl_quat b, double kb)
{
    double w = ka * (double)a.w + kb * (double)b.w, x = ka * (double)a.x + kb * (double)b.x;
    double y = ka * (double)a.y + kb * (double)b.y, z = ka * (double)a.z + kb * (double)b.z;
    double n = sqrt(w * w + x * x + y * y + z * z);
    return n > 0 ? (marl_quat){(float)(w / n), (float)(x / n), (float)(y / n), (float)(z / n)} : a;
}

/* "Animating rotation with quaternion curves" (1985). Up to a degree of turn the chord stands for the arc,
 * within two millionths of a degree. */
marl_quat marl_slerp(marl_quat a, marl_quat b, double u)
{
    double dot = quat_dot(a, b), sign = dot < 0 ? -1 : 1;
    if (fabs(dot) > STRAIGHT) {
        return lab_quat_mix(a, 1 - u, b, sign * u);
    }
    double angle = acos(fmin(fabs(dot), 1.0));
    return lab_quat_mix(a, sin((1 - u) * angle), b, sign * sin(u * angle));
}

marl_series lab_series_longest_piece(const marl_series *series)
{
    size_t first = 0, from = 0, to = 0;
    for (size_t i = 1; i <= series->n; i++) {
        if (i < series->n && series->at[i].t_ns - series->at[i - 1].t_ns <= LAB_BREAK_NS) {
            continue;
        }
        if (to == 0 || series->at[i - 1].t_ns - series->at[first].t_ns >
                           series->at[to - 1].t_ns - series->at[from].t_ns) {
            from = first;
            to = i;
        }
        first = i;
    }
    return (marl_series){to - from, series->at + from};
}

double lab_median_step_s(const marl_series *series)
{
    double step[MAX_STEPS];
    size_t stride = series->n / MAX_STEPS + 1, n = 0;
    for (size_t i = 1; i < series->n; i += stride) {
        step[n++] = (double)(series->at[i].t_ns - series->at[i - 1].t_ns) * 1e-9;
    }
    return n > 0 ? lab_quantile(step, n, 0.5) : NAN;
}

int64_t lab_longest_step_ns(const marl_series *series)
{
    double step = lab_median_step_s(series);
    return isfinite(step) ? (int64_t)(LAB_GAP_IN_STEPS * step * 1e9) : 0;
}

int lab_series_at(const marl_series *series, int64_t longest_ns, int64_t t_ns, size_t *place, marl_quat *q)
{
    size_t i = *place;
    if (i >= series->n || series->at[i].t_ns > t_ns) {
        i = 0;
    }
    while (i + 1 < series->n && series->at[i + 1].t_ns <= t_ns) {
        i++;
    }
    *place = i;
    if (series->n == 0 || t_ns < series->at[i].t_ns) {
        return 0;
    }
    const marl_attitude *a = &series->at[i];
    if (a->t_ns == t_ns) {
        *q = a->q;
        return 1;
    }
    if (i + 1 >= series->n || a[1].t_ns - a->t_ns > longest_ns) {
        return 0;
    }
    *q = marl_slerp(a->q, a[1].q, (double)(t_ns - a->t_ns) / (double)(a[1].t_ns - a->t_ns));
    return 1;
}

double lab_quat_angle(marl_quat a, marl_quat b)
{
    marl_quat e = marl_quat_product(a, marl_quat_conjugate(b));
    double v = sqrt((double)e.x * (double)e.x + (double)e.y * (double)e.y + (double)e.z * (double)e.z);
    return 2 * atan2(v, fabs((double)e.w));
}
