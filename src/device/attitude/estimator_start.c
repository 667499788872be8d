/* SPDX-License-Identifier: MIT
 * Start, restart, attitudes from outside, and readings that cannot be used. */
#include "device/attitude/estimator_parts.h"

/* How long a start waits for the first magnetometer reading, s. */
#define MAG_WAIT 1.0f
/* Square of the sine of the smallest angle between magnetometer and "up" that determines north: 3 degrees. */
#define MIN_NORTH_SINE2 0.0025f
/* What the field's reference rests on is worth half with each invalid reading of that sensor. */
#define MAG_KEPT 0.5f
/* Time with invalid readings of accelerometer or gyroscope, s: in one sample at most, and in sum; it leaks
 * away. At the limit state and bias count as spoiled, by readings that looked valid among the others. */
#define GARBAGE_STEP 0.1f
#define GARBAGE_LIMIT 0.5f
#define GARBAGE_LEAK 0.3f
/* Standard deviation of an attitude that the caller sets, rad per axis. */
#define SET_SPREAD 0.1f
/* Age of a start, s, whose run-down gains suit that deviation. */
#define SET_AGE 1.0f

/* Clears the fresh flag of vectors too short to have a direction. */
static void drop_directionless(marl_sample *s, uint8_t *invalid)
{
    uint8_t dropped = 0;
    if (vec3_dot(s->accel, s->accel) < MARL_MIN_ACCEL * MARL_MIN_ACCEL) {
        dropped |= MARL_FRESH_ACCEL;
    }
    if (vec3_dot(s->mag, s->mag) < MARL_MIN_MAG * MARL_MIN_MAG) {
        dropped |= MARL_FRESH_MAG;
    }
    dropped &= s->fresh;
    s->fresh = (uint8_t)(s->fresh & ~dropped);
    *invalid |= dropped;
}

void marlp_estimator_screen(marl_estimator *e, marl_sample *s, float dt)
{
    uint8_t invalid;
    (void)!marl_sample_check(s, &invalid);
    drop_directionless(s, &invalid);
    e->invalid = invalid;
    e->counts.invalid_accel += (invalid & MARL_FRESH_ACCEL) != 0;
    e->counts.invalid_gyro += (invalid & MARL_FRESH_GYRO) != 0;
    e->counts.invalid_mag += (invalid & MARL_FRESH_MAG) != 0;
    if (invalid & MARL_FRESH_MAG) {
        e->field.memory = float_snap(MAG_KEPT * e->field.memory);
    }
    if (invalid & (MARL_FRESH_GYRO | MARL_FRESH_ACCEL)) {
        e->garbage = float_min(e->garbage + float_min(dt, GARBAGE_STEP), GARBAGE_LIMIT);
        e->spoiled |= e->garbage >= GARBAGE_LIMIT;
    }
}

int marlp_estimator_sees_north(const marl_estimator *e, marl_vec3 up)
{
    if (!IS_ON(e, USE_MAG) || !(e->seen & MARL_FRESH_MAG)) {
        return 0;
    }
    marl_vec3 across = vec3_cross(e->mag, up);
    return vec3_dot(across, across) > MIN_NORTH_SINE2 * vec3_dot(e->mag, e->mag) * vec3_dot(up, up);
}

void marlp_estimator_restart(marl_estimator *e)
{
    marl_vec3 bias = e->bias;
    marl_quat tare = e->tare;
    float garbage = e->garbage;
    uint8_t spoiled = e->spoiled, has_tare = e->has_tare;
    marlp_estimator_clear(
        e); /* in place: a second estimator would need much stack, and interrupts may call this */
    e->bias = bias;
    e->tare = tare;
    e->garbage = garbage;
    e->spoiled = spoiled;
    e->has_tare = has_tare;
    e->counts.restarts++;
}

static int still_waits_for_mag(marl_estimator *e)
{
    float waited;
    if (!e->waiting) {
        e->waiting = 1;
        e->wait_from_ns = e->t_ns;
    }
    marl_status status = marl_time_step(e->wait_from_ns, e->t_ns, &waited);
    return status != MARL_ERR_GAP && waited < MAG_WAIT;
}

/* The attitude q is that of a start. */
static void start(marl_estimator *e, int heading_known, float spread)
{
    e->started = 1;
    e->since_start = 0.0f;
    e->gyro_age = 0.0f;
    e->sum = (marl_accumulator){.forces = 0};
    e->field = (marl_field_reference){.known = 0};
    e->mean_force[0] = e->mean_force[1] = 0.0f;
    e->lasting_force[0] = e->lasting_force[1] = 0.0f;
    e->heading_known = (uint8_t)heading_known;
    if (e->functions->start != NULL) {
        e->functions->start(e, spread);
    }
    marlp_motion_start(e);
}

void marlp_estimator_start(marl_estimator *e)
{
    if (!(e->seen & MARL_FRESH_ACCEL)) {
        return;
    }
    int north = marlp_estimator_sees_north(e, e->accel);
    if (!north && IS_ON(e, USE_MAG) && still_waits_for_mag(e)) {
        return;
    }
    e->q = north ? attitude_from_vectors(e->accel, e->mag) : attitude_from_up(e->accel);
    start(e, north, PARAMETER(e, ATTITUDE_SPREAD));
}

void marlp_estimator_start_from_up(marl_estimator *e, marl_vec3 up)
{
    e->q = attitude_from_up(up);
    start(e, 0, PARAMETER(e, ATTITUDE_SPREAD));
    e->counts.restarts++;
}

void marlp_estimator_forget_garbage(marl_estimator *e, float age)
{
    e->garbage = float_max(e->garbage - GARBAGE_LEAK * age, 0.0f);
    if (e->spoiled && e->garbage == 0.0f) {
        e->spoiled = 0;
        e->bias = (marl_vec3){0.0f, 0.0f, 0.0f};
        marlp_estimator_start_from_up(e, e->accel);
    }
}

void marlp_estimator_find_heading(marl_estimator *e)
{
    world_axes world = world_axes_of(e->q);
    if (marlp_estimator_sees_north(e, world.up)) {
        e->q = attitude_from_vectors(world.up, e->mag);
        e->heading_known = 1;
        e->field = (marl_field_reference){.known = 0};
        e->sum =
            (marl_accumulator){.age = e->sum.age, .wait = e->sum.wait}; /* another heading had turned them */
        e->mean_force[0] = e->mean_force[1] = 0.0f;
        e->lasting_force[0] = e->lasting_force[1] = 0.0f;
        if (e->functions->start_heading != NULL) {
            e->functions->start_heading(e);
        }
    }
}

void marlp_estimator_go_on(marl_estimator *e)
{
    start(e, IS_ON(e, USE_MAG), SET_SPREAD);
    e->since_start = SET_AGE;
    e->weight_accel = e->weight_mag = 1.0f;
    if (!estimator_has_corrections(e)) {
        e->bias = (marl_vec3){0.0f, 0.0f, 0.0f};
    }
}

marl_status marl_estimator_set_attitude(marl_estimator *estimator, marl_quat q)
{
    if (marl_quat_normalize(&q) != MARL_OK) {
        return MARL_ERR_ARGUMENT;
    }
    q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(q) : q;
    estimator->q = estimator->has_tare ? quat_product(q, quat_conjugate(estimator->tare)) : q;
    start(estimator, IS_ON(estimator, USE_MAG), SET_SPREAD);
    estimator->since_start = SET_AGE;
    return MARL_OK;
}

marl_status marl_estimator_retune(marl_estimator *e, const marl_tuning *tuning)
{
    int same = e->tuning.filter == tuning->filter &&
               e->tuning.value[MARL_PARAMETER_USE_MAG] == tuning->value[MARL_PARAMETER_USE_MAG];
    MARL_TRY(marlp_estimator_choose(e, tuning));
    if (!same && e->started) {
        marlp_estimator_go_on(e);
    }
    return MARL_OK;
}

marl_status marl_estimator_set_zero(marl_estimator *estimator)
{
    if (!estimator->started) {
        return MARL_ERR_NOT_READY;
    }
    estimator->tare = quat_conjugate(estimator->q);
    estimator->has_tare = 1;
    return MARL_OK;
}
