/* SPDX-License-Identifier: MIT
 * What the files of the estimators share. Equation numbers: docs/methods/estimators.md. */
#ifndef MARL_ESTIMATOR_PARTS_H
#define MARL_ESTIMATOR_PARTS_H

#include "device/math/attitude_math.h"
#include "marlinspike/estimator.h"

/* Readings are averaged for this long before they correct, s: nine to ten corrections a second at any rate of
 * the samples from 25 Hz on. */
#define ESTIMATOR_MEAN_TIME 0.105f
/* Times since the start and ages beyond this, s, do not grow further: nothing depends on them there. */
#define ESTIMATOR_MAX_TIME 1e5f

/* Horizontal field below which there is no heading, uT. */
#define MIN_LEVEL_FIELD 1.0f

/* A parameter of the estimator's tuning, or a switch, by its name in the table. */
#define PARAMETER(e, name) ((e)->tuning.value[MARL_PARAMETER_##name])
#define IS_ON(e, name) (PARAMETER(e, name) != 0.0f)

/* complementary, gradient-descent, kalman */
static inline int estimator_has_corrections(const marl_estimator *e)
{
    return e->tuning.filter >= MARL_FILTER_COMPLEMENTARY;
}

/* Mean of the readings since the last correction, in the world, and the time that they stand for, s. */
typedef struct estimator_means {
    marl_vec3 force, field; /* m/s^2, uT */
    float age, field_age;
    int has_force, has_field;
} estimator_means;

/* What the filters do differently; NULL where a filter does nothing. */
struct marl_filter_functions {
    /* With every sample after the start: sums the readings up, and corrects when it is time to. */
    void (*use)(marl_estimator *e, uint8_t fresh, float dt);
    /* A gap in the readings of the gyroscope that ends with a change of the rate. */
    void (*gap)(marl_estimator *e, marl_vec3 rate_change, float dt);
    /* The body's own acceleration, from lever arm and speed. */
    void (*motion)(marl_estimator *e, const marl_sample *s, float dt);
    /* The correction by the means; `world` is R(q). It changes the attitude by marlp_estimator_turn and the bias by
     * marlp_estimator_change_bias. */
    void (*correct)(marl_estimator *e, const world_axes *world, const estimator_means *means);
    /* State of a start; the attitude is known within `spread`, rad. */
    void (*start)(marl_estimator *e, float spread);
    /* The heading has been set by the magnetometer: forgets what was known of it. */
    void (*start_heading)(marl_estimator *e);
    /* With every sample of the first seconds, dt s after the last. */
    void (*follow_rate)(marl_estimator *e, float dt);
    /* A gap with an unseen turn, rad^2; `lost`: the velocity is unknown after it. NULL: the start ages anew. */
    void (*cross_gap)(marl_estimator *e, float turn2, int lost);
};

/* gyro and vectors correct nothing. */
extern const marl_filter_functions marlp_kalman_functions, marlp_constant_gain_functions, marlp_no_functions;

/* `use` and `gap` of all that correct. */
void marlp_estimator_use(marl_estimator *e, uint8_t fresh, float dt);
void marlp_estimator_gap(marl_estimator *e, marl_vec3 rate_change, float dt);

/* Everything but tuning, filter and counts as before the first sample. */
void marlp_estimator_clear(marl_estimator *e);

/* Takes a tuning and the functions of its filter. MARL_ERR_ARGUMENT, and nothing is changed, when it does not pass its
 * check or the choice does not have its filter. */
marl_status marlp_estimator_choose(marl_estimator *e, const marl_tuning *tuning);

/* Turns the estimate by the world vector d, rad, tilt and heading by no more than 0.5 rad each: about the
 * level axes first, then about up, so that the heading's part never moves the tilt. Returns the turn made. */
marl_vec3 marlp_estimator_turn(marl_estimator *e, marl_vec3 d);
/* Adds a change in body axes, rad/s; the sum stays within the tuning's limit. */
void marlp_estimator_change_bias(marl_estimator *e, marl_vec3 change);

/* (3.8) A restart where the attitude, or its heading, is wrong. `d` is the turn of the correction. */
void marlp_kalman_reset_if_lost(marl_estimator *e, const estimator_means *means, marl_vec3 d);
/* The heading has been set by the magnetometer: forgets what was known of it. */
void marlp_kalman_start_heading(marl_estimator *e);

/* (2.6) Squared change of the field against its reference beyond the noise, uT^2; 0 without a reference. */
float marlp_field_reference_excess(const marl_field_reference *f, marl_vec3 field, float noise);
/* (2.6) The reference follows the field with the share r of a full reading, or with `least` of one, by which it rests on
 * no more than by r. */
void marlp_field_reference_follow(marl_field_reference *f, marl_vec3 field, float age, float r, float least);

/* The body's own acceleration from lever arm and speed. */
void marlp_motion_start(marl_estimator *e);
void marlp_motion_follow(marl_estimator *e, const marl_sample *s, float dt);
/* The last accelerometer reading without it, m/s^2. */
marl_vec3 marlp_motion_subtract(const marl_estimator *e);

/* Clears the fresh flag of invalid readings, keeps which they are and counts them, dt s after the last
 * sample. */
void marlp_estimator_screen(marl_estimator *e, marl_sample *s, float dt);
/* With every correction, `age` s after the last: starts again once a flood of invalid readings is over. */
void marlp_estimator_forget_garbage(marl_estimator *e, float age);
/* Forgets the attitude, not the bias; counts a restart. */
void marlp_estimator_restart(marl_estimator *e);
/* Keeps attitude, zero, bias and counts and forgets the rest; the attitude is known within 0.1 rad. */
void marlp_estimator_go_on(marl_estimator *e);
/* Starts from the last vectors, once they are there. */
void marlp_estimator_start(marl_estimator *e);
/* Starts again from the direction of `up` (body), on the same clock, and waits for the next heading. */
void marlp_estimator_start_from_up(marl_estimator *e, marl_vec3 up);
/* Sets the heading by the last magnetometer reading where it was relative; the tilt stays. */
void marlp_estimator_find_heading(marl_estimator *e);
/* 1 when magnetometer and "up" (body) point apart enough to determine north. */
int marlp_estimator_sees_north(const marl_estimator *e, marl_vec3 up);

#endif
