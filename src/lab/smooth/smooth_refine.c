/* SPDX-License-Identifier: MIT
 * What a smoothed log adds to a calibration. */
#include "lab/maths/linear.h"
#include "marlinspike/smooth.h"
#include <math.h>
#include <string.h>

#define SIGNIFICANT 3.0 /* standard errors */
#define MAX_WORST 2.0   /* times what raw sensors have: beyond it motion may have been taken for an error */
#define MAX_OPEN 0.006  /* of an element of the gyroscope's matrix that is left out, with what it may be */
#define BIAS_MAY_CHANGE 0.5 /* share of the gyroscope's bias that may change within a log */

/* A gyroscope's bias is not steadier than this, rad/s (0.003 deg/s), nor than half of what it moved in the log: on another log
 * it is another. */
#define INSTABILITY 5e-5

/* n errors of one kind: on the whole log and on its halves. */
typedef struct estimates {
    int n;
    const double *value, *sigma, *half_value[2], *half_sigma[2];
    double may_change; /* share of the value */
} estimates;

static estimates biases(const marl_smoothed *whole, const marl_smoothed half[2], marl_sensor sensor)
{
    const marl_sensor_errors *all = &whole->errors[sensor], *a = &half[0].errors[sensor],
                             *b = &half[1].errors[sensor];
    return (estimates){3,
                       all->bias,
                       all->bias_sigma,
                       {a->bias, b->bias},
                       {a->bias_sigma, b->bias_sigma},
                       sensor == MARL_GYRO ? BIAS_MAY_CHANGE : 0};
}

static estimates matrices(const marl_smoothed *whole, const marl_smoothed half[2], marl_sensor sensor)
{
    const marl_sensor_errors *all = &whole->errors[sensor], *a = &half[0].errors[sensor],
                             *b = &half[1].errors[sensor];
    return (estimates){
        9, all->matrix, all->matrix_sigma, {a->matrix, b->matrix}, {a->matrix_sigma, b->matrix_sigma}, 0};
}

/* What is significant and both halves agree on is to be added. */
static int choose(const estimates *e, marl_refinement *outcome)
{
    int any = 0;
    for (int k = 0; k < e->n; k++) {
        double value = fabs(e->value[k]), apart = fabs(e->half_value[0][k] - e->half_value[1][k]);
        double allowed = SIGNIFICANT * hypot(e->half_sigma[0][k], e->half_sigma[1][k]);
        int agree = (apart < allowed && apart < value) || apart < e->may_change * value;
        outcome[k] = !(value > SIGNIFICANT * e->sigma[k]) ? MARL_REFINE_NOT_SIGNIFICANT
                     : agree                              ? MARL_REFINE_ADDED
                                                          : MARL_REFINE_HALVES_DIFFER;
        any |= outcome[k] == MARL_REFINE_ADDED;
    }
    return any;
}

/* A fit that changes nothing, and how wrong that is by the log. */
static void make_present(marl_fit *fit, const marl_sensor_errors *errors)
{
    if (!fit->present) {
        *fit = marl_fit_none();
        fit->present = fit->has_sigma = 1;
        for (int k = 0; k < 9; k++) {
            fit->bias_sigma[k % 3] = hypot(errors->bias[k % 3], errors->bias_sigma[k % 3]);
            fit->matrix_sigma[k / 3][k % 3] = hypot(errors->matrix[k], errors->matrix_sigma[k]);
        }
    }
}

/* matrix (raw - bias) - error = matrix (raw - (bias + matrix^-1 error)). */
static void add_bias(marl_fit *fit, const marl_sensor_errors *errors, const marl_refinement outcome[3],
                     const double unsteady[3])
{
    double matrix[9], shift[3];
    for (int i = 0; i < 9; i++) {
        matrix[i] = fit->matrix[i / 3][i % 3];
    }
    for (int k = 0; k < 3; k++) {
        shift[k] = outcome[k] == MARL_REFINE_ADDED ? errors->bias[k] : 0;
    }
    if (!lab_solve_general(3, matrix, shift)) {
        return;
    }
    for (int k = 0; k < 3; k++) {
        fit->bias[k] += shift[k];
        if (outcome[k] == MARL_REFINE_ADDED && fit->has_sigma) {
            fit->bias_sigma[k] = hypot(errors->bias_sigma[k], unsteady[k]);
        }
    }
}

/* The matrix becomes (1 + errors)^-1 matrix. */
static void add_matrix(marl_fit *fit, const marl_sensor_errors *errors, const marl_refinement outcome[9])
{
    for (int column = 0; column < 3; column++) {
        double one_more[9], to[3];
        for (int i = 0; i < 9; i++) {
            one_more[i] = (i % 4 == 0) + (outcome[i] == MARL_REFINE_ADDED ? errors->matrix[i] : 0);
        }
        for (int i = 0; i < 3; i++) {
            to[i] = fit->matrix[i][column];
        }
        if (!lab_solve_general(3, one_more, to)) {
            return;
        }
        for (int i = 0; i < 3; i++) {
            fit->matrix[i][column] = to[i];
        }
    }
    for (int k = 0; k < 9 && fit->has_sigma; k++) {
        double *sigma = &fit->matrix_sigma[k / 3][k % 3];
        *sigma = outcome[k] == MARL_REFINE_ADDED ? errors->matrix_sigma[k] : *sigma;
    }
}

static int has_matrix(const marl_fit *fit)
{
    int known = 0;
    for (int k = 0; k < 9; k++) {
        known |= fabs(fit->matrix[k / 3][k % 3] - (k % 4 == 0)) > 0;
    }
    return fit->present && known;
}

/* A gyroscope with some of its matrix counts as calibrated, and filters then rely on all of it. 1 where some is left. */
static int leave_out_parts(const marl_sensor_errors *errors, marl_refinement outcome[9])
{
    int open = 0, any = 0;
    for (int k = 0; k < 9; k++) {
        open |=
            outcome[k] != MARL_REFINE_ADDED && hypot(errors->matrix[k], errors->matrix_sigma[k]) > MAX_OPEN;
    }
    for (int k = 0; k < 9; k++) {
        outcome[k] = open && outcome[k] == MARL_REFINE_ADDED ? MARL_REFINE_OTHERS_OPEN : outcome[k];
        any |= outcome[k] == MARL_REFINE_ADDED;
    }
    return any;
}

/* How much each axis of its bias may be another on another log. */
static void find_unsteadiness(const marl_smoothed *whole, marl_sensor sensor, double unsteady[3])
{
    double moved[3] = {0, 0, 0}, sigma[3];
    if (sensor == MARL_GYRO) {
        (void)!marl_smoothed_bias_moved(whole, moved, sigma);
    }
    for (int k = 0; k < 3; k++) {
        unsteady[k] = sensor == MARL_GYRO ? hypot(INSTABILITY, moved[k] / 2) : 0;
    }
}

static void refine_sensor(const marl_smoothed *whole, const marl_smoothed half[2], marl_sensor sensor,
                          marl_fit *fit, marl_refined *refined)
{
    const estimates bias = biases(whole, half, sensor), matrix = matrices(whole, half, sensor);
    marl_refined_sensor *to = &refined->sensor[sensor];
    double unsteady[3];
    find_unsteadiness(whole, sensor, unsteady);
    int any_bias = choose(&bias, to->bias), any_matrix = choose(&matrix, to->matrix);
    if (sensor == MARL_GYRO && any_matrix && !has_matrix(fit)) {
        any_matrix = leave_out_parts(&whole->errors[sensor], to->matrix);
    }
    if (!any_bias && !any_matrix) {
        return;
    }
    if (sensor == MARL_MAG && !fit->present) {
        make_present(fit, &whole->errors[sensor]);
        fit->field = hypot(whole->field_north, whole->field_up);
        fit->dip_deg = atan2(-whole->field_up, whole->field_north) / MARL_DEGREE;
    }
    make_present(fit, &whole->errors[sensor]);
    add_bias(fit, &whole->errors[sensor], to->bias, unsteady);
    add_matrix(fit, &whole->errors[sensor], to->matrix);
    refined->any = 1;
}

static marl_status smooth_half(const marl_log *log, const marl_smooth_options *options, int second,
                               marl_smoothed *half, marl_error *error)
{
    marl_log part = *log;
    const marl_smooth_options of_half = {.record = options->record, .record_path = options->record_path};
    part.row += second ? log->n / 2 : 0;
    part.n = second ? log->n - log->n / 2 : log->n / 2;
    MARL_TRY(marl_smooth(&part, &of_half, half, error));
    marl_smoothed_free(half); /* of which only the errors count */
    return MARL_OK;
}

marl_status marl_smooth_refine(const marl_log *log, const marl_smooth_options *options,
                               const marl_smoothed *smoothed, marl_calibration_record *record,
                               marl_refined *refined, marl_error *error)
{
    static const marl_smooth_options standard = {0};
    marl_smoothed half[2];
    const char *why = marl_smoothed_distrust(smoothed);
    options = options != NULL ? options : &standard;
    *refined = (marl_refined){0};
    if (why != NULL) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %s; no calibration comes of it", log->path, why);
    }
    if (smoothed->worst > MAX_WORST) {
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: an error is %.1f times what raw sensors usually have, or motion looks like one: no "
            "calibration comes of it; record poses and a tumble",
            log->path, smoothed->worst);
    }
    for (int i = 0; i < 2; i++) {
        MARL_TRY(smooth_half(log, options, i, &half[i], error));
    }
    for (int sensor = 0; sensor < MARL_SENSOR_COUNT; sensor++) {
        if (sensor != MARL_MAG || smoothed->heading_is_magnetic) {
            refine_sensor(smoothed, half, (marl_sensor)sensor, &record->fit[sensor], refined);
        }
    }
    return MARL_OK;
}
