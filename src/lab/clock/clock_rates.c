/* SPDX-License-Identifier: MIT
 * The turning that a recording shows. */
#include "lab/clock/clock_rates.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

static const int pair[LAB_PAIRS][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};

/* Means of a sensor's vectors over the steps of the grid; a step without a reading repeats the one before. */
static size_t grid_means(const marl_log *log, int sensor, double step_s, double (*mean)[3], size_t scratch)
{
    size_t count = 0, at = 0;
    int64_t from = log->row[0].sample.t_ns;
    memset(mean, 0, scratch * sizeof *mean);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        size_t k = (size_t)((double)(s->t_ns - from) * 1e-9 / step_s);
        for (; at < k && at + 1 < scratch; at++) {
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
static marl_status make_series(double **scratch, double **series, size_t count, size_t n, marl_error *error)
{
    *scratch = n > 0 ? calloc(count * n, sizeof **scratch) : NULL;
    for (size_t i = 0; i < count; i++) {
        series[i] = *scratch != NULL ? *scratch + i * n : NULL;
    }
    return *scratch != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static marl_status make_means(const marl_log *log, int sensor, double step_s, double (**mean)[3], size_t *n,
                              marl_error *error)
{
    double seconds = 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns);
    size_t scratch = seconds / step_s < 1e8 ? (size_t)(seconds / step_s) + 2 : 0;
    *mean = scratch > 0 ? malloc(scratch * sizeof **mean) : NULL;
    if (*mean == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: no memory for a recording of %.4g s", log->path,
                         seconds);
    }
    *n = grid_means(log, sensor, step_s, *mean, scratch);
    return MARL_OK;
}

static void cross(const double a[3], const double b[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        out[i] = a[j] * b[k] - a[k] * b[j];
    }
}

/* u and u' at a place of the grid. */
static void direction(double (*mean)[3], size_t k, size_t n, double step_s, double u[3], double change[3])
{
    double length = sqrt(mean[k][0] * mean[k][0] + mean[k][1] * mean[k][1] + mean[k][2] * mean[k][2]);
    int inside = k > 0 && k + 1 < n && length > 0;
    for (int i = 0; i < 3; i++) {
        u[i] = inside ? mean[k][i] / length : 0;
        change[i] = inside ? (mean[k + 1][i] - mean[k - 1][i]) / (2 * step_s * length) : 0;
    }
}

/* Without a gyroscope the part of the rate across the direction must do: u x u'. */
marl_status lab_find_regressor(const marl_log *log, int sensor, double step_s, lab_regressor *c,
                               marl_error *error)
{
    double(*mean)[3] = NULL, *all[3 + LAB_PAIRS];
    marl_status status = make_means(log, sensor, step_s, &mean, &c->n, error);
    if (status != MARL_OK || mean == NULL) {
        return status;
    }
    status = make_series(&c->scratch, all, 3 + LAB_PAIRS, c->n, error);
    memcpy(c->rate, all, sizeof c->rate);
    memcpy(c->square, all + 3, sizeof c->square);
    c->from_ns = log->row[0].sample.t_ns;
    for (size_t k = 0; k < c->n && c->scratch != NULL; k++) {
        double w[3], u[3], change[3];
        direction(mean, k, c->n, step_s, u, change);
        cross(u, change, w);
        for (int i = 0; i < 3; i++) {
            c->rate[i][k] = sensor == MARL_GYRO ? mean[k][i] : w[i];
        }
        for (int p = 0; p < LAB_PAIRS; p++) {
            c->square[p][k] = c->rate[pair[p][0]][k] * c->rate[pair[p][1]][k];
        }
    }
    free(mean);
    return status;
}

/* With P = [u]x, P'P = 1 - u u' and P'y = y x u. */
marl_status lab_find_response(const marl_log *log, int sensor, double step_s, lab_response *e,
                              marl_error *error)
{
    double(*mean)[3] = NULL, *all[LAB_PAIRS + 4];
    marl_status status = make_means(log, sensor, step_s, &mean, &e->n, error);
    if (status != MARL_OK || mean == NULL) {
        return status;
    }
    status = make_series(&e->scratch, all, LAB_PAIRS + 4, e->n, error);
    memcpy(e->square, all, sizeof e->square);
    memcpy(e->product, all + LAB_PAIRS, sizeof e->product);
    e->length = all[LAB_PAIRS + 3];
    e->from_ns = log->row[0].sample.t_ns;
    for (size_t k = 0; k < e->n && e->scratch != NULL; k++) {
        double u[3] = {0}, y[3], back[3];
        if (sensor == MARL_GYRO) {
            memcpy(y, mean[k], sizeof y);
            memcpy(back, y, sizeof back);
        } else {
            direction(mean, k, e->n, step_s, u, y);
            cross(y, u, back);
        }
        for (int p = 0; p < LAB_PAIRS; p++) {
            e->square[p][k] = (pair[p][0] == pair[p][1]) - u[pair[p][0]] * u[pair[p][1]];
        }
        for (int i = 0; i < 3; i++) {
            e->product[i][k] = back[i];
            e->length[k] += y[i] * y[i];
        }
    }
    free(mean);
    return status;
}
