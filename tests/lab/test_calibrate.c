/* SPDX-License-Identifier: MIT
 * Calibrations against the truth of the simulator, and what they refuse. */
#include "check_main.h"
#include "known_errors.h"
#include "lab/files/fit_merge.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include <math.h>
#include <string.h>

/* Slow and fast, noisy and quiet: nothing is to be set. */
static const struct {
    double rate, louder;
} sensors[] = {{50, 1}, {100, 1}, {1000, 1}, {100, 8}, {100, 0.02}, {50, 8}};

START_TEST(poses_are_found_and_fitted)
{
    marl_sheet sheet = marl_sheet_grommet();
    double errors[3][3];
    sheet.accel.white *= sensors[_i].louder;
    sheet.gyro.white *= sensors[_i].louder;
    true_errors(&sheet.accel, errors);
    for (uint64_t seed = 1; seed <= 3; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, sensors[_i].rate, 120, seed);
        marl_poses_result r;
        marl_error error = {0};
        ck_assert_msg(marl_calibrate_poses(&log, 9.80665, &r, &error) == MARL_OK, "%s", error.text);
        ck_assert(r.outcome.accepted && r.outcome.fit.coverage > 0.5);
        ck_assert_double_eq_tol(r.outcome.fit.temperature_degC, 24, 0.01);
        int used = 0;
        for (size_t i = 0; i < r.poses.n; i++) {
            ck_assert_double_eq_tol(r.poses.pose[i].temp, 24, 0.01);
            used += r.poses.pose[i].used;
        }
        ck_assert_int_ge(used, 23); /* one may be left out by chance, or be cut in two */
        ck_assert_int_le(used, 26);
        const double *bias = bias_of(MARL_SCENE_POSES, &sheet, sensors[_i].rate, seed, MARL_ACCEL);
        for (int k = 0; k < 3; k++) { /* flicker and walk go on during the recording */
            double off = r.outcome.fit.bias[k] - bias[k], sigma = r.outcome.fit.bias_sigma[k];
            ck_assert_msg(fabs(off) < 5 * sigma + 6e-4, "%d: %.5f +- %.5f", k, off, sigma);
            ck_assert(sigma > 1e-5 && sigma < 0.01);
        }
        double worst = worst_length(&r.outcome.fit, (const double(*)[3])errors, bias, 9.80665);
        double own = 0;
        for (int k = 0; k < 9; k++) {
            own += pow(r.outcome.fit.matrix_sigma[k / 3][k % 3], 2);
            own += k < 3 ? pow(r.outcome.fit.bias_sigma[k] / 9.80665, 2) : 0;
        }
        ck_assert_msg(worst < 4 * sqrt(own) + 1e-4, "%.2g of %.2g", worst, sqrt(own));
        marl_poses_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

static void shake(marl_log *log, double from_s, double to_s, float size)
{
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        double t = 1e-9 * (double)s->t_ns;
        if (t > from_s && t < to_s) {
            s->accel.x += size * (float)sin(40 * t);
            s->gyro.z += 0.1f * size * (float)sin(33 * t);
        }
    }
}

/* A gyroscope before its calibration: 15 deg/s of bias at rest, and the same poses are found. */
START_TEST(a_large_gyroscope_bias_hides_no_pose)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, 4);
    marl_poses_result without, with;
    ck_assert_int_eq(marl_calibrate_poses(&log, 9.80665, &without, NULL), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.gyro.z += 0.26f;
    }
    ck_assert_int_eq(marl_calibrate_poses(&log, 9.80665, &with, NULL), MARL_OK);
    ck_assert_uint_eq(with.poses.n, without.poses.n);
    for (size_t i = 0; i < with.poses.n; i++) {
        ck_assert_int_eq(with.poses.pose[i].used, without.poses.pose[i].used);
    }
    marl_poses_result_free(&without);
    marl_poses_result_free(&with);
    marl_log_free(&log);
}
END_TEST

/* A hand on the pod for half a second in the middle of the third pose: that one is left out and listed. A
 * force that stays for a whole pose is found by the others. */
START_TEST(bad_poses_are_left_out_and_listed)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, 2);
    marl_poses_result r;
    shake(&log, 11.2, 11.8, 0.3f);
    for (size_t i = 0; i < log.n; i++) { /* something leans on it from 45 to 48 s */
        log.row[i].sample.accel.y += i >= 4480 && i < 4810 ? 0.08f : 0;
    }
    ck_assert_int_eq(marl_calibrate_poses(&log, 9.80665, &r, NULL), MARL_OK);
    int disturbed = 0, misfit = 0;
    for (size_t i = 0; i < r.poses.n; i++) {
        const marl_pose *p = &r.poses.pose[i];
        double from = 1e-9 * (double)p->span.from_ns;
        disturbed += !p->used && from > 9.5 && from < 11.5 && strcmp(p->why, "disturbed") == 0;
        misfit += !p->used && from > 44.5 && from < 46.5 && strcmp(p->why, "does not fit the others") == 0;
    }
    ck_assert_int_eq(disturbed, 1);
    ck_assert_int_eq(misfit, 1);
    ck_assert(r.outcome.fit.residual_rms < 0.005);
    marl_poses_result_free(&r);
    marl_log_free(&log);
}
END_TEST

static void turn_slowly(marl_log *log, int64_t from_ns, int64_t to_ns, float rate)
{
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        if (s->t_ns > from_ns && s->t_ns < to_ns) {
            float half = 0.5f * rate * (float)(s->t_ns - from_ns) * 1e-9f;
            marl_quat q = {cosf(half), 0.6f * sinf(half), 0.64f * sinf(half), 0.48f * sinf(half)};
            s->accel = marl_quat_rotate(q, s->accel);
        }
    }
}

/* Each pose in turn is held by an unsteady hand, or turns slowly: whatever is not used is named by its time, and nothing
 * else is. */
START_TEST(a_pose_that_is_none_is_named)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log clean = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, 9);
    marl_pose_list poses, spoiled;
    ck_assert_int_eq(marl_poses_find(&clean, &poses, NULL), MARL_OK);
    ck_assert_uint_eq(poses.n, 24);
    for (size_t k = 1; k + 1 < poses.n; k++) {
        marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, 9);
        marl_span held = poses.pose[k].span;
        int found = 0;
        if (k % 2 == 0) {
            shake(&log, 1e-9 * (double)held.from_ns - 0.5, 1e-9 * (double)held.to_ns + 0.5, 0.6f);
        } else {
            turn_slowly(&log, held.from_ns - 500000000, held.to_ns + 500000000, 0.15f);
        }
        ck_assert_int_eq(marl_poses_find(&log, &spoiled, NULL), MARL_OK);
        for (size_t i = 0; i < spoiled.n; i++) {
            const marl_pose *p = &spoiled.pose[i];
            int64_t middle = (p->span.from_ns + p->span.to_ns) / 2;
            int is_it = middle > held.from_ns - 700000000 && middle < held.to_ns + 700000000;
            found += is_it;
            ck_assert_msg(p->used || is_it, "pose %zu: %.1f to %.1f s: %s", k, 1e-9 * (double)p->span.from_ns,
                          1e-9 * (double)p->span.to_ns, p->why);
            ck_assert_int_eq(p->used, p->why[0] == '\0');
            ck_assert(i == 0 || p->span.from_ns > spoiled.pose[i - 1].span.from_ns);
        }
        ck_assert_msg(found > 0, "pose %zu, %.1f to %.1f s", k, 1e-9 * (double)held.from_ns,
                      1e-9 * (double)held.to_ns);
        marl_poses_free(&spoiled);
        marl_log_free(&log);
    }
    marl_poses_free(&poses);
    marl_log_free(&clean);
}
END_TEST

/* Six faces give bias and scale and say that skew is open; five give nothing, and the word is which is
 * missing. */
START_TEST(six_faces_and_five)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 30, 6);
    marl_poses_result r;
    marl_error error = {0};
    ck_assert_msg(marl_calibrate_poses(&log, 9.80665, &r, &error) == MARL_OK, "%s", error.text);
    ck_assert_str_eq(r.outcome.model, "bias and scale");
    ck_assert(isnan(r.outcome.fit.matrix_sigma[0][1]) && r.outcome.fit.matrix_sigma[1][1] < 4e-3);
    ck_assert(r.outcome.fit.bias_sigma[2] > 0);
    marl_poses_result_free(&r);
    log.n = 500; /* z up alone */
    ck_assert_int_eq(marl_calibrate_poses(&log, 9.80665, &r, &error), MARL_ERR_INSUFFICIENT);
    ck_assert(!r.outcome.accepted && strstr(r.outcome.next, "x axis points up") != NULL);
    marl_poses_result_free(&r);
    /* all six but z down: it is the second */
    marl_log other = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 30, 6);
    size_t n = 0;
    for (size_t i = 0; i < other.n; i++) {
        if (i < 450 || i >= 1000) {
            other.row[n++] = other.row[i];
        }
    }
    other.n = n;
    error.status = MARL_OK;
    ck_assert_int_eq(marl_calibrate_poses(&other, 9.80665, &r, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_msg(strstr(r.outcome.next, "no pose with z down: turn the pod upside down") != NULL, "%s",
                  r.outcome.next);
    marl_poses_result_free(&r);
    log.n = 3000;
    marl_log_free(&log);
    marl_log_free(&other);
}
END_TEST

START_TEST(turns_give_the_scale)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (uint64_t seed = 1; seed <= 6; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_TURNS, &sheet, 100, 72, seed);
        marl_turns_result r;
        marl_error error = {0};
        ck_assert_msg(marl_calibrate_turns(&log, 6.283185307179586, &r, &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(r.n, 6);
        for (int k = 0; k < 3; k++) {
            double off = r.outcome.fit.matrix[k][k] * (1 + sheet.gyro.scale_error[k]) - 1;
            /* the axis is tilted by the seat, so that cross terms of 0.4 % come in with its sine */
            ck_assert_msg(fabs(off) < 6e-4, "%d: %.5f +- %.5f", k, off, r.outcome.fit.matrix_sigma[k][k]);
            ck_assert(r.outcome.fit.matrix_sigma[k][k] < 1e-3 &&
                      isnan(r.outcome.fit.matrix_sigma[k][(k + 1) % 3]));
            ck_assert(r.spread[k] < 1e-3);
        }
        marl_turns_result_free(&r);
        /* half of the angle is said: then each is two turns; a wrong one is no turn at all */
        ck_assert_int_eq(marl_calibrate_turns(&log, 3.141592653589793, &r, NULL), MARL_OK);
        ck_assert_double_eq_tol(r.turn[0].wanted, 6.283185307179586, 1e-9);
        marl_turns_result_free(&r);
        ck_assert_int_eq(marl_calibrate_turns(&log, 4.5, &r, &error), MARL_ERR_INSUFFICIENT);
        ck_assert(strstr(r.outcome.next, "turn the pod about its x axis by") != NULL);
        marl_turns_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* Six faces, however exact and often, do not show a misalignment; the result says what that may cost. */
START_TEST(six_faces_leave_the_misalignment_open)
{
    static const float face[6][3] = {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}};
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 144, 9);
    marl_log_row level = log.row[0];
    for (size_t i = 0; i < log.n; i++) { /* 36 rests of 3 s, with 1 s of hand between */
        const float *up = face[i / 400 % 6];
        marl_vec3 *a = &log.row[i].sample.accel;
        float noise[3] = {a->x - level.sample.accel.x, a->y - level.sample.accel.y,
                          a->z - level.sample.accel.z};
        float shake = i % 400 < 300 ? 0 : 2 * ((float)(i % 7) - 3);
        *a = (marl_vec3){9.80665f * up[0] + noise[0] + shake, 9.80665f * up[1] + noise[1] - shake,
                         9.80665f * up[2] + noise[2] + shake};
    }
    log.info.columns = MARL_COLUMNS_ACCEL | 1u << MARL_COLUMN_T;
    marl_poses_result r;
    marl_error error = {0};
    ck_assert_msg(marl_calibrate_poses(&log, 9.80665, &r, &error) == MARL_OK, "%s", error.text);
    ck_assert_int_ge((int)r.outcome.fit.points, 30);
    ck_assert_str_eq(r.outcome.model, "bias and scale");
    ck_assert_ptr_nonnull(strstr(r.outcome.remark, "do not show a misalignment"));
    ck_assert(isnan(r.outcome.fit.matrix_sigma[0][1]) && !(fabs(r.outcome.fit.matrix[0][1]) > 0));
    marl_poses_result_free(&r);
    marl_log_free(&log);
}
END_TEST

/* Whatever comes first, poses or soak: at any temperature the same bias. */
START_TEST(parts_of_a_fit_come_together_in_any_order)
{
    marl_fit poses = marl_fit_none(), soak = marl_fit_none(), known[2] = {marl_fit_none(), marl_fit_none()};
    poses.present = soak.present = soak.has_curve = 1;
    poses.temperature_degC = 30;
    soak.reference_degC = soak.temperature_degC = 20;
    soak.range_degC[0] = 0;
    soak.range_degC[1] = 40;
    for (int k = 0; k < 3; k++) {
        poses.bias[k] = 0.1 * (k + 1);
        poses.matrix[k][k] = 1.01;
        soak.bias_per_degC[k] = 0.002 * (k - 1);
        soak.bias_per_degC2[k] = 1e-5;
    }
    lab_fit_merge(&known[0], &poses, LAB_FIT_BIAS_AND_MATRIX);
    lab_fit_merge(&known[0], &soak, LAB_FIT_CURVE);
    lab_fit_merge(&known[1], &soak, LAB_FIT_CURVE);
    lab_fit_merge(&known[1], &poses, LAB_FIT_BIAS_AND_MATRIX);
    for (int order = 0; order < 2; order++) {
        for (int k = 0; k < 3; k++) {
            double wanted = 0.1 * (k + 1) - 0.002 * (k - 1) * 10 - 1e-5 * 100;
            ck_assert_double_eq_tol(known[order].bias[k], wanted, 1e-12);
            ck_assert_double_eq_tol(known[order].matrix[k][k], 1.01, 1e-12);
        }
        ck_assert(known[order].has_curve);
    }
    /* what found nothing changes nothing */
    marl_fit nothing = marl_fit_none();
    lab_fit_merge(&known[0], &nothing, LAB_FIT_BIAS_AND_MATRIX);
    ck_assert(known[0].present && known[0].has_curve);
    ck_assert_double_eq_tol(known[0].matrix[0][0], 1.01, 1e-12);
    /* a bias alone leaves the matrix */
    marl_fit rest = marl_fit_none();
    rest.present = 1;
    rest.temperature_degC = 20;
    rest.bias[0] = 7;
    lab_fit_merge(&known[0], &rest, LAB_FIT_BIAS);
    ck_assert_double_eq_tol(known[0].bias[0], 7, 1e-12);
    ck_assert_double_eq_tol(known[0].matrix[1][1], 1.01, 1e-12);
}
END_TEST

/* The desk's correction is the device's, at any temperature, beyond the curve's ends too. */
START_TEST(desk_and_device_correct_alike)
{
    dice d = {9};
    marl_calibration_record record = marl_calibration_record_empty();
    marl_fit *fit = &record.fit[MARL_MAG];
    fit->present = fit->has_curve = 1;
    fit->reference_degC = 20;
    fit->range_degC[0] = 0;
    fit->range_degC[1] = 40;
    for (int k = 0; k < 9; k++) {
        fit->matrix[k / 3][k % 3] += 0.1 * dice_normal(&d);
        fit->bias[k % 3] = 10 * dice_normal(&d);
        fit->bias_per_degC[k % 3] = 0.1 * dice_normal(&d);
        fit->bias_per_degC2[k % 3] = 1e-3 * dice_normal(&d);
    }
    marl_calibration calibration = marl_calibration_for_device(&record);
    for (int i = 0; i < 500; i++) {
        const double raw[3] = {40 * dice_normal(&d), 40 * dice_normal(&d), 40 * dice_normal(&d)};
        double degC = i % 10 ? dice_between(&d, -30, 70) : NAN, found[3];
        marl_vec3 v = marl_correction_apply(
            &calibration.mag, (marl_vec3){(float)raw[0], (float)raw[1], (float)raw[2]}, (float)degC);
        marl_fit_apply(fit, raw, degC, found);
        ck_assert_msg(
            fabs(found[0] - (double)v.x) + fabs(found[1] - (double)v.y) + fabs(found[2] - (double)v.z) < 2e-4,
            "at %.1f degC", degC);
    }
}
END_TEST

/* A calibration of the same power-on holds on other recordings, but for one in a hundred; another device's
 * does not, and it is said of which sensor. */
START_TEST(verify_holds_where_it_should)
{
    marl_sheet sheet = marl_sheet_grommet();
    const marl_tumble_options free_field = {.field = NAN};
    int holds = 0, sensors_seen = 0;
    sheet.gyro.flicker = sheet.gyro.walk = sheet.accel.flicker = sheet.accel.walk = 0;
    for (uint64_t seed = 1; seed <= 12; seed++) {
        marl_calibration_record record = marl_calibration_record_empty();
        marl_log poses = memory_log_simulated(MARL_SCENE_POSES, &sheet, 100, 120, seed);
        marl_log turn = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, seed);
        marl_log still = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 40, seed);
        marl_log lift = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 120, seed);
        marl_poses_result p;
        marl_tumble_result t;
        marl_still_result rest;
        marl_verification v;
        ck_assert_int_eq(marl_calibrate_poses(&poses, 9.80665, &p, NULL), MARL_OK);
        ck_assert_int_eq(marl_calibrate_tumble(&turn, &free_field, &t, NULL), MARL_OK);
        ck_assert_int_eq(marl_calibrate_still(&still, &rest, NULL), MARL_OK);
        record.fit[MARL_ACCEL] = p.outcome.fit;
        record.fit[MARL_MAG] = t.outcome.fit;
        record.fit[MARL_GYRO] = rest.outcome.fit;
        ck_assert_int_eq(marl_verify(&record, &lift, 9.80665, &v, NULL), MARL_OK);
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            holds += v.sensor[i].present && v.sensor[i].holds;
            sensors_seen += v.sensor[i].present;
        }
        ck_assert_double_eq_tol(v.dip_deg, 61.2, 1);
        ck_assert(v.dip_deviation > 0.01 && v.dip_deviation < 5);
        double dip_deg = v.dip_deg;
        for (size_t i = 0; i < lift.n; i++) { /* pushes do not tilt what is seen as up */
            lift.row[i].sample.accel.x += i % 200 < 100 ? 8.0f : 0.0f;
        }
        ck_assert_int_eq(marl_verify(&record, &lift, 9.80665, &v, NULL), MARL_OK);
        ck_assert(fabs(v.dip_deg - dip_deg) < 1 && v.dip_deviation < 5);
        /* the readings of another device: a stronger field, a shifted rate */
        for (size_t i = 0; i < lift.n; i++) {
            lift.row[i].sample.accel.x -= i % 200 < 100 ? 8.0f : 0.0f;
            lift.row[i].sample.mag.x += 1;
            lift.row[i].sample.gyro.z += 0.002f;
        }
        ck_assert_int_eq(marl_verify(&record, &lift, 9.80665, &v, NULL), MARL_OK);
        ck_assert(!v.holds && !v.sensor[MARL_GYRO].holds && !v.sensor[MARL_MAG].holds);
        marl_poses_result_free(&p);
        marl_tumble_result_free(&t);
        marl_log_free(&poses);
        marl_log_free(&turn);
        marl_log_free(&still);
        marl_log_free(&lift);
    }
    ck_assert_int_eq(sensors_seen, 36);
    ck_assert_int_ge(holds, 34);
}
END_TEST

MARL_SUITE_OF_TRIALS("calibrate", sensors, poses_are_found_and_fitted, a_large_gyroscope_bias_hides_no_pose,
                     bad_poses_are_left_out_and_listed, a_pose_that_is_none_is_named, six_faces_and_five,
                     turns_give_the_scale, six_faces_leave_the_misalignment_open,
                     parts_of_a_fit_come_together_in_any_order, desk_and_device_correct_alike,
                     verify_holds_where_it_should)
