/* SPDX-License-Identifier: MIT
 * How an estimate begins, and begins anew; and which readings are none. */
#include "estimator_parts.h"
#include "kalman.h"
#include "pull.h"

/* How long a start waits for the first magnetometer reading, s. */
#define MAG_WAIT 1.0f
/* Square of the sine of the least angle between magnetometer and accelerometer that still tells north. */
#define LEAST_DIP_SINE2 0.0025f
/* Doubt of an attitude that was said, not seen, rad^2. */
#define SAID 0.01f
/* A rate reading that had to be refused may have been a turn of so much, rad^2. */
#define UNSEEN_TURN 0.01f

/* Clears the fresh flag of vectors too short to have a direction. */
static marl_status drop_directionless(marl_sample *s, uint8_t *refused)
{
    uint8_t gone = 0;
    if (lane3_dot(s->accel, s->accel) < MARL_TINY_ACCEL * MARL_TINY_ACCEL) {
        gone |= MARL_FRESH_ACCEL;
    }
    if (lane3_dot(s->mag, s->mag) < MARL_TINY_MAG * MARL_TINY_MAG) {
        gone |= MARL_FRESH_MAG;
    }
    gone &= s->fresh;
    s->fresh = (uint8_t)(s->fresh & ~gone);
    *refused |= gone;
    return gone ? MARL_ERR_DEGENERATE : MARL_OK;
}

/* A sensor that gives garbage has to be learned anew, by and by. */
static void unlearn(marl_trust *t)
{
    t->memory_s = lane_snap(0.5f * t->memory_s);
    t->heard_s = lane_snap(0.5f * t->heard_s);
}

marl_status estimator_screen(marl_estimator *e, marl_sample *s)
{
    uint8_t refused;
    marl_status status = marl_sample_check(s, &refused);
    marl_status direction = drop_directionless(s, &refused);
    e->counts.rejected_accel += (refused & MARL_FRESH_ACCEL) != 0;
    e->counts.rejected_gyro += (refused & MARL_FRESH_GYRO) != 0;
    e->counts.rejected_mag += (refused & MARL_FRESH_MAG) != 0;
    if (refused & MARL_FRESH_ACCEL) {
        unlearn(&e->belief.accel_trust);
    }
    if (refused & MARL_FRESH_MAG) {
        unlearn(&e->belief.mag_trust);
    }
    if (refused & MARL_FRESH_GYRO) { /* how it turned meanwhile is not known */
        e->belief.tilt.angle += UNSEEN_TURN;
        e->belief.heading.angle += UNSEEN_TURN;
        for (int i = 0; i < 3; i++) {
            e->covariance[i][i] += UNSEEN_TURN;
        }
    }
    return status != MARL_OK ? status : direction;
}

int estimator_tells_north(const marl_estimator *e, marl_vec3 up)
{
    if (!estimator_uses_mag(e) || !(e->seen & MARL_FRESH_MAG)) {
        return 0;
    }
    marl_vec3 across = lane3_cross(e->mag, up);
    return lane3_dot(across, across) > LEAST_DIP_SINE2 * lane3_dot(e->mag, e->mag) * lane3_dot(up, up);
}

void estimator_start_anew(marl_estimator *e)
{
    marl_estimator fresh = {.tuning = e->tuning,
                            .counts = e->counts,
                            .zero = e->zero,
                            .has_zero = e->has_zero,
                            .belief = {.q = marl_quat_identity()}};
    *e = fresh;
    e->counts.gaps++;
}

void estimator_give_up(marl_estimator *e)
{
    if (e->belief.tilt.angle >= FUSION_LOST) {
        int64_t t_ns = e->t_ns;
        estimator_start_anew(e);
        e->timed = 1;
        e->t_ns = t_ns;
    }
    e->heading_known = 0; /* the next reading sets it */
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

static marl_doubt fresh_doubt(const marl_estimator *e)
{
    float spread = e->tuning.value[MARL_PARAMETER_BIAS_SPREAD];
    return (marl_doubt){.angle = FUSION_FRESH, .bias = spread * spread};
}

void estimator_learn_field(marl_estimator *e)
{
    float strength = lane_root(lane3_dot(e->mag, e->mag));
    e->belief.mag_trust = (marl_trust){.weight = 1.0f};
    e->belief.field = strength;
    e->belief.dip = -lane3_dot(step_up(e->belief.q), e->mag) / strength;
}

/* The heading has just been taken from the magnetometer, with everything it says about the field. */
static void begin_heading(marl_estimator *e)
{
    e->belief.heading = fresh_doubt(e);
    e->heading_known = 1;
    e->mag_age = 0.0f;
    estimator_learn_field(e);
}

static void begin(marl_estimator *e, int north)
{
    e->started = 1;
    e->accel_age = 0.0f;
    e->belief.steady = e->rate;
    e->belief.accel_trust = (marl_trust){.weight = 1.0f};
    e->belief.tilt = e->belief.heading = fresh_doubt(e);
    if (north) {
        begin_heading(e);
    }
    kalman_begin(e, north);
    pull_begin(e);
    e->gathered = (marl_gathered){.accels = 0};
    e->gather_age = 0.0f;
    e->gather_for =
        e->tuning.filter == MARL_FILTER_GYRO ? FUSION_GATHER : 0.0f; /* the first correct at once */
}

void estimator_start(marl_estimator *e)
{
    if (!(e->seen & MARL_FRESH_ACCEL)) {
        return;
    }
    int north = estimator_tells_north(e, e->accel);
    if (!north && estimator_uses_mag(e) && still_waits_for_mag(e)) {
        return;
    }
    e->belief.q = north ? step_vectors(e->accel, e->mag) : step_tilt_only(e->accel);
    begin(e, north);
}

void estimator_find_heading(marl_estimator *e)
{
    marl_vec3 up = step_up(e->belief.q);
    if (estimator_tells_north(e, up)) {
        e->belief.q = step_vectors(up, e->mag);
        begin_heading(e);
        kalman_begin_heading(e);
        e->gathered = (marl_gathered){.accels = 0}; /* it was turned by another heading */
    }
}

marl_status marl_estimator_set_attitude(marl_estimator *estimator, marl_quat q)
{
    if (marl_quat_normalize(&q) != MARL_OK) {
        return MARL_ERR_ARGUMENT;
    }
    q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(q) : q;
    estimator->belief.q = estimator->has_zero ? laneq_product(q, laneq_conjugate(estimator->zero)) : q;
    begin(estimator, 0);
    estimator->belief.tilt.angle = estimator->belief.heading.angle = SAID;
    estimator->belief.field = 0.0f;
    estimator->heading_known = (uint8_t)estimator_uses_mag(estimator);
    for (int i = 0; i < 3; i++) {
        estimator->covariance[i][i] = SAID;
    }
    return MARL_OK;
}

marl_status marl_estimator_set_zero(marl_estimator *estimator)
{
    if (!estimator->started) {
        return MARL_ERR_NOT_READY;
    }
    estimator->zero = laneq_conjugate(estimator->belief.q);
    estimator->has_zero = 1;
    return MARL_OK;
}

void marl_estimator_doubt(const marl_estimator *estimator, float *tilt, float *heading)
{
    int reckons = estimator->started && estimator->tuning.filter != MARL_FILTER_GYRO &&
                  estimator->tuning.filter != MARL_FILTER_VECTORS;
    *tilt = reckons ? lane_root(estimator->belief.tilt.angle) : 0.0f;
    *heading = reckons ? lane_root(estimator->belief.heading.angle) : 0.0f;
}
