/* SPDX-License-Identifier: MIT
 * One update: time, screening, integration of the rate. */
#include "device/attitude/estimator_parts.h"
#include "device/math/canonical.h"
#include "device/sensor/time_step.h"
#include <stddef.h>
#include <string.h>

/* So many samples in a row from the past that agree with each other show that the clock was set back. */
#define CLOCK_SAMPLES 10
/* Rounding changes the quaternion's length by some 1e-7 with each product: renormalise after so many. */
#define RENORMALIZE_EVERY 32
/* A gap in the gyroscope readings longer than this, s, loses some of the attitude. */
#define GAP 0.15f

const marl_filter_functions marlp_no_functions = {.use = NULL};

marl_status marlp_estimator_choose(marl_estimator *e, const marl_tuning *tuning)
{
    MARL_TRY(marl_tuning_check(tuning));
    const marl_filter_functions *functions = e->choice != NULL ? e->choice(tuning->filter) : NULL;
    if (functions == NULL) {
        return MARL_ERR_ARGUMENT;
    }
    e->functions = functions;
    e->tuning = *tuning;
    return MARL_OK;
}

void marlp_estimator_clear(marl_estimator *e)
{
    memset((char *)e + offsetof(marl_estimator, q), 0, sizeof *e - offsetof(marl_estimator, q));
    e->q = e->tare = marl_quat_identity();
    e->weight_accel = e->weight_mag = 1.0f;
}

marl_status marl_estimator_init_with(marl_estimator *estimator, const marl_tuning *tuning,
                                     marl_filter_choice choice)
{
    estimator->tuning = *tuning; /* first, since it may be the estimator's own */
    estimator->choice = choice;
    estimator->functions = &marlp_no_functions;
    estimator->counts = (marl_estimator_counts){0};
    marlp_estimator_clear(estimator);
    return marlp_estimator_choose(estimator, &estimator->tuning);
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

/* (2.7) What the magnetometer would have read now: as the body turns, the field turns back in it. */
static marl_vec3 without_delay(const marl_estimator *e, marl_vec3 mag)
{
    float delay = PARAMETER(e, MAG_DELAY);
    if (delay != 0.0f) {
        mag = vec3_add(mag, vec3_scale(vec3_cross(mag, vec3_sub(e->rate, e->bias)), delay));
    }
    return mag;
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
        if (e->gyro_age > GAP && e->started && e->functions->gap != NULL) {
            e->functions->gap(e, vec3_sub(s->gyro, e->rate), dt);
        }
        e->rate = s->gyro;
        e->gyro_age = 0.0f;
    }
    if (s->fresh & MARL_FRESH_ACCEL) {
        e->accel = s->accel;
    }
    if (s->fresh & MARL_FRESH_MAG) {
        e->mag = without_delay(e, s->mag);
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

static void step(marl_estimator *e, uint8_t fresh, marl_vec3 rate, float dt)
{
    integrate(e, rate, dt);
    if (!e->heading_known && (fresh & MARL_FRESH_MAG)) {
        marlp_estimator_find_heading(e);
    }
    if (e->functions->use != NULL) {
        e->functions->use(e, fresh, dt);
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
    if ((estimator->motion.known || (sample->fresh & MARL_FRESH_SPEED)) &&
        estimator->functions->motion != NULL) {
        estimator->functions->motion(estimator, sample, dt);
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
