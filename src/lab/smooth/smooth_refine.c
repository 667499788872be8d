/* SPDX-License-Identifier: MIT
 * What a smoothed log adds to a calibration. */
#include "lab/maths/linear.h"
#include "marlinspike/smooth.h"
#include <math.h>
#include <string.h>

#define SIGNIFICANT 3.0 /* standard errors */

typedef struct leftover {
    double value[3], sigma[3];
} leftover;

static leftover leftover_of(const marl_smoothed *s, marl_sensor sensor)
{
    leftover r;
    int is_mag = sensor == MARL_MAG;
    memcpy(r.value, is_mag ? s->mag_bias : s->accel_bias, sizeof r.value);
    memcpy(r.sigma, is_mag ? s->mag_bias_sigma : s->accel_bias_sigma, sizeof r.sigma);
    return r;
}

/* Marks the axes that are significant and that both halves agree on. */
static int choose(const leftover *whole, const leftover half[2], int added[3])
{
    int any = 0;
    for (int k = 0; k < 3; k++) {
        double apart = fabs(half[0].value[k] - half[1].value[k]);
        added[k] = fabs(whole->value[k]) > SIGNIFICANT * whole->sigma[k] &&
                   apart < SIGNIFICANT * hypot(half[0].sigma[k], half[1].sigma[k]) &&
                   apart < fabs(whole->value[k]);
        any |= added[k];
    }
    return any;
}

/* matrix (raw - bias) - remainder = matrix (raw - (bias + matrix^-1 remainder)). */
static void add(marl_fit *fit, const leftover *r, const int added[3])
{
    double matrix[9], shift[3];
    if (!fit->present) {
        *fit = marl_fit_none();
        fit->present = 1;
    }
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

marl_status marl_smooth_refine(const marl_log *log, const char *record_path, const marl_smoothed *smoothed,
                               marl_calibration_record *record, marl_refined *refined, marl_error *error)
{
    marl_log part[2] = {*log, *log};
    leftover half[MARL_SENSOR_COUNT][2] = {{{{0}, {0}}}};
    *refined = (marl_refined){0};
    part[0].n = log->n / 2;
    part[1].row = log->row + log->n / 2;
    part[1].n = log->n - log->n / 2;
    for (int i = 0; i < 2; i++) {
        marl_smoothed s;
        marl_status status = marl_smooth(&part[i], record, record_path, &s, error);
        if (status != MARL_OK) {
            return status;
        }
        half[MARL_ACCEL][i] = leftover_of(&s, MARL_ACCEL);
        half[MARL_MAG][i] = leftover_of(&s, MARL_MAG);
        marl_smoothed_free(&s);
    }
    leftover accel = leftover_of(smoothed, MARL_ACCEL), mag = leftover_of(smoothed, MARL_MAG);
    if (choose(&accel, half[MARL_ACCEL], refined->accel)) {
        add(&record->fit[MARL_ACCEL], &accel, refined->accel);
        refined->any = 1;
    }
    if (smoothed->heading_is_magnetic && choose(&mag, half[MARL_MAG], refined->mag)) {
        add(&record->fit[MARL_MAG], &mag, refined->mag);
        refined->any = 1;
    }
    return MARL_OK;
}
