/* SPDX-License-Identifier: MIT
 * Calibrations renewed on the device at rest and by poses. */
#include "check_main.h"
#include "renewed_sensor.h"

/* ---- at rest ---- */

typedef struct rest {
    double bias[3], turn_rad_s, shake; /* about x; m/s^2 */
    double gyro_noise;
} rest;

static void rest_for(const rest *r, dice *d, double seconds)
{
    for (int i = 0; i < (int)(100 * seconds) && !is_over(); i++) {
        double angle = r->turn_rad_s * 0.01 * i, sine = sin(angle), cosine = cos(angle);
        marl_sample s = {.t_ns = INT64_C(10000000) * (i + 1), .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO};
        s.accel = (marl_vec3){(float)(0.02 * dice_normal(d)),
                              (float)(9.81 * sine + (0.02 + r->shake) * dice_normal(d)),
                              (float)(9.81 * cosine + 0.02 * dice_normal(d))};
        s.gyro = (marl_vec3){(float)(r->bias[0] + r->turn_rad_s + r->gyro_noise * dice_normal(d)),
                             (float)(r->bias[1] + r->gyro_noise * dice_normal(d)),
                             (float)(r->bias[2] + r->gyro_noise * dice_normal(d))};
        marl_renewal_feed(&job, &s);
    }
}

START_TEST(a_rest_gives_the_bias_within_its_errors)
{
    dice d = {5};
    double squares = 0;
    for (int i = 0; i < 100; i++) {
        rest r = {.gyro_noise = 0.002};
        for (int k = 0; k < 3; k++) {
            r.bias[k] = dice_between(&d, -0.15, 0.15); /* up to 9 deg/s */
        }
        begin(MARL_RENEW_STILL, NULL, NULL);
        rest_for(&r, &d, 13);
        ck_assert_int_eq(job.stage, MARL_RENEWAL_DONE);
        const marl_renewed *f = &job.found;
        squares += pow(((double)f->correction.bias.x - r.bias[0]) / (double)f->bias_sigma.x, 2) +
                   pow(((double)f->correction.bias.y - r.bias[1]) / (double)f->bias_sigma.y, 2) +
                   pow(((double)f->correction.bias.z - r.bias[2]) / (double)f->bias_sigma.z, 2);
        ck_assert_float_le(f->bias_sigma.x, 3e-4f);
    }
    ck_assert_double_le(squares / 300, 1 + 5 * sqrt(2.0 / 300));
    ck_assert_double_ge(squares / 300, 0.2);
}
END_TEST

START_TEST(what_is_no_rest_is_refused)
{
    dice d = {6};
    const rest turns = {.gyro_noise = 0.002, .turn_rad_s = 0.002},
               shakes = {.gyro_noise = 0.002, .shake = 0.5}, swings = {.gyro_noise = 0.05};
    marl_renewal_options o = marl_renewal_default(MARL_RENEW_STILL);
    o.patience_s = 30;
    begin(MARL_RENEW_STILL, NULL, &o);
    rest_for(&turns, &d, 40);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_TURNS);
    begin(MARL_RENEW_STILL, NULL, &o);
    rest_for(&shakes, &d, 40);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_MOVES);
    begin(MARL_RENEW_STILL, NULL, &o);
    rest_for(&swings, &d, 40);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_MOVES);
}
END_TEST

/* The bias over temperature stays; what was found at one temperature moves it as a whole. */
START_TEST(a_bias_curve_is_kept)
{
    dice d = {7};
    marl_calibration stored = marl_calibration_none();
    stored.gyro.present = stored.gyro.has_curve = 1;
    stored.gyro.curve = (marl_bias_curve){.reference_degC = 20, .low_degC = 0, .high_degC = 60};
    stored.gyro.curve.per_degC = (marl_vec3){0.001f, 0, 0};
    begin(MARL_RENEW_STILL, &stored, NULL);
    const marl_sample warm = {.t_ns = 1, .fresh = MARL_FRESH_TEMP, .temp = 40};
    marl_renewal_feed(&job, &warm);
    const rest r = {.bias = {0.05, 0, 0}, .gyro_noise = 0.001};
    rest_for(&r, &d, 13);
    ck_assert_int_eq(job.stage, MARL_RENEWAL_DONE);
    ck_assert_float_eq_tol(job.found.correction.bias.x, 0.03f, 5e-4f);
    ck_assert_float_eq_tol(marl_correction_bias(&job.found.correction, 40).x, 0.05f, 5e-4f);
}
END_TEST

/* ---- poses ---- */

static void hold(const sensor *s, dice *d, const double up[3], double seconds, int64_t *t_ns)
{
    for (int i = 0; i < (int)(100 * seconds) && !is_over(); i++) {
        double v[3] = {up[0], up[1], up[2]};
        for (int k = 0; k < 3 && i < 50; k++) {
            v[k] += dice_normal(d); /* the hand */
        }
        *t_ns += 10000000;
        marl_sample sample = {.t_ns = *t_ns, .fresh = MARL_FRESH_ACCEL, .accel = reading_of(s, v, d)};
        marl_renewal_feed(&job, &sample);
    }
}

static void pose(int k, dice *d, double up[3])
{
    direction(d, up);
    for (int j = 0; j < 3; j++) {
        up[j] = k < 6 ? 0.1 * up[j] + (k / 2 == j ? (k % 2 ? -1 : 1) : 0) : up[j];
    }
    double n = sqrt(up[0] * up[0] + up[1] * up[1] + up[2] * up[2]);
    for (int j = 0; j < 3; j++) {
        up[j] *= 9.80665 / n;
    }
}

START_TEST(poses_give_the_sensor)
{
    dice d = {8};
    for (int i = 0; i < 20; i++) {
        sensor s = make_sensor(&d, 0.5, 0.02, 0.01);
        int64_t t_ns = 0;
        marl_renewal_options o = marl_renewal_default(MARL_RENEW_POSES);
        o.poses = 20;
        begin(MARL_RENEW_POSES, NULL, &o);
        for (int k = 0; k < 60 && !is_over(); k++) {
            double up[3];
            pose(k, &d, up);
            hold(&s, &d, up, 3.5, &t_ns);
        }
        ck_assert_int_eq(job.stage, MARL_RENEWAL_DONE);
        ck_assert_double_le(worst_length(&job.found.correction, &s, &d, 9.80665), 0.01);
        ck_assert_float_le(job.found.matrix_sigma, 2e-3f);
    }
}
END_TEST

/* Faces alone do not show the axes, however many poses: the error says so. A pose that is held for long counts once. */
START_TEST(faces_alone_do_not_show_the_axes)
{
    dice d = {13};
    for (int stored = 0; stored < 2; stored++) {
        sensor s = make_sensor(&d, 0.3, 0.005, 0.01);
        marl_calibration before = marl_calibration_none();
        int64_t t_ns = 0;
        marl_renewal_options o = marl_renewal_default(MARL_RENEW_POSES);
        before.accel.present = stored;
        before.accel.matrix.m[0][1] = 0.001f; /* its axes were measured */
        o.poses = 12;
        o.patience_s = 400;
        begin(MARL_RENEW_POSES, &before, &o);
        for (int k = 0; k < 36 && !is_over(); k++) {
            double up[3] = {0}, tilt = 0.2; /* each face in two attitudes, 11 degrees apart */
            up[k / 2 % 3] = k % 2 ? -9.76 : 9.76;
            up[(k / 2 + 1) % 3] = k / 6 % 2 ? 9.80665 * tilt : 0;
            double n = sqrt(up[0] * up[0] + up[1] * up[1] + up[2] * up[2]);
            for (int j = 0; j < 3; j++) {
                up[j] *= 9.80665 / n;
            }
            hold(&s, &d, up, k == 0 ? 60 : 3, &t_ns);
        }
        ck_assert_int_eq(job.stage, MARL_RENEWAL_DONE);
        ck_assert_uint_ge(job.found.points, 12);
        /* a prior of 1 % in the axes, or of 0.1 %: by 0.01 to 0.1 m/s^2 in the bias of faces that are held by hand */
        ck_assert_float_le(job.found.bias_sigma.x, stored ? 0.02f : 0.2f);
    }
}
END_TEST

/* Each pose as long as `length` has it, until the renewal is over. */
static void pose_of_lengths(const marl_calibration *stored, uint8_t poses, double spread,
                            double (*length)(dice *, const double[3], double))
{
    dice d = {14};
    sensor s = make_sensor(&d, 0.1, 0.01, 0.01);
    int64_t t_ns = 0;
    marl_renewal_options o = marl_renewal_default(MARL_RENEW_POSES);
    o.poses = poses;
    o.patience_s = 400;
    begin(MARL_RENEW_POSES, stored, &o);
    for (int k = 0; k < 80 && !is_over(); k++) {
        double up[3], times;
        pose(k % 60, &d, up);
        times = length(&d, up, spread);
        for (int j = 0; j < 3; j++) {
            up[j] *= times;
        }
        hold(&s, &d, up, 3.5, &t_ns);
    }
    ck_assert_int_eq(job.stage, MARL_RENEWAL_REFUSED);
}

static double by_chance(dice *d, const double up[3], double spread)
{
    (void)up;
    return 1 + spread * dice_between(d, -1, 1);
}

static double by_octant(dice *d, const double up[3], double spread)
{
    (void)d;
    return up[0] * up[1] * up[2] > 0 ? 1 + spread : 1 - spread;
}

/* By little, the errors are too large; by more, that is no gravity; by all, there is no ellipsoid. */
START_TEST(poses_of_no_one_length_are_refused)
{
    static const struct {
        double spread;
        uint8_t poses;
    } row[] = {{0.04, 8}, {0.3, 20}, {0.95, 20}, {0.95, 8}};
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        pose_of_lengths(NULL, row[i].poses, row[i].spread, by_chance);
        ck_assert(job.reason == MARL_RENEWAL_SCATTER || job.reason == MARL_RENEWAL_DIRECTIONS);
    }
}
END_TEST

/* Poses all around one axis, however many: they lie on a circle, through which many spheres go. */
START_TEST(poses_about_one_axis_are_refused)
{
    dice d = {16};
    sensor s = make_sensor(&d, 0.1, 0.01, 0.01);
    int64_t t_ns = 0;
    marl_renewal_options o = marl_renewal_default(MARL_RENEW_POSES);
    o.patience_s = 60;
    begin(MARL_RENEW_POSES, NULL, &o);
    for (int k = 0; k < 40 && !is_over(); k++) {
        const double up[3] = {8.5 * cos(0.4 * k), 8.5 * sin(0.4 * k), 4.89};
        hold(&s, &d, up, 3.5, &t_ns);
    }
    ck_assert_int_eq(job.stage, MARL_RENEWAL_REFUSED);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_DIRECTIONS);
    ck_assert_uint_ge(job.found.points, 10);
}
END_TEST

/* Lengths that no ellipsoid has, from one octant to the next: that is no gravity. */
START_TEST(poses_whose_lengths_change_by_octants_are_refused)
{
    marl_calibration stored = marl_calibration_none();
    stored.accel.present = 1;
    stored.accel.matrix.m[0][1] = 0.001f; /* its axes were measured */
    pose_of_lengths(&stored, 24, 0.1, by_octant);
    ck_assert_int_eq(job.reason, MARL_RENEWAL_SCATTER);
    ck_assert_float_gt(job.found.residual_rms, 0.5f);
}
END_TEST

START_TEST(a_face_that_is_missing_is_named)
{
    dice d = {9};
    for (int missing = 0; missing < 6; missing++) {
        sensor s = make_sensor(&d, 0.3, 0.01, 0.01);
        int64_t t_ns = 0;
        marl_renewal_options o = marl_renewal_default(MARL_RENEW_POSES);
        o.patience_s = 30;
        begin(MARL_RENEW_POSES, NULL, &o);
        for (int k = 0; k < 12; k++) {
            double up[3];
            pose(k % 6 == missing ? (k + 1) % 6 : k % 6, &d, up);
            hold(&s, &d, up, 3, &t_ns);
        }
        ck_assert_int_eq(job.stage, MARL_RENEWAL_REFUSED);
        ck_assert_int_eq(job.found.missing, missing);
    }
}
END_TEST

MARL_SUITE("renew rest", a_rest_gives_the_bias_within_its_errors, what_is_no_rest_is_refused,
           a_bias_curve_is_kept, poses_give_the_sensor, faces_alone_do_not_show_the_axes,
           poses_of_no_one_length_are_refused, poses_about_one_axis_are_refused,
           poses_whose_lengths_change_by_octants_are_refused, a_face_that_is_missing_is_named)
