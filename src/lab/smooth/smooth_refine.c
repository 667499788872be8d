/* SPDX-License-Identifier: MIT
 * What a smoothed log adds to a calibration. */
#include "lab/maths/linear.h"
#include "marlinspike/smooth.h"
#include <math.h>
#include <string.h>

#define SIGNIFICANT 3.0 /* standard errors */

/* Remainders of one kind: three, or nine of a matrix. */
typedef struct leftover {
    int n;
    double value[9], sigma[9];
} leftover;

static leftover leftover_of(const marl_smoothed *s, marl_sensor sensor)
{
    const double *value = sensor == MARL_MAG    ? s->mag_bias
                          : sensor == MARL_GYRO ? s->gyro_matrix
                                                : s->accel_bias;
    const double *sigma = sensor == MARL_MAG    ? s->mag_bias_sigma
                          : sensor == MARL_GYRO ? s->gyro_matrix_sigma
                                                : s->accel_bias_sigma;
    leftover r = {.n = sensor == MARL_GYRO ? 9 : 3};
    memcpy(r.value, value, (size_t)r.n * sizeof *value);
    memcpy(r.sigma, sigma, (size_t)r.n * sizeof *sigma);
    return r;
}

/* Marks those that are significant and that both halves agree on. */
static int choose(const leftover *whole, const leftover half[2], int *added)
{
    int any = 0;
    for (int k = 0; k < whole->n; k++) {
        double apart = fabs(half[0].value[k] - half[1].value[k]);
        added[k] = fabs(whole->value[k]) > SIGNIFICANT * whole->sigma[k] &&
                   apart < SIGNIFICANT * hypot(half[0].sigma[k], half[1].sigma[k]) &&
                   apart < fabs(whole->value[k]);
        any |= added[k];
    }
    return any;
}

static void make_present(marl_fit *fit)
{
    if (!fit->present) {
        *fit = marl_fit_none();
        fit->present = 1;
    }
}

/* (1 - E) matrix (raw - bias). */
static void add_matrix(marl_fit *fit, const leftover *r, const int added[9])
{
    double before[3][3];
    make_present(fit);
    memcpy(before, fit->matrix, sizeof before);
    for (int k = 0; k < 9; k++) {
        for (int j = 0; j < 3 && added[k]; j++) {
            fit->matrix[k / 3][j] -= r->value[k] * before[k % 3][j];
        }
        if (added[k] && fit->has_sigma) {
            fit->matrix_sigma[k / 3][k % 3] = r->sigma[k];
        }
    }
}

/* matrix (raw - bias) - remainder = matrix (raw - (bias + matrix^-1 remainder)). */
static void add_bias(marl_fit *fit, const leftover *r, const int added[3])
{
    double matrix[9], shift[3];
    make_present(fit);
    for (int i = 0; i < 9; i++) {
        matrix[i] = fit->matrix[i / 3][i % 3];
    }
    for (int k = 0; k < 3; k++) {
        shift[k] = added[k] ? r->value[k] : 0;
    }
    if (!lab_solve_general(3, matrix, shift)) {
        return;
    }
    for (int k = 0; k < 3; k++) {
        fit->bias[k] += shift[k];
        if (added[k] && fit->has_sigma) {
            fit->bias_sigma[k] = r->sigma[k];
        }
    }
}

marl_status marl_smooth_refine(const marl_log *log, const marl_smooth_options *options,
                               const marl_smoothed *smoothed, marl_calibration_record *record,
                               marl_refined *refined, marl_error *error)
{
    marl_log part[2] = {*log, *log};
    leftover half[MARL_SENSOR_COUNT][2] = {{{0, {0}, {0}}}};
    const marl_smooth_options of_half = {.record = options->record, .record_path = options->record_path};
    *refined = (marl_refined){0};
    part[0].n = log->n / 2;
    part[1].row = log->row + log->n / 2;
    part[1].n = log->n - log->n / 2;
    for (int i = 0; i < 2; i++) {
        marl_smoothed s;
        MARL_TRY(marl_smooth(&part[i], &of_half, &s, error));
        half[MARL_ACCEL][i] = leftover_of(&s, MARL_ACCEL);
        half[MARL_MAG][i] = leftover_of(&s, MARL_MAG);
        half[MARL_GYRO][i] = leftover_of(&s, MARL_GYRO);
        marl_smoothed_free(&s);
    }
    leftover accel = leftover_of(smoothed, MARL_ACCEL), mag = leftover_of(smoothed, MARL_MAG);
    leftover matrix = leftover_of(smoothed, MARL_GYRO);
    if (choose(&accel, half[MARL_ACCEL], refined->accel)) {
        add_bias(&record->fit[MARL_ACCEL], &accel, refined->accel);
        refined->any = 1;
    }
    if (smoothed->heading_is_magnetic && choose(&mag, half[MARL_MAG], refined->mag)) {
        add_bias(&record->fit[MARL_MAG], &mag, refined->mag);
        refined->any = 1;
    }
    if (options->gyro_matrix && choose(&matrix, half[MARL_GYRO], refined->gyro_matrix)) {
        add_matrix(&record->fit[MARL_GYRO], &matrix, refined->gyro_matrix);
        refined->any = 1;
    }
    return MARL_OK;
}
