/* SPDX-License-Identifier: MIT
 * The magnetometer of a calibration against a recording that it has not seen. */
#include "lab/calibrate/corrected_log.h"
#include "lab/calibrate/verify_parts.h"
#include "lab/maths/block_fit.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <stdlib.h>

#define SETTLED 0.5 /* m/s^2 off gravity: up can be seen */
/* uT: half a degree of heading. A part differs by less from one power-on to the next. */
#define MAX_BIAS 0.25
#define MAX_BIAS_SIGMA 0.5  /* uT: more, and the directions do not determine it */
#define BIAS_DEVIATIONS 3.3 /* deviations: one in a thousand an axis */
/* A reading whose length is off the others' by so many of their deviations is broken: a bias that is left spreads all of
 * them. More than this share are no broken readings. */
#define BROKEN_DEVIATIONS 8.0
#define MAX_BROKEN 0.1
enum {
    UNKNOWNS = 4, /* bias and size */
    MIN_FIELD = 50,
    DEPENDENT = 25 /* readings in a row know as much as one, for the limit */
};

/* Lengths of the readings, corrected, off the median and how far they usually are, uT. */
typedef struct usual {
    double middle, deviation;
} usual;

static int is_broken(const marl_sample *s, const usual *u)
{
    const double field[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
    return !(fabs(lab_verify_length(field) - u->middle) <= BROKEN_DEVIATIONS * u->deviation);
}

/* Takes the broken readings out of the copy, and counts them. */
static marl_status leave_out_broken(const marl_fit *fit, marl_log *copy, marl_verified *v, marl_error *error)
{
    double *length = malloc((copy->n + 1) * sizeof *length);
    size_t n = 0, broken = 0;
    if (length == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < copy->n; i++) {
        const marl_sample *s = &copy->row[i].sample;
        if (s->fresh & MARL_FRESH_MAG) {
            const double field[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
            length[n++] = lab_verify_length(field);
        }
    }
    usual u = {.middle = n > 0 ? lab_quantile(length, n, 0.5) : 0};
    for (size_t i = 0; i < n; i++) {
        length[i] = fabs(length[i] - u.middle);
    }
    u.deviation = fmax(n > 0 ? 1.4826022 * lab_quantile(length, n, 0.5) : 0, fit->residual_rms);
    free(length);
    for (size_t i = 0; i < copy->n; i++) {
        broken += (copy->row[i].sample.fresh & MARL_FRESH_MAG) && is_broken(&copy->row[i].sample, &u);
    }
    for (size_t i = 0; i < copy->n && (double)broken <= MAX_BROKEN * (double)n; i++) {
        marl_sample *s = &copy->row[i].sample;
        if ((s->fresh & MARL_FRESH_MAG) && is_broken(s, &u)) {
            s->fresh = (uint8_t)(s->fresh & ~MARL_FRESH_MAG);
            v->left_out++;
        }
    }
    return MARL_OK;
}

/* Lengths of the corrected readings off the field over the directions, less what `known` (bias, size)
 * explains of them. */
static void add_lengths(const marl_fit *fit, const marl_log *log, const double known[UNKNOWNS],
                        lab_block_fit *sums)
{
    lab_block_fit_init(sums, UNKNOWNS, LAB_BLOCK_NS);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        const double field[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
        double size = lab_verify_length(field);
        if (!(s->fresh & MARL_FRESH_MAG) || !(size > 0)) {
            continue;
        }
        const double row[UNKNOWNS] = {field[0] / size, field[1] / size, field[2] / size, 1};
        double off = size - fit->field;
        for (int k = 0; k < UNKNOWNS; k++) {
            off -= row[k] * known[k];
        }
        lab_block_fit_add(sums, s->t_ns, row, off);
    }
}

/* The bias that is left: lengths off the field along its direction, with standard errors from blocks of time.
 * Each reading alone hides it in its noise. Twice, since the scatter of the blocks is that of what is left.
 */
static void find_mag_bias(const marl_fit *fit, const marl_log *log, marl_verification *all)
{
    double known[UNKNOWNS] = {0}, step[LAB_BLOCK_FIT_MAX], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    lab_block_fit sums;
    for (int round = 0; round < 2; round++) {
        add_lengths(fit, log, known, &sums);
        if (sums.rows < MIN_FIELD || !lab_block_fit_solve(&sums, step, covariance) ||
            sums.blocks < UNKNOWNS) {
            return;
        }
        for (int k = 0; k < UNKNOWNS; k++) {
            known[k] += step[k];
        }
    }
    for (int k = 0; k < 3; k++) {
        double sigma = sqrt(covariance[k * UNKNOWNS + k]);
        if (sigma < MAX_BIAS_SIGMA) {
            all->mag_bias[k] = known[k];
            all->mag_bias_limit[k] =
                fmax(MAX_BIAS, lab_student_deviation(BIAS_DEVIATIONS, (double)sums.blocks - 1) * sigma);
        }
    }
}

static int mag_bias_holds(const marl_verification *all)
{
    for (int k = 0; k < 3; k++) {
        if (fabs(all->mag_bias[k]) > all->mag_bias_limit[k]) {
            return 0;
        }
    }
    return 1;
}

/* The field's length in every corrected reading, and its dip where up can be seen. */
static void verify_mag(const marl_fit *fit, const marl_log *log, marl_verification *all)
{
    marl_verified *v = &all->sensor[MARL_MAG];
    lab_moments dip = {0};
    const marl_vec3 *force = NULL;
    double squares = 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        force = s->fresh & MARL_FRESH_ACCEL ? &s->accel : force;
        if (!(s->fresh & MARL_FRESH_MAG)) {
            continue;
        }
        const double field[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
        double off = lab_verify_length(field) - fit->field;
        squares += off * off;
        v->n++;
        if (force == NULL) {
            continue;
        }
        const double up[3] = {(double)force->x, (double)force->y, (double)force->z};
        if (fabs(lab_verify_length(up) - MARL_STANDARD_GRAVITY) < SETTLED && lab_verify_length(field) > 0) {
            double sine = -(up[0] * field[0] + up[1] * field[1] + up[2] * field[2]) /
                          (lab_verify_length(up) * lab_verify_length(field));
            lab_moments_add(&dip, asin(fmax(-1, fmin(1, sine))) / MARL_DEGREE);
        }
    }
    if (dip.n > MIN_FIELD) {
        all->dip_deg = dip.mean;
        all->dip_deviation = lab_moments_deviation(&dip);
    }
    if (v->n >= MIN_FIELD && isfinite(fit->field) && fit->residual_rms > 0) {
        double own = lab_verify_own_error(fit, fit->field);
        const lab_expected e = {fit->residual_rms * fit->residual_rms, fmax(1, (double)v->n / DEPENDENT),
                                own * own, COMMON_DOF};
        lab_verify_decide(v, squares / (double)v->n, &e);
        find_mag_bias(fit, log, all);
        v->holds = v->holds && mag_bias_holds(all);
        const double *limit = all->mag_bias_limit;
        int open = isnan(limit[0] + limit[1] + limit[2]); /* along some axis any bias would pass */
        v->would_show = open ? NAN : fmax(limit[0], fmax(limit[1], limit[2]));
    }
}

marl_status lab_verify_mag(const marl_calibration_record *record, const marl_log *log, marl_verification *all,
                           marl_error *error)
{
    marl_log corrected;
    MARL_TRY(lab_corrected_copy(log, record, &corrected, error));
    marl_status status = leave_out_broken(&record->fit[MARL_MAG], &corrected, &all->sensor[MARL_MAG], error);
    if (status == MARL_OK) {
        verify_mag(&record->fit[MARL_MAG], &corrected, all);
    }
    free(corrected.row);
    return status;
}
