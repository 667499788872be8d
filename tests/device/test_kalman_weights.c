/* SPDX-License-Identifier: MIT
 * What the Kalman filter makes of a start in motion, of accelerations and of the field, in figures: each
 * follows from the equation named beside it (docs/methods/estimators.md). */
#include "perfect_sensors.h"

static double square(double x)
{
    return x * x;
}

static double accel_weight_of(const marl_estimator *e)
{
    float accel, mag;
    marl_estimator_weights(e, &accel, &mag);
    return (double)accel;
}

/* About the vertical, rad/s: soon after the start, and in seconds 3.5 to 6.5. */
static double turn_rate(double t)
{
    return (t > 0.25 && t < 0.5) || (t > 3.5 && t < 6.5) ? 0.3 * sin(2 * 3.14159265 * 1.5 * t) : 0;
}

/* (3.3), (3.4): W, and the variance after a start that it stands for. */
START_TEST(scatter_of_the_rate_raises_the_start_variance)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_estimator e;
    tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    tuning.value[MARL_PARAMETER_BIAS_SPREAD] = 0.2f; /* within three of which no rate is a turn */
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    double fast = 0, slow = 0, W = 0, worst = 0, corrected = 0;
    for (int i = 0; i <= 1500; i++) {
        double t = 0.01 * i, h = 0.01;
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
        s.gyro.z = (float)turn_rate(t);
        uint32_t used = marl_estimator_count(&e).used_accel;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        if (i > 0 && corrected < 6) {
            fast += h / (h + fmin(0.05, t)) * (turn_rate(t) - fast);
            double off = fast - slow, share = h / (h + fmin(0.6, t));
            slow += share * (fast - slow);
            W += share * (off * off - W);
        }
        if (marl_estimator_count(&e).used_accel != used) {
            double D = (square(0.0084) + square(10) * W) / (t * t + square(0.07));
            worst = fmax(worst, fabs(accel_weight_of(&e) - 1 / (1 + D / square(0.1))));
            corrected = t;
        }
    }
    ck_assert_msg(worst < 0.01, "%g", worst);
}
END_TEST

/* (3.3), (3.4): S of a body that is shaken after the start, and the variance that it stands for. With this floor no
 * correction moves the mean, and A is what the attitude's own variance explains. */
START_TEST(scatter_of_the_force_raises_the_start_variance)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_estimator e;
    tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    tuning.value[MARL_PARAMETER_ACCEL_FLOOR] = 10.0f;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    double mean = 0, S = 0, sum = 0, last = 0, worst = 0, least = 1;
    int n = 0;
    for (int i = 0; i <= 150; i++) {
        double t = 0.01 * i, a = 0.3 * sin(2 * 3.14159265 * 1.5 * t);
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
        s.accel.x += (float)a;
        uint32_t used = marl_estimator_count(&e).used_accel;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        sum += a;
        n += i > 0; /* the first sample makes the start */
        if (marl_estimator_count(&e).used_accel != used && i > 0) {
            double T = t - last, share = T / (T + fmin(0.6, t)), off = sum / n - mean;
            mean += share * off;
            S += share * (off * off - S);
            double D = (square(0.0084) + square(0.3) * S) / (t * t + square(0.07));
            worst = fmax(worst, fabs(accel_weight_of(&e) - 1 / (1 + D / square(0.1))));
            least = fmin(least, accel_weight_of(&e));
            sum = n = 0;
            last = t;
        }
    }
    ck_assert_msg(worst < 0.01 && least < 0.3, "%g %g", worst, least);
}
END_TEST

/* (3.4): u^2 of a body that turns at `rate`, whose bias has the standard deviation `bias`. */
static double turn_speed2(double rate, double bias)
{
    double turn2 = fmax(0, square(rate) - square(3 * bias));
    return square(0.4) * turn2 / square(turn2 + square(0.2));
}

/* (3.4): a steady turn about the vertical: an acceleration that goes with the turn, and the centripetal one of 0.15 m.
 * The bias about the vertical is not known here, and the slowest turn may be one. */
START_TEST(a_steady_turn_counts_as_an_acceleration)
{
    const double rates[] = {0.06, 0.15, 0.3, 0.5, 1, 2};
    for (int k = 0; k < 6; k++) {
        marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
        marl_estimator e;
        marl_vec3 bias;
        tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i <= 4000; i++) {
            marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
            s.gyro.z = (float)rates[k];
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        ck_assert_int_eq(marl_estimator_bias_sigma(&e, &bias), MARL_OK);
        double sigma = sqrt((square((double)bias.x) + square((double)bias.y) + square((double)bias.z)) / 3);
        double u2 = turn_speed2(rates[k], sigma), arm = 0.15 * square(rates[k]);
        double D = 0.5 * u2 * fmax(0, square(rates[k]) - square(3 * sigma)) + square(arm);
        ck_assert_double_eq_tol(accel_weight_of(&e) * (1 + D / square(0.1)), 1, 0.02);
        ck_assert(k > 0 ? u2 > 0 : u2 == 0);
    }
}
END_TEST

/* Of the tilt after two minutes at rest or in a steady turn about the vertical, without bias. */
static double sigma_after(const marl_tuning *tuning, double rate)
{
    marl_estimator e;
    float tilt, heading;
    ck_assert_int_eq(marl_estimator_init(&e, tuning), MARL_OK);
    for (int i = 0; i <= 12000; i++) {
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
        s.gyro.z = (float)rate;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    }
    ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), MARL_OK);
    return (double)tilt;
}

/* (3.4) to (3.6): a turn is worth a larger `accel_floor`, a larger `speed_floor` and a longer `disturbance_time`: by these
 * a board at rest is as sure of its tilt, and without any one of them it is not. */
START_TEST(a_turn_has_an_acceleration_a_speed_and_a_time)
{
    const double rates[] = {0.1, 0.2, 0.5, 1};
    const marl_parameter_id what[] = {MARL_PARAMETER_ACCEL_FLOOR, MARL_PARAMETER_SPEED_FLOOR,
                                      MARL_PARAMETER_DISTURBANCE_TIME};
    marl_tuning turning = marl_tuning_default(MARL_FILTER_KALMAN);
    turning.value[MARL_PARAMETER_USE_MAG] = turning.value[MARL_PARAMETER_BIAS_SPREAD] = 0.0f;
    turning.value[MARL_PARAMETER_GYRO_WALK] = turning.value[MARL_PARAMETER_GYRO_SCALE] = 0.0f;
    for (int k = 0; k < 4; k++) {
        marl_tuning still = turning;
        double u2 = turn_speed2(rates[k], 0),
               accel2 = 0.5 * u2 * square(rates[k]) + square(0.15 * square(rates[k]));
        still.value[what[0]] = (float)sqrt(square((double)turning.value[what[0]]) + accel2);
        still.value[what[1]] = (float)sqrt(square((double)turning.value[what[1]]) + u2);
        still.value[what[2]] = (float)fmax((double)turning.value[what[2]], fmin(1 / rates[k], 5));
        double turned = sigma_after(&turning, rates[k]);
        ck_assert_double_eq_tol(turned / sigma_after(&still, 0), 1, 0.002);
        for (int i = 0; i < 3; i++) {
            marl_tuning without = still;
            without.value[what[i]] = turning.value[what[i]];
            int same = without.value[what[i]] == still.value[what[i]]; /* 1 s is under 0.8 s */
            ck_assert_msg(same || fabs(turned / sigma_after(&without, 0) - 1) > 0.004, "%g rad/s: %d",
                          rates[k], i);
        }
    }
}
END_TEST

/* (3.4): with a speed that is known the acceleration of a turn is, too. */
START_TEST(a_known_speed_explains_the_turn)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    for (int known = 0; known < 2; known++) {
        marl_estimator e;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i <= 4000; i++) {
            marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
            s.gyro.z = 0.3f;
            s.fresh = (uint8_t)(s.fresh | (known ? MARL_FRESH_SPEED : 0));
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        ck_assert(known ? accel_weight_of(&e) > 0.97 : accel_weight_of(&e) < 0.5);
    }
}
END_TEST

/* (3.9) */
START_TEST(biases_of_the_sensors_widen_sigma)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    float tilt[2], heading[2];
    for (int k = 0; k < 2; k++) {
        marl_estimator e;
        tuning.value[MARL_PARAMETER_ACCEL_BIAS_SPREAD] = k == 0 ? 0.0f : 0.1f;
        tuning.value[MARL_PARAMETER_MAG_BIAS_SPREAD] = k == 0 ? 0.0f : 2.0f;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (int i = 0; i <= 3000; i++) {
            marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
            s.mag = (marl_vec3){0, 20, -40};
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        ck_assert_int_eq(marl_estimator_sigma(&e, &tilt[k], &heading[k]), MARL_OK);
    }
    double level = square(0.1 / 9.80665), north = (square(2) + square(40) * level) / square(20);
    ck_assert_double_eq_tol((square(tilt[1]) - square(tilt[0])) / (2 * level), 1, 0.01);
    ck_assert_double_eq_tol((square(heading[1]) - square(heading[0])) / north, 1, 0.01);
}
END_TEST

/* (3.3): A of an acceleration that comes and goes, and the weight of one half at 0.1 m/s^2 rms per axis. */
START_TEST(accelerations_lose_weight)
{
    marl_estimator e = make(MARL_FILTER_KALMAN);
    double A = 0, sum = 0, last = 0, worst = 0, least = 1;
    int n = 0;
    for (int i = 0; i <= 6000; i++) {
        double t = 0.01 * i, a = t > 40 ? 0.25 * sin(2 * 3.14159265 * 0.5 * t) : 0;
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
        s.accel.x += (float)a;
        float tilt, heading;
        uint32_t used = marl_estimator_count(&e).used_accel;
        (void)!marl_estimator_sigma(&e, &tilt, &heading);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        sum += a;
        n++;
        if (marl_estimator_count(&e).used_accel != used) {
            double T = t - last, mean = sum / n;
            A += T / (T + 0.8) * (fmax(0, mean * mean - square(9.80665 * (double)tilt)) - A);
            double D = 0.5 * A + square(0.0084) / (t * t);
            worst = t > 40 ? fmax(worst, fabs(accel_weight_of(&e) - 1 / (1 + D / square(0.1)))) : 0;
            least = fmin(least, t > 40 ? accel_weight_of(&e) : 1);
            sum = n = 0;
            last = t;
        }
    }
    ck_assert_msg(worst < 0.03 && least < 0.5, "%g %g", worst, least);
}
END_TEST

/* A step of the field by 0.16 rad comes `age` s after the start: how far the heading has turned `later` s
 * after it. *allowed: the sum of (3.7)'s cap since then, by the stated standard deviation of the bias along up. */
static double turned_after(double age, double later, float spread, double *allowed)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_estimator e;
    marl_vec3 sigma;
    *allowed = 0;
    tuning.value[MARL_PARAMETER_BIAS_LIMIT] = 0.0f; /* the step is no drift */
    tuning.value[MARL_PARAMETER_BIAS_SPREAD] = spread;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    for (int i = 0; i < (int)(100 * (age + later)); i++) {
        int stepped = i >= (int)(100 * age);
        marl_sample s = at_rest(marl_quat_from_rpy(0, 0, stepped ? 0.16f : 0.0f), (int64_t)i * 10000000);
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        ck_assert_int_eq(marl_estimator_bias_sigma(&e, &sigma), MARL_OK);
        *allowed += stepped ? 0.01 * (0.0157 + 2 * (double)sigma.z) : 0;
    }
    return angle_between(attitude_of(&e), marl_quat_identity());
}

/* (3.7): 0.9 deg/s (0.0157 rad/s) and two standard deviations of the bias along up, but for the first five
 * seconds. */
START_TEST(heading_turns_slowly_after_five_seconds)
{
    const float spread[] = {0.01f, 0.04f};
    double first, last;
    ck_assert_double_gt(turned_after(3, 1, 0.01f, &first), 0.04);
    ck_assert_double_gt(turned_after(4.2, 0.7, 0.01f, &first), 0.025);
    for (int i = 0; i < 2; i++) {
        for (double age = 6; age < 30; age += 4) {
            double turned = -turned_after(age, 0.3, spread[i], &first);
            turned += turned_after(age, 1.3, spread[i], &last);
            ck_assert_double_eq_tol(turned / (last - first), 1, 0.05);
            ck_assert_double_gt(last - first, 0.0157);
        }
    }
}
END_TEST

/* (3.7): information on the heading grows by B_h^2 / (2 tau mag_noise^2) a second; a horizontal field under 1
 * uT counts as 1 uT. */
START_TEST(sigma_of_the_heading_follows_the_horizontal_field)
{
    const double level[] = {0.7, 1.4, 2.8};
    for (int k = 0; k < 3; k++) {
        marl_estimator e = make(MARL_FILTER_KALMAN);
        float tilt, heading;
        for (int i = 0; i <= 200; i++) {
            marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 10000000);
            s.mag = (marl_vec3){0, (float)level[k], 0};
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        }
        ck_assert_int_eq(marl_estimator_sigma(&e, &tilt, &heading), MARL_OK);
        double information = 1 / square(0.5) + 2.0 * square(fmax(level[k], 1)) / (2 * 0.8 * square(0.3));
        ck_assert_double_eq_tol((double)heading * sqrt(information), 1, 0.1);
    }
}
END_TEST

/* Accelerations that turn slowly round the horizon: their speed shows that they last 8.5 s, of which 5 s
 * (half of velocity_time) are used. Steady state of a random walk of the angle, rate gyro_white^2, that is
 * measured by the force and by the velocity, whose memory is velocity_time: (3.2), (3.5), (3.6). */
START_TEST(sigma_of_the_tilt_under_slow_accelerations)
{
    const double amplitude = 0.8, w = 2 * 3.14159265 / 120, white = 3e-4, g = 9.80665, lasts = 5, memory = 10;
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    tuning.value[MARL_PARAMETER_BIAS_SPREAD] = tuning.value[MARL_PARAMETER_GYRO_WALK] = 0.0f;
    tuning.value[MARL_PARAMETER_GYRO_WHITE] = (float)white;
    marl_estimator e;
    double variance = 0;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    for (int i = 0; i < 8 * 4000; i++) {
        double t = 0.125 * i;
        float tilt, heading;
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 125000000);
        s.accel.x += t > 2 ? (float)(amplitude * cos(w * t)) : 0;
        s.accel.y += t > 2 ? (float)(amplitude * sin(w * t)) : 0;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
        (void)!marl_estimator_sigma(&e, &tilt, &heading);
        variance += t > 3000 ? square((double)tilt) / 8000 : 0;
    }
    double A = square(amplitude), V = A / (w * w + 1 / square(memory));
    double information = g * g / (2 * lasts) * (2 / A + square(memory) / (square(0.6) + V / 2));
    ck_assert_double_eq_tol(variance / (2 * white / sqrt(information)), 1, 0.07);
}
END_TEST

/* (3.3): a jolt that would give the board 200 m/s counts as 100 m/s. */
START_TEST(a_jolt_is_no_speed_over_100_m_s)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    tuning.value[MARL_PARAMETER_RESET_SPEED] = 10000.0f; /* it would be a reason to start again */
    marl_estimator e;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    for (int i = 0; i <= 240; i++) {
        marl_sample s = at_rest(marl_quat_identity(), (int64_t)i * 125000000);
        s.accel.x += i == 240 ? 1600 : 0;
        ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
    }
    double V = square(100) * 0.125 / (0.125 + 30);
    ck_assert_double_eq_tol((double)marl_estimator_speed_evidence(&e) / V, 1, 0.05);
}
END_TEST

MARL_SUITE("kalman weights", scatter_of_the_rate_raises_the_start_variance,
           scatter_of_the_force_raises_the_start_variance, a_steady_turn_counts_as_an_acceleration,
           a_turn_has_an_acceleration_a_speed_and_a_time, a_known_speed_explains_the_turn,
           biases_of_the_sensors_widen_sigma, accelerations_lose_weight,
           heading_turns_slowly_after_five_seconds, sigma_of_the_heading_follows_the_horizontal_field,
           sigma_of_the_tilt_under_slow_accelerations, a_jolt_is_no_speed_over_100_m_s)
