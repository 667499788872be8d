/* SPDX-License-Identifier: MIT
 * The estimators: what is a usable sample, when to start, which step to take. The arithmetic is in
 * step.h. */
#include "marlinspike/estimator.h"
#include "fusion.h"
#include "kalman.h"
#include "pull.h"
#include <stddef.h>

/* How long a start waits for the first magnetometer reading, s. */
#define MAG_WAIT 1.0f
/* So many samples in a row from the past, in agreement with each other, and their clock is believed. */
#define CLOCK_BELIEVED 10
/* Sine of the least angle between magnetometer and accelerometer that still tells north. */
#define LEAST_DIP_SINE 0.05f
/* A rate reading that had to be refused may have been a turn of so much, rad. */
#define UNSEEN_TURN 0.1f

marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning)
{
    *estimator = (marl_estimator){.tuning = *tuning, .belief = {.q = marl_quat_identity()}};
    return marl_tuning_check(tuning);
}

static int uses_mag(const marl_estimator *e)
{
    return e->tuning.value[MARL_PARAMETER_USE_MAG] != 0.0f;
}

/* Everything but tuning and counts. The bias goes, too: what led to a new start may have spoilt it. */
static void forget(marl_estimator *e)
{
    marl_estimator fresh = {.tuning = e->tuning, .counts = e->counts, .belief = {.q = marl_quat_identity()}};
    *e = fresh;
}

/* A sample from the past. A single one is a slip; a row of them that agree with each other means that the
 * clock was set back, or that the stamp before was wild. Returns 1 when the new clock is to be believed. */
static int clock_was_set_back(marl_estimator *e, int64_t t_ns)
{
    float step;
    int agrees = e->refused_in_row > 0 && marl_time_step(e->refused_ns, t_ns, &step) == MARL_OK &&
                 step <= e->tuning.value[MARL_PARAMETER_GAP_LIMIT];
    e->refused_in_row = (uint8_t)(agrees ? e->refused_in_row + 1 : 1);
    e->refused_ns = t_ns;
    e->counts.rejected_time++;
    return e->refused_in_row >= CLOCK_BELIEVED;
}

static void start_anew(marl_estimator *e)
{
    forget(e);
    e->counts.gaps++;
}

/* An estimate that may be anywhere is none: it begins anew from the next vectors, on the same clock. */
static void give_up_if_lost(marl_estimator *e)
{
    if (e->started && e->belief.tilt.angle >= FUSION_LOST) {
        int64_t t_ns = e->t_ns;
        start_anew(e);
        e->timed = 1;
        e->t_ns = t_ns;
    }
    if (e->heading_known && e->belief.heading.angle >= FUSION_LOST) {
        e->heading_known = 0; /* the next reading sets it */
    }
}

/* Moves the clock on; *dt is the time since the last accepted sample, 0 for the first. */
static marl_status take_time(marl_estimator *e, int64_t t_ns, float *dt)
{
    marl_status status = MARL_OK;
    *dt = 0.0f;
    if (e->timed) {
        status = marl_time_step(e->t_ns, t_ns, dt);
        if (status == MARL_ERR_TIME && !clock_was_set_back(e, t_ns)) {
            return status;
        }
        if (status != MARL_OK || *dt > e->tuning.value[MARL_PARAMETER_GAP_LIMIT]) {
            start_anew(e);
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

/* NaN fails every comparison. */
static int small(marl_vec3 v, float limit)
{
    return (fabsf(v.x) <= limit) & (fabsf(v.y) <= limit) & (fabsf(v.z) <= limit);
}

/* Nothing to find fault with, as nearly always. */
static int faultless(const marl_sample *s)
{
    int bad = (s->fresh & MARL_FRESH_TEMP) != 0 && !(fabsf(s->temp) <= MARL_PLAUSIBLE_TEMP);
    bad |= (s->fresh & MARL_FRESH_SPEED) != 0 && !(fabsf(s->speed) <= MARL_PLAUSIBLE_SPEED);
    bad |= (s->fresh & MARL_FRESH_ACCEL) != 0 &&
           !(small(s->accel, MARL_PLAUSIBLE_ACCEL) && lane3_dot(s->accel, s->accel) >= MARL_TINY_ACCEL * MARL_TINY_ACCEL);
    bad |= (s->fresh & MARL_FRESH_GYRO) != 0 && !small(s->gyro, MARL_PLAUSIBLE_GYRO);
    bad |= (s->fresh & MARL_FRESH_MAG) != 0 &&
           !(small(s->mag, MARL_PLAUSIBLE_MAG) && lane3_dot(s->mag, s->mag) >= MARL_TINY_MAG * MARL_TINY_MAG);
    return !bad;
}

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

/* Leaves the usable readings fresh, counts the others. */
static marl_status screen(marl_estimator *e, marl_sample *s)
{
    uint8_t refused;
    marl_status status = marl_sample_check(s, &refused);
    marl_status direction = drop_directionless(s, &refused);
    e->counts.rejected_accel += (refused & MARL_FRESH_ACCEL) != 0;
    e->counts.rejected_gyro += (refused & MARL_FRESH_GYRO) != 0;
    e->counts.rejected_mag += (refused & MARL_FRESH_MAG) != 0;
    if (refused & MARL_FRESH_GYRO) { /* how it turned meanwhile is not known */
        e->belief.tilt.angle += UNSEEN_TURN * UNSEEN_TURN;
        e->belief.heading.angle += UNSEEN_TURN * UNSEEN_TURN;
    }
    return status != MARL_OK ? status : direction;
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

/* Do magnetometer and "up" point apart enough to tell north? */
static int tells_north(const marl_estimator *e, marl_vec3 up)
{
    if (!uses_mag(e) || !(e->seen & MARL_FRESH_MAG)) {
        return 0;
    }
    marl_vec3 across = lane3_cross(lane3_unit(e->mag, MARL_TINY_MAG), lane3_unit(up, MARL_TINY_ACCEL));
    return lane3_dot(across, across) > LEAST_DIP_SINE * LEAST_DIP_SINE;
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
    return (marl_doubt){FUSION_FRESH, 0.0f, spread * spread};
}

/* The heading has just been taken from the magnetometer, with everything it says about the field. */
static void begin_heading(marl_estimator *e)
{
    float strength = lane_root(lane3_dot(e->mag, e->mag));
    e->belief.mag_trust = (marl_trust){0};
    e->belief.heading = fresh_doubt(e);
    e->belief.field = strength;
    e->belief.dip = -lane3_dot(step_up(e->belief.q), e->mag) / strength;
    e->heading_known = 1;
    e->mag_age = 0.0f;
}

static void begin(marl_estimator *e, int north)
{
    e->started = 1;
    e->accel_age = 0.0f;
    e->belief.tilt = e->belief.heading = fresh_doubt(e);
    if (north) {
        begin_heading(e);
    }
    kalman_begin(e, north);
}

static void start(marl_estimator *e)
{
    if (!(e->seen & MARL_FRESH_ACCEL)) {
        return;
    }
    int north = tells_north(e, e->accel);
    if (!north && uses_mag(e) && still_waits_for_mag(e)) {
        return;
    }
    e->belief.q = step_vectors(e->accel, e->mag, north);
    begin(e, north);
}

/* The first magnetometer reading after a start without one sets the heading at once; the tilt stays. */
static void find_heading(marl_estimator *e)
{
    marl_vec3 up = step_up(e->belief.q);
    if (tells_north(e, up)) {
        e->belief.q = step_vectors(up, e->mag, 1);
        begin_heading(e);
        kalman_begin_heading(e);
    }
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
    return p;
}

static void fuse(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    fusion_limits p = limits_of(e);
    int gradient = e->tuning.filter == MARL_FILTER_GRADIENT_DESCENT;
    fusion_turn(&e->belief, &p, rate, dt);
    if (fresh & MARL_FRESH_ACCEL) {
        fusion_tilt(&e->belief, &p, e->accel, e->accel_age, gradient);
    }
    if (fresh & MARL_FRESH_MAG) {
        fusion_heading(&e->belief, &p, e->mag, e->mag_age, gradient);
    }
}

/* As fuse, by the covariance. */
static void filter(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    fusion_limits p = limits_of(e);
    kalman_turn(e, rate, dt);
    if (fresh & MARL_FRESH_ACCEL) {
        kalman_tilt(e, &p, e->accel, e->accel_age);
    }
    if (fresh & MARL_FRESH_MAG) {
        kalman_heading(e, &p, e->mag, e->mag_age);
    }
}

/* Ages and counts of the readings that were taken in. */
static void settle(marl_estimator *e, uint8_t fresh)
{
    if (fresh & MARL_FRESH_ACCEL) {
        e->accel_age = 0.0f;
        e->counts.doubted_accel += e->belief.accel_trust.weight < 0.5f;
    }
    if (fresh & MARL_FRESH_MAG) {
        e->mag_age = 0.0f;
        e->counts.doubted_mag += e->belief.mag_trust.weight < 0.5f;
    }
}

static void step(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    e->accel_age += dt;
    e->mag_age += dt;
    if (e->tuning.filter == MARL_FILTER_GYRO) {
        e->belief.q = step_turn(e->belief.q, rate, dt);
    } else if (e->tuning.filter == MARL_FILTER_VECTORS) {
        if (fresh & (MARL_FRESH_ACCEL | MARL_FRESH_MAG)) {
            int north = tells_north(e, e->accel);
            e->belief.q = step_vectors(e->accel, e->mag, north);
            e->heading_known = (uint8_t)north;
        }
        return;
    } else {
        uint8_t used = (uint8_t)(e->heading_known ? fresh : fresh & ~MARL_FRESH_MAG);
        if (e->tuning.filter == MARL_FILTER_KALMAN) {
            filter(e, used, rate, dt);
        } else {
            fuse(e, used, rate, dt);
        }
        settle(e, used);
    }
    if (!e->heading_known && (fresh & MARL_FRESH_MAG)) {
        find_heading(e);
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
        readings = screen(estimator, &checked);
        sample = &checked;
    }
    give_up_if_lost(estimator);
    marl_vec3 rate = remember(estimator, sample);
    if (estimator->started) {
        step(estimator, sample->fresh, rate, dt);
    } else {
        start(estimator);
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
    *q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(estimator->belief.q)
                                                   : marl_quat_canonical(estimator->belief.q);
    return MARL_OK;
}

int marl_estimator_heading_is_magnetic(const marl_estimator *estimator)
{
    return estimator->started && estimator->heading_known;
}
