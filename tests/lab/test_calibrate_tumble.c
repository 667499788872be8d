/* SPDX-License-Identifier: MIT
 * The magnetometer from tumbles: whole ones, parts, with steel near, and what is none. */
#include "check_main.h"
#include "known_errors.h"
#include "memory_log.h"
#include "steel.h"

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

/* A part of a tumble, with soft iron of 6 %: whatever is reported of the hard iron is true within its errors. */
START_TEST(half_a_tumble_is_reported_honestly)
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
    for (size_t i = 0; i < r.outliers.n; i++) {
        double from = 1e-9 * (double)r.outliers.span[i].from_ns, to = 1e-9 * (double)r.outliers.span[i].to_ns;
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
        ck_assert_int_eq(tumble(&log, NAN, &r, &error), MARL_ERR_INSUFFICIENT);
        ck_assert_msg(!r.outcome.accepted && r.outcome.next[0] != '\0', "%s", error.text);
        ck_assert_msg(strstr(error.text, words[kind]) != NULL || strstr(error.text, "flat") != NULL, "%d: %s",
                      kind, error.text);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* Steel that stands near: refused, or in the standard errors, and said where it is more than chance makes. Without it
 * nothing is said. The bias's truth is that of the same log without the steel. */
START_TEST(steel_that_stands_near_is_seen)
{
    marl_sheet sheet = marl_sheet_grommet();
    const double rms[] = {0, 0.3, 1, 2, 4};
    enum { SEEDS = 8, LEVELS = sizeof rms / sizeof rms[0] };
    int refused[LEVELS] = {0};
    for (int i = 0; i < LEVELS; i++) {
        for (uint64_t seed = 1; seed <= SEEDS; seed++) {
            marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, seed);
            marl_tumble_result clean, r;
            marl_error error = {0};
            ck_assert_int_eq(tumble(&log, NAN, &clean, &error), MARL_OK);
            steel_add(&log, rms[i], seed);
            int accepted = tumble(&log, NAN, &r, &error) == MARL_OK;
            refused[i] += !accepted;
            ck_assert_msg(accepted || strstr(error.text, "steel stands near") != NULL, "%s", error.text);
            ck_assert(r.place_rms > 0 ? rms[i] > 0 : rms[i] < 1);
            ck_assert_int_eq(strstr(r.outcome.remark, "steel stands near") != NULL, r.place_rms > 0);
            for (int k = 0; k < 3 && accepted; k++) {
                double off = r.outcome.fit.bias[k] - clean.outcome.fit.bias[k];
                ck_assert_msg(fabs(off) < 5 * r.outcome.fit.bias_sigma[k], "%g uT, seed %d: %.3f +- %.3f",
                              rms[i], (int)seed, off, r.outcome.fit.bias_sigma[k]);
            }
            marl_tumble_result_free(&clean);
            marl_tumble_result_free(&r);
            marl_log_free(&log);
        }
    }
    ck_assert(refused[0] == 0 && refused[1] == 0 && refused[2] == 0 && refused[LEVELS - 1] > SEEDS / 2);
}
END_TEST

/* A lid that is moved: 2 uT more from a time to another. That part is named and left out, whichever part it is, and the
 * result is that of the same log without the move. */
START_TEST(a_hard_iron_that_moves_is_named_and_left_out)
{
    marl_sheet sheet = marl_sheet_grommet();
    const float by[3] = {1.2f, -1.2f, 1.06f};
    for (uint64_t seed = 21; seed <= 28; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 80, seed);
        marl_tumble_result clean, r;
        double from = 8 * (double)(seed - 21), to = from + 16;
        ck_assert_int_eq(tumble(&log, NAN, &clean, NULL), MARL_OK);
        ck_assert(clean.moved.to_ns == 0 && clean.outliers_n == 0);
        for (size_t i = (size_t)(100 * from); i < (size_t)(100 * to) && i < log.n; i++) {
            marl_vec3 *m = &log.row[i].sample.mag;
            *m = (marl_vec3){m->x + by[0], m->y + by[1], m->z + by[2]};
        }
        ck_assert_int_eq(tumble(&log, NAN, &r, NULL), MARL_OK);
        ck_assert_msg(strstr(r.outcome.remark, "the hard iron is another") != NULL, "%s", r.outcome.remark);
        /* to two blocks of a sixtieth of the recording */
        ck_assert_double_eq_tol(1e-9 * (double)r.moved.from_ns, from, 2.7);
        ck_assert_double_eq_tol(1e-9 * (double)r.moved.to_ns, to, 2.7);
        for (int k = 0; k < 3; k++) {
            double off = r.outcome.fit.bias[k] - clean.outcome.fit.bias[k];
            ck_assert_double_eq_tol(r.moved_by[k], (double)by[k], 0.4);
            ck_assert_msg(fabs(off) < 4 * r.outcome.fit.bias_sigma[k], "seed %d: %.3f +- %.3f", (int)seed,
                          off, r.outcome.fit.bias_sigma[k]);
        }
        marl_tumble_result_free(&clean);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* A hand that shakes the pod to and fro by 3 m/s^2 rms an axis: the mean of the force is gravity's, whatever each direction
 * does; a force over its own length would show 52 degrees. */
START_TEST(a_hand_that_accelerates_does_not_move_the_dip)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (uint64_t seed = 31; seed <= 36; seed++) {
        marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 80, seed);
        marl_tumble_result r;
        for (size_t i = 0; i < log.n; i++) {
            float t = 0.01f * (float)i;
            marl_vec3 world = {4.24f * sinf(11 * t), 4.24f * sinf(13.7f * t), 4.24f * sinf(16.1f * t)};
            marl_vec3 body = marl_quat_rotate(marl_quat_conjugate(log.row[i].q), world),
                      *a = &log.row[i].sample.accel;
            *a = (marl_vec3){a->x + body.x, a->y + body.y, a->z + body.z};
        }
        ck_assert_int_eq(tumble(&log, NAN, &r, NULL), MARL_OK);
        ck_assert_double_eq_tol(r.outcome.fit.dip_deg, 61, 2.5);
        ck_assert_double_lt(fabs(r.outcome.fit.dip_deg - 61), 3 * r.dip_sigma_deg);
        ck_assert_double_lt(r.dip_sigma_deg, 6);
        marl_tumble_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("calibrate tumble", a_hard_iron_that_moves_is_named_and_left_out,
           a_hand_that_accelerates_does_not_move_the_dip, steel_that_stands_near_is_seen,
           a_tumble_gives_iron_field_and_dip, half_a_tumble_is_reported_honestly,
           a_passage_is_listed_and_harmless, what_is_no_tumble_is_refused)
