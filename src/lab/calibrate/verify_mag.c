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
#define MAX_BIAS_SIGMA 0.5    /* uT: more, and the directions do not determine it */
#define MATRIX_DEVIATIONS 4.0 /* deviations: six elements, and the error of their errors */
#define MAX_MATRIX_OFF 0.003  /* a quarter of a degree of heading where the field dips by 60 degrees */
#define MAX_SHAPE_SIGMA 0.01  /* more, and the directions do not determine it */
#define BIAS_DEVIATIONS 3.3   /* deviations: one in a thousand an axis */
/* A reading whose length is off the others' by so many of their deviations is broken: a bias that is left spreads all of
 * them. More than this share are no broken readings. */
#define BROKEN_DEVIATIONS 8.0
#define MAX_BROKEN 0.1
enum {
    SIZE = 4,  /* unknowns: bias and size */
    SHAPE = 9, /* bias and a symmetric matrix */
    MIN_SHAPE_BLOCKS = 10,
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

/* What a length shows of each unknown: the bias, and the size of the field (SIZE of them in all) or a symmetric change of
 * the matrix as diagonal, xy, xz, yz (SHAPE). A turn of the whole changes no length. */
static void length_row(const double field[3], double size, double strength, int unknowns, double *row)
{
    const double x = field[0] / size, y = field[1] / size, z = field[2] / size;
    const double shape[6] = {x * x, y * y, z * z, 2 * x * y, 2 * x * z, 2 * y * z};
    row[0] = x;
    row[1] = y;
    row[2] = z;
    row[3] = 1;
    for (int e = 0; e < 6 && unknowns == SHAPE; e++) {
        row[3 + e] = strength * shape[e];
    }
}

/* Lengths of the corrected readings off the field over the directions, less what `known` explains of them. */
static void add_lengths(const marl_fit *fit, const marl_log *log, int unknowns, const double *known,
                        lab_block_fit *sums)
{
    lab_block_fit_init(sums, unknowns, LAB_BLOCK_NS);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        const double field[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
        double size = lab_verify_length(field), off = size - fit->field, row[SHAPE];
        if (!(s->fresh & MARL_FRESH_MAG) || !(size > 0)) {
            continue;
        }
        length_row(field, size, fit->field, unknowns, row);
        for (int k = 0; k < unknowns; k++) {
            off -= row[k] * known[k];
        }
        lab_block_fit_add(sums, s->t_ns, row, off);
    }
}

/* What the lengths show. */
typedef struct shown {
    double known[SHAPE], covariance[LAB_BLOCK_FIT_MAX * LAB_BLOCK_FIT_MAX];
    double factor; /* of a standard error: so few blocks know it no better */
} shown;

/* Twice, since the scatter of the blocks is that of what is left. 0 when the lengths do not determine it. */
static int solve(const marl_fit *fit, const marl_log *log, int unknowns, size_t min_blocks, shown *found)
{
    double step[LAB_BLOCK_FIT_MAX];
    lab_block_fit sums;
    *found = (shown){.factor = 0};
    for (int round = 0; round < 2; round++) {
        add_lengths(fit, log, unknowns, found->known, &sums);
        if (sums.rows < MIN_FIELD || !lab_block_fit_solve(&sums, step, found->covariance) ||
            sums.blocks < min_blocks) {
            return 0;
        }
        for (int k = 0; k < unknowns; k++) {
            found->known[k] += step[k];
        }
    }
    found->factor = lab_student_deviation(BIAS_DEVIATIONS, (double)sums.blocks - 1) / BIAS_DEVIATIONS;
    return 1;
}

/* The bias that is left, with standard errors from blocks of time. Each reading alone hides it in its noise. */
static void find_mag_bias(const marl_fit *fit, const marl_log *log, marl_verification *all)
{
    shown found;
    if (!solve(fit, log, SIZE, SIZE, &found)) {
        return;
    }
    for (int k = 0; k < 3; k++) {
        double sigma = sqrt(found.covariance[k * SIZE + k]);
        double own = isfinite(fit->bias_sigma[k]) ? fit->bias_sigma[k] : 0;
        if (sigma < MAX_BIAS_SIGMA) {
            all->mag_bias[k] = found.known[k];
            all->mag_bias_limit[k] = fmax(MAX_BIAS, BIAS_DEVIATIONS * hypot(found.factor * sigma, own));
        }
    }
}

/* Element e of the change of the matrix, and its standard error: of the diagonal what differs from its mean, since the
 * size of the field is no matter of the matrix. */
static double shape_of(const shown *found, int e, double *sigma)
{
    double weight[SHAPE] = {0}, value = 0, variance = 0;
    for (int k = 3; k < 6; k++) {
        weight[k] = e < 3 ? (k == 3 + e) - 1.0 / 3 : 0;
    }
    weight[3 + e] = e < 3 ? weight[3 + e] : 1;
    for (int i = 3; i < SHAPE; i++) {
        value += weight[i] * found->known[i];
        for (int j = 3; j < SHAPE; j++) {
            variance += weight[i] * weight[j] * found->covariance[i <= j ? i * SHAPE + j : j * SHAPE + i];
        }
    }
    *sigma = sqrt(variance);
    return value;
}

/* The element of the matrix that the lengths contradict most. */
static void find_mag_matrix(const marl_fit *fit, const marl_log *log, marl_verification *all)
{
    static const int place[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};
    shown found;
    if (!solve(fit, log, SHAPE, MIN_SHAPE_BLOCKS, &found)) {
        return;
    }
    for (int e = 0; e < 6; e++) {
        double sigma, own = fit->matrix_sigma[place[e][0]][place[e][1]];
        double off = shape_of(&found, e, &sigma);
        if (!isfinite(own) || !(sigma < MAX_SHAPE_SIGMA)) {
            continue; /* the calibration left it open, or these directions do */
        }
        double z = off / hypot(found.factor * sigma, own);
        if (!(fabs(z) <= fabs(all->mag_matrix_z))) {
            all->mag_matrix_z = z;
            all->mag_matrix_off = off;
        }
    }
}

static int mag_matrix_holds(const marl_verification *all)
{
    return !(fabs(all->mag_matrix_z) > MATRIX_DEVIATIONS && fabs(all->mag_matrix_off) > MAX_MATRIX_OFF);
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
        find_mag_matrix(fit, log, all);
        v->holds = v->holds && mag_bias_holds(all) && mag_matrix_holds(all);
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
