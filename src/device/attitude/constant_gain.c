/* SPDX-License-Identifier: MIT
 * The complementary and the gradient-descent filter: constant gains as published, a run-down of the gains
 * after a start, and one optional weighting in front of both. Equation numbers: docs/methods/estimators.md.
 */
#include "device/attitude/estimator_parts.h"

/* The reference of the field follows at least with this share; at once during the first seconds. */
#define FIELD_MIN_SHARE 0.02f
#define FIELD_FIRST_SHARE 2.0f
#define FIELD_FIRST_TIME 5.0f
/* Gains of the run-down: those of a mean of all readings so far, and of the slope through them (4.5).
 */
#define RUN_DOWN_GAIN 4.0f
#define RUN_DOWN_BIAS_GAIN 20.0f
#define RUN_DOWN_BIAS_DELAY 6.0f
/* (4.2) An error that stays is that of a bias, and no disturbance: so many times the square of its mean, for each
 * square of the bias that is expected, (rad/s)^2, widens the threshold's square, for about this time after a start,
 * s, by which the bias is known. */
#define LASTING_SHARE 6250.0f
#define LASTING_TIME 10.0f

/* What the levelling goes by: horizontal force over gravity, the sine of the tilt error. */
typedef struct levelling {
    float x, y;           /* for the turn */
    float bias_x, bias_y; /* for the bias of the complementary filter */
    float share;          /* for the bias of gradient descent, 0 to 1 */
} levelling;

static float weight_of(float excess2, float threshold2)
{
    return 1.0f / (1.0f + excess2 / threshold2);
}

/* (4.2) The square of the threshold, (m/s^2)^2. */
static float accel_threshold2(marl_estimator *e, const estimator_means *means)
{
    float threshold = PARAMETER(e, ACCEL_THRESHOLD), *mean = e->lasting_force;
    float share = means->age / (means->age + PARAMETER(e, FORCE_TIME)), t = e->since_start / LASTING_TIME;
    mean[0] = float_snap(mean[0] + share * (means->force.x - mean[0]));
    mean[1] = float_snap(mean[1] + share * (means->force.y - mean[1]));
    float lasting2 = mean[0] * mean[0] + mean[1] * mean[1], spread = PARAMETER(e, BIAS_SPREAD);
    return threshold * threshold + LASTING_SHARE * spread * spread * lasting2 / (1.0f + t * t);
}

/* (4.1) The published filters take the direction of the force as it is. */
static levelling unweighted(const marl_vec3 *force)
{
    float length2 = vec3_dot(*force, *force);
    if (force->z < 0.0f) {
        length2 = force->x * force->x + force->y * force->y;
    }
    float k = length2 > MARL_MIN_ACCEL * MARL_MIN_ACCEL ? 1.0f / float_root(length2) : 0.0f;
    float x = k * force->x, y = k * force->y;
    return (levelling){x, y, x, y, 1.0f};
}

/* (4.2), (4.3) A down-weighted force is not ignored: its mean over force_time, the change of velocity, which
 * stays small for most motions, takes its place. */
static levelling weighted(marl_estimator *e, const estimator_means *means)
{
    float memory = float_min(PARAMETER(e, FORCE_TIME), e->since_start);
    float share = means->age / (means->age + memory), *mean = e->mean_force;
    marl_vec3 f = means->force;
    mean[0] = float_snap(mean[0] + share * (f.x - mean[0]));
    mean[1] = float_snap(mean[1] + share * (f.y - mean[1]));
    float up = f.z - MARL_GRAVITY;
    float w = weight_of(f.x * f.x + f.y * f.y + up * up, accel_threshold2(e, means));
    float k = w / MARL_GRAVITY, rest = (1.0f - w) / MARL_GRAVITY;
    float bias = rest * PARAMETER(e, BIAS_SHARE);
    e->weight_accel = w;
    return (levelling){k * f.x + rest * mean[0], k * f.y + rest * mean[1], k * f.x + bias * mean[0],
                       k * f.y + bias * mean[1], w + MARL_GRAVITY * bias};
}

/* (4.5) A gain during the run-down, 1/s, and what it may do in one correction. */
static float run_down(const marl_estimator *e, float gain, float age)
{
    if (IS_ON(e, RUN_DOWN)) {
        gain = float_max(gain, RUN_DOWN_GAIN / e->since_start);
    }
    return float_min(gain * age, 1.0f);
}

/* The same for the bias, 1/s^2. */
static float run_down_bias(const marl_estimator *e, float gain)
{
    float t = e->since_start + RUN_DOWN_BIAS_DELAY;
    return IS_ON(e, RUN_DOWN) ? float_max(gain, RUN_DOWN_BIAS_GAIN / (t * t)) : gain;
}

/* Integral gain of a loop with the given proportional gain, 1/s^2; no faster than corrections come. */
static float integral_gain(const marl_estimator *e, float gain, float age)
{
    float damped = float_min(gain, 1.0f / age) / (2.0f * PARAMETER(e, DAMPING));
    return damped * damped;
}

/* A correction in the world: turn, rad, and change of the bias, rad/s. */
typedef struct correction {
    marl_vec3 turn, bias;
} correction;

/* (4.6) Complementary: a share of the error. */
static void complementary_level(const marl_estimator *e, const levelling *in, float age, correction *c)
{
    float gain = 1.0f / PARAMETER(e, TILT_TIME);
    float share = run_down(e, gain, age);
    float integral = run_down_bias(e, integral_gain(e, gain, age)) * age;
    c->turn = (marl_vec3){share * in->y, -share * in->x, 0.0f};
    c->bias = (marl_vec3){-integral * in->bias_y, integral * in->bias_x, 0.0f};
}

static void complementary_heading(const marl_estimator *e, float angle, float weight, float age,
                                  correction *c)
{
    float gain = 1.0f / PARAMETER(e, HEADING_TIME);
    float integral = run_down_bias(e, integral_gain(e, gain, age));
    c->turn.z = run_down(e, gain, age) * weight * angle;
    c->bias.z = -integral * age * weight * angle;
}

/* (4.7) Gradient descent: a step of constant length, never beyond the error. */
static void gradient_level(const marl_estimator *e, const levelling *in, float age, correction *c)
{
    float n = float_root(in->x * in->x + in->y * in->y);
    float way = float_min(PARAMETER(e, BETA) * age, n);
    way = float_max(way, run_down(e, 0.0f, age) * n);
    float k = n > 1e-12f ? 1.0f / n : 0.0f;
    float bias = k * float_max(PARAMETER(e, ZETA), run_down_bias(e, 0.0f) * n) * age * in->share;
    c->turn = (marl_vec3){k * way * in->y, -k * way * in->x, 0.0f};
    c->bias = (marl_vec3){-bias * in->y, bias * in->x, 0.0f};
}

static void gradient_heading(const marl_estimator *e, float angle, float weight, float age, correction *c)
{
    float size = angle < 0.0f ? -angle : angle, sign = angle < 0.0f ? -1.0f : 1.0f;
    float way = float_min(PARAMETER(e, HEADING_BETA) * age * weight, size);
    float bias = PARAMETER(e, HEADING_ZETA) * age * weight;
    c->turn.z = sign * float_max(way, run_down(e, 0.0f, age) * weight * size);
    c->bias.z = -sign * float_max(size > 0.0f ? bias : 0.0f, run_down_bias(e, 0.0f) * age * weight * size);
}

/* (4.4) The weight of the field, whose reference follows it. */
static float weigh_field(marl_estimator *e, marl_vec3 field, float age)
{
    float excess = marlp_field_reference_excess(&e->field, field, PARAMETER(e, MAG_NOISE));
    float threshold = PARAMETER(e, MAG_THRESHOLD),
          w = weight_of(float_max(excess, 0.0f), threshold * threshold);
    float min = e->since_start < FIELD_FIRST_TIME ? FIELD_FIRST_SHARE : FIELD_MIN_SHARE;
    marlp_field_reference_follow(&e->field, field, age, float_max(w, min), 0.0f);
    return w;
}

static void correct_heading(marl_estimator *e, const estimator_means *means, correction *c)
{
    marl_vec3 m = vec3_add(means->field, vec3_cross(c->turn, means->field));
    int is_weighted = IS_ON(e, WEIGHTING);
    e->weight_mag = is_weighted ? weigh_field(e, m, means->field_age) : 1.0f;
    if (m.x == 0.0f && m.y == 0.0f) {
        return;
    }
    float angle = angle_from_north(m.x, m.y);
    if (e->tuning.filter == MARL_FILTER_COMPLEMENTARY) {
        complementary_heading(e, angle, e->weight_mag, means->field_age, c);
    } else {
        gradient_heading(e, angle, e->weight_mag, means->field_age, c);
    }
}

static void correct(marl_estimator *e, const world_axes *world, const estimator_means *means)
{
    correction c = {{0.0f, 0.0f, 0.0f}, {0.0f, 0.0f, 0.0f}};
    if (means->has_force) {
        levelling in = IS_ON(e, WEIGHTING) ? weighted(e, means) : unweighted(&means->force);
        if (e->tuning.filter == MARL_FILTER_COMPLEMENTARY) {
            complementary_level(e, &in, means->age, &c);
        } else {
            gradient_level(e, &in, means->age, &c);
        }
    }
    if (means->has_field) {
        correct_heading(e, means, &c);
    }
    marl_vec3 d = marlp_estimator_turn(e, c.turn);
    marlp_estimator_change_bias(e, to_body(world, c.bias));
    e->mean_force[0] = float_snap(e->mean_force[0] + MARL_GRAVITY * d.y);
    e->mean_force[1] = float_snap(e->mean_force[1] - MARL_GRAVITY * d.x);
}

const marl_filter_functions marlp_constant_gain_functions = {.use = marlp_estimator_use,
                                                             .gap = marlp_estimator_gap,
                                                             .motion = marlp_motion_follow,
                                                             .correct = correct};
