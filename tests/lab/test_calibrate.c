/* SPDX-License-Identifier: MIT
 * Calibrations against the truth of the simulator, and what they refuse. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include <math.h>
#include <string.h>

/* The errors that a simulated sensor has: raw = (1 + E) truth + bias. */
static void true_errors(const marl_sensor_sheet *sheet, double matrix[3][3])
{
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            matrix[i][k] = (i == k ? 1 + sheet->scale_error[i] : sheet->cross_axis[i][k]);
        }
    }
}

static const double *bias_of(marl_scene_kind scene, const marl_sheet *sheet, double rate, uint64_t seed,
                             marl_sensor sensor)
{
    static double bias[3];
    marl_simulator simulator;
    ck_assert_int_eq(marl_simulator_init(&simulator, scene, sheet, rate, seed), MARL_OK);
    const marl_sensor_model *model = sensor == MARL_ACCEL  ? &simulator.accel
                                     : sensor == MARL_GYRO ? &simulator.gyro
                                                           : &simulator.mag;
    memcpy(bias, model->bias, sizeof bias);
    return bias;
}

/* Largest error of corrected lengths, as a share, over random directions that the fit has not seen. */
static double worst_length(const marl_fit *fit, const double errors[3][3], const double bias[3],
                           double length)
{
    dice d = {5};
    double worst = 0;
    for (int i = 0; i < 200; i++) {
        double y[3], raw[3], v[3], n = 0, found = 0;
        for (int k = 0; k < 3; k++) {
            y[k] = dice_normal(&d);
            n += y[k] * y[k];
        }
        for (int k = 0; k < 3; k++) {
            raw[k] = bias[k] - fit->bias[k];
            for (int j = 0; j < 3; j++) {
                raw[k] += errors[k][j] * y[j] * length / sqrt(n);
            }
        }
        for (int k = 0; k < 3; k++) {
            v[k] = fit->matrix[k][0] * raw[0] + fit->matrix[k][1] * raw[1] + fit->matrix[k][2] * raw[2];
            found += v[k] * v[k];
        }
        worst = fmax(worst, fabs(sqrt(found) / length - 1));
    }
    return worst;
}

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
        int used = 0;
        for (size_t i = 0; i < r.poses.n; i++) {
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
    ck_assert(isnan(r.outcome.fit.matrix_sigma[0][1]) && r.outcome.fit.matrix_sigma[1][1] < 1e-3);
    ck_assert(r.outcome.fit.bias_sigma[2] > 0);
    marl_poses_result_free(&r);
    log.n = 500; /* z up alone */
    ck_assert_int_eq(marl_calibrate_poses(&log, 9.80665, &r, &error), MARL_ERR_EVIDENCE);
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
    ck_assert_int_eq(marl_calibrate_poses(&other, 9.80665, &r, &error), MARL_ERR_EVIDENCE);
    ck_assert_msg(strstr(r.outcome.next, "no pose with z down: turn the pod upside down") != NULL, "%s",
                  r.outcome.next);
    marl_poses_result_free(&r);
    log.n = 3000;
    marl_log_free(&log);
    marl_log_free(&other);
}
END_TEST

static marl_status tumble(const marl_log *log, double field, marl_tumble_result *r, marl_error *error)
{
    const marl_tumble_options how = {.field = field};
    return marl_calibrate_tumble(log, &how, r, error);
}

START_TEST(a_tumble_gives_iron_field_and_dip)
{
    marl_sheet sheet = marl_sheet_grommet();
    double errors[3][3];
    sheet.mag.bias[0] = 30;
    sheet.mag.bias[1] = -22;
    sheet.mag.cross_axis[0][1] = sheet.mag.cross_axis[1][0] = 0.05;
    sheet.mag.scale_error[2] = 0.1;
    true_errors(&sheet.mag, errors);
    for (uint64_t seed = 1; seed <= 5; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 90, seed);
        marl_motion truth;
        marl_scene scene = marl_scene_make(MARL_SCENE_TUMBLE, seed);
        marl_tumble_result r;
        marl_error error = {0};
        truth = marl_scene_at(&scene, 0);
        double field = sqrt(truth.field[0] * truth.field[0] + truth.field[1] * truth.field[1] +
                            truth.field[2] * truth.field[2]);
        ck_assert_msg(tumble(&log, field, &r, &error) == MARL_OK, "%s", error.text);
        const double *bias = bias_of(MARL_SCENE_TUMBLE, &sheet, 100, seed, MARL_MAG);
        for (int k = 0; k < 3; k++) {
            double off = r.outcome.fit.bias[k] - bias[k];
            ck_assert_msg(fabs(off) < 5 * r.outcome.fit.bias_sigma[k], "%d: %.4f +- %.4f", k, off,
                          r.outcome.fit.bias_sigma[k]);
        }
        ck_assert_double_lt(worst_length(&r.outcome.fit, (const double(*)[3])errors, bias, field), 0.003);
        ck_assert_double_eq_tol(r.outcome.fit.dip_deg, 61, 1.5);
        ck_assert_double_gt(r.outcome.fit.coverage, 0.8);
        ck_assert_double_eq_tol(r.outcome.fit.field, field, 1e-9);
        marl_tumble_result_free(&r);
        /* without --field the determinant is 1 and the length is found */
        ck_assert_int_eq(tumble(&log, NAN, &r, NULL), MARL_OK);
        const double(*m)[3] = (const double(*)[3])r.outcome.fit.matrix;
        double det = m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) -
                     m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
                     m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
        ck_assert_double_eq_tol(det, 1, 1e-9);
        ck_assert_double_eq_tol(r.outcome.fit.field, field,
                                2.5); /* times the root of the errors' determinant */
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* A part of a tumble, with soft iron of 6 %: whatever is told of the hard iron is true within its errors. */
START_TEST(half_a_tumble_is_told_honestly)
{
    marl_sheet sheet = marl_sheet_grommet();
    int full = 0, accepted = 0;
    sheet.mag.bias[0] = 22;
    sheet.mag.scale_error[0] = 0.06;
    sheet.mag.scale_error[1] = -0.05;
    sheet.mag.cross_axis[0][1] = sheet.mag.cross_axis[1][0] = 0.04;
    for (int part = 0; part < 12; part++) {
        uint64_t seed = 1 + (uint64_t)part / 3;
        marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 7 + 4 * (part % 3), seed);
        marl_tumble_result r;
        marl_status status = tumble(&log, NAN, &r, NULL);
        const double *bias = bias_of(MARL_SCENE_TUMBLE, &sheet, 100, seed, MARL_MAG);
        accepted += status == MARL_OK;
        full += status == MARL_OK && strcmp(r.outcome.model, "hard and soft iron") == 0;
        for (int k = 0; k < 3 && status == MARL_OK; k++) {
            double off = r.outcome.fit.bias[k] - bias[k];
            ck_assert_msg(fabs(off) < 5 * r.outcome.fit.bias_sigma[k], "%d, %s: %.3f +- %.3f", part,
                          r.outcome.model, off, r.outcome.fit.bias_sigma[k]);
        }
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
    ck_assert_int_gt(accepted, 5);
    ck_assert_int_eq(full, accepted); /* a sphere would have been wrong, and was refused */
    /* without soft iron the sphere stands, and says that it is one */
    sheet = marl_sheet_grommet();
    memset(sheet.mag.scale_error, 0, sizeof sheet.mag.scale_error);
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 6, 3);
    marl_tumble_result r;
    ck_assert_int_eq(tumble(&log, NAN, &r, NULL), MARL_OK);
    ck_assert_ptr_nonnull(strstr(r.outcome.model, "hard iron alone"));
    ck_assert(isnan(r.outcome.fit.matrix_sigma[0][0]));
    const double *bias = bias_of(MARL_SCENE_TUMBLE, &sheet, 100, 3, MARL_MAG);
    for (int k = 0; k < 3; k++) {
        ck_assert_double_lt(fabs(r.outcome.fit.bias[k] - bias[k]), 5 * r.outcome.fit.bias_sigma[k]);
    }
    marl_tumble_result_free(&r);
    marl_log_free(&log);
}
END_TEST

/* A column passes at 40 s for 4 s: found as a span there, and the bias stays where it is without it. */
START_TEST(a_passage_is_listed_and_harmless)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 90, 3);
    marl_tumble_result clean, r;
    ck_assert_int_eq(tumble(&log, NAN, &clean, NULL), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        double t = 1e-9 * (double)log.row[i].sample.t_ns - 40;
        float rise = t > 0 && t < 4 ? (float)(15 * (1 - cos(1.5707963267948966 * t))) : 0;
        log.row[i].sample.mag.x += 0.6f * rise;
        log.row[i].sample.mag.z += 0.8f * rise;
    }
    ck_assert_int_eq(tumble(&log, NAN, &r, NULL), MARL_OK);
    int inside = 0;
    for (size_t i = 0; i < r.rejected.n; i++) {
        double from = 1e-9 * (double)r.rejected.span[i].from_ns, to = 1e-9 * (double)r.rejected.span[i].to_ns;
        inside += from > 39.9 && to < 44.1 && to - from > 0.5;
    }
    ck_assert_int_ge(inside, 1);
    for (int k = 0; k < 3; k++) {
        ck_assert_msg(fabs(r.outcome.fit.bias[k] - clean.outcome.fit.bias[k]) <
                          3 * clean.outcome.fit.bias_sigma[k],
                      "%d: %.4f, %.4f", k, r.outcome.fit.bias[k], clean.outcome.fit.bias[k]);
    }
    marl_tumble_result_free(&clean);
    marl_tumble_result_free(&r);
    marl_log_free(&log);
}
END_TEST

/* Rest, a turn about one axis, no field, one value: each is refused with its word, nothing is accepted. */
START_TEST(what_is_no_tumble_is_refused)
{
    marl_sheet sheet = marl_sheet_grommet();
    static const char *const words[] = {"was not turned", "covered", "stuck", "no field"};
    for (int kind = 0; kind < 4; kind++) {
        marl_log log =
            memory_log_simulated(kind == 0 ? MARL_SCENE_STILL : MARL_SCENE_TUMBLE, &sheet, 100, 60, 7);
        marl_tumble_result r;
        marl_error error = {0};
        for (size_t i = 0; i < log.n; i++) {
            marl_vec3 *m = &log.row[i].sample.mag;
            double t = 0.01 * (double)i;
            if (kind == 1) { /* about z, with the noise that was there */
                marl_vec3 was = *m;
                *m = (marl_vec3){20 * (float)cos(t) + 0.01f * was.x, 20 * (float)sin(t) + 0.01f * was.y,
                                 -40 + 0.01f * was.z};
            } else if (kind == 2) {
                *m = (marl_vec3){20, 5, -40};
            } else if (kind == 3) {
                *m = (marl_vec3){0.01f * m->x, 0.01f * m->y, 0.01f * m->z};
            }
        }
        ck_assert_int_eq(tumble(&log, NAN, &r, &error), MARL_ERR_EVIDENCE);
        ck_assert_msg(!r.outcome.accepted && r.outcome.next[0] != '\0', "%s", error.text);
        ck_assert_msg(strstr(error.text, words[kind]) != NULL || strstr(error.text, "flat") != NULL, "%d: %s",
                      kind, error.text);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
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
        ck_assert_int_eq(marl_calibrate_turns(&log, 4.5, &r, &error), MARL_ERR_EVIDENCE);
        ck_assert(strstr(r.outcome.next, "turn the pod about its x axis by") != NULL);
        marl_turns_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* What the sheet says of the temperature comes out; a bias that does not move gets no slope. */
START_TEST(a_soak_gives_the_curve_and_no_more)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (int order = 0; order <= 2; order++) {
        marl_log log = memory_log_simulated(MARL_SCENE_SOAK, &sheet, 50, 600, 3);
        marl_soak_result r;
        marl_error error = {0};
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *s = &log.row[i].sample;
            float d = s->temp - 24;
            if (order == 0) { /* take out what the sheet puts in */
                s->gyro.x -= (float)sheet.gyro.bias_per_degC[0] * d;
                s->gyro.y -= (float)sheet.gyro.bias_per_degC[1] * d;
                s->gyro.z -= (float)sheet.gyro.bias_per_degC[2] * d;
            } else if (order == 2) {
                s->gyro.x += 4e-6f * d * d;
            }
        }
        ck_assert_msg(marl_calibrate_soak(&log, MARL_GYRO, &r, &error) == MARL_OK, "%s", error.text);
        ck_assert_msg(r.order == order ||
                          (order == 0 && r.order == 1 && fabs(r.outcome.fit.bias_per_degC[0]) < 4e-6),
                      "%d for %d", r.order, order);
        for (int k = 0; k < 3; k++) {
            double slope = order == 0 ? 0 : sheet.gyro.bias_per_degC[k];
            slope += order == 2 && k == 0 ? 2 * 4e-6 * (20 - 24) : 0;
            ck_assert_msg(fabs(r.outcome.fit.bias_per_degC[k] - slope) < 6e-6, "%d: %g", k,
                          r.outcome.fit.bias_per_degC[k] - slope);
        }
        ck_assert_double_eq_tol(r.outcome.fit.bias_per_degC2[0], order == 2 ? 4e-6 : 0, 4e-7);
        ck_assert_double_eq_tol(r.outcome.fit.range_degC[1], 45, 0.5);
        marl_soak_result_free(&r);
        marl_log_free(&log);
    }
    marl_log cool = memory_log_simulated(MARL_SCENE_STILL, &sheet, 50, 120, 3);
    marl_soak_result r;
    marl_error error = {0};
    ck_assert_int_eq(marl_calibrate_soak(&cool, MARL_GYRO, &r, &error), MARL_ERR_EVIDENCE);
    ck_assert_ptr_nonnull(strstr(error.text, "the temperature goes from"));
    ck_assert_ptr_nonnull(strstr(r.outcome.next, "let it warm up"));
    marl_soak_result_free(&r);
    marl_log_free(&cool);
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
    marl_fit_merge(&known[0], &poses, MARL_FIT_BIAS_AND_MATRIX);
    marl_fit_merge(&known[0], &soak, MARL_FIT_CURVE);
    marl_fit_merge(&known[1], &soak, MARL_FIT_CURVE);
    marl_fit_merge(&known[1], &poses, MARL_FIT_BIAS_AND_MATRIX);
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
    marl_fit_merge(&known[0], &nothing, MARL_FIT_BIAS_AND_MATRIX);
    ck_assert(known[0].present && known[0].has_curve);
    ck_assert_double_eq_tol(known[0].matrix[0][0], 1.01, 1e-12);
    /* a bias alone leaves the matrix */
    marl_fit rest = marl_fit_none();
    rest.present = 1;
    rest.temperature_degC = 20;
    rest.bias[0] = 7;
    marl_fit_merge(&known[0], &rest, MARL_FIT_BIAS);
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
        marl_rest rest;
        marl_verification v;
        ck_assert_int_eq(marl_calibrate_poses(&poses, 9.80665, &p, NULL), MARL_OK);
        ck_assert_int_eq(tumble(&turn, NAN, &t, NULL), MARL_OK);
        ck_assert_int_eq(marl_calibrate_rest(&still, &rest, NULL), MARL_OK);
        record.fit[MARL_ACCEL] = p.outcome.fit;
        record.fit[MARL_MAG] = t.outcome.fit;
        record.fit[MARL_GYRO] = rest.fit;
        ck_assert_int_eq(marl_verify(&record, &lift, 9.80665, &v, NULL), MARL_OK);
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            holds += v.sensor[i].present && v.sensor[i].holds;
            sensors_seen += v.sensor[i].present;
        }
        ck_assert_double_eq_tol(v.dip_deg, 61, 2);
        /* the readings of another device: a stronger field, a shifted rate */
        for (size_t i = 0; i < lift.n; i++) {
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

MARL_SUITE_OF_CASES("calibrate", sensors, poses_are_found_and_fitted, bad_poses_are_left_out_and_listed,
                    six_faces_and_five, a_tumble_gives_iron_field_and_dip, half_a_tumble_is_told_honestly,
                    a_passage_is_listed_and_harmless, what_is_no_tumble_is_refused, turns_give_the_scale,
                    a_soak_gives_the_curve_and_no_more, parts_of_a_fit_come_together_in_any_order,
                    desk_and_device_correct_alike, verify_holds_where_it_should)
