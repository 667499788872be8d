/* SPDX-License-Identifier: MIT
 * What the filters that correct have in common: readings as means in the world, gaps, and the turn. */
#include "device/attitude/estimator_parts.h"
#include <stddef.h>

/* (2.2) Time within which a hand changes its rate, s; share of the rate that may change unseen all the same;
 * and the unseen turn, rad, beyond which the attitude counts as lost. */
#define GAP_TIME 0.5f
#define GAP_SHARE 0.2f
#define GAP_TURN 0.1f
/* A field stands for no longer than this, s, however long the one before is ago. */
#define MAX_FIELD_AGE 1.0f
/* Without an accelerometer reading a correction waits no longer than this, s. */
#define MAX_WAIT 1.0f
/* The scatter of the rate matters so long after a start, s (3.4). */
#define START_TIME 6.0f
/* Largest turn of one correction, rad, of the tilt and of the heading. */
#define MAX_TURN 0.5f
/* The gains of the simple filters run down again from where a mean of so many seconds is as uncertain as the
 * unseen turn: this, rad s, over the turn. */
#define GAP_RUN_DOWN 0.15f

/* (2.2) The rate during a gap is unknown. The trapezoid rule is good for gaps much shorter than the motion's
 * own time; beyond that a change of the rate may have come at any moment of the gap. */
void marlp_estimator_gap(marl_estimator *e, marl_vec3 rate_change, float dt)
{
    float gap = e->gyro_age;
    float unknown = 0.5f * gap * float_min(1.0f, gap * gap / (GAP_TIME * GAP_TIME));
    float rate2 = vec3_dot(rate_change, rate_change) + GAP_SHARE * GAP_SHARE * vec3_dot(e->rate, e->rate);
    float turn2 = unknown * unknown * rate2;
    int lost = turn2 > GAP_TURN * GAP_TURN;
    if (e->functions->cross_gap != NULL) {
        e->functions->cross_gap(e, turn2, lost);
    } else {
        e->since_start =
            float_min(e->since_start, GAP_RUN_DOWN / float_max(float_root(turn2), GAP_RUN_DOWN * 1e-5f));
    }
    if (lost) { /* the first reading corrects at once, as a mean would; its own step is added to the age */
        e->sum = (marl_accumulator){.field_age = e->sum.field_age, .age = ESTIMATOR_MEAN_TIME - dt};
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
    e->functions->correct(e, world, &means);
    count_used(e, forces, fields);
    e->sum = (marl_accumulator){.wait = time_to_next(e), .field_age = fields > 0 ? 0.0f : field_age};
    e->q = quat_snap(quat_renormalize(e->q));
    e->unnormalized = 0;
    if (e->garbage > 0.0f) {
        marlp_estimator_forget_garbage(e, means.age);
    }
}

void marlp_estimator_use(marl_estimator *e, uint8_t fresh, float dt)
{
    e->sum.age += dt;
    if (e->since_start < START_TIME && e->functions->follow_rate != NULL) {
        e->functions->follow_rate(e, dt);
    }
    world_axes world = world_axes_of(e->q);
    accumulate(e, fresh, &world);
    if (correction_is_due(e)) {
        correct(e, &world);
    }
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
