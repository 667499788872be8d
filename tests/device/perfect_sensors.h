/* SPDX-License-Identifier: MIT
 * What perfect sensors read at rest, and estimators to read them. */
#ifndef PERFECT_SENSORS_H
#define PERFECT_SENSORS_H

#include "check_main.h"
#include "marlinspike/estimator.h"
#include "random_values.h"

#define G 9.80665f
#define DEGREE 0.0174532925

static const marl_vec3 north_and_down = {0.0f, 23.5f, -42.7f}; /* uT, enu */

static inline marl_estimator make(marl_filter filter)
{
    marl_tuning tuning = marl_tuning_default(filter);
    marl_estimator e;
    ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
    return e;
}

/* The published filter: constant gains from the first sample on. */
static inline marl_tuning published(marl_filter filter)
{
    marl_tuning tuning = marl_tuning_default(filter);
    tuning.value[MARL_PARAMETER_WEIGHTING] = 0.0f;
    tuning.value[MARL_PARAMETER_RUN_DOWN] = 0.0f;
    return tuning;
}

static inline marl_quat attitude_of(const marl_estimator *e)
{
    marl_quat q;
    ck_assert_int_eq(marl_estimator_attitude(e, &q), MARL_OK);
    return q;
}

/* All fresh, in attitude q. */
static inline marl_sample at_rest(marl_quat q, int64_t t_ns)
{
    return (marl_sample){.t_ns = t_ns,
                         .accel = marl_quat_rotate_back(q, (marl_vec3){0, 0, G}),
                         .mag = marl_quat_rotate_back(q, north_and_down),
                         .fresh = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG};
}

/* Angle between the two up directions, rad. */
static inline double tilt_between(marl_quat a, marl_quat b)
{
    marl_vec3 up = {0, 0, 1};
    marl_vec3 off = marl_vec3_sub(marl_quat_rotate_back(a, up), marl_quat_rotate_back(b, up));
    return 2 * asin(fmin(1, 0.5 * (double)marl_vec3_norm(off)));
}

#endif
