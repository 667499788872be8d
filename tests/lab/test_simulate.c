/* SPDX-License-Identifier: MIT
 * The simulator against physics and statistics. */
#include "check_main.h"
#include "marlinspike/simulate.h"
#include <math.h>
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

/* The rate is the attitude's derivative: q(t+h) q(t-h)* turns by 2 h rate, told in the body. */
START_TEST(rates_belong_to_the_attitudes)
{
    const double h = 1e-5;
    for (uint64_t seed = 1; seed <= 5; seed++) {
        marl_scene scene = marl_scene_make(MARL_SCENE_LIFT, seed);
        for (double t = 0.5; t < 125; t += 0.377) {
            marl_motion a = marl_scene_at(&scene, t - h), b = marl_scene_at(&scene, t + h),
                        at = marl_scene_at(&scene, t);
            /* vector part of a* b is h times the body rate */
            double x = a.q[0] * b.q[1] - a.q[1] * b.q[0] - a.q[2] * b.q[3] + a.q[3] * b.q[2];
            double y = a.q[0] * b.q[2] - a.q[2] * b.q[0] - a.q[3] * b.q[1] + a.q[1] * b.q[3];
            double z = a.q[0] * b.q[3] - a.q[3] * b.q[0] - a.q[1] * b.q[2] + a.q[2] * b.q[1];
            double off = fabs(x / h - at.rate[0]) + fabs(y / h - at.rate[1]) + fabs(z / h - at.rate[2]);
            double norm = at.q[0] * at.q[0] + at.q[1] * at.q[1] + at.q[2] * at.q[2] + at.q[3] * at.q[3];
            if (off > 1e-5 || fabs(norm - 1) > 1e-12) {
                ck_abort_msg("seed %d, %.3f s: off by %g", (int)seed, t, off);
            }
        }
    }
}
END_TEST

/* The block ends where it began, at rest: over the whole lift its mean acceleration is zero, and the mean
 * specific force in the world is gravity, up to the vibration. */
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
        ck_assert_double_lt(fabs(mean[0]), 0.01);
        ck_assert_double_lt(fabs(mean[1]), 0.01);
        ck_assert_double_lt(fabs(mean[2] - 9.80665), 0.01);
    }
}
END_TEST

START_TEST(rest_is_rest_and_the_field_is_the_earths)
{
    for (int kind = 0; kind < MARL_SCENE_COUNT; kind++) {
        marl_scene scene = marl_scene_make((marl_scene_kind)kind, 3);
        for (double t = 0; t < 9.9; t += 0.1) {
            marl_motion m = marl_scene_at(&scene, t);
            double world[3];
            rotate(m.q, m.force, world);
            ck_assert(fabs(world[0]) < 1e-9 && fabs(world[1]) < 1e-9 && fabs(world[2] - 9.80665) < 1e-9);
            ck_assert(m.rate[0] == 0 && m.rate[1] == 0 && m.rate[2] == 0);
            rotate(m.q, m.field, world);
            ck_assert(fabs(world[0]) < 1e-9 && world[1] > 20 && world[2] < -40);
        }
    }
    marl_scene_kind kind;
    ck_assert_int_eq(marl_scene_from_name("lift", &kind), MARL_OK);
    ck_assert_int_eq(marl_scene_from_name("picnic", &kind), MARL_ERR_ARGUMENT);
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
        marl_sensor_model model =
            marl_sensor_model_make(&sheet, rates[r], marl_random_seeded(5, (uint64_t)r));
        const int n = 20000;
        const double truth[3] = {1, 2, 3};
        double mean = 0, squares = 0, along = 0, before = 0;
        for (int i = 0; i < n; i++) {
            double x = (double)marl_sensor_model_read(&model, truth).x - (1.1 + 0.5);
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

START_TEST(readings_are_whole_counts_and_saturate)
{
    marl_sensor_sheet sheet = {.present = 1, .full_scale = 8, .bits = 4, .white = 0};
    marl_sensor_model model = marl_sensor_model_make(&sheet, 100, marl_random_seeded(1, 1));
    const double truth[3] = {3.4, 99, -99};
    marl_vec3 v = marl_sensor_model_read(&model, truth);
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
    ck_assert_int_eq(marl_simulator_init(&a, MARL_SCENE_LIFT, &sheet, 0, 7), MARL_OK);
    ck_assert_int_eq(marl_simulator_init(&b, MARL_SCENE_LIFT, &sheet, 0, 7), MARL_OK);
    ck_assert_int_eq(marl_simulator_init(&other, MARL_SCENE_LIFT, &sheet, 0, 8), MARL_OK);
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
    ck_assert_int_eq(marl_simulator_init(&a, MARL_SCENE_LIFT, &sheet, 0.5, 7), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_simulator_init(&a, MARL_SCENE_LIFT, &sheet, NAN, 7), MARL_ERR_ARGUMENT);
}
END_TEST

MARL_SUITE("simulate", rates_belong_to_the_attitudes, the_lift_goes_nowhere_on_average,
           rest_is_rest_and_the_field_is_the_earths, noise_is_that_of_the_sheet,
           readings_are_whole_counts_and_saturate, same_seed_same_log)
