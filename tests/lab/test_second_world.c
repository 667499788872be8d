/* SPDX-License-Identifier: MIT
 * The verdicts that matter most, on a simulator that shares nothing with the library's own: what is accepted is true within
 * its standard errors, and what must be refused is. Twelve parts each (five are smoothed); of the squared errors over variances the mean is held
 * under 2.5, which honest errors (mean 1, at least 36 values) exceed less than once in a million, and none may be beyond five. */
#include "check_main.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/compare.h"
#include "marlinspike/inspect.h"
#include "marlinspike/smooth.h"
#include "second_world.h"

enum { PARTS = 12, SMOOTHED = 5 };
#define DEGREE 0.017453292519943295

typedef struct errors {
    double squares, n;
} errors;

static void add_error(errors *e, double off, double sigma, const char *what, uint64_t seed)
{
    ck_assert_msg(fabs(off) < 5 * sigma, "part %d, %s: off by %g, stated %g", (int)seed, what, off, sigma);
    e->squares += off * off / (sigma * sigma);
    e->n++;
}

/* Of a fit, against the part. Slow processes are a part of its bias. */
static void add_bias_errors(errors *e, const marl_fit *fit, const second_sensor *s, const char *what,
                            uint64_t seed)
{
    for (int k = 0; k < 3; k++) {
        add_error(e, fit->bias[k] - s->bias[k], hypot(fit->bias_sigma[k], s->slow * sqrt(SECOND_SLOW)), what,
                  seed);
    }
}

static void add_matrix_errors(errors *e, const marl_fit *fit, const second_sensor *s, const char *what,
                              uint64_t seed)
{
    double truth[3][3];
    second_world_matrix(s, truth);
    for (int k = 0; k < 9; k++) {
        add_error(e, fit->matrix[k / 3][k % 3] - truth[k / 3][k % 3], fit->matrix_sigma[k / 3][k % 3], what,
                  seed);
    }
}

static void check_errors(const errors *e, const char *what)
{
    ck_assert_msg(e->n >= PARTS && e->squares < 2.5 * e->n, "%s: %.2f of %.0f", what, e->squares / e->n,
                  e->n);
}

static void free_world(second_world *w)
{
    marl_log_free(&w->log);
}

START_TEST(a_bias_at_rest)
{
    errors e = {0, 0};
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_still_result r;
        marl_error error = {0};
        second_world_init(&w, seed);
        second_world_rest(&w, 60);
        ck_assert_msg(marl_calibrate_still(&w.log, &r, &error) == MARL_OK, "%s", error.text);
        add_bias_errors(&e, &r.outcome.fit, &w.sensor[MARL_GYRO], "bias", seed);
        free_world(&w);
        /* the same board on a plate that turns by 0.2 deg/s about x */
        second_world_init(&w, seed);
        second_world_turn(&w, (const double[]){1, 0, 0}, 12 * DEGREE, 60);
        ck_assert_msg(marl_calibrate_still(&w.log, &r, NULL) == MARL_ERR_INSUFFICIENT, "part %d", (int)seed);
        free_world(&w);
    }
    check_errors(&e, "bias");
}
END_TEST

/* 24 attitudes, three seconds each, and a second of turning between. */
static void add_poses(second_world *w, int n)
{
    for (int i = 0; i < n; i++) {
        const double axis[3] = {dice_normal(&w->dice), dice_normal(&w->dice), dice_normal(&w->dice)};
        second_world_rest(w, 3);
        second_world_turn(w, axis, dice_between(&w->dice, 1, 3), 1.5);
    }
    second_world_rest(w, 3);
}

START_TEST(poses_and_moves)
{
    errors bias = {0, 0}, matrix = {0, 0}, gyro = {0, 0};
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_poses_result r;
        marl_moves_result m;
        marl_error error = {0};
        second_world_init(&w, seed);
        add_poses(&w, 24);
        ck_assert_msg(marl_calibrate_poses(&w.log, 9.80665, &r, &error) == MARL_OK, "%s", error.text);
        add_bias_errors(&bias, &r.outcome.fit, &w.sensor[MARL_ACCEL], "bias", seed);
        add_matrix_errors(&matrix, &r.outcome.fit, &w.sensor[MARL_ACCEL], "matrix", seed);
        marl_calibration_record record = second_world_calibration(&w);
        record.fit[MARL_GYRO] = marl_fit_none();
        ck_assert_msg(marl_calibrate_moves(&w.log, &record, &m, &error) == MARL_OK, "%s", error.text);
        add_matrix_errors(&gyro, &m.outcome.fit, &w.sensor[MARL_GYRO], "gyroscope", seed);
        marl_moves_result_free(&m);
        marl_poses_result_free(&r);
        free_world(&w);
    }
    check_errors(&bias, "bias");
    check_errors(&matrix, "matrix");
    check_errors(&gyro, "gyroscope's matrix");
}
END_TEST

START_TEST(a_tumble)
{
    errors bias = {0, 0}, matrix = {0, 0}, dip = {0, 0};
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_tumble_result r;
        marl_error error = {0};
        second_world_init(&w, seed);
        second_world_hand(&w, 90, 0.8, 0.5);
        const marl_tumble_options how = {.field = hypot(w.field[1], w.field[2])};
        ck_assert_msg(marl_calibrate_tumble(&w.log, &how, &r, &error) == MARL_OK, "part %d: %s", (int)seed,
                      error.text);
        ck_assert_uint_eq(r.outliers_n, 0);
        add_bias_errors(&bias, &r.outcome.fit, &w.sensor[MARL_MAG], "hard iron", seed);
        add_matrix_errors(&matrix, &r.outcome.fit, &w.sensor[MARL_MAG], "soft iron", seed);
        add_error(&dip, r.outcome.fit.dip_deg - atan2(-w.field[2], w.field[1]) / DEGREE, r.dip_sigma_deg,
                  "dip", seed);
        marl_tumble_result_free(&r);
        free_world(&w);
    }
    check_errors(&bias, "hard iron");
    check_errors(&matrix, "soft iron");
    check_errors(&dip, "dip");
}
END_TEST

START_TEST(full_turns)
{
    errors e = {0, 0};
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_turns_result r;
        marl_error error = {0};
        double truth[3][3];
        second_world_init(&w, seed);
        for (int i = 0; i < 18; i++) {
            double axis[3] = {0.01 * dice_normal(&w.dice), 0.01 * dice_normal(&w.dice),
                              0.01 * dice_normal(&w.dice)};
            axis[i % 3] = 1;
            second_world_rest(&w, 4);
            second_world_turn(&w, axis, (i % 2 ? -1 : 1) * 360 * DEGREE, 5);
        }
        second_world_rest(&w, 4);
        ck_assert_msg(marl_calibrate_turns(&w.log, 360 * DEGREE, &r, &error) == MARL_OK, "%s", error.text);
        second_world_matrix(&w.sensor[MARL_GYRO], truth);
        for (int k = 0; k < 3; k++) {
            /* lengths of turns show the scale up to the square of what lies between the axes */
            add_error(&e, r.outcome.fit.matrix[k][k] - truth[k][k],
                      hypot(r.outcome.fit.matrix_sigma[k][k], 2e-4), "scale", seed);
        }
        marl_turns_result_free(&r);
        free_world(&w);
    }
    check_errors(&e, "scale");
}
END_TEST

/* The magnetometer's x and y are exchanged, and its z points the other way. */
START_TEST(axes_that_disagree)
{
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_axes_result r;
        marl_error error = {0};
        second_world_init(&w, seed);
        second_world_hand(&w, 60, 0.8, 0.5);
        marl_calibration_record record = second_world_calibration(&w);
        for (size_t i = 0; i < w.log.n; i++) {
            marl_vec3 *m = &w.log.row[i].sample.mag;
            *m = (marl_vec3){m->y, m->x, -m->z};
        }
        double *b = record.fit[MARL_MAG].bias, was = b[0];
        b[0] = b[1];
        b[1] = was;
        b[2] = -b[2];
        memset(record.fit[MARL_MAG].matrix, 0, sizeof record.fit[MARL_MAG].matrix);
        for (int k = 0; k < 3; k++) {
            record.fit[MARL_MAG].matrix[k][k] = 1;
        }
        ck_assert_msg(marl_calibrate_axes(&w.log, 0, 0, &record, &r, &error) == MARL_OK, "%s", error.text);
        const double(*m)[3] = (const double(*)[3])record.fit[MARL_MAG].matrix;
        ck_assert_msg(m[0][1] > 0.9 && m[1][0] > 0.9 && m[2][2] < -0.9, "part %d", (int)seed);
        ck_assert(record.fit[MARL_GYRO].matrix[0][0] > 0.9 && record.fit[MARL_GYRO].matrix[2][2] > 0.9);
        free_world(&w);
    }
}
END_TEST

/* A file of the gyroscope and one of the magnetometer, whose clock shows 7.31 s more. */
START_TEST(an_offset_of_clocks)
{
    errors e = {0, 0};
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_clock_offset offset;
        second_world_init(&w, seed);
        second_world_hand(&w, 40, 0.8, 0.5);
        marl_log a = w.log, b = w.log;
        b.row = calloc(b.n, sizeof *b.row);
        b.n = 0;
        for (size_t i = 0; i < a.n; i++) {
            if (a.row[i].sample.fresh & MARL_FRESH_MAG) {
                b.row[b.n] = a.row[i];
                b.row[b.n].sample.fresh = MARL_FRESH_MAG;
                b.row[b.n++].sample.t_ns += INT64_C(7310000000);
            }
            a.row[i].sample.fresh = MARL_FRESH_GYRO;
        }
        a.info.columns = MARL_COLUMNS_GYRO | 1u << MARL_COLUMN_T;
        b.info.columns = MARL_COLUMNS_MAG | 1u << MARL_COLUMN_T;
        ck_assert_int_eq(marl_clock_offset_find(&a, &b, &offset, NULL), MARL_OK);
        ck_assert_msg(offset.found, "part %d", (int)seed);
        add_error(&e, offset.offset_s + 7.31, offset.sigma_s, "offset", seed);
        free(b.row);
        free_world(&w);
    }
    check_errors(&e, "offset");
}
END_TEST

/* The true calibration holds; with the accelerometer's bias off by 0.05 m/s^2, or the hard iron by 2 uT, it does not. */
START_TEST(a_calibration_verified)
{
    int held = 0;
    for (uint64_t seed = 1; seed <= PARTS; seed++) {
        second_world w;
        marl_verification v;
        second_world_init(&w, seed);
        add_poses(&w, 12);
        second_world_hand(&w, 30, 0.8, 0.3);
        second_world_rest(&w, 4);
        marl_calibration_record record = second_world_calibration(&w);
        ck_assert_int_eq(marl_verify(&record, &w.log, 9.80665, &v, NULL), MARL_OK);
        held += v.holds;
        record.fit[MARL_ACCEL].bias[seed % 3] += 0.05;
        ck_assert_int_eq(marl_verify(&record, &w.log, 9.80665, &v, NULL), MARL_OK);
        ck_assert_msg(!v.holds && !v.sensor[MARL_ACCEL].holds, "part %d", (int)seed);
        record = second_world_calibration(&w);
        record.fit[MARL_MAG].bias[seed % 3] += 2;
        ck_assert_int_eq(marl_verify(&record, &w.log, 9.80665, &v, NULL), MARL_OK);
        ck_assert_msg(!v.holds && !v.sensor[MARL_MAG].holds, "part %d", (int)seed);
        free_world(&w);
    }
    ck_assert_int_ge(held, PARTS - 1); /* a limit that chance exceeds once in a hundred, for three sensors */
}
END_TEST

/* Between attitudes and the truth at the same times, rms in degrees from 10 s on. */
static double total_rms(const marl_log *log, const marl_attitude *estimate, size_t n)
{
    double squares = 0, count = 0;
    size_t at = 0;
    for (size_t i = 0; i < n; i++) {
        for (; at + 1 < log->n && log->row[at].sample.t_ns < estimate[i].t_ns; at++) {
        }
        marl_quat between = marl_quat_product(marl_quat_conjugate(log->row[at].q), estimate[i].q);
        double sine = sqrt(pow((double)between.x, 2) + pow((double)between.y, 2) + pow((double)between.z, 2));
        double angle = 2 * asin(fmin(1, sine)) / DEGREE;
        if (estimate[i].t_ns > INT64_C(10000000000) && log->row[at].sample.t_ns == estimate[i].t_ns) {
            squares += angle * angle;
            count++;
        }
    }
    ck_assert_double_gt(count, 1000);
    return sqrt(squares / count);
}

static double smoothed_rms(const marl_log *log, const marl_smoothed *s)
{
    marl_attitude *q = calloc(s->n, sizeof *q);
    for (size_t i = 0; i < s->n; i++) {
        q[i] = (marl_attitude){.t_ns = s->row[i].t_ns, .q = s->row[i].q};
    }
    double rms = total_rms(log, q, s->n);
    free(q);
    return rms;
}

/* The smoother on the raw part: trusted, nearer than half a degree with its own standard deviation no less than a third of
 * that; and nearer than kalman, which knows less. */
START_TEST(a_smoothed_log_and_a_filter)
{
    int better = 0;
    for (uint64_t seed = 1; seed <= SMOOTHED; seed++) {
        second_world w;
        marl_smoothed s;
        marl_error error = {0};
        second_world_init(&w, seed);
        for (int k = 0; k < 3; k++) {
            w.sensor[MARL_MAG].bias[k] /= 4; /* more than some 5 uT is distrusted, and named */
        }
        second_world_rest(&w, 3);
        second_world_hand(&w, 60, 0.7, 0.7);
        second_world_rest(&w, 3);
        ck_assert_msg(marl_smooth(&w.log, NULL, &s, &error) == MARL_OK, "%s", error.text);
        const char *distrust = marl_smoothed_distrust(&s);
        ck_assert_msg(distrust == NULL, "part %d: %s", (int)seed, distrust);
        double off = smoothed_rms(&w.log, &s);
        double sigma = hypot(s.sigma_tilt_rms, s.sigma_heading_rms) / DEGREE;
        ck_assert_msg(off < 3 * sigma, "part %d: %.3f deg, stated %.3f", (int)seed, off, sigma);
        marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
        marl_replay_options options = {.degradation = {.every = 1}};
        marl_pipeline pipeline;
        marl_series estimate;
        ck_assert_int_eq(marl_replay_log(&pipeline, &w.log, &tuning, &options, &estimate, NULL), MARL_OK);
        better += off < total_rms(&w.log, estimate.at, estimate.n);
        marl_series_free(&estimate);
        marl_smoothed_free(&s);
        free_world(&w);
    }
    ck_assert_int_eq(better, SMOOTHED);
}
END_TEST

/* White noise of each sensor at rest, against what was put in: a reading's deviation over the root of the rate. */
START_TEST(noise_at_rest)
{
    for (uint64_t seed = 1; seed <= 4; seed++) {
        second_world w;
        marl_inspection in;
        second_world_init(&w, seed);
        second_world_rest(&w, 120);
        ck_assert_int_eq(marl_inspect(&w.log, &in, NULL), MARL_OK);
        for (int sensor = 0; sensor < MARL_SENSOR_COUNT; sensor++) {
            marl_sensor_noise noise;
            double rate = w.rate_hz / (sensor == MARL_MAG ? w.mag_every : 1);
            const second_sensor *of = &w.sensor[sensor];
            double white = sqrt((of->white * of->white + of->count * of->count / 12) / rate);
            ck_assert_int_eq(marl_noise_of_log(&w.log, &in, (marl_sensor)sensor, &noise, NULL), MARL_OK);
            for (int k = 0; k < 3; k++) {
                ck_assert_msg(fabs(noise.noise[k].white - white) < 5 * noise.noise[k].white_sigma,
                              "part %d, sensor %d: %g +- %g, put in %g", (int)seed, sensor,
                              noise.noise[k].white, noise.noise[k].white_sigma, white);
            }
        }
        marl_inspection_free(&in);
        free_world(&w);
    }
}
END_TEST

MARL_SUITE("second world", a_bias_at_rest, poses_and_moves, a_tumble, full_turns, axes_that_disagree,
           an_offset_of_clocks, a_calibration_verified, a_smoothed_log_and_a_filter, noise_at_rest)
