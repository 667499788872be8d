/* SPDX-License-Identifier: MIT
 * A calibration against a recording that it has not seen. */
#include "lab/calibrate/corrected_log.h"
#include "lab/calibrate/ellipsoid.h"
#include "lab/calibrate/verify_parts.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>

#define CHANCE 0.01
#define MAX_DRIFT (0.05 * MARL_DEGREE) /* rad/s: less is drift, and every filter follows it */
#define MATRIX_DEVIATIONS 4.0          /* deviations: nine elements, and the error of their errors */
#define MAX_MATRIX_OFF 0.002           /* 0.2 degrees in a right angle */
#define DRIFT_VARIANCE 1.0             /* for bias drift between recordings, in between-pose variances */

double lab_verify_length(const double v[3])
{
    return sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
}

double lab_verify_own_error(const marl_fit *fit, double field)
{
    double squares = 0;
    for (int k = 0; k < 3; k++) {
        int has_scale = isfinite(fit->matrix_sigma[k][k]) && fit->matrix_sigma[k][k] > 0;
        squares += isfinite(fit->bias_sigma[k]) ? fit->bias_sigma[k] * fit->bias_sigma[k] / 3 : 0;
        for (int j = 0; j < 3; j++) {
            double open = has_scale ? LAB_MISALIGNMENT : 0;
            double sigma = field * (isfinite(fit->matrix_sigma[k][j]) ? fit->matrix_sigma[k][j] : open);
            squares += sigma * sigma / 9;
        }
    }
    return sqrt(squares);
}

void lab_verify_decide(marl_verified *v, double squares, const lab_expected *e)
{
    double both = e->noise + e->common;
    double dof = both * both / (e->noise * e->noise / e->noise_n + e->common * e->common / e->common_n);
    v->present = 1;
    v->found_rms = sqrt(squares);
    v->expected_rms = sqrt(both);
    v->limit = v->expected_rms * sqrt(lab_chi_square(dof, lab_normal_deviation(CHANCE)) / dof);
    v->would_show = sqrt(3 * (v->limit * v->limit - both));
    v->holds = v->found_rms <= v->limit;
}

static marl_status verify_accel(const marl_fit *fit, const marl_log *log, double gravity, marl_verified *v,
                                marl_error *error)
{
    marl_pose_list poses;
    marl_error why = {0};
    marl_status status = marl_poses_find(log, &poses, &why);
    double squares = 0, noise = 0;
    for (size_t i = 0; i < poses.n && status == MARL_OK; i++) {
        const marl_pose *p = &poses.pose[i];
        double corrected[3];
        if (p->used) {
            marl_fit_apply(fit, p->accel, p->temp, corrected);
            double off = lab_verify_length(corrected) - gravity;
            squares += off * off;
            noise += p->noise * p->noise;
            v->n++;
        }
    }
    marl_poses_free(&poses);
    if (v->n > 0) {
        double n = (double)v->n, own = lab_verify_own_error(fit, gravity);
        double residual = isfinite(fit->residual_rms) ? fit->residual_rms : 0;
        double each = fmax(noise / n, residual * residual);
        /* what differs from pose to pose goes on wandering until this recording */
        const lab_expected e = {each, n, own * own + DRIFT_VARIANCE * each, COMMON_DOF};
        lab_verify_decide(v, squares / n, &e);
    }
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "%s", why.text) : MARL_OK;
}

/* Mean corrected rates over the rests. */
static marl_status verify_gyro_bias(const marl_fit *fit, const marl_log *log, marl_verification *all,
                                    marl_error *error)
{
    marl_still_result rest;
    marl_error why = {0};
    marl_log copy = *log;
    marl_verified *v = &all->sensor[MARL_GYRO];
    marl_status status = marl_calibrate_still(&copy, &rest, &why);
    if (status == MARL_ERR_SYSTEM) {
        return marl_fail(error, status, "%s", why.text);
    }
    if (!rest.outcome.fit.present || !(rest.still_s >= 1)) {
        return MARL_OK;
    }
    double squares = 0, noise = 0;
    marl_fit_apply(fit, rest.outcome.fit.bias, rest.outcome.fit.temperature_degC, all->gyro_drift);
    for (int k = 0; k < 3; k++) {
        double own = isfinite(fit->bias_sigma[k]) ? fit->bias_sigma[k] : 0;
        squares += all->gyro_drift[k] * all->gyro_drift[k] / 3;
        /* assume the same bias drift before the recording as within it */
        int seen = isfinite(rest.later_sigma[k]) && !rest.later_is_bound[k];
        double here = seen ? rest.later_sigma[k] : rest.outcome.fit.bias_sigma[k];
        noise += (own * own + here * here) / 3;
    }
    const lab_expected e = {noise, COMMON_DOF, 0, COMMON_DOF};
    v->n = (size_t)rest.outcome.fit.points;
    lab_verify_decide(v, squares, &e);
    all->drifted = !v->holds;
    v->limit = fmax(v->limit, MAX_DRIFT);
    v->would_show = sqrt(3) * v->limit;
    v->holds = v->found_rms <= v->limit;
    return MARL_OK;
}

/* The matrix, where moves between rests determine it anew. */
static marl_status verify_gyro_matrix(const marl_calibration_record *record, const marl_log *log,
                                      marl_verification *all, marl_error *error)
{
    const marl_fit *fit = &record->fit[MARL_GYRO];
    marl_moves_result moves;
    marl_error why = {0};
    marl_status status = marl_calibrate_moves(log, record, &moves, &why);
    for (int e = 0; e < 9 && moves.outcome.accepted; e++) {
        double own = fit->matrix_sigma[e / 3][e % 3];
        double off = fit->matrix[e / 3][e % 3] - moves.outcome.fit.matrix[e / 3][e % 3];
        if (!isfinite(own)) {
            continue; /* it was left open */
        }
        double z = off / hypot(own, moves.outcome.fit.matrix_sigma[e / 3][e % 3]);
        if (!(fabs(z) <= fabs(all->gyro_matrix_z))) {
            all->gyro_matrix_z = z;
            all->gyro_matrix_off = off;
        }
    }
    marl_moves_result_free(&moves);
    if (fabs(all->gyro_matrix_z) > MATRIX_DEVIATIONS && fabs(all->gyro_matrix_off) > MAX_MATRIX_OFF) {
        all->sensor[MARL_GYRO].holds = 0;
    }
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "%s", why.text) : MARL_OK;
}

static marl_status verify_gyro(const marl_calibration_record *record, const marl_log *log,
                               marl_verification *all, marl_error *error)
{
    marl_status status = verify_gyro_bias(&record->fit[MARL_GYRO], log, all, error);
    int has_accel = (log->info.columns & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL;
    return status != MARL_OK || !has_accel ? status : verify_gyro_matrix(record, log, all, error);
}

int marl_temperature_outside(const marl_calibration_record *record, const marl_log *log)
{
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        for (int k = 0; k < MARL_SENSOR_COUNT && (s->fresh & MARL_FRESH_TEMP); k++) {
            const marl_fit *fit = &record->fit[k];
            if (fit->present && fit->has_curve &&
                ((double)s->temp < fit->range_degC[0] - 0.5 || (double)s->temp > fit->range_degC[1] + 0.5)) {
                return 1;
            }
        }
    }
    return 0;
}

static void find_temperatures(const marl_calibration_record *record, const marl_log *log,
                              marl_verification *v)
{
    lab_moments temp = {0};
    for (size_t i = 0; i < log->n; i++) {
        if (log->row[i].sample.fresh & MARL_FRESH_TEMP) {
            lab_moments_add(&temp, (double)log->row[i].sample.temp);
        }
    }
    v->temperature_degC = temp.n > 0 ? temp.mean : NAN;
    for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
        const marl_fit *fit = &record->fit[k];
        v->warmer_degC[k] =
            fit->present && !fit->has_curve ? v->temperature_degC - fit->temperature_degC : NAN;
    }
}

marl_status marl_verify(const marl_calibration_record *record, const marl_log *log, double gravity,
                        marl_verification *v, marl_error *error)
{
    *v = (marl_verification){.holds = 1, .dip_deg = NAN, .dip_deviation = NAN, .mag_bias = {NAN, NAN, NAN}};
    v->mag_bias_limit[0] = v->mag_bias_limit[1] = v->mag_bias_limit[2] = NAN;
    v->gyro_drift[0] = v->gyro_drift[1] = v->gyro_drift[2] = NAN;
    v->gyro_matrix_off = v->gyro_matrix_z = v->mag_matrix_off = v->mag_matrix_z = NAN;
    if (log->info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; verify needs the raw log",
                         log->path);
    }
    marl_status status = MARL_OK;
    unsigned c = log->info.columns;
    const marl_fit *accel = &record->fit[MARL_ACCEL];
    int open = accel->has_sigma && isnan(accel->bias_sigma[0]); /* a soak alone leaves its bias open */
    if (accel->present && !open && (c & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL) {
        status = verify_accel(accel, log, gravity, &v->sensor[MARL_ACCEL], error);
    }
    if (status == MARL_OK && record->fit[MARL_GYRO].present && (c & MARL_COLUMNS_GYRO) == MARL_COLUMNS_GYRO) {
        status = verify_gyro(record, log, v, error);
    }
    if (status == MARL_OK && record->fit[MARL_MAG].present && (c & MARL_COLUMNS_MAG) == MARL_COLUMNS_MAG) {
        MARL_TRY(lab_verify_mag(record, log, v, error));
    }
    v->outside = marl_temperature_outside(record, log);
    find_temperatures(record, log, v);
    int seen = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        seen |= v->sensor[i].present;
        v->holds = v->holds && (!v->sensor[i].present || v->sensor[i].holds);
    }
    v->holds = v->holds && seen;
    if (status == MARL_OK && !seen) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                           "%s: nothing in it that the calibration covers: record still poses, rest, or "
                           "a tumble",
                           log->path);
    }
    return status;
}
