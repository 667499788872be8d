/* SPDX-License-Identifier: MIT
 * One update: time, screening, integration of the rate, accumulation, correction. */
#include "device/attitude/estimator_parts.h"
#include "device/math/canonical.h"
#include "device/sensor/time_step.h"
#include <stddef.h>

/* So many samples in a row from the past that agree with each other show that the clock was set back. */
#define CLOCK_SAMPLES 10
/* Rounding changes the quaternion's length by some 1e-7 with each product: renormalise after so many. */
#define RENORMALIZE_EVERY 32
/* A gap in the gyroscope readings longer than this, s, loses some of the attitude. */
#define GAP 0.15f
/* (2.2) Time within which a hand changes its rate, s; share of the rate that may change unseen all the same;
 * and the unseen turn, rad, beyond which the attitude counts as lost. */
#define GAP_TIME 0.5f
#define GAP_SHARE 0.2f
#define GAP_TURN 0.1f
/* The gains of the simple filters run down again from where a mean of so many seconds is as uncertain as the
 * unseen turn: this, rad s, over the turn. */
#define GAP_RUN_DOWN 0.15f
/* A field stands for no longer than this, s, however long the one before is ago. */
#define MAX_FIELD_AGE 1.0f
/* Without an accelerometer reading a correction waits no longer than this, s. */
#define MAX_WAIT 1.0f
/* The scatter of the rate matters so long after a start, s (3.4). */
#define START_TIME 6.0f
/* Largest turn of one correction, rad, of the tilt and of the heading. */
#define MAX_TURN 0.5f

marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning)
{
    *estimator = (marl_estimator){.tuning = *tuning,
                                  .q = marl_quat_identity(),
                                  .tare = marl_quat_identity(),
                                  .weight_accel = 1.0f,
                                  .weight_mag = 1.0f};
    return marl_tuning_check(tuning);
}

/* A sample from the past. A single one is a slip; a row of them that agree with each other means that the
 * clock was set back, or that the stamp before was wild. Returns 1 when the new clock is the one to use. */
static int clock_was_set_back(marl_estimator *e, int64_t t_ns)
{
    float step;
    int agrees = e->invalid_in_row > 0 && time_step(e->invalid_ns, t_ns, &step) == MARL_OK &&
                 step <= PARAMETER(e, GAP_LIMIT);
    e->invalid_in_row = (uint8_t)(agrees ? e->invalid_in_row + 1 : 1);
    e->invalid_ns = t_ns;
    e->counts.invalid_time++;
    return e->invalid_in_row >= CLOCK_SAMPLES;
}

/* Advances the clock; *dt is the time since the last accepted sample, 0 for the first. */
static marl_status advance_time(marl_estimator *e, int64_t t_ns, float *dt)
{
    *dt = 0.0f;
    if (e->timed) {
        marl_status status = time_step(e->t_ns, t_ns, dt);
        if (status == MARL_ERR_TIME && !clock_was_set_back(e, t_ns)) {
            return status;
        }
        if (status != MARL_OK || *dt > PARAMETER(e, GAP_LIMIT)) {
            marlp_estimator_restart(e);
            *dt = 0.0f;
        }
    }
    e->invalid_in_row = 0;
    e->timed = 1;
    e->t_ns = t_ns;
    e->counts.updates++;
    return MARL_OK;
}

/* NaN and infinity fail every comparison. */
static inline int is_within(marl_vec3 v, float min, float max)
{
    float square = vec3_dot(v, v);
    return square >= min * min && square <= max * max;
}

/* 1 when every fresh reading is certainly good, as nearly always; marlp_estimator_screen examines the rest.
 * */
static inline int is_clean(const marl_sample *s)
{
    unsigned fresh = s->fresh;
    return (!(fresh & MARL_FRESH_GYRO) || is_within(s->gyro, 0.0f, MARL_PLAUSIBLE_GYRO)) &&
           (!(fresh & MARL_FRESH_ACCEL) || is_within(s->accel, MARL_MIN_ACCEL, MARL_PLAUSIBLE_ACCEL)) &&
           (!(fresh & MARL_FRESH_MAG) || is_within(s->mag, MARL_MIN_MAG, MARL_PLAUSIBLE_MAG)) &&
           (fresh < MARL_FRESH_TEMP || (fresh < MARL_FRESH_SPEED && fabsf(s->temp) <= MARL_PLAUSIBLE_TEMP));
}

/* (2.2) The rate during a gap is unknown. The trapezoid rule is good for gaps much shorter than the motion's
 * own time; beyond that a change of the rate may have come at any moment of the gap. */
static void cross_gap(marl_estimator *e, marl_vec3 rate_change, float gap, float dt)
{
    float unknown = 0.5f * gap * float_min(1.0f, gap * gap / (GAP_TIME * GAP_TIME));
    float rate2 = vec3_dot(rate_change, rate_change) + GAP_SHARE * GAP_SHARE * vec3_dot(e->rate, e->rate);
    float turn2 = unknown * unknown * rate2;
    int lost = turn2 > GAP_TURN * GAP_TURN;
    if (e->tuning.filter == MARL_FILTER_KALMAN) {
        marlp_kalman_cross_gap(e, turn2, lost);
    } else {
        e->since_start =
            float_min(e->since_start, GAP_RUN_DOWN / float_max(float_root(turn2), GAP_RUN_DOWN * 1e-5f));
    }
    if (lost) { /* the first reading corrects at once, as a mean would; its own step is added to the age */
        e->sum = (marl_accumulator){.field_age = e->sum.field_age, .age = ESTIMATOR_MEAN_TIME - dt};
    }
}

/* (2.1) Keeps the fresh readings. Returns the mean rate over the step of dt seconds that ends here. */
static marl_vec3 add_readings(marl_estimator *e, const marl_sample *s, float dt)
{
    marl_vec3 mean = e->rate;
    float held = e->gyro_age; /* integrated already, by the reading before alone */
    e->gyro_age += dt;
    if (s->fresh & MARL_FRESH_GYRO) {
        if (!(e->seen & MARL_FRESH_GYRO)) {
            e->rate = s->gyro;
        }
        mean = vec3_scale(vec3_add(e->rate, s->gyro), 0.5f);
        if (held > 0.0f && dt > 0.0f) { /* the trapezoid rule for all of the time since that reading */
            mean = vec3_add(mean, vec3_scale(vec3_sub(s->gyro, e->rate), 0.5f * held / dt));
        }
        if (e->gyro_age > GAP && e->started && estimator_has_corrections(e)) {
            cross_gap(e, vec3_sub(s->gyro, e->rate), e->gyro_age, dt);
        }
        e->rate = s->gyro;
        e->gyro_age = 0.0f;
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

/* (2.1) */
static void integrate(marl_estimator *e, marl_vec3 rate, float dt)
{
    e->q = quat_product(e->q, quat_exp(vec3_scale(vec3_sub(rate, e->bias), 0.5f * dt)));
    if (++e->unnormalized >= RENORMALIZE_EVERY) {
        e->q = quat_snap(quat_renormalize(e->q));
        e->unnormalized = 0;
    }
}

/* (2.3) Turns the fresh readings into the world and adds them up. */
static inline void accumulate(marl_estimator *e, uint8_t fresh, const world_axes *world)
{
    marl_accumulator *sum = &e->sum;
    if (fresh & MARL_FRESH_ACCEL) {
        sum->force =
            vec3_add(sum->force, to_world(world, e->motion.known ? marlp_motion_subtract(e) : e->accel));
        sum->forces++;
    }
    if ((fresh & MARL_FRESH_MAG) && e->heading_known) {
        sum->field = vec3_add(sum->field, to_world(world, e->mag));
        sum->fields++;
    }
}

/* (2.4) Without an accelerometer reading a correction waits, but not for long. */
static inline int correction_is_due(const marl_estimator *e)
{
    return e->sum.age >= e->sum.wait && (e->sum.forces > 0 || e->sum.age >= MAX_WAIT);
}

/* (2.4) After a start the first readings correct at once, later ones as means over a tenth of the time since.
 */
static float time_to_next(const marl_estimator *e)
{
    return float_min(ESTIMATOR_MEAN_TIME, e->since_start / 9.0f);
}

static void count_used(marl_estimator *e, uint32_t forces, uint32_t fields)
{
    e->counts.used_accel += forces;
    e->counts.used_mag += fields;
    e->counts.downweighted_accel += e->weight_accel < 0.5f ? forces : 0;
    e->counts.downweighted_mag += e->weight_mag < 0.5f ? fields : 0;
}

static void correct(marl_estimator *e, const world_axes *world)
{
    const marl_accumulator *sum = &e->sum;
    uint32_t forces = sum->forces, fields = sum->fields;
    float field_age = float_min(sum->field_age + sum->age, MAX_FIELD_AGE);
    estimator_means means = {
        .age = sum->age, .field_age = field_age, .has_force = forces > 0, .has_field = fields > 0};
    means.force = vec3_scale(sum->force, forces > 0 ? 1.0f / (float)forces : 0.0f);
    means.field = vec3_scale(sum->field, fields > 0 ? 1.0f / (float)fields : 0.0f);
    e->since_start = float_min(e->since_start + sum->age, ESTIMATOR_MAX_TIME);
    if (e->tuning.filter == MARL_FILTER_KALMAN) {
        marlp_kalman_correct(e, world, &means);
    } else {
        marlp_constant_gain_correct(e, world, &means);
    }
    count_used(e, forces, fields);
    e->sum = (marl_accumulator){.wait = time_to_next(e), .field_age = fields > 0 ? 0.0f : field_age};
    e->q = quat_snap(quat_renormalize(e->q));
    e->unnormalized = 0;
    if (e->garbage > 0.0f) {
        marlp_estimator_forget_garbage(e, means.age);
    }
}

static void step(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    integrate(e, rate, dt);
    if (!e->heading_known && (fresh & MARL_FRESH_MAG)) {
        marlp_estimator_find_heading(e);
    }
    if (!estimator_has_corrections(e)) {
        return;
    }
    e->sum.age += dt;
    if (e->tuning.filter == MARL_FILTER_KALMAN && e->since_start < START_TIME) {
        marlp_kalman_follow_rate(e, dt);
    }
    world_axes world = world_axes_of(e->q);
    accumulate(e, fresh, &world);
    if (correction_is_due(e)) {
        correct(e, &world);
    }
}

/* vectors: the attitude of this moment alone. */
static void step_vectors(marl_estimator *e, uint8_t fresh)
{
    if (fresh & (MARL_FRESH_ACCEL | MARL_FRESH_MAG)) {
        e->heading_known = (uint8_t)marlp_estimator_sees_north(e, e->accel);
        e->q = e->heading_known ? attitude_from_vectors(e->accel, e->mag) : attitude_from_up(e->accel);
    }
}

marl_status marl_estimator_update(marl_estimator *estimator, const marl_sample *sample)
{
    float dt;
    marl_sample screened;
    estimator->invalid = 0;
    if (advance_time(estimator, sample->t_ns, &dt) != MARL_OK) {
        return MARL_ERR_TIME;
    }
    if (!is_clean(sample)) {
        screened = *sample;
        marlp_estimator_screen(estimator, &screened, dt);
        sample = &screened;
    }
    marl_vec3 rate = add_readings(estimator, sample, dt);
    if (estimator->motion.known || (sample->fresh & MARL_FRESH_SPEED)) {
        marlp_motion_follow(estimator, sample, dt);
    }
    if (!estimator->started) {
        marlp_estimator_start(estimator);
    } else if (dt > 0.0f && estimator->tuning.filter == MARL_FILTER_VECTORS) {
        step_vectors(estimator, sample->fresh);
    } else if (dt > 0.0f) {
        step(estimator, sample->fresh, rate, dt);
    }
    return MARL_OK;
}

marl_vec3 marlp_estimator_turn(marl_estimator *e, marl_vec3 d)
{
    float level2 = d.x * d.x + d.y * d.y;
    if (level2 > MAX_TURN * MAX_TURN) {
        float share = MAX_TURN / float_root(level2);
        d.x *= share;
        d.y *= share;
    }
    d.z = float_clamp(d.z, MAX_TURN);
    marl_quat level = quat_exp((marl_vec3){0.5f * d.x, 0.5f * d.y, 0.0f});
    marl_quat about_up = quat_exp((marl_vec3){0.0f, 0.0f, 0.5f * d.z});
    marl_quat turn = {about_up.w * level.w, about_up.w * level.x - about_up.z * level.y,
                      about_up.w * level.y + about_up.z * level.x, about_up.z * level.w};
    e->q = quat_product(turn, e->q);
    return d;
}

void marlp_estimator_change_bias(marl_estimator *e, marl_vec3 change)
{
    float limit = PARAMETER(e, BIAS_LIMIT);
    marl_vec3 wanted = vec3_add(e->bias, change);
    e->bias = vec3_snap(vec3_clamp(wanted, limit));
    int cut = float_abs(wanted.x) > limit || float_abs(wanted.y) > limit || float_abs(wanted.z) > limit;
    e->counts.limited_bias += cut && limit > 0.0f; /* at 0 it is off, and nobody expects a bias */
}

marl_status marl_estimator_attitude(const marl_estimator *estimator, marl_quat *q)
{
    if (!estimator->started) {
        *q = marl_quat_identity();
        return MARL_ERR_NOT_READY;
    }
    if (!estimator->has_tare && estimator->tuning.world == MARL_WORLD_ENU) {
        *q = quat_canonical(&estimator->q); /* not copied first: one load would wait for four stores */
        return MARL_OK;
    }
    marl_quat reported = estimator->q;
    if (estimator->has_tare) {
        reported = quat_unit(quat_product(reported, estimator->tare));
    }
    *q = estimator->tuning.world == MARL_WORLD_NED ? marl_frame_swap_world(reported)
                                                   : quat_canonical(&reported);
    return MARL_OK;
}
