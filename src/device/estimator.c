/* SPDX-License-Identifier: MIT
 * The estimators: what is a usable sample, when to start, which step to take. The arithmetic is in
 * step.h. */
#include "marlinspike/estimator.h"
#include "canonical.h"
#include "estimator_parts.h"
#include "kalman.h"
#include "pull.h"
#include "time_step.h"
#include <stddef.h>

/* So many samples in a row from the past, in agreement with each other, and their clock is believed. */
#define CLOCK_BELIEVED 10
/* Rounding takes the quaternion's length off one by some 1e-7 with each update: at most so many are left. */
#define TOUCH_UP_EVERY 32

marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning)
{
    *estimator = (marl_estimator){
        .tuning = *tuning, .zero = marl_quat_identity(), .belief = {.q = marl_quat_identity()}};
    return marl_tuning_check(tuning);
}

/* A sample from the past. A single one is a slip; a row of them that agree with each other means that the
 * clock was set back, or that the stamp before was wild. Returns 1 when the new clock is to be believed. */
static int clock_was_set_back(marl_estimator *e, int64_t t_ns)
{
    float step;
    int agrees = e->refused_in_row > 0 && time_step(e->refused_ns, t_ns, &step) == MARL_OK &&
                 step <= e->tuning.value[MARL_PARAMETER_GAP_LIMIT];
    e->refused_in_row = (uint8_t)(agrees ? e->refused_in_row + 1 : 1);
    e->refused_ns = t_ns;
    e->counts.rejected_time++;
    return e->refused_in_row >= CLOCK_BELIEVED;
}

/* Moves the clock on; *dt is the time since the last accepted sample, 0 for the first. */
static marl_status take_time(marl_estimator *e, int64_t t_ns, float *dt)
{
    marl_status status = MARL_OK;
    *dt = 0.0f;
    if (e->timed) {
        status = time_step(e->t_ns, t_ns, dt);
        if (status == MARL_ERR_TIME && !clock_was_set_back(e, t_ns)) {
            return status;
        }
        if (status != MARL_OK || *dt > e->tuning.value[MARL_PARAMETER_GAP_LIMIT]) {
            estimator_start_anew(e);
            status = MARL_ERR_GAP;
            *dt = 0.0f;
        }
    }
    e->refused_in_row = 0;
    e->timed = 1;
    e->t_ns = t_ns;
    e->counts.updates++;
    return status;
}

/* NaN and infinity fail every comparison. */
static inline int within(marl_vec3 v, float least, float most)
{
    float square = lane3_dot(v, v);
    return square >= least * least && square <= most * most;
}

/* Certainly nothing to find fault with, as nearly always; where in doubt, screen finds out. */
static inline int faultless(const marl_sample *s)
{
    unsigned fresh = s->fresh;
    return (!(fresh & MARL_FRESH_GYRO) ||
            lane3_dot(s->gyro, s->gyro) <= MARL_PLAUSIBLE_GYRO * MARL_PLAUSIBLE_GYRO) &&
           (!(fresh & MARL_FRESH_ACCEL) || within(s->accel, MARL_TINY_ACCEL, MARL_PLAUSIBLE_ACCEL)) &&
           (!(fresh & MARL_FRESH_MAG) || within(s->mag, MARL_TINY_MAG, MARL_PLAUSIBLE_MAG)) &&
           (fresh < MARL_FRESH_TEMP || (fresh < MARL_FRESH_SPEED && fabsf(s->temp) <= MARL_PLAUSIBLE_TEMP));
}

/* Keeps the fresh readings and returns the mean rate over the step that ends with this sample. */
static marl_vec3 remember(marl_estimator *e, const marl_sample *s)
{
    marl_vec3 mean = e->rate;
    if (s->fresh & MARL_FRESH_GYRO) {
        mean = e->seen & MARL_FRESH_GYRO ? lane3_scale(lane3_add(e->rate, s->gyro), 0.5f) : s->gyro;
        e->rate = s->gyro;
    }
    if (s->fresh & MARL_FRESH_ACCEL) {
        e->accel = s->accel;
    }
    if (s->fresh & MARL_FRESH_MAG) {
        e->mag = s->mag;
    }
    e->seen |= s->fresh;
    return mean;
}

/* Turns the fresh readings into the world, for the next correction. */
static void gather(marl_estimator *e, uint8_t fresh)
{
    marl_gathered *g = &e->gathered;
    step_axes world = step_world(e->belief.q);
    if (fresh & MARL_FRESH_ACCEL) {
        marl_vec3 accel = e->pull.known ? pull_without(e) : e->accel;
        fusion_gather_pull(g, &world, accel, e->belief.turning);
        g->accels++;
    }
    if ((fresh & MARL_FRESH_MAG) && e->heading_known) {
        if (e->belief.field <= 0.0f) {
            estimator_learn_field(e);
        }
        fusion_gather_field(g, &world, e->mag);
        g->mags++;
    }
}

static void step(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    int fused = e->tuning.filter != MARL_FILTER_GYRO;
    e->gather_age += dt;
    fusion_turn(&e->belief, rate, dt);
    if (fused) {
        gather(e, fresh);
    }
    if (e->gather_age >= e->gather_for) {
        if (fused) {
            estimator_correct(e);
        }
        e->belief.q = laneq_snap(laneq_touch_up(e->belief.q));
        e->gather_age = 0.0f;
        e->turns = 0;
    } else if (++e->turns >= TOUCH_UP_EVERY) {
        e->belief.q = laneq_touch_up(e->belief.q);
        e->turns = 0;
    }
    if (!e->heading_known && (fresh & MARL_FRESH_MAG)) {
        estimator_find_heading(e);
    }
}

/* Remembers nothing. */
static void look(marl_estimator *e, uint8_t fresh)
{
    if (fresh & (MARL_FRESH_ACCEL | MARL_FRESH_MAG)) {
        int north = estimator_tells_north(e, e->accel);
        e->belief.q = north ? step_vectors(e->accel, e->mag) : step_tilt_only(e->accel);
        e->heading_known = (uint8_t)north;
    }
}

marl_status marl_estimator_update(marl_estimator *estimator, const marl_sample *sample)
{
    float dt;
    marl_sample checked;
    marl_status readings = MARL_OK, time = take_time(estimator, sample->t_ns, &dt);
    if (time == MARL_ERR_TIME) {
        return time;
    }
    if (!faultless(sample)) {
        checked = *sample;
        readings = estimator_screen(estimator, &checked);
        sample = &checked;
    }
    marl_vec3 rate = remember(estimator, sample);
    if (estimator->pull.known || (sample->fresh & MARL_FRESH_SPEED)) {
        pull_follow(estimator, sample, dt);
    }
    if (estimator->started && dt > 0.0f) {
        if (estimator->tuning.filter == MARL_FILTER_VECTORS) {
            look(estimator, sample->fresh);
        } else {
            step(estimator, sample->fresh, rate, dt);
        }
    } else if (!estimator->started) {
        estimator_start(estimator);
    }
    if (time != MARL_OK) {
        return time;
    }
    if (readings != MARL_OK) {
        return readings;
    }
    return estimator->started ? MARL_OK : MARL_ERR_NOT_READY;
}

marl_status marl_estimator_attitude(const marl_estimator *estimator, marl_quat *q)
{
    if (!estimator->started) {
        *q = marl_quat_identity();
        return MARL_ERR_NOT_READY;
    }
    if (!estimator->has_zero && estimator->tuning.world == MARL_WORLD_ENU) {
        *q = quat_canonical(&estimator->belief.q); /* not copied first: one load would wait for four stores */
        return MARL_OK;
    }
    marl_quat told = estimator->belief.q;
    if (estimator->has_zero) {
        told = laneq_unit(laneq_product(told, estimator->zero));
    }
    *q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(told) : quat_canonical(&told);
    return MARL_OK;
}

int marl_estimator_heading_is_magnetic(const marl_estimator *estimator)
{
    return estimator->started && estimator->heading_known;
}
