/* SPDX-License-Identifier: MIT
 * The gyroscope's matrix from moves between rests, and what verify makes of it. */
#include "check_main.h"
#include "known_errors.h"
#include "memory_log.h"

/* The sheet's accelerometer has no cross-axis terms here, so that its calibrated axes are the body's. */
static marl_sheet sheet_of(uint64_t seed)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {seed};
    for (int i = 0; i < 3; i++) {
        sheet.gyro.scale_error[i] = 0.01 * dice_normal(&d);
        for (int j = 0; j < 3; j++) {
            sheet.accel.cross_axis[i][j] = 0;
            sheet.gyro.cross_axis[i][j] = i == j ? 0 : 0.005 * dice_normal(&d);
        }
    }
    return sheet;
}

static marl_calibration_record calibrated(const marl_log *log, marl_moves_result *moves)
{
    marl_calibration_record record = marl_calibration_record_empty();
    marl_poses_result poses;
    marl_error error = {0};
    ck_assert_int_eq(marl_calibrate_poses(log, 9.80665, &poses, NULL), MARL_OK);
    record.fit[MARL_ACCEL] = poses.outcome.fit;
    marl_poses_result_free(&poses);
    ck_assert_msg(marl_calibrate_moves(log, &record, moves, &error) == MARL_OK, "%s", error.text);
    record.fit[MARL_GYRO] = moves->outcome.fit;
    return record;
}

/* matrix * (1 + errors) is 1, to the standard errors. */
START_TEST(the_whole_matrix_comes_from_moves)
{
    for (uint64_t seed = 1; seed <= 6; seed++) {
        marl_sheet sheet = sheet_of(seed);
        marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, seed);
        marl_moves_result r;
        double errors[3][3];
        (void)calibrated(&log, &r);
        true_errors(&sheet.gyro, errors);
        ck_assert_str_eq(r.outcome.remark, "");
        for (int e = 0; e < 9; e++) {
            const double *row = r.outcome.fit.matrix[e / 3];
            double product = 0, sigma = r.outcome.fit.matrix_sigma[e / 3][e % 3];
            for (int k = 0; k < 3; k++) {
                product += row[k] * errors[k][e % 3];
            }
            ck_assert_msg(fabs(product - (e % 4 == 0)) < 4.5 * sigma && sigma < 1e-3, "%d: %.5f +- %.5f", e,
                          product, sigma);
        }
        marl_moves_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* One move through a clipped rate is left out; a recording of few moves says what to record. */
START_TEST(bad_moves_are_left_out_and_few_refused)
{
    marl_sheet sheet = sheet_of(3);
    marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, 3);
    marl_moves_result clean, r;
    marl_calibration_record record = calibrated(&log, &clean);
    marl_span hit = clean.move[9].span;
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        if (s->t_ns > hit.from_ns && s->t_ns < hit.to_ns) {
            s->gyro.x *= 0.8f;
            s->gyro.y *= 0.8f;
            s->gyro.z *= 0.8f;
        }
    }
    ck_assert_int_eq(marl_calibrate_moves(&log, &record, &r, NULL), MARL_OK);
    ck_assert(!r.move[9].used && r.left_out == 1);
    for (int e = 0; e < 9; e++) {
        ck_assert_double_eq_tol(r.outcome.fit.matrix[e / 3][e % 3], clean.outcome.fit.matrix[e / 3][e % 3],
                                1e-3);
    }
    marl_moves_result_free(&r);
    marl_error error = {0};
    log.n = 3000;
    ck_assert_int_eq(marl_calibrate_moves(&log, &record, &r, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(r.outcome.next, "lay the pod down in twenty attitudes"));
    marl_moves_result_free(&r);
    marl_moves_result_free(&clean);
    marl_log_free(&log);
}
END_TEST

/* A bias that drifted is drift; a wrong scale is a wrong calibration; both on the next recording of the part.
 */
START_TEST(drift_and_wrong_scale_are_separated)
{
    int false_alarms = 0;
    for (uint64_t seed = 1; seed <= 5; seed++) {
        marl_sheet sheet = sheet_of(seed);
        marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 240, seed), next = log;
        marl_moves_result moves;
        marl_verification v;
        log.n = 12000;
        marl_calibration_record record = calibrated(&log, &moves);
        next.row += 12000;
        next.n = 12000;
        ck_assert_int_eq(marl_verify(&record, &next, 9.80665, &v, NULL), MARL_OK);
        false_alarms += !v.holds;
        record.fit[MARL_GYRO].bias[1] += 0.02 * 0.0174532925;
        ck_assert_int_eq(marl_verify(&record, &next, 9.80665, &v, NULL), MARL_OK);
        ck_assert(v.drifted && v.sensor[MARL_GYRO].holds);
        ck_assert_double_eq_tol(v.gyro_drift[1], -0.02 * 0.0174532925, 0.01 * 0.0174532925);
        record.fit[MARL_GYRO].matrix[2][2] *= 1.006;
        ck_assert_int_eq(marl_verify(&record, &next, 9.80665, &v, NULL), MARL_OK);
        ck_assert(!v.sensor[MARL_GYRO].holds && !v.holds);
        ck_assert_double_eq_tol(fabs(v.gyro_matrix_off), 0.006, 0.0015);
        marl_moves_result_free(&moves);
        marl_log_free(&log);
    }
    ck_assert_int_eq(false_alarms, 0);
}
END_TEST

MARL_SUITE("moves", the_whole_matrix_comes_from_moves, bad_moves_are_left_out_and_few_refused,
           drift_and_wrong_scale_are_separated)
