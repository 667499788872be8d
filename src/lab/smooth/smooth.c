/* SPDX-License-Identifier: MIT
 * Smoothing a log: passes, and the attitude of every row. */
#include "marlinspike/smooth.h"
#include "lab/log/log_report.h"
#include "lab/log/reading.h"
#include "lab/maths/linear.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define DISTURBED2 4.0         /* uT^2 */
#define WRONG_CALIBRATION 60.0 /* of J: the log speaks against a calibration that was given */
#define WORSE 2.0              /* times what a calibration leaves, one sigma */
#define SIGNIFICANT 3.0        /* standard errors */

static marl_status check(const marl_log *log, const marl_smooth_options *options, marl_error *error)
{
    const marl_calibration_record *record = options->record;
    marl_status status =
        marl_log_require(&log->info, log->path, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO, error);
    if (status != MARL_OK) {
        return status;
    }
    if (record != NULL && log->info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; leave --calibration out",
                         log->path);
    }
    if (record != NULL) {
        status = marl_device_match(log->info.device, log->path, record->device, options->record_path, error);
    }
    double seconds = lab_log_seconds(log);
    if (status == MARL_OK && seconds < LAB_SMOOTH_MIN_S) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %.3g s; %.0f s are needed for a reference",
                         log->path, seconds, LAB_SMOOTH_MIN_S);
    }
    return status;
}

/* What somebody says of the sensors: only what is calibrated is nearly right. */
static lab_assumption find_claim(const marl_log *log, const marl_calibration_record *record)
{
    lab_assumption claimed = lab_assume_raw();
    for (int sensor = 0; sensor < MARL_SENSOR_COUNT; sensor++) {
        const marl_fit *fit = record != NULL ? &record->fit[sensor] : NULL;
        int comes_corrected = log->info.corrected && !(log->info.raw & (1u << sensor));
        if (comes_corrected || (fit != NULL && fit->present)) {
            lab_assume_calibrated(&claimed, (marl_sensor)sensor, comes_corrected ? NULL : fit);
        }
    }
    return claimed;
}

/* Corrected samples in the sensors' frame, whose remainders they show, without spikes, repeats and what is invalid; a reading
 * of gyroscope or accelerometer is held until the next. */
static marl_status load(const marl_log *log, const marl_smooth_options *options, lab_smoother *s,
                        marl_error *error)
{
    const marl_calibration_record *record = options->record;
    marl_calibration calibration =
        record != NULL ? marl_calibration_for_device(record) : marl_calibration_none();
    marl_corrector corrector;
    marl_vec3 rate = {0, 0, 0}, force = {0, 0, 0};
    marl_corrector_init(&corrector, &calibration);
    s->rows = log->n;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        s->step[i] = marl_log_coarse_step(&log->report, (marl_sensor)i);
    }
    s->from_body = calibration.has_mount ? marl_quat_conjugate(calibration.mount) : marl_quat_identity();
    s->sample = malloc(log->n * sizeof *s->sample);
    uint8_t *unusable = calloc(log->n + 1, 1);
    if (s->sample == NULL || unusable == NULL) {
        free(unusable);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = marl_spikes_find(log, unusable, error);
    lab_held_find(log, unusable);
    for (size_t i = 0; i < log->n && status == MARL_OK; i++) {
        marl_sample *to = &s->sample[i];
        *to = log->row[i].sample;
        to->fresh &= (uint8_t)~unusable[i];
        (void)marl_corrector_step(&corrector, to);
        rate = to->fresh & MARL_FRESH_GYRO ? to->gyro : rate;
        to->gyro = rate;
        force = to->fresh & MARL_FRESH_ACCEL ? to->accel : force;
        to->accel = force;
        s->has_mag |= (to->fresh & MARL_FRESH_MAG) != 0;
    }
    free(unusable);
    return status;
}

/* The row's attitude: q turns the sensors' frame into the world, the row's quaternion the body's. */
static void set_row(marl_smoothed_row *row, const lab_smoother *s, const double q[4],
                    const double variance[2])
{
    marl_quat sensors = {(float)q[0], (float)q[1], (float)q[2], (float)q[3]};
    row->q = marl_quat_canonical(marl_quat_product(sensors, s->from_body));
    row->sigma_tilt = (float)sqrt(variance[0]);
    row->sigma_heading = (float)sqrt(variance[1]);
}

/* Rows of a block: by the gyroscope from the knot before, and turned by their share of what is missing at its
 * end. */
static void write_block(const lab_smoother *s, const lab_knot *before, const lab_knot *k,
                        marl_smoothed_row *row)
{
    double q[4], missing[3], share = 0;
    memcpy(q, before->q, sizeof q);
    for (size_t i = k->first; i <= k->last; i++) {
        double turned[3];
        lab_turn_into(s, i, k->state + BIAS, turned);
        lab_turn_body(q, turned);
        row[i].q = (marl_quat){(float)q[0], (float)q[1], (float)q[2], (float)q[3]};
    }
    lab_rotation_between(k->q, q, missing);
    for (size_t i = k->first; i <= k->last; i++) {
        int64_t t = s->sample[i].t_ns;
        double p[4] = {(double)row[i].q.w, (double)row[i].q.x, (double)row[i].q.y, (double)row[i].q.z};
        share = k->length > 0 ? 1e-9 * (double)(t - before->t_ns) / k->length : 1;
        const double turn[3] = {share * missing[0], share * missing[1], share * missing[2]};
        lab_turn_world(turn, p);
        const double *a = before->covariance, *b = k->covariance;
        const double variance[2] = {(1 - share) * (a[0] + a[1]) + share * (b[0] + b[1]),
                                    (1 - share) * a[2] + share * b[2]};
        row[i].t_ns = t;
        set_row(&row[i], s, p, variance);
    }
}

static marl_status write_rows(const lab_smoother *s, marl_smoothed *out, marl_error *error)
{
    out->row = malloc(s->rows * sizeof *out->row);
    out->knot = malloc(s->knots * sizeof *out->knot);
    if (out->row == NULL || out->knot == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    out->n = s->rows;
    out->knots = s->knots;
    const lab_knot *k = &s->knot[0];
    const double first[2] = {k->covariance[0] + k->covariance[1], k->covariance[2]};
    out->row[0].t_ns = k->t_ns;
    set_row(&out->row[0], s, k->q, first);
    for (size_t i = 1; i < s->knots; i++) {
        write_block(s, &s->knot[i - 1], &s->knot[i], out->row);
    }
    for (size_t i = 0; i < s->knots; i++) {
        k = &s->knot[i];
        marl_smoothed_knot *to = &out->knot[i];
        *to = (marl_smoothed_knot){.t_ns = k->t_ns,
                                   .velocity = {k->state[VELOCITY], k->state[VELOCITY + 1]},
                                   .motion = sqrt(k->motion),
                                   .disturbance = s->has_mag ? sqrt(k->disturbance) : NAN,
                                   .still = k->still};
        for (int j = 0; j < 3; j++) {
            to->bias[j] = k->state[BIAS + j];
            to->bias_sigma[j] = sqrt(k->covariance[6 + j]);
        }
    }
    return MARL_OK;
}

static void put_constants(const lab_smoother *s, int at, int n, double *value, double *sigma)
{
    for (int i = 0; i < n; i++) {
        value[i] = s->constant[at + i];
        sigma[i] = s->constant_sigma[at + i];
    }
}

/* Is one of them over twice what its calibration may leave, and no accident? */
static int is_worse(const lab_smoother *s, const lab_assumption *claimed, int at, int n)
{
    int worse = 0;
    for (int i = at; i < at + n; i++) {
        double value = fabs(s->constant[i]);
        worse |= value > WORSE * claimed->sigma[i] && value > SIGNIFICANT * s->constant_sigma[i];
    }
    return worse;
}

/* (1 + E) of the gyroscope from (1 - e), by which readings were multiplied. */
static void invert_gyro_matrix(marl_sensor_errors *gyro)
{
    double columns[3][3];
    for (int k = 0; k < 3; k++) {
        double a[9], unit[3] = {k == 0, k == 1, k == 2};
        for (int i = 0; i < 9; i++) {
            a[i] = (i % 4 == 0) - gyro->matrix[i];
        }
        if (!lab_solve_general(3, a, unit)) {
            return;
        }
        memcpy(columns[k], unit, sizeof unit);
    }
    for (int i = 0; i < 9; i++) {
        gyro->matrix[i] = columns[i % 3][i / 3] - (i % 4 == 0);
    }
}

static void summarise_constants(const lab_smoother *s, const lab_assumption *claimed, int claims,
                                marl_smoothed *out)
{
    const lab_knot *last = &s->knot[s->knots - 1];
    marl_sensor_errors *accel = &out->errors[MARL_ACCEL], *gyro = &out->errors[MARL_GYRO],
                       *mag = &out->errors[MARL_MAG];
    put_constants(s, ACCEL, 3, accel->bias, accel->bias_sigma);
    put_constants(s, ACCEL_MATRIX, 9, accel->matrix, accel->matrix_sigma);
    put_constants(s, GYRO_MATRIX, 9, gyro->matrix, gyro->matrix_sigma);
    put_constants(s, MAG, 3, mag->bias, mag->bias_sigma);
    for (int i = 0; i < 3; i++) {
        mag->bias[i] += s->has_iron ? s->iron[i] : 0;
    }
    put_constants(s, MAG_MATRIX, 9, mag->matrix, mag->matrix_sigma);
    put_constants(s, ARM, 3, out->arm, out->arm_sigma);
    put_constants(s, GYRO_FORCE, 9, out->gyro_by_force, out->gyro_by_force_sigma);
    put_constants(s, ACCEL_DELAY, 1, &accel->delay, &accel->delay_sigma);
    put_constants(s, MAG_DELAY, 1, &mag->delay, &mag->delay_sigma);
    invert_gyro_matrix(gyro);
    for (int i = 0; i < 3; i++) {
        gyro->bias[i] = last->state[BIAS + i];
        gyro->bias_sigma[i] = sqrt(last->covariance[6 + i]);
    }
    out->heading_is_magnetic = s->has_mag;
    out->field_north = s->has_mag ? s->constant[FIELD] : NAN;
    out->field_up = s->has_mag ? s->constant[FIELD + 1] : NAN;
    for (int i = 0; i < 9 && !s->has_mag; i++) {
        mag->bias_sigma[i % 3] = mag->matrix_sigma[i] = mag->delay_sigma = NAN;
    }
    if (claims) {
        out->is_worse[MARL_ACCEL] = is_worse(s, claimed, ACCEL, 3);
        out->is_worse[MARL_MAG] = s->has_mag && is_worse(s, claimed, MAG, 3);
        out->is_worse[MARL_GYRO] = is_worse(s, claimed, GYRO_MATRIX, 9);
    }
}

/* Sums over rows and knots. */
static void summarise(const lab_smoother *s, marl_smoothed *out)
{
    double tilt2 = 0, heading2 = 0, seconds = 0;
    for (size_t i = 0; i < out->n; i++) {
        tilt2 += pow((double)out->row[i].sigma_tilt, 2) / (double)out->n;
        heading2 += pow((double)out->row[i].sigma_heading, 2) / (double)out->n;
    }
    for (size_t i = 1; i < s->knots; i++) {
        const lab_knot *k = &s->knot[i];
        seconds += k->length;
        out->still_share += k->still ? k->length : 0;
        out->disturbed_share += s->has_mag && k->disturbance > DISTURBED2 ? k->length : 0;
        out->longest_gap_s = k->gap ? fmax(out->longest_gap_s, k->length) : out->longest_gap_s;
    }
    out->still_share /= seconds;
    out->disturbed_share /= seconds;
    out->sigma_tilt_rms = sqrt(tilt2);
    out->sigma_heading_rms = sqrt(heading2);
}

marl_status lab_smooth_whole(const marl_log *log, const marl_smooth_options *options,
                             const lab_progress *progress, marl_smoothed *smoothed, marl_error *error)
{
    lab_smoother s = {.path = log->path, .progress = progress};
    lab_assumption claimed = find_claim(log, options->record);
    lab_verdict verdict;
    memset(smoothed, 0, sizeof *smoothed);
    marl_status status = check(log, options, error);
    status = status != MARL_OK ? status : load(log, options, &s, error);
    status = status != MARL_OK ? status : lab_smooth_cut(&s, error);
    status = status != MARL_OK ? status : lab_smooth_find_iron(&s, error);
    status = status != MARL_OK ? status : lab_smooth_settle(&s, &claimed, &verdict, error);
    status = status != MARL_OK ? status : write_rows(&s, smoothed, error);
    if (status == MARL_OK) {
        smoothed->sensors_are_raw = !verdict.calibrated;
        smoothed->change = verdict.change;
        smoothed->missed = verdict.missed;
        smoothed->worst = verdict.worst;
        smoothed->worst_of = verdict.worse;
        smoothed->preference = verdict.preference;
        smoothed->calibration_is_wrong = verdict.contradicted || (verdict.claimed && !verdict.calibrated &&
                                                                  verdict.preference > WRONG_CALIBRATION);
        summarise_constants(&s, &claimed, verdict.claimed, smoothed);
        summarise(&s, smoothed);
    } else {
        marl_smoothed_free(smoothed);
    }
    free(s.sample);
    free(s.rate);
    free(s.knot);
    free(s.store);
    free(s.slopes);
    return status;
}

marl_status marl_hard_iron_find(const marl_log *log, marl_hard_iron *found, marl_error *error)
{
    static const marl_smooth_options as_they_are = {0};
    lab_smoother s = {.path = log->path};
    memset(found, 0, sizeof *found);
    MARL_TRY(marl_log_require(&log->info, log->path, MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG, error));
    if (lab_log_seconds(log) < LAB_SMOOTH_MIN_S) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: %.3g s; %.0f s are needed for a hard iron",
                         log->path, lab_log_seconds(log), LAB_SMOOTH_MIN_S);
    }
    marl_status status = load(log, &as_they_are, &s, error);
    status = status != MARL_OK ? status : lab_smooth_cut(&s, error);
    status = status != MARL_OK ? status : lab_smooth_find_iron(&s, error);
    if (status == MARL_OK) {
        memcpy(found->bias, s.iron, sizeof s.iron);
        memcpy(found->sigma, s.iron_sigma, sizeof s.iron_sigma);
        found->is_large = s.has_iron;
    }
    free(s.sample);
    free(s.rate);
    free(s.knot);
    return status;
}
