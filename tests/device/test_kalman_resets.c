/* SPDX-License-Identifier: MIT
 * The tests of the Kalman filter that find an attitude beyond its covariance, (3.8) of
 * docs/methods/estimators.md: each limit is tried from below and from above. Eight samples a second: each is
 * a correction. */
#include "perfect_sensors.h"

#define STEP 0.125 /* s */

static double square(double x)
{
    return x * x;
}

/* What the sensors show after the unseen change at 30 s. */
typedef struct change {
    double tilt, heading; /* rad, unseen by the gyroscope */
    double longer;        /* m/s^2 of force beyond gravity */
    double rate;          /* rad/s about the vertical, seen */
    double jitter;        /* m/s^2, up and down from one sample to the next */
    double swing;         /* m/s^2, along body x, with a period of 4 s */
    double mag_noise;     /* of the tuning, uT */
} change;

/* s from the change until it happens, 20: never. */
typedef struct reaction {
    double restart;       /* the filter starts again */
    double reset;         /* the heading becomes as uncertain as at a start */
    double sigma_heading; /* largest before either, rad */
    double long_force;    /* the limit of the speed would be exceeded by the model of (3.8) */
    double off;           /* tilt at the restart from the low-passed force, rad */
} reaction;

static marl_quat attitude_at(const change *c, double t)
{
    marl_quat turning = marl_quat_from_rpy(0, 0, (float)remainder(fmax(c->rate * t, 0), 6.28318530718));
    marl_quat jump = marl_quat_from_rpy((float)c->tilt, 0, (float)c->heading);
    return t > 0 ? marl_quat_product(turning, jump) : marl_quat_identity();
}

static marl_sample sample_at(const change *c, double t, int odd)
{
    marl_sample s = at_rest(attitude_at(c, t), (int64_t)llround((t + 30) * 1e9));
    s.accel = marl_vec3_scale(s.accel, t > 0 ? (float)(1 + c->longer / 9.80665) : 1.0f);
    s.accel.x += (float)(c->swing * sin(t * 3.14159265 / 2));
    s.accel.z += (float)(odd ? c->jitter / 2 : -c->jitter / 2);
    s.gyro = t > 0 ? marl_quat_rotate_back(attitude_at(c, t), (marl_vec3){0, 0, (float)c->rate}) : s.gyro;
    return s;
}

static reaction react(change c)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    tuning.value[MARL_PARAMETER_MAG_NOISE] = c.mag_noise > 0 ? (float)c.mag_noise : 0.3f;
    marl_estimator e;
    reaction r = {20, 20, 0, 20, 0};
    marl_vec3 recent = {0, 0, G};
    double mean = 0, before = 0;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    for (int i = 0; STEP * i - 30 <= 20 && r.restart == 20; i++) {
        double t = STEP * i - 30;
        float tilt, heading;
        marl_sample s = sample_at(&c, t, i % 2);
        (void)!marl_estimator_sigma(&e, &tilt, &heading);
        double limit = 20.0 / 30 + 2 * 9.80665 * (double)tilt / sqrt(2);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        recent = marl_vec3_add(recent,
                               marl_vec3_scale(marl_vec3_sub(s.accel, recent), (float)(STEP / (STEP + 1))));
        double next = mean + STEP / 30 * (before - mean); /* of a small turn */
        if (marl_estimator_count(&e).restarts > 0) {
            r.long_force = r.long_force == 20 && fabs(next) > limit ? t : r.long_force;
            marl_vec3 up = marl_quat_rotate_back(attitude_of(&e), (marl_vec3){0, 0, 1});
            r.restart = t;
            r.off = (double)marl_vec3_norm(
                marl_vec3_sub(up, marl_vec3_scale(recent, 1 / marl_vec3_norm(recent))));
            return r;
        }
        ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), MARL_OK);
        r.reset = t > 0 && r.reset == 20 && (double)heading > 0.4 ? t : r.reset;
        r.sigma_heading = t > 0 && r.reset == 20 ? fmax(r.sigma_heading, (double)heading) : r.sigma_heading;
        if (t > 0) { /* 30 s low-pass of the horizontal force, turned with every correction */
            double now = 9.80665 * sin(tilt_between(attitude_of(&e), attitude_at(&c, t)));
            mean += STEP / 30 * ((before > 0 ? before : 9.80665 * sin(c.tilt)) - mean) +
                    (before > 0 ? now - before : 0);
            before = now;
            r.long_force = r.long_force == 20 && fabs(mean) > limit ? t : r.long_force;
        }
    }
    return r;
}

static int restarts(change c)
{
    return react(c).restart < 5; /* the test of the speed needs longer */
}

/* At rest: 8.8 degrees (1.5 m/s^2) of horizontal force, the length of gravity to half of what the tilt would
 * add. */
START_TEST(gravity_from_elsewhere)
{
    ck_assert(!restarts((change){.tilt = 7.6 * DEGREE}));
    ck_assert(restarts((change){.tilt = 10 * DEGREE}));
    /* level2 / 2 g is 0.47 m/s^2 at 18 degrees */
    ck_assert(restarts((change){.tilt = 18 * DEGREE, .longer = 0.17}));
    ck_assert(!restarts((change){.tilt = 18 * DEGREE, .longer = 0.33}));
}
END_TEST

/* At rest: the rate is under 0.05 rad/s, the force changes by less than 0.02 m/s^2. */
START_TEST(what_counts_as_rest)
{
    ck_assert(restarts((change){.tilt = 0.35, .rate = 0.035}));
    ck_assert(!restarts((change){.tilt = 0.35, .rate = 0.075}));
    ck_assert(restarts((change){.tilt = 0.35, .jitter = 0.013}));
    ck_assert(!restarts((change){.tilt = 0.35, .jitter = 0.03}));
}
END_TEST

/* The memory of a change of the force is 0.3 s: rest is seen when the jump is forgotten. */
START_TEST(rest_is_seen_after_the_jump_leaves_the_memory)
{
    double tilt = 0.3, share = STEP / (STEP + 0.3), jump = 2 * 9.80665 * sin(tilt / 2);
    double expected = STEP * ceil(log(share * jump * jump / square(0.02)) / -log(1 - share));
    ck_assert_double_eq_tol(react((change){.tilt = tilt}).restart, expected, 0.6);
}
END_TEST

/* s until the low-pass of 3 s of a heading that turns back at 0.0157 rad/s exceeds `limit`. */
static double time_to_contradict(double heading, double limit)
{
    double error = 0, share = STEP / (STEP + 3);
    for (double t = STEP; t < 20; t += STEP) {
        error += share * (heading - 0.0157 * t - error);
        if (error > limit) {
            return t;
        }
    }
    return INFINITY;
}

/* Beyond 0.1 rad and four standard deviations at rest the filter starts again; in motion, beyond 0.25 rad,
 * its heading becomes uncertain. */
START_TEST(heading_is_contradicted)
{
    const double heading[] = {0.22, 0.3, 0.5, 0.8}, noise[] = {0.3, 2.0};
    for (int k = 0; k < 16; k++) {
        int moves = k >= 8;
        change c = {.heading = heading[k % 4], .mag_noise = noise[k / 4 % 2], .rate = moves ? 0.2 : 0};
        reaction r = react(c);
        double limit = (moves ? 0.25 : 0.1) + 4 * r.sigma_heading;
        double expected = fmin(time_to_contradict(c.heading, limit), 20);
        ck_assert_msg(fabs((moves ? r.reset : r.restart) - expected) < 0.3,
                      "%g rad, %g uT: %g and %g s for %g", c.heading, c.mag_noise, r.restart, r.reset,
                      expected);
    }
}
END_TEST

/* In motion: a 30 s low-pass of the horizontal force over reset_speed / 30 s and two standard deviations of
 * the tilt. The filter starts again from a low-pass of 1 s of the force. */
START_TEST(a_force_that_needs_an_impossible_speed)
{
    const double tilt[] = {0.3, 0.5, 0.7, 1.0};
    for (int i = 0; i < 4; i++) {
        reaction r = react((change){.tilt = tilt[i], .jitter = 0.1});
        ck_assert_double_lt(r.restart, 20);
        ck_assert_double_eq_tol(r.long_force, r.restart, 0.01);
    }
    reaction r = react((change){.tilt = 0.5, .swing = 1});
    ck_assert_double_lt(r.restart, 20);
    ck_assert_double_lt(r.off, 0.01);
}
END_TEST

MARL_SUITE("kalman resets", gravity_from_elsewhere, what_counts_as_rest,
           rest_is_seen_after_the_jump_leaves_the_memory, heading_is_contradicted,
           a_force_that_needs_an_impossible_speed)
