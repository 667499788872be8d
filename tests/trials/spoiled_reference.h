/* SPDX-License-Identifier: MIT
 * References that are spoiled in known ways: for tests, and for the benchmark. */
#ifndef SPOILED_REFERENCE_H
#define SPOILED_REFERENCE_H

#include "marlinspike/lab.h"
#include "random_values.h"
#include <stdlib.h>

static inline marl_quat turn(double x, double y, double z)
{
    double angle = sqrt(x * x + y * y + z * z), share = angle > 0 ? sin(angle / 2) / angle : 0.5;
    return (marl_quat){(float)cos(angle / 2), (float)(share * x), (float)(share * y), (float)(share * z)};
}

/* What happens to a reference on its way into a file. */
typedef struct spoiling {
    double offset_s, ppm, noise_deg, drop;
    size_t every;
    marl_quat world, body;
} spoiling;

/* The truth of the log, read by another clock, in other frames, with noise about each axis. */
static inline marl_series reference_of(const marl_log *log, const spoiling *how, dice *d)
{
    marl_series s = {0, malloc(log->n * sizeof *s.at)};
    for (size_t i = 0; i < log->n; i += how->every) {
        if (dice_between(d, 0, 1) < how->drop) {
            continue;
        }
        double t = 1e-9 * (double)(log->row[i].sample.t_ns - log->row[0].sample.t_ns),
               sigma = how->noise_deg * MARL_DEGREE;
        marl_quat q = marl_quat_product(how->world, marl_quat_product(log->row[i].q, how->body));
        marl_quat shaken = turn(sigma * dice_normal(d), sigma * dice_normal(d), sigma * dice_normal(d));
        s.at[s.n].t_ns = log->row[0].sample.t_ns + llround(1e9 * (how->offset_s + t * (1 + 1e-6 * how->ppm)));
        s.at[s.n++].q = marl_quat_product(q, shaken);
    }
    return s;
}

static inline void drop_rows(marl_log *log, double share, dice *d)
{
    size_t kept = 0;
    for (size_t i = 0; i < log->n; i++) {
        if (i == 0 || dice_between(d, 0, 1) >= share) {
            log->row[kept++] = log->row[i];
        }
    }
    log->n = kept;
}

/* A copy of the rows; the rest belongs to `log`. */
static inline marl_log without_rows(const marl_log *log, double share, dice *d)
{
    marl_log degrader = *log;
    degrader.row = malloc(log->n * sizeof *degrader.row);
    memcpy(degrader.row, log->row, log->n * sizeof *degrader.row);
    drop_rows(&degrader, share, d);
    return degrader;
}

#endif
