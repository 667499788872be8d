/* SPDX-License-Identifier: MIT
 * A hard iron that drifts during a tumble. */
#include "lab/calibrate/tumble_parts.h"
#include "lab/maths/block_fit.h"
#include "lab/maths/linear.h"
#include <math.h>

enum { SIZE = 3, DRIFT = 4, BEND = 8, UNKNOWNS = 11, MIN_BLOCKS = 14, BLOCKS = 20 };
#define BLOCK_NS INT64_C(2500000000) /* the least: a hand is elsewhere by then */
#define BEND_SEEN 4.0                /* standard errors */

/* Lengths off the field over bias, size, both times the time, which runs from -1/2 to 1/2, and the bias times its square
 * about its mean. `known` is taken off, in corrected uT. */
static void add_lengths(const marl_log *log, const lab_tumble_readings *r, const marl_fit *fit,
                        const double *known, lab_block_fit *sums)
{
    int64_t first = log->row[r->row[0]].sample.t_ns, last = log->row[r->row[r->n - 1]].sample.t_ns;
    double span = (double)(last - first);
    lab_block_fit_init(sums, UNKNOWNS, (int64_t)fmax((double)BLOCK_NS, span / BLOCKS));
    for (size_t i = 0; i < r->n; i++) {
        int64_t t_ns = log->row[r->row[i]].sample.t_ns;
        double field[3], row[LAB_BLOCK_FIT_MAX] = {0}, time = (double)(t_ns - first) / span - 0.5;
        marl_fit_apply(fit, r->x[i], NAN, field);
        double size = sqrt(lab_dot3(field, field)), off = size - fit->field;
        if (r->skip[i] || !(size > 0)) {
            continue;
        }
        for (int k = 0; k <= SIZE; k++) {
            row[k] = k < SIZE ? field[k] / size : 1;
            row[DRIFT + k] = row[k] * time;
            if (k < SIZE) {
                row[BEND + k] = row[k] * (time * time - 1.0 / 12);
            }
        }
        for (int k = 0; k < UNKNOWNS; k++) {
            off -= row[k] * known[k];
        }
        lab_block_fit_add(sums, t_ns, row, off);
    }
}

/* Twice, since the scatter of the blocks is that of what is left. */
void lab_tumble_drift(const marl_log *log, const lab_tumble_readings *r, marl_tumble_result *t)
{
    double known[UNKNOWNS] = {0}, step[LAB_BLOCK_FIT_MAX], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    lab_block_fit sums;
    for (int round = 0; round < 2; round++) {
        add_lengths(log, r, &t->outcome.fit, known, &sums);
        if (!lab_block_fit_solve(&sums, step, covariance) || sums.blocks < MIN_BLOCKS) {
            return;
        }
        for (int k = 0; k < UNKNOWNS; k++) {
            known[k] += step[k];
        }
    }
    double few =
        (double)sums.blocks / (double)(sums.blocks - UNKNOWNS); /* unknowns that the blocks paid for */
    for (int k = 0; k < 3; k++) {
        t->drift[k] = known[DRIFT + k];
        t->drift_sigma[k] = sqrt(covariance[(DRIFT + k) * UNKNOWNS + DRIFT + k] * few);
        double bend = known[BEND + k], sigma = sqrt(covariance[(BEND + k) * UNKNOWNS + BEND + k] * few);
        t->drift_farthest[k] =
            0.5 * fabs(t->drift[k]) + (fabs(bend) > BEND_SEEN * sigma ? fabs(bend) / 6 : 0);
    }
}
