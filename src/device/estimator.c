/* SPDX-License-Identifier: MIT
 * The estimators: what is a usable sample, when to start, which step to take. The arithmetic is in
 * step.h. */
#include "marlinspike/estimator.h"
#include "step.h"
#include <stddef.h>

/* How long a start waits for the first magnetometer reading, s. */
#define MAG_WAIT 1.0f
/* So many samples in a row from the past, in agreement with each other, and their clock is believed. */
#define CLOCK_BELIEVED 10
/* Sine of the least angle between magnetometer and accelerometer that still tells north. */
#define LEAST_DIP_SINE 0.05f

marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning)
{
    *estimator = (marl_estimator){.tuning = *tuning, .q = marl_quat_identity()};
    return marl_tuning_check(tuning);
}

static int uses_mag(const marl_estimator *e)
{
    return e->tuning.value[MARL_PARAMETER_USE_MAG] != 0.0f;
}

/* Everything but tuning and counts. The bias goes, too: what led to a new start may have spoilt it. */
static void forget(marl_estimator *e)
{
    marl_estimator fresh = {.tuning = e->tuning, .counts = e->counts, .q = marl_quat_identity()};
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
    e->accel = s->fresh & MARL_FRESH_ACCEL ? s->accel : e->accel;
    e->mag = s->fresh & MARL_FRESH_MAG ? s->mag : e->mag;
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

static void start(marl_estimator *e)
{
    if (!(e->seen & MARL_FRESH_ACCEL)) {
        return;
    }
    int north = tells_north(e, e->accel);
    if (!north && uses_mag(e) && still_waits_for_mag(e)) {
        return;
    }
    e->q = step_vectors(e->accel, e->mag, north);
    e->heading_known = (uint8_t)north;
    e->started = 1;
    e->accel_age = e->mag_age = 0.0f;
}

/* The first magnetometer reading after a start without one sets the heading at once; the tilt stays. */
static void find_heading(marl_estimator *e)
{
    marl_vec3 up = laneq_rotate(laneq_conjugate(e->q), (marl_vec3){0.0f, 0.0f, 1.0f});
    if (tells_north(e, up)) {
        e->q = step_vectors(up, e->mag, 1);
        e->heading_known = 1;
    }
}

/* First-order share of an error taken out in `age` seconds by a time constant; stable for any age. */
static float share(float age, float time_constant)
{
    return age / (time_constant + age);
}

static void correct_by_vectors(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    const float *value = e->tuning.value;
    float tilt_time = value[MARL_PARAMETER_TILT_TIME];
    float heading_time = value[MARL_PARAMETER_HEADING_TIME];
    float bias_time = value[MARL_PARAMETER_BIAS_TIME];
    step_complementary_input in = {.dt = dt, .rate = rate, .accel = e->accel, .mag = e->mag};
    in.bias_limit = value[MARL_PARAMETER_BIAS_LIMIT];
    if (fresh & MARL_FRESH_ACCEL) {
        in.tilt_gain = share(e->accel_age, tilt_time);
        in.tilt_bias_gain = in.tilt_gain / bias_time;
        e->accel_age = 0.0f;
    }
    if ((fresh & MARL_FRESH_MAG) && e->heading_known) {
        in.heading_gain = share(e->mag_age, heading_time);
        in.heading_bias_gain = in.heading_gain / bias_time;
        e->mag_age = 0.0f;
    }
    step_complementary_state state = {e->q, e->bias};
    step_complementary(&state, &in);
    e->q = state.q;
    e->bias = state.bias;
}

static void step(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    e->accel_age += dt;
    e->mag_age += dt;
    switch (e->tuning.filter) {
    case MARL_FILTER_VECTORS:
        if (fresh & (MARL_FRESH_ACCEL | MARL_FRESH_MAG)) {
            int north = tells_north(e, e->accel);
            e->q = step_vectors(e->accel, e->mag, north);
            e->heading_known = (uint8_t)north;
        }
        return;
    case MARL_FILTER_COMPLEMENTARY:
        correct_by_vectors(e, fresh, rate, dt);
        break;
    default:
        e->q = step_turn(e->q, rate, dt);
        break;
    }
    if (!e->heading_known && (fresh & MARL_FRESH_MAG)) {
        find_heading(e);
    }
}

marl_status marl_estimator_update(marl_estimator *estimator, const marl_sample *sample)
{
    marl_sample s = *sample;
    float dt;
    marl_status time = take_time(estimator, s.t_ns, &dt);
    if (time == MARL_ERR_TIME) {
        return time;
    }
    marl_status readings = screen(estimator, &s);
    marl_vec3 rate = remember(estimator, &s);
    if (estimator->started) {
        step(estimator, s.fresh, rate, dt);
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
    *q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(estimator->q)
                                                   : marl_quat_canonical(estimator->q);
    return MARL_OK;
}

int marl_estimator_heading_is_magnetic(const marl_estimator *estimator)
{
    return estimator->started && estimator->heading_known;
}
