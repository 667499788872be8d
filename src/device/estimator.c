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
    return (square >= least * least) & (square <= most * most);
}

/* Certainly nothing to find fault with, as nearly always; where in doubt, screen finds out. */
static inline int faultless(const marl_sample *s)
{
    unsigned fresh = s->fresh;
    int accel = within(s->accel, MARL_TINY_ACCEL, MARL_PLAUSIBLE_ACCEL);
    int gyro = within(s->gyro, 0.0f, MARL_PLAUSIBLE_GYRO);
    int mag = within(s->mag, MARL_TINY_MAG, MARL_PLAUSIBLE_MAG);
    unsigned good = (unsigned)(accel * MARL_FRESH_ACCEL + gyro * MARL_FRESH_GYRO + mag * MARL_FRESH_MAG);
    if ((fresh & MARL_FRESH_TEMP) && fabsf(s->temp) <= MARL_PLAUSIBLE_TEMP) {
        good |= MARL_FRESH_TEMP;
    }
    return (fresh & ~good) == 0;
}

/* Keeps the fresh readings and returns the mean rate over the step that ends with this sample. */
static marl_vec3 remember(marl_estimator *e, const marl_sample *s)
{
    marl_vec3 mean = e->rate;
    if (s->fresh & MARL_FRESH_GYRO) {
        mean = e->seen & MARL_FRESH_GYRO ? lane3_scale(lane3_add(e->rate, s->gyro), 0.5f) : s->gyro;
        e->rate = s->gyro;
    }
    e->accel = s->fresh & MARL_FRESH_ACCEL ? s->accel : e->accel;
    e->mag = s->fresh & MARL_FRESH_MAG ? s->mag : e->mag;
    e->seen |= s->fresh;
    return mean;
}

static fusion_limits limits_of(const marl_estimator *e)
{
    const float *value = e->tuning.value;
    fusion_limits p = {.trust = {.accel = value[MARL_PARAMETER_ACCEL_SLACK],
                                 .rate = value[MARL_PARAMETER_RATE_SLACK],
                                 .tilt = value[MARL_PARAMETER_TILT_SLACK],
                                 .field = value[MARL_PARAMETER_FIELD_SLACK],
                                 .dip = value[MARL_PARAMETER_DIP_SLACK],
                                 .heading = value[MARL_PARAMETER_HEADING_SLACK],
                                 .linger = value[MARL_PARAMETER_LINGER],
                                 .hold = value[MARL_PARAMETER_HOLD_LIMIT]},
                       .tilt_time = value[MARL_PARAMETER_TILT_TIME],
                       .heading_time = value[MARL_PARAMETER_HEADING_TIME],
                       .tilt_speed = value[MARL_PARAMETER_TILT_SPEED],
                       .heading_speed = value[MARL_PARAMETER_HEADING_SPEED],
                       .bias_time = value[MARL_PARAMETER_BIAS_TIME],
                       .bias_limit = value[MARL_PARAMETER_BIAS_LIMIT],
                       .gyro_scale = value[MARL_PARAMETER_GYRO_SCALE]};
    p.trust.rate *= pull_is_known(e) ? PULL_ACCOUNTED : 1.0f;
    return p;
}

/* Turns the fresh readings into the world, for the next correction. */
static void gather(marl_estimator *e, uint8_t fresh)
{
    marl_gathered *g = &e->gathered;
    step_axes world = step_world(e->belief.q);
    if (fresh & MARL_FRESH_ACCEL) {
        marl_vec3 accel = pull_is_known(e) ? pull_without(e) : e->accel;
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

/* The means of what was gathered. */
static marl_gathered mean_of(const marl_gathered *g)
{
    float accel = g->accels > 0 ? 1.0f / (float)g->accels : 0.0f;
    float mag = g->mags > 0 ? 1.0f / (float)g->mags : 0.0f;
    return (marl_gathered){.accel = lane3_scale(g->accel, accel),
                           .mag = lane3_scale(g->mag, mag),
                           .longer2 = accel * g->longer2,
                           .turning2 = accel * g->turning2,
                           .accels = g->accels,
                           .mags = g->mags};
}

static void fuse(marl_estimator *e, const fusion_limits *p, const marl_gathered *mean)
{
    fusion_state *s = &e->belief;
    int gradient = e->tuning.filter == MARL_FILTER_GRADIENT_DESCENT;
    fusion_age(s, p, e->gather_age);
    fusion_reckon(s, &p->trust);
    if (mean->accels > 0) {
        fusion_tilt(s, p, mean, e->accel_age, gradient);
    }
    if (mean->mags > 0) {
        fusion_heading(s, p, mean, e->mag_age, gradient);
    }
    s->q = laneq_touch_up(s->q);
}

/* As fuse, by the covariance. */
static void filter(marl_estimator *e, const fusion_limits *p, const marl_gathered *mean)
{
    kalman_age(e, e->gather_age);
    fusion_reckon(&e->belief, &p->trust);
    if (mean->accels > 0) {
        kalman_tilt(e, p, mean, e->accel_age);
    }
    if (mean->mags > 0) {
        kalman_heading(e, p, mean, e->mag_age);
    }
}

/* Corrects by what was gathered; ages and counts of the readings that were taken in. */
static void correct(marl_estimator *e)
{
    fusion_limits p = limits_of(e);
    marl_gathered mean = mean_of(&e->gathered);
    if (e->tuning.filter == MARL_FILTER_KALMAN) {
        filter(e, &p, &mean);
    } else {
        fuse(e, &p, &mean);
    }
    if (mean.accels > 0) {
        e->accel_age = 0.0f;
        e->counts.doubted_accel += e->belief.accel_trust.weight < 0.5f ? mean.accels : 0;
    }
    if (mean.mags > 0) {
        e->mag_age = 0.0f;
        e->counts.doubted_mag += e->belief.mag_trust.weight < 0.5f ? mean.mags : 0;
    }
    e->gathered = (marl_gathered){.accels = 0};
    if (e->belief.tilt.angle >= FUSION_LOST || e->belief.heading.angle >= FUSION_LOST) {
        estimator_give_up(e);
    }
}

static void step(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    int fused = e->tuning.filter != MARL_FILTER_GYRO;
    e->gather_age += dt;
    e->accel_age += dt;
    e->mag_age += dt;
    fusion_turn(&e->belief, rate, dt);
    if (fused) {
        gather(e, fresh);
    }
    if (e->gather_age >= FUSION_GATHER) {
        if (fused) {
            correct(e);
        }
        e->belief.q = laneq_snap(e->belief.q);
        e->gather_age = 0.0f;
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
    if (pull_is_known(estimator) || (sample->fresh & MARL_FRESH_SPEED)) {
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
    marl_quat told = estimator->belief.q;
    if (estimator->has_zero) {
        told = laneq_unit(laneq_product(told, estimator->zero));
    }
    *q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(told) : quat_canonical(told);
    return MARL_OK;
}

int marl_estimator_heading_is_magnetic(const marl_estimator *estimator)
{
    return estimator->started && estimator->heading_known;
}
