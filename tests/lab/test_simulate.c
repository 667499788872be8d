/* SPDX-License-Identifier: MIT
 * The simulator against physics and statistics. */
#include "check_main.h"
#include "lab/maths/random.h"
#include "lab/simulate/sensor_model.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/files.h"
#include "marlinspike/simulate.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

static void rotate(const double q[4], const double v[3], double out[3])
{
    double u[3] = {q[1], q[2], q[3]}, t[3];
    for (int i = 0; i < 3; i++) {
        t[i] = 2 * (u[(i + 1) % 3] * v[(i + 2) % 3] - u[(i + 2) % 3] * v[(i + 1) % 3]);
    }
    for (int i = 0; i < 3; i++) {
        out[i] = v[i] + q[0] * t[i] + u[(i + 1) % 3] * t[(i + 2) % 3] - u[(i + 2) % 3] * t[(i + 1) % 3];
    }
}

/* The body rate by differences: the vector part of q(t-h)* q(t+h) is h times the rate. */
static double rate_mismatch(const marl_motion *a, const marl_motion *at, const marl_motion *b, double h)
{
    double x = a->q[0] * b->q[1] - a->q[1] * b->q[0] - a->q[2] * b->q[3] + a->q[3] * b->q[2];
    double y = a->q[0] * b->q[2] - a->q[2] * b->q[0] - a->q[3] * b->q[1] + a->q[1] * b->q[3];
    double z = a->q[0] * b->q[3] - a->q[3] * b->q[0] - a->q[1] * b->q[2] + a->q[2] * b->q[1];
    return fabs(x / h - at->rate[0]) + fabs(y / h - at->rate[1]) + fabs(z / h - at->rate[2]);
}

/* The specific force by differences: acceleration of the position, and gravity. */
static double force_mismatch(const marl_motion *a, const marl_motion *at, const marl_motion *b, double h)
{
    double world[3], off = 0;
    rotate(at->q, at->force, world);
    for (int k = 0; k < 3; k++) {
        double acceleration = (a->position[k] - 2 * at->position[k] + b->position[k]) / (h * h);
        off += fabs(world[k] - acceleration - (k == 2 ? 9.80665 : 0));
    }
    return off;
}

/* Whatever the scene: rates and forces are the derivatives of attitudes and positions. Differences err by h^2
 * times fast derivatives (vibration at 35 Hz) and by rounding over h^2. */
START_TEST(each_scene_obeys_mechanics)
{
    const double h = 1e-4;
    for (uint64_t seed = 1; seed <= 3; seed++) {
        marl_scene scene = marl_scene_make((marl_scene_kind)_i, seed);
        for (double t = 0.5; t < 125; t += 0.1737) {
            marl_motion a = marl_scene_at(&scene, t - h), at = marl_scene_at(&scene, t),
                        b = marl_scene_at(&scene, t + h);
            double rate = rate_mismatch(&a, &at, &b, h), force = force_mismatch(&a, &at, &b, h);
            double norm = at.q[0] * at.q[0] + at.q[1] * at.q[1] + at.q[2] * at.q[2] + at.q[3] * at.q[3];
            if (rate > 2e-5 || force > 2e-3 || fabs(norm - 1) > 1e-12) {
                ck_abort_msg("%s, seed %d, %.3f s: rate off by %g, force by %g", marl_scene_name(scene.kind),
                             (int)seed, t, rate, force);
            }
        }
    }
}
END_TEST

/* The block ends where it began, at rest: the mean specific force in the world is gravity. */
START_TEST(the_lift_goes_nowhere_on_average)
{
    for (uint64_t seed = 1; seed <= 5; seed++) {
        marl_scene scene = marl_scene_make(MARL_SCENE_LIFT, seed);
        double mean[3] = {0, 0, 0};
        const int n = 120000;
        for (int i = 0; i < n; i++) {
            double world[3];
            marl_motion m = marl_scene_at(&scene, i * 0.001);
            rotate(m.q, m.force, world);
            for (int k = 0; k < 3; k++) {
                mean[k] += world[k] / n;
            }
        }
        ck_assert_double_lt(fabs(mean[0]), 1e-4);
        ck_assert_double_lt(fabs(mean[1]), 1e-4);
        ck_assert_double_lt(fabs(mean[2] - 9.80665), 1e-4);
    }
}
END_TEST

START_TEST(each_scene_begins_at_rest_in_the_earths_field)
{
    static const double rest_s[MARL_SCENE_COUNT] = {60, 2.9, 2.9, 1.9, 600, 9.9, 9.9, 4.9, 4.9, 4.9};
    marl_scene scene = marl_scene_make((marl_scene_kind)_i, 3);
    for (double t = 0; t < rest_s[_i]; t += 0.1) {
        marl_motion m = marl_scene_at(&scene, t);
        double world[3];
        rotate(m.q, m.force, world);
        ck_assert(fabs(world[0]) < 1e-9 && fabs(world[1]) < 1e-9 && fabs(world[2] - 9.80665) < 1e-9);
        ck_assert(fabs(m.rate[0]) + fabs(m.rate[1]) + fabs(m.rate[2]) < 1e-12);
        rotate(m.q, m.field, world);
        ck_assert(fabs(world[0]) < 1e-9 && world[1] > 20 && world[2] < -40);
    }
    ck_assert_double_ge(marl_scene_seconds(scene.kind), 60);
    marl_scene_kind kind;
    ck_assert_int_eq(marl_scene_from_name(marl_scene_name(scene.kind), &kind), MARL_OK);
    ck_assert_int_eq((int)kind, _i);
    ck_assert_int_eq(marl_scene_from_name("picnic", &kind), MARL_ERR_ARGUMENT);
}
END_TEST

/* Which of the 26 directions (faces, edges, corners of a cube) a vector is closest to. */
static int direction_of(const double v[3])
{
    double best = -1;
    int which = 0;
    for (int i = 0; i < 27; i++) {
        double x = i % 3 - 1, y = (i / 3) % 3 - 1, z = (int)(i / 9) - 1, n = sqrt(x * x + y * y + z * z);
        double along = n > 0 ? (x * v[0] + y * v[1] + z * v[2]) / n : -1e9;
        which = along > best ? i : which;
        best = along > best ? along : best;
    }
    return which;
}

static int directions_covered(marl_scene_kind kind, int still_only,
                              const double *(*pick)(const marl_motion *))
{
    marl_scene scene = marl_scene_make(kind, 4);
    int seen[27] = {0}, n = 0;
    for (double t = 0; t < marl_scene_seconds(kind); t += 0.02) {
        marl_motion m = marl_scene_at(&scene, t);
        double turning = fabs(m.rate[0]) + fabs(m.rate[1]) + fabs(m.rate[2]);
        if (!still_only || turning == 0) {
            seen[direction_of(pick(&m))] = 1;
        }
    }
    for (int i = 0; i < 27; i++) {
        n += seen[i];
    }
    return n;
}

static const double *force_of(const marl_motion *m)
{
    return m->force;
}

static const double *field_of(const marl_motion *m)
{
    return m->field;
}

START_TEST(calibration_scenes_cover_the_sphere)
{
    ck_assert_int_ge(directions_covered(MARL_SCENE_TUMBLE, 0, force_of), 24);
    ck_assert_int_ge(directions_covered(MARL_SCENE_TUMBLE, 0, field_of), 24);
    ck_assert_int_ge(directions_covered(MARL_SCENE_POSES, 1, force_of), 16);
    ck_assert_int_eq(directions_covered(MARL_SCENE_STILL, 0, force_of), 1);
}
END_TEST

/* Each axis is turned through a full circle and back: the integral of the length of the rate is 360 degrees.
 */
START_TEST(turns_are_full_turns)
{
    marl_scene scene = marl_scene_make(MARL_SCENE_TURNS, 5);
    for (int axis = 0; axis < 3; axis++) {
        for (int back = 0; back < 2; back++) {
            double from = 24 * axis + (back ? 11.5 : 2.5), sum[3] = {0, 0, 0};
            for (int i = 0; i < 70000; i++) {
                marl_motion m = marl_scene_at(&scene, from + (i + 0.5) * 1e-4);
                for (int k = 0; k < 3; k++) {
                    sum[k] += m.rate[k] * 1e-4;
                }
            }
            double whole = sqrt(sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]) * 180 / 3.14159265358979;
            ck_assert_double_eq_tol(whole, 360, 0.01);
            int along = (axis + 2) % 3;                                /* z, x, y */
            ck_assert_double_gt(back ? -sum[along] : sum[along], 6.2); /* within 4 degrees of the axis */
        }
    }
}
END_TEST

START_TEST(scenes_do_what_they_are_for)
{
    marl_scene soak = marl_scene_make(MARL_SCENE_SOAK, 1), steel = marl_scene_make(MARL_SCENE_STEEL, 1);
    marl_scene slew = marl_scene_make(MARL_SCENE_SLEW, 1), upside = marl_scene_make(MARL_SCENE_UPSIDE, 1),
               shake = marl_scene_make(MARL_SCENE_SHAKE, 1);
    ck_assert_double_eq(marl_scene_at(&soak, 10).temp, -5);
    ck_assert_double_eq(marl_scene_at(&soak, 1000).temp, 45);
    double strongest = 0, steepest = -2, flattest = 2, hardest = 0, shift = 0;
    for (double t = 0; t < 90; t += 0.01) {
        marl_motion m = marl_scene_at(&steel, t);
        double world[3], up[3];
        rotate(m.q, m.field, world);
        shift = fabs(world[0]) + fabs(world[2] + 48.7 * sin(61.2 * 3.14159265358979 / 180));
        strongest = shift > strongest ? shift : strongest;
        m = marl_scene_at(&upside, fmod(t, 60));
        const double nose[3] = {1, 0, 0};
        rotate(m.q, nose, up);
        steepest = up[2] > steepest ? up[2] : steepest;
        flattest = up[2] < flattest ? up[2] : flattest;
        m = marl_scene_at(&shake, fmod(t, 60));
        double size = sqrt(m.force[0] * m.force[0] + m.force[1] * m.force[1] + m.force[2] * m.force[2]);
        hardest = fabs(size - 9.80665) > hardest ? fabs(size - 9.80665) : hardest;
    }
    ck_assert(strongest > 10 && strongest < 60);
    ck_assert(steepest > 0.99 && flattest < -0.99);
    ck_assert(hardest > 3 && hardest < 25);
    ck_assert_double_lt(marl_scene_at(&upside, 1).force[2], -9);
    /* a steady turn: the rate is constant for a minute, and the pull is radius times rate squared */
    marl_motion a = marl_scene_at(&slew, 30), b = marl_scene_at(&slew, 70);
    double wa = sqrt(a.rate[0] * a.rate[0] + a.rate[1] * a.rate[1] + a.rate[2] * a.rate[2]);
    double wb = sqrt(b.rate[0] * b.rate[0] + b.rate[1] * b.rate[1] + b.rate[2] * b.rate[2]);
    ck_assert(wa > 0.19 && fabs(wa - wb) < 0.02);
    double pull = 0, world[3];
    for (int i = 0; i < 4000; i++) { /* over some swings */
        a = marl_scene_at(&slew, 30 + i * 0.01);
        rotate(a.q, a.force, world);
        pull += sqrt(world[0] * world[0] + world[1] * world[1]) / 4000;
    }
    ck_assert_double_eq_tol(pull, 19.5 * wa * wa, 0.15 * pull); /* 18 m, and the rope leans out by 1 to 2 m */
}
END_TEST

/* The share of normal numbers below each point is that of the error function, within four binomial
 * deviations; the tails beyond four deviations are there. */
START_TEST(normal_numbers_are_normal)
{
    enum { N = 2000000, POINTS = 81 };
    static long below[POINTS];
    lab_random random = lab_random_seeded(6, 6);
    long far = 0;
    for (int i = 0; i < N; i++) {
        double x = lab_random_normal(&random);
        int first = (int)ceil((x + 4) * 10);
        if (first < POINTS) {
            below[first > 0 ? first : 0]++;
        }
        far += fabs(x) > 4;
    }
    long sum = 0;
    for (int k = 0; k < POINTS; k++) {
        sum += below[k];
        double share = 0.5 * erfc(-(k * 0.1 - 4) / sqrt(2));
        ck_assert_double_lt(fabs((double)sum - N * share), 4 * sqrt(N * share * (1 - share)) + 1);
    }
    ck_assert(far > 80 && far < 180); /* 127 expected */
}
END_TEST

/* White noise of density N has the deviation N sqrt(rate): chi-square bounds at five sigma. */
START_TEST(noise_is_that_of_the_sheet)
{
    const double rates[] = {25, 100, 1000};
    for (int r = 0; r < 3; r++) {
        marl_sensor_sheet sheet = {.present = 1,
                                   .full_scale = 10,
                                   .bits = 24,
                                   .white = 0.01,
                                   .bias = {0.5, -0.5, 0},
                                   .scale_error = {0.1, 0, 0}};
        lab_sensor_model model = lab_sensor_model_make(&sheet, rates[r], lab_random_seeded(5, (uint64_t)r));
        const int n = 20000;
        const double truth[3] = {1, 2, 3};
        double mean = 0, squares = 0, along = 0, before = 0;
        for (int i = 0; i < n; i++) {
            double x = (double)lab_sensor_model_read(&model, truth, 24).x - (1.1 + 0.5);
            mean += x / n;
            squares += x * x / n;
            along += x * before / n;
            before = x;
        }
        double sigma = 0.01 * sqrt(rates[r]);
        ck_assert_double_lt(fabs(mean), 5 * sigma / sqrt(n));
        ck_assert_double_eq_tol(squares / (sigma * sigma), 1, 5 * sqrt(2.0 / n));
        ck_assert_double_lt(fabs(along) / (sigma * sigma), 5 / sqrt(n)); /* white */
    }
}
END_TEST

/* Allan deviation at `m` samples: rms of the differences of neighbouring means, over sqrt(2). */
static double allan_deviation(const float *x, int n, int m)
{
    double squares = 0, before = 0;
    int blocks = n / m;
    for (int b = 0; b < blocks; b++) {
        double mean = 0;
        for (int i = 0; i < m; i++) {
            mean += (double)x[b * m + i] / m;
        }
        squares += b > 0 ? (mean - before) * (mean - before) : 0;
        before = mean;
    }
    return sqrt(squares / (2.0 * (blocks - 1)));
}

enum { LONG = 400000 };

/* Readings of a sensor that has nothing but what the sheet says; the three axes as three recordings. */
static void record(const marl_sensor_sheet *sheet, uint64_t seed, float *axis[3])
{
    lab_sensor_model model = lab_sensor_model_make(sheet, 100, lab_random_seeded(seed, 9));
    const double truth[3] = {0, 0, 0};
    for (int i = 0; i < LONG; i++) {
        marl_vec3 v = lab_sensor_model_read(&model, truth, 24);
        axis[0][i] = v.x;
        axis[1][i] = v.y;
        axis[2][i] = v.z;
    }
}

/* Mean square of the Allan deviation at m samples over three axes and some seeds, as a deviation. */
static void mean_allan(const marl_sensor_sheet *sheet, const int *m, int n, double *deviation)
{
    float *axis[3] = {malloc(LONG * sizeof(float)), malloc(LONG * sizeof(float)),
                      malloc(LONG * sizeof(float))};
    for (int k = 0; k < n; k++) {
        deviation[k] = 0;
    }
    for (uint64_t seed = 1; seed <= 4; seed++) {
        record(sheet, seed, axis);
        for (int a = 0; a < 3; a++) {
            for (int k = 0; k < n; k++) {
                double d = allan_deviation(axis[a], LONG, m[k]);
                deviation[k] += d * d / 12;
            }
        }
    }
    for (int k = 0; k < n; k++) {
        deviation[k] = sqrt(deviation[k]);
    }
    for (int a = 0; a < 3; a++) {
        free(axis[a]);
    }
}

/* 1/f noise has the same Allan deviation at every time, sqrt(2 ln 2 / pi) of its coefficient; the steps of
 * the sum of processes ripple it by some percent, and twelve recordings of 4000 s leave some more. */
START_TEST(flicker_is_flat_in_allan_deviation)
{
    marl_sensor_sheet sheet = {.present = 1, .full_scale = 10, .bits = 28, .flicker = 0.01};
    const int m[] = {10, 100, 1000, 5000};
    double deviation[4];
    mean_allan(&sheet, m, 4, deviation);
    for (int k = 0; k < 4; k++) {
        ck_assert_double_eq_tol(deviation[k] / (0.01 * sqrt(2 * log(2) / 3.14159265358979)), 1,
                                k < 3 ? 0.08 : 0.15);
    }
}
END_TEST

START_TEST(walk_rises_with_the_root_of_time)
{
    marl_sensor_sheet sheet = {.present = 1, .full_scale = 10, .bits = 28, .walk = 0.001};
    const int m[] = {100, 1000, 5000};
    double deviation[3];
    mean_allan(&sheet, m, 3, deviation);
    for (int k = 0; k < 3; k++) {
        /* n blocks of m: the relative deviation of the estimate is about 1 / sqrt(12 n) */
        double tolerance = 4 / sqrt(12.0 * LONG / m[k]);
        ck_assert_double_eq_tol(deviation[k] / (0.001 * sqrt(m[k] / 100.0 / 3)), 1, tolerance);
    }
}
END_TEST

/* A low-pass makes a steady turn's angle late by sqrt(2)/w, and leaves of white noise the variance N^2 w
 * sqrt(2)/4. */
START_TEST(a_low_pass_delays_and_calms)
{
    marl_sensor_sheet sheet = {.present = 1,
                               .full_scale = 100,
                               .bits = 30,
                               .white = 0.01,
                               .low_pass_hz = 10,
                               .resonance_hz = 300,
                               .damping = 0.5};
    lab_sensor_model model = lab_sensor_model_make(&sheet, 200, lab_random_seeded(3, 3));
    const double w = 2 * 3.14159265358979 * 10, theory = 1e-4 * w * sqrt(2) / 4;
    double squares = 0, late = 0;
    const int n = 100000, half = n / 2;
    for (int i = 0; i < n; i++) { /* a ramp of 0.1 per s on x, nothing on y */
        const double truth[3] = {0.1 * i / 200.0, 0, 0};
        marl_vec3 v = lab_sensor_model_read(&model, truth, 24);
        squares += (double)v.y * (double)v.y / n;
        late += i >= half ? (truth[0] - (double)v.x) / 0.1 / half : 0;
    }
    /* samples a tenth of a second apart are independent */
    ck_assert_double_eq_tol(squares / theory, 1, 5 * sqrt(2.0 / (n / 20.0)));
    double both = sqrt(2) / w + 2 * 0.5 / (2 * 3.14159265358979 * 300);
    /* the mean of noise of density N over T s deviates by N / sqrt(T) */
    ck_assert_double_eq_tol(late, both, 4 * 0.01 / sqrt(n / 400.0) / 0.1);
}
END_TEST

START_TEST(temperature_and_cross_axis_move_the_reading)
{
    marl_sensor_sheet sheet = {.present = 1,
                               .full_scale = 10,
                               .bits = 28,
                               .reference_degC = 20,
                               .bias_per_degC = {0.1, 0, -0.1},
                               .cross_axis = {{0, 0.5, 0}, {0, 0, 0.25}, {0, 0, 0}}};
    lab_sensor_model model = lab_sensor_model_make(&sheet, 100, lab_random_seeded(1, 1));
    const double truth[3] = {1, 2, 4};
    marl_vec3 v = lab_sensor_model_read(&model, truth, 25);
    ck_assert_double_eq_tol((double)v.x, 1 + 0.5 * 2 + 0.5, 1e-6);
    ck_assert_double_eq_tol((double)v.y, 2 + 0.25 * 4, 1e-6);
    ck_assert_double_eq_tol((double)v.z, 4 - 0.5, 1e-6);
}
END_TEST

START_TEST(readings_are_whole_counts_and_saturate)
{
    marl_sensor_sheet sheet = {.present = 1, .full_scale = 8, .bits = 4, .white = 0};
    lab_sensor_model model = lab_sensor_model_make(&sheet, 100, lab_random_seeded(1, 1));
    const double truth[3] = {3.4, 99, -99};
    marl_vec3 v = lab_sensor_model_read(&model, truth, 24);
    ck_assert_float_eq(v.x, 3);
    ck_assert_float_eq(v.y, 7); /* 2^3 - 1 counts */
    ck_assert_float_eq(v.z, -8);
}
END_TEST

START_TEST(same_seed_same_log)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator a, b, other;
    int differs = 0, mags = 0;
    ck_assert_int_eq(lab_simulator_init(&a, MARL_SCENE_LIFT, &sheet, 0, 7), MARL_OK);
    ck_assert_int_eq(lab_simulator_init(&b, MARL_SCENE_LIFT, &sheet, 0, 7), MARL_OK);
    ck_assert_int_eq(lab_simulator_init(&other, MARL_SCENE_LIFT, &sheet, 0, 8), MARL_OK);
    for (int i = 0; i < 1000; i++) {
        marl_sample x, y, z;
        marl_quat q;
        marl_simulator_next(&a, &x, &q);
        marl_simulator_next(&b, &y, &q);
        marl_simulator_next(&other, &z, &q);
        ck_assert_int_eq(x.t_ns, (int64_t)i * 10000000);
        ck_assert(memcmp(&x.gyro, &y.gyro, sizeof x.gyro) == 0 &&
                  memcmp(&x.accel, &y.accel, sizeof x.accel) == 0);
        differs += x.gyro.x != z.gyro.x;
        mags += (x.fresh & MARL_FRESH_MAG) != 0;
    }
    ck_assert_int_gt(differs, 900);
    ck_assert_int_eq(mags, 250);
    ck_assert_int_eq(lab_simulator_init(&a, MARL_SCENE_LIFT, &sheet, 0.5, 7), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(lab_simulator_init(&a, MARL_SCENE_LIFT, &sheet, NAN, 7), MARL_ERR_ARGUMENT);
}
END_TEST

int main(void)
{
    const TTest *const of_scenes[] = {each_scene_obeys_mechanics,
                                      each_scene_begins_at_rest_in_the_earths_field};
    const TTest *const tests[] = {the_lift_goes_nowhere_on_average,
                                  calibration_scenes_cover_the_sphere,
                                  turns_are_full_turns,
                                  scenes_do_what_they_are_for,
                                  normal_numbers_are_normal,
                                  noise_is_that_of_the_sheet,
                                  flicker_is_flat_in_allan_deviation,
                                  walk_rises_with_the_root_of_time,
                                  a_low_pass_delays_and_calms,
                                  temperature_and_cross_axis_move_the_reading,
                                  readings_are_whole_counts_and_saturate,
                                  same_seed_same_log};
    int failed = check_run("scenes", of_scenes[0], MARL_SCENE_COUNT, NULL, 0);
    failed |= check_run("scenes at rest", of_scenes[1], MARL_SCENE_COUNT, NULL, 0);
    return failed | check_run("simulate", NULL, 0, tests, sizeof tests / sizeof tests[0]);
}
