/* SPDX-License-Identifier: MIT
 * The error-state Kalman filter: eight states, scalar measurement updates, no inversion. Equation numbers:
 * docs/methods/estimators.md. */
#include "device/attitude/kalman_covariance.h"

#define TWO_PI 6.2831853f
/* Random walk of the velocity, (m/s)^2 per s: keeps its variance from vanishing. */
#define SPEED_WALK 1e-4f
/* An unexplained acceleration or speed counts as no more than this, m/s^2 or m/s: beyond it the reading is
 * worthless anyway, and its memory would outlast it. */
#define MAX_ACCEL MARL_GRAVITY
#define MAX_SPEED 100.0f
/* Evidence below which an acceleration is noise, (m/s^2)^2. */
#define MIN_EVIDENCE 1e-6f
/* Accelerations last at most this share of the velocity's memory: later the leak has forgotten them. */
#define MAX_CORRELATION 0.5f
/* Two means of the rate whose difference shows the start of a motion, s: the fast one averages noise. */
#define RATE_FAST 0.05f
#define RATE_SLOW 0.6f
/* (3.3) Memory of the mean about which the force scatters, s. */
#define FORCE_MEAN 0.6f
/* (3.4) A body that is shaken has the speed of this long of its acceleration, s: slower shaking has more. */
#define SHAKE_TIME 0.3f
/* (3.4) Lever arm of an accelerometer that is not at the centre of rotation, m: its centripetal acceleration turns
 * with the body, as the tilt by a gyroscope's bias does in a steady turn. */
#define UNKNOWN_ARM 0.15f
/* (3.4) A body that turns is accelerated by this, m/s^2, where it turns faster than this, rad/s; where it turns slower,
 * by less. A rate within so many standard deviations of the bias is no turn. */
#define TURN_ACCEL 0.4f
#define TURN_RATE 0.2f
#define TURN_SIGMAS 3.0f
/* (3.4) Square of the age of a start, s^2, below which the start term grows no further: 0.07 s. */
#define START_TIME2 0.0049f
/* Disturbances against which the reported weights are given, m/s^2 and uT. */
#define HALF_WEIGHT_ACCEL 0.1f
#define HALF_WEIGHT_FIELD2 1.0f
/* The heading turns no faster than this by the magnetometer, rad/s (0.9 deg/s), and so many standard deviations of
 * the bias along up, by which it runs away; but for the time after a start or a gap, s, and there by no more than
 * half a turn. */
#define HEADING_RATE 0.0157f
#define HEADING_RATE_SIGMAS 2.0f
#define SETTLING_TIME 5.0f
#define MAX_HEADING_TURN 4.0f
/* The field's reference follows at least with this share, and with half of it where the excess is so many
 * times the variance of a reading. */
#define FIELD_MIN_SHARE 0.1f
#define FIELD_HALF_SHARE 4.0f

static void clear_velocity(marl_estimator *e)
{
    for (int i = 0; i < 2; i++) {
        e->kalman.velocity[i] = 0.0f;
        marlp_kalman_set_variance(&e->kalman, SPEED + i, PARAMETER(e, SPEED_FLOOR));
    }
}

/* The attitude has changed by something that no correction modelled: earlier forces do not determine it. */
static void forget_force(marl_kalman *k)
{
    k->force_age = k->heading_error = k->long_force[0] = k->long_force[1] = 0.0f;
    k->settling = SETTLING_TIME;
}

/* (3.1) */
static void start(marl_estimator *e, float spread)
{
    marl_kalman fresh = {.rate_variance = e->kalman.rate_variance,
                         .rate_fast = e->kalman.rate_fast,
                         .rate_slow = e->kalman.rate_slow};
    e->kalman = fresh;
    for (int i = 0; i < 3; i++) {
        marlp_kalman_set_variance(&e->kalman, ANGLE + i, spread);
        marlp_kalman_set_variance(&e->kalman, BIAS + i, PARAMETER(e, BIAS_SPREAD));
    }
    clear_velocity(e);
    e->kalman.settling = SETTLING_TIME;
}

void marlp_kalman_start_heading(marl_estimator *e)
{
    marlp_kalman_set_variance(&e->kalman, ANGLE + 2, PARAMETER(e, ATTITUDE_SPREAD));
    forget_force(&e->kalman);
}

/* (3.3) W */
static void follow_rate(marl_estimator *e, float dt)
{
    marl_kalman *k = &e->kalman;
    float t = e->since_start + e->sum.age;
    float slow = dt / (dt + float_min(RATE_SLOW, t)), fast = dt / (dt + float_min(RATE_FAST, t));
    k->rate_fast = vec3_follow(k->rate_fast, e->rate, fast);
    marl_vec3 off = vec3_sub(k->rate_fast, k->rate_slow);
    k->rate_slow = vec3_follow(k->rate_slow, k->rate_fast, slow);
    k->rate_variance = float_snap(k->rate_variance + slow * (vec3_dot(off, off) - k->rate_variance));
}

/* (2.2) */
static void cross_gap(marl_estimator *e, float turn2, int lost)
{
    for (int i = 0; i < 3; i++) {
        e->kalman.p[ANGLE + i][ANGLE + i] += turn2;
    }
    if (lost) {
        clear_velocity(e);
        forget_force(&e->kalman);
    }
}

/* (3.2) Q, and the velocity itself. */
static void predict(marl_estimator *e, const world_axes *world, const estimator_means *means)
{
    marl_kalman *k = &e->kalman;
    float age = means->age, white = PARAMETER(e, GYRO_WHITE);
    float scale = PARAMETER(e, GYRO_SCALE), walk = PARAMETER(e, GYRO_WALK);
    marl_vec3 rate = vec3_sub(e->rate, e->bias);
    float leak = float_max(0.0f, 1.0f - age / PARAMETER(e, VELOCITY_TIME));
    const float s[3][3] = {{age * world->east.x, age * world->east.y, age * world->east.z},
                           {age * world->north.x, age * world->north.y, age * world->north.z},
                           {age * world->up.x, age * world->up.y, age * world->up.z}};
    marlp_kalman_predict_covariance(k, s, MARL_GRAVITY * age, leak);
    float angle = (white * white + TWO_PI * scale * scale * float_root(vec3_dot(rate, rate))) * age;
    for (int i = 0; i < 3; i++) {
        k->p[ANGLE + i][ANGLE + i] += angle;
        k->p[BIAS + i][BIAS + i] += walk * walk * age;
    }
    k->p[6][6] += SPEED_WALK * age;
    k->p[7][7] += SPEED_WALK * age;
    k->velocity[0] = float_clamp(leak * k->velocity[0] + means->force.x * age, MAX_SPEED);
    k->velocity[1] = float_clamp(leak * k->velocity[1] + means->force.y * age, MAX_SPEED);
}

static float square_sum(const float v[2])
{
    return v[0] * v[0] + v[1] * v[1];
}

static float low_pass(float before, float now, float share)
{
    return float_snap(before + share * (now - before));
}

/* (3.3) S */
static void follow_scatter(marl_estimator *e, const float force[2], float age)
{
    marl_kalman *k = &e->kalman;
    float share = age / (age + float_min(FORCE_MEAN, e->since_start)), off[2];
    for (int i = 0; i < 2; i++) {
        off[i] = force[i] - k->mean_force[i];
        k->mean_force[i] = float_snap(k->mean_force[i] + share * off[i]);
    }
    k->force_variance = low_pass(k->force_variance, square_sum(off), share);
}

/* (3.3) Mean squares of acceleration and velocity that the covariance does not explain. */
static void follow_evidence(marl_estimator *e, const estimator_means *means)
{
    marl_kalman *k = &e->kalman;
    const float force[2] = {means->force.x, means->force.y};
    follow_scatter(e, force, means->age);
    float tau = PARAMETER(e, DISTURBANCE_TIME);
    float memory = float_min(PARAMETER(e, SPEED_TIME), e->since_start);
    float accel = square_sum(force) - MARL_GRAVITY * MARL_GRAVITY * (k->p[0][0] + k->p[1][1]);
    float speed = square_sum(k->velocity) - k->p[6][6] - k->p[7][7];
    accel = float_min(float_max(accel, 0.0f), MAX_ACCEL * MAX_ACCEL);
    k->accel_evidence = low_pass(k->accel_evidence, accel, means->age / (means->age + tau));
    k->speed_evidence =
        low_pass(k->speed_evidence, float_max(speed, 0.0f), means->age / (means->age + memory));
}

/* (3.4) Squares of the speed, (m/s)^2, and of the acceleration, (m/s^2)^2, that go with a turn; none where the speed
 * is known, and its acceleration taken out. A lever arm does not say how fast the body itself is. */
typedef struct turn {
    float speed2, accel2;
} turn;

static turn turn_of(const marl_estimator *e)
{
    const marl_kalman *k = &e->kalman;
    if (e->motion.has_speed || !IS_ON(e, WEIGHTING)) {
        return (turn){0.0f, 0.0f};
    }
    marl_vec3 rate = vec3_sub(e->rate, e->bias);
    float bias2 = (k->p[3][3] + k->p[4][4] + k->p[5][5]) / 3.0f;
    float rate2 = float_max(vec3_dot(rate, rate) - TURN_SIGMAS * TURN_SIGMAS * bias2, 0.0f);
    float inverse = TURN_ACCEL / (rate2 + TURN_RATE * TURN_RATE);
    float speed2 = rate2 * inverse * inverse;
    return (turn){speed2, speed2 * rate2};
}

/* (3.5) How long accelerations last, s: a motion whose speed V goes with its acceleration A as a wave's does,
 * and never less than disturbance_time. */
static float correlation_time(const marl_estimator *e, const turn *t)
{
    const marl_kalman *k = &e->kalman;
    float tau = PARAMETER(e, DISTURBANCE_TIME), accel2 = k->accel_evidence + t->accel2;
    if (!IS_ON(e, WEIGHTING) || accel2 < MIN_EVIDENCE) {
        return tau;
    }
    float longest = MAX_CORRELATION * PARAMETER(e, VELOCITY_TIME);
    return float_max(tau, float_min(float_root((k->speed_evidence + t->speed2) / accel2), longest));
}

/* (3.4) Variance of the accelerometer as a measure of the level, (m/s^2)^2, of one correlated reading. */
static float accel_variance(marl_estimator *e, const turn *t)
{
    float floor = PARAMETER(e, ACCEL_FLOOR);
    if (!IS_ON(e, WEIGHTING)) {
        float noise = PARAMETER(e, ACCEL_NOISE);
        return floor * floor + noise * noise;
    }
    float still = PARAMETER(e, START_SPEED), arm = PARAMETER(e, START_ARM);
    float speed2 = still * still + arm * arm * e->kalman.rate_variance +
                   SHAKE_TIME * SHAKE_TIME * e->kalman.force_variance;
    marl_vec3 rate = vec3_sub(e->rate, e->bias);
    float centripetal = UNKNOWN_ARM * vec3_dot(rate, rate);
    float disturbance = 0.5f * (e->kalman.accel_evidence + t->accel2) + centripetal * centripetal +
                        speed2 / (e->since_start * e->since_start + START_TIME2);
    e->weight_accel = 1.0f / (1.0f + disturbance / (HALF_WEIGHT_ACCEL * HALF_WEIGHT_ACCEL));
    return floor * floor + disturbance;
}

/* (3.6) Levelling, and a velocity of zero. */
static void level(marl_estimator *e, const estimator_means *means, float x[STATES])
{
    marl_kalman *k = &e->kalman;
    turn t = turn_of(e);
    float floor = PARAMETER(e, SPEED_FLOOR), correlated = 2.0f * correlation_time(e, &t) / means->age;
    float accel = correlated * accel_variance(e, &t) / (MARL_GRAVITY * MARL_GRAVITY);
    float speed = correlated * (floor * floor + 0.5f * k->speed_evidence + t.speed2);
    marlp_kalman_update_scalar(k, x, ANGLE + 1, -means->force.x / MARL_GRAVITY, accel);
    marlp_kalman_update_scalar(k, x, ANGLE, means->force.y / MARL_GRAVITY, accel);
    marlp_kalman_update_scalar(k, x, SPEED, -k->velocity[0], speed);
    marlp_kalman_update_scalar(k, x, SPEED + 1, -k->velocity[1], speed);
}

/* Variance of the bias along up (body), (rad/s)^2. */
static float bias_variance(const marl_kalman *k, marl_vec3 up)
{
    float(*p)[STATES] = (float(*)[STATES])k->p;
    float along = up.x * up.x * p[3][3] + up.y * up.y * p[4][4] + up.z * up.z * p[5][5];
    float mixed = up.x * up.y * p[4][3] + up.x * up.z * p[5][3] + up.y * up.z * p[5][4];
    return float_max(along + 2.0f * mixed, 0.0f);
}

/* (3.7) The most by which the heading may turn, rad. */
static float heading_limit(const marl_estimator *e, marl_vec3 up, float age)
{
    if (e->kalman.settling > 0.0f || !IS_ON(e, WEIGHTING)) {
        return MAX_HEADING_TURN;
    }
    return (HEADING_RATE + HEADING_RATE_SIGMAS * float_root(bias_variance(&e->kalman, up))) * age;
}

/* (3.7) The horizontal field; what its reference does not explain widens the noise, and so does a slope that a wrong
 * tilt has made. */
static void correct_heading(marl_estimator *e, const estimator_means *means, marl_vec3 up, float x[STATES])
{
    marl_kalman *k = &e->kalman;
    int weighted = IS_ON(e, WEIGHTING);
    float noise = PARAMETER(e, MAG_NOISE), noise2 = noise * noise;
    marl_vec3 turned = {x[0], x[1], x[2]};
    marl_vec3 m = vec3_add(means->field, vec3_cross(turned, means->field));
    float level = float_max(float_root(m.x * m.x + m.y * m.y), MIN_LEVEL_FIELD), level2 = level * level;
    float tilt = k->p[0][0] + k->p[1][1], tilt2 = level2 * tilt;
    float excess =
        weighted ? float_max(marlp_field_reference_excess(&e->field, m, noise) - tilt2, 0.0f) : 0.0f;
    float slope2 = weighted ? vec3_dot(m, m) * tilt * tilt : 0.0f;
    float correlated = float_max(1.0f, 2.0f * PARAMETER(e, DISTURBANCE_TIME) / means->field_age);
    e->weight_mag = 1.0f / (1.0f + excess / HALF_WEIGHT_FIELD2);
    if (m.x != 0.0f || m.y != 0.0f) {
        const heading_measurement z = {
            .angle = angle_from_north(m.x, m.y),
            .slope = -m.z / level,
            .variance = correlated * (noise2 + excess + slope2) / level2,
            .limit = heading_limit(e, up, means->age),
        };
        k->innovation = z.angle;
        k->innovation_weight = 1.0f / (1.0f + excess / noise2);
        marlp_kalman_update_heading(k, x, up, &z);
    }
    float share = 1.0f / (1.0f + (excess + tilt2) / (FIELD_HALF_SHARE * noise2));
    marlp_field_reference_follow(&e->field, m, means->field_age, share, FIELD_MIN_SHARE);
}

static void correct(marl_estimator *e, const world_axes *world, const estimator_means *means)
{
    marl_kalman *k = &e->kalman;
    float x[STATES] = {0};
    predict(e, world, means);
    if (means->has_force) {
        if (IS_ON(e, WEIGHTING)) {
            follow_evidence(e, means);
        }
        level(e, means, x);
    } else {
        clear_velocity(e);
    }
    if (means->has_field) {
        correct_heading(e, means, world->up, x);
    }
    marl_vec3 d = marlp_estimator_turn(e, (marl_vec3){x[0], x[1], x[2]});
    k->mean_force[0] += MARL_GRAVITY * d.y;
    k->mean_force[1] -= MARL_GRAVITY * d.x;
    marlp_estimator_change_bias(e, (marl_vec3){x[3], x[4], x[5]});
    k->velocity[0] = float_snap(k->velocity[0] + x[6]);
    k->velocity[1] = float_snap(k->velocity[1] + x[7]);
    marlp_kalman_tidy_covariance(k);
    k->settling = float_max(k->settling - means->age, 0.0f);
    if (means->has_force && IS_ON(e, WEIGHTING)) {
        marlp_kalman_reset_if_lost(e, means, d);
    }
}

const marl_filter_functions marlp_kalman_functions = {.use = marlp_estimator_use,
                                                      .gap = marlp_estimator_gap,
                                                      .motion = marlp_motion_follow,
                                                      .correct = correct,
                                                      .start = start,
                                                      .start_heading = marlp_kalman_start_heading,
                                                      .follow_rate = follow_rate,
                                                      .cross_gap = cross_gap};
