/* SPDX-License-Identifier: MIT
 * Calibrations renewed on the device by a tumble, and by anything; the watch of the field. */
#include "check_main.h"
#include "device/renew/renewal_kinds.h"
#include "renewed_sensor.h"
#include <string.h>

/* The field from directions with z of at least `lowest`, then the end. */
static void tumble(const sensor *s, dice *d, int readings, double lowest, double field)
{
    marl_sample sample = {.fresh = MARL_FRESH_MAG};
    for (int i = 0; i < readings && !is_over(); i++) {
        double v[3];
        do {
            direction(d, v);
        } while (v[2] < lowest);
        for (int k = 0; k < 3; k++) {
            v[k] *= field;
        }
        sample.t_ns = INT64_C(20000000) * (i + 1);
        sample.mag = reading_of(s, v, d);
        marl_renewal_feed(&job, &sample);
    }
    marl_renewal_finish(&job);
    for (int i = 0; i < 100 && !is_over(); i++) {
        sample.fresh = 0;
        marl_renewal_feed(&job, &sample);
    }
    ck_assert(is_over());
}

START_TEST(a_tumble_without_noise_gives_the_sensor_whatever_is_stored)
{
    dice d = {1};
    for (int i = 0; i < 60; i++) {
        sensor s = make_sensor(&d, i % 2 ? 100 : 20, 0.1, 0);
        marl_calibration stored = marl_calibration_none();
        if (i % 3 > 0) { /* near the truth, and far from it */
            double off = i % 3 == 1 ? 2 : 60;
            stored.mag.present = 1;
            stored.mag.bias =
                (marl_vec3){(float)(s.bias[0] + off), (float)s.bias[1], (float)(s.bias[2] - off)};
            stored.mag.matrix.m[0][1] = 0.05f;
            stored.mag.matrix.m[2][2] = 1.1f;
        }
        marl_renewal_options o = marl_renewal_default(MARL_RENEW_TUMBLE);
        o.length = 48;
        begin(MARL_RENEW_TUMBLE, &stored, &o);
        tumble(&s, &d, 600, -1, 48);
        ck_assert_int_eq(job.stage, MARL_RENEWAL_DONE);
        ck_assert_double_le(worst_length(&job.found.correction, &s, &d, 48), 0.02);
        ck_assert_float_ge(job.found.coverage, 0.8f);
        ck_assert_int_eq(marl_renewal_apply(&job, &stored), MARL_OK);
        ck_assert_float_eq(stored.mag.bias.x, job.found.correction.bias.x);
        ck_assert(!stored.accel.present && !stored.gyro.present);
    }
}
END_TEST

/* Mean of (error / standard error)^2 of 300 values: 1 and its own standard error of 0.1 for a perfect statement; chance
 * that is taken for a field that changes makes the statement wider. */
START_TEST(the_errors_of_a_tumble_are_as_stated)
{
    dice d = {2};
    double squares = 0;
    for (int i = 0; i < 100; i++) {
        sensor s = make_sensor(&d, 40, 0.08, 0.4);
        begin(MARL_RENEW_TUMBLE, NULL, NULL);
        tumble(&s, &d, 1000, -1, 50);
        ck_assert_int_eq(job.stage, MARL_RENEWAL_DONE);
        const marl_renewed *f = &job.found;
        squares += pow(((double)f->correction.bias.x - s.bias[0]) / (double)f->bias_sigma.x, 2) +
                   pow(((double)f->correction.bias.y - s.bias[1]) / (double)f->bias_sigma.y, 2) +
                   pow(((double)f->correction.bias.z - s.bias[2]) / (double)f->bias_sigma.z, 2);
        ck_assert_double_eq_tol((double)f->residual_rms, 0.4, 5 * 0.4 / sqrt(2000) + 0.05); /* axes by 8 % */
    }
    ck_assert_double_le(squares / 300, 1 + 5 * sqrt(2.0 / 300));
    ck_assert_double_ge(squares / 300, 0.2);
}
END_TEST

START_TEST(what_is_no_tumble_is_refused)
{
    dice d = {3};
    sensor s = make_sensor(&d, 20, 0.05, 0.3), noise = {.noise = 20};
    noise.back[0][0] = 1;
    begin(MARL_RENEW_TUMBLE, NULL, NULL);
    tumble(&s, &d, 40, -1, 50);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_FEW);
    begin(MARL_RENEW_TUMBLE, NULL, NULL);
    tumble(&s, &d, 2000, 0.8, 50); /* a tenth of the sphere */
    ck_assert_int_eq(job.reason, MARL_RENEWAL_DIRECTIONS);
    begin(MARL_RENEW_TUMBLE, NULL, NULL);
    tumble(&noise, &d, 2000, -1, 1);
    ck_assert_int_eq(job.stage, MARL_RENEWAL_REFUSED);
    marl_calibration untouched = marl_calibration_none();
    ck_assert_int_eq(marl_renewal_apply(&job, &untouched), MARL_ERR_NOT_READY);
    ck_assert(!untouched.mag.present);
}
END_TEST

/* A place where the field is another one for half of the time. */
START_TEST(steel_near_a_tumble_is_seen)
{
    dice d = {4};
    sensor s = make_sensor(&d, 20, 0.02, 0.2);
    marl_sample sample = {.fresh = MARL_FRESH_MAG};
    begin(MARL_RENEW_TUMBLE, NULL, NULL);
    for (int i = 0; i < 3000 && !is_over(); i++) {
        double v[3], field = i / 100 % 2 ? 50 : 46;
        direction(&d, v);
        for (int k = 0; k < 3; k++) {
            v[k] *= field;
        }
        sample.t_ns = INT64_C(10000000) * (i + 1);
        sample.mag = reading_of(&s, v, &d);
        marl_renewal_feed(&job, &sample);
    }
    ck_assert_int_eq(job.stage, MARL_RENEWAL_REFUSED);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_STEEL);
}
END_TEST

/* Where half of the directions is seen, and the axes are stored, the bias alone may be renewed; but not when the stored
 * axes are wrong, which shows. */
START_TEST(stored_axes_carry_a_bias_that_is_found_alone)
{
    dice d = {15};
    int alone = 0;
    for (int i = 0; i < 40; i++) {
        sensor s = make_sensor(&d, 10, 0.05, 3);
        marl_calibration stored = marl_calibration_none();
        sensor other = make_sensor(&d, 0, 0.3, 0);
        const sensor *axes = i % 2 ? &other : &s;
        stored.mag.present = 1;
        for (int k = 0; k < 9; k++) { /* nearly the inverse of the axes */
            stored.mag.matrix.m[k / 3][k % 3] = (float)((k % 4 == 0 ? 2 : 0) - axes->back[k / 3][k % 3]);
        }
        begin(MARL_RENEW_TUMBLE, &stored, NULL);
        tumble(&s, &d, 70, -0.2, 50);
        int bias_alone = job.stage == MARL_RENEWAL_DONE && job.found.matrix_sigma == 0;
        alone += bias_alone;
        if (bias_alone && i % 2 == 0) {
            ck_assert_double_le(fabs((double)job.found.correction.bias.z - s.bias[2]),
                                5 * (double)job.found.bias_sigma.z);
        }
    }
    ck_assert_int_gt(alone, 10);
}
END_TEST

/* Any element beside the diagonal says that the axes were found; the diagonal alone, or none, does not. */
START_TEST(axes_are_known_by_what_stands_beside_the_diagonal)
{
    for (int k = -1; k < 9; k++) {
        marl_correction c = {.present = 1, .matrix = marl_mat3_identity()};
        if (k >= 0) {
            c.matrix.m[k / 3][k % 3] += 0.01f;
        }
        ck_assert_int_eq(marlp_renewal_knows_axes(&c), k >= 0 && k % 4 != 0);
        c.present = 0;
        ck_assert_int_eq(marlp_renewal_knows_axes(&c), 0);
    }
}
END_TEST

/* ---- watch ---- */

/* A board that is turned about a little all the time, once a minute past steel for `steel_s`; seconds until the report, 0
 * when there is none within an hour. */
static int seconds_to_report(dice *d, double off, double steel, double steel_s, double field_of_place)
{
    marl_field_watch w;
    double v[3], wanted[3], pull[3] = {0};
    marl_field_watch_init(&w);
    direction(d, v);
    direction(d, wanted);
    for (int i = 0; i < 36000; i++) {
        double n = 0;
        if (i % 50 == 0) {
            direction(d, wanted);
        }
        if (i % 600 == 0) {
            direction(d, pull);
        }
        for (int k = 0; k < 3; k++) {
            v[k] += 0.05 * (wanted[k] - v[k]);
            n += v[k] * v[k];
        }
        int near = i % 600 < 10 * steel_s;
        double field = i < 18000 ? 50 : field_of_place;
        marl_vec3 m = {(float)(field * v[0] / sqrt(n) + off + near * steel * pull[0] + 0.5 * dice_normal(d)),
                       (float)(field * v[1] / sqrt(n) + near * steel * pull[1] + 0.5 * dice_normal(d)),
                       (float)(field * v[2] / sqrt(n) + near * steel * pull[2] + 0.5 * dice_normal(d))};
        if (marl_field_watch_feed(&w, INT64_C(100000000) * (i + 1), m)) {
            ck_assert_float_eq_tol(w.off.x, (float)off, 4 * w.sigma.x + 0.5f);
            return i / 10;
        }
    }
    return 0;
}

START_TEST(the_watch_sees_a_changed_iron_and_nothing_else)
{
    dice d = {12};
    for (int i = 0; i < 10; i++) {
        ck_assert_int_eq(seconds_to_report(&d, 0, 0, 0, 50), 0);
        ck_assert_int_eq(seconds_to_report(&d, 1, 0, 0, 50), 0);  /* as wrong as calibrations are */
        ck_assert_int_eq(seconds_to_report(&d, 0, 15, 8, 50), 0); /* past steel */
        ck_assert_int_eq(seconds_to_report(&d, 0, 0, 0, 35), 0);  /* to another place */
        int soon = seconds_to_report(&d, 6, 0, 0, 50), with_steel = seconds_to_report(&d, 8, 10, 8, 50);
        ck_assert_msg(soon > 60 && soon < 400, "%d s", soon);
        ck_assert_msg(with_steel > 60 && with_steel < 1800, "%d s", with_steel);
    }
}
END_TEST

/* ---- anything ---- */

START_TEST(options_out_of_range_change_nothing)
{
    const marl_calibration none = marl_calibration_none();
    marl_renewal_options o;
    begin(MARL_RENEW_STILL, NULL, NULL);
    marl_renewal before = job;
#define REFUSED(kind, change)                                                                                \
    do {                                                                                                     \
        o = marl_renewal_default(kind);                                                                      \
        change;                                                                                              \
        ck_assert_int_eq(marl_renewal_start(&job, kind, &none, &o), MARL_ERR_ARGUMENT);                      \
    } while (0)
    REFUSED(MARL_RENEW_POSES, o.poses = 25);
    REFUSED(MARL_RENEW_POSES, o.poses = 5);
    REFUSED(MARL_RENEW_POSES, o.length = NAN);
    REFUSED(MARL_RENEW_POSES, o.length = 9);
    REFUSED(MARL_RENEW_POSES, o.length = 11);
    REFUSED(MARL_RENEW_TUMBLE, o.length = 4);
    REFUSED(MARL_RENEW_TUMBLE, o.length = 1001);
    REFUSED(MARL_RENEW_TUMBLE, o.coverage = 1.5f);
    REFUSED(MARL_RENEW_TUMBLE, o.coverage = 0.1f);
    REFUSED(MARL_RENEW_TUMBLE, o.patience_s = NAN);
    REFUSED(MARL_RENEW_STILL, o.patience_s = 0);
    REFUSED(MARL_RENEW_STILL, o.patience_s = 1e9f);
    ck_assert_int_eq(marl_renewal_start(&job, MARL_RENEW_NOTHING, &none, NULL), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_renewal_start(&job, (marl_renewal_kind)4, &none, NULL), MARL_ERR_ARGUMENT);
    marl_calibration calibration = none;
    ck_assert_int_eq(marl_renewal_apply(&job, &calibration), MARL_ERR_NOT_READY);
    ck_assert_int_eq(memcmp(&before, &job, sizeof job), 0);
    for (int reason = -1; reason < 12; reason++) {
        ck_assert_ptr_nonnull(marl_renewal_reason_text((marl_renewal_reason)reason));
    }
}
END_TEST

static float any_reading(dice *d, float size)
{
    switch (dice_below(d, 12)) {
    case 0:
        return NAN;
    case 1:
        return INFINITY;
    case 2:
        return 3e38f;
    case 3:
        return 0;
    default:
        return size * (float)dice_between(d, -1, 1);
    }
}

/* Whatever comes: it ends, and what it accepts is finite and a calibration. */
START_TEST(no_input_makes_a_calibration_that_is_none)
{
    dice d = {10};
    for (int i = 0; i < 300; i++) {
        marl_renewal_kind kind = (marl_renewal_kind)(1 + i % 3);
        marl_renewal_options o = marl_renewal_default(kind);
        int64_t t = (int64_t)dice_bits(&d);
        float size = powf(10, (float)dice_between(&d, -3, 4));
        o.patience_s = 20;
        begin(kind, NULL, &o);
        for (int k = 0; k < 3000 && !is_over(); k++) {
            t = dice_below(&d, 100) == 0 ? (int64_t)dice_bits(&d) : t + 10000000;
            marl_sample s = {.t_ns = t, .fresh = (uint8_t)dice_below(&d, 32)};
            s.accel = (marl_vec3){any_reading(&d, size), any_reading(&d, size), any_reading(&d, size)};
            s.gyro = (marl_vec3){any_reading(&d, size), any_reading(&d, size), any_reading(&d, size)};
            s.mag = (marl_vec3){any_reading(&d, size), any_reading(&d, size), any_reading(&d, size)};
            s.temp = any_reading(&d, 50);
            marl_renewal_feed(&job, &s);
        }
        marl_renewal_finish(&job);
        for (int k = 0; k < 100 && !is_over(); k++) {
            const marl_sample none = {.t_ns = t};
            marl_renewal_feed(&job, &none);
        }
        ck_assert(is_over());
        ck_assert_int_eq(marl_correction_check(&job.found.correction), MARL_OK);
        ck_assert(job.stage != MARL_RENEWAL_DONE ||
                  isfinite(job.found.bias_sigma.x + job.found.residual_rms));
    }
}
END_TEST

MARL_SUITE("renew", a_tumble_without_noise_gives_the_sensor_whatever_is_stored,
           the_errors_of_a_tumble_are_as_stated, what_is_no_tumble_is_refused, steel_near_a_tumble_is_seen,
           stored_axes_carry_a_bias_that_is_found_alone, axes_are_known_by_what_stands_beside_the_diagonal,
           the_watch_sees_a_changed_iron_and_nothing_else, options_out_of_range_change_nothing,
           no_input_makes_a_calibration_that_is_none)
