/* SPDX-License-Identifier: MIT
 * The error-state Kalman filter: eight states, scalar measurement updates, no inversion. Equation numbers:
 * docs/methods/estimators.md. The covariance's structure is used: its angle, bias and velocity blocks are
 * propagated block by block. */
#include "estimator_parts.h"

enum { ANGLE = 0, BIAS = 3, SPEED = 6, STATES = MARL_KALMAN_STATES };

#define TWO_PI 6.2831853f
/* Random walk of the velocity, (m/s)^2 per s: keeps its variance from vanishing. */
#define SPEED_WALK 1e-4f
/* Angle variance, rad^2, at which the attitude counts as unknown; it grows no further. */
#define MAX_ANGLE_VARIANCE 2.0f
/* Variances do not fall below this: rounding must not make them negative. */
#define MIN_VARIANCE 1e-14f
/* An invalid reading may hide a turn of 0.05 rad; the bias is known less by this share of its first variance.
 */
#define INVALID_ANGLE2 0.0025f
#define INVALID_SHARE 0.02f
/* Corrections between two passes against denormals. */
#define SNAP_EVERY 32
/* An unexplained acceleration or speed counts as no more than this, m/s^2 or m/s: beyond it the reading is
 * worthless anyway, and its memory would outlast it. */
#define MAX_ACCEL MARL_GRAVITY
#define MAX_SPEED 100.0f
/* Evidence below which an acceleration is noise, (m/s^2)^2. */
#define MIN_EVIDENCE 1e-6f
/* Accelerations last at most this share of the velocity's memory: later the leak has forgotten them. */
#define MAX_CORRELATION 0.5f
/* Two means of the rate whose difference shows a motion that has begun, s: the fast one averages noise. */
#define RATE_FAST 0.05f
#define RATE_SLOW 0.6f
/* (3.4) Square of the age of a start, s^2, below which the start term grows no further: 0.07 s. */
#define START_TIME2 0.0049f
/* Acceleration against which the reported weight is given, m/s^2. */
#define HALF_WEIGHT_ACCEL 0.1f
/* The heading turns no faster than this by the magnetometer, rad/s (0.9 deg/s), but for the time after a
 * start or a gap, s, and there by no more than half a turn. */
#define HEADING_RATE 0.0157f
#define SETTLING_TIME 5.0f
#define MAX_HEADING_TURN 4.0f
/* Horizontal field below which there is no heading, uT. */
#define MIN_LEVEL_FIELD 1.0f

static void clear_state(marl_kalman *k, int i)
{
    for (int j = 0; j < STATES; j++) {
        k->p[j < i ? i : j][j < i ? j : i] = 0.0f;
    }
}

static void set_variance(marl_kalman *k, int i, float sigma)
{
    clear_state(k, i);
    k->p[i][i] = sigma * sigma;
}

static void clear_velocity(marl_estimator *e)
{
    for (int i = 0; i < 2; i++) {
        e->kalman.velocity[i] = 0.0f;
        set_variance(&e->kalman, SPEED + i, estimator_value(e, MARL_PARAMETER_SPEED_FLOOR));
    }
}

/* The attitude has changed by what no correction knew: forces behind it say nothing of it. */
static void forget_force(marl_kalman *k)
{
    k->force_age = k->heading_error = k->long_force[0] = k->long_force[1] = 0.0f;
    k->settling = SETTLING_TIME;
}

/* (3.1) */
void kalman_start(marl_estimator *e, float spread)
{
    marl_kalman fresh = {.rate_variance = e->kalman.rate_variance,
                         .rate_fast = e->kalman.rate_fast,
                         .rate_slow = e->kalman.rate_slow};
    e->kalman = fresh;
    for (int i = 0; i < 3; i++) {
        set_variance(&e->kalman, ANGLE + i, spread);
        set_variance(&e->kalman, BIAS + i, estimator_value(e, MARL_PARAMETER_BIAS_SPREAD));
    }
    clear_velocity(e);
    e->kalman.settling = SETTLING_TIME;
}

void kalman_start_heading(marl_estimator *e)
{
    set_variance(&e->kalman, ANGLE + 2, estimator_value(e, MARL_PARAMETER_ATTITUDE_SPREAD));
    clear_velocity(e);
    forget_force(&e->kalman);
}

/* (3.3) W */
void kalman_follow_rate(marl_estimator *e, float dt)
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
void kalman_cross_gap(marl_estimator *e, float turn2, int lost)
{
    for (int i = 0; i < 3; i++) {
        e->kalman.p[ANGLE + i][ANGLE + i] += turn2;
    }
    if (lost) {
        clear_velocity(e);
        forget_force(&e->kalman);
    }
}

void kalman_widen(marl_estimator *e)
{
    float spread = estimator_value(e, MARL_PARAMETER_BIAS_SPREAD);
    for (int i = 0; i < 3; i++) {
        e->kalman.p[ANGLE + i][ANGLE + i] += INVALID_ANGLE2;
        e->kalman.p[BIAS + i][BIAS + i] += INVALID_SHARE * spread * spread;
    }
}

/* A diagonal block of three states as a full matrix. */
static void read_block(float p[STATES][STATES], int from, float block[3][3])
{
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j <= i; j++) {
            block[i][j] = block[j][i] = p[from + i][from + j];
        }
    }
}

static inline float dot3(const float a[3], const float b[3])
{
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

/* (3.2) P <- Phi P Phi'. Phi is the identity but for the angles' columns of the bias, -S = -R T, and the
 * velocity's rows: v_x <- leak v_x + g T d_y, v_y <- leak v_y - g T d_x. New blocks from old ones, in an
 * order that overwrites nothing that is still needed. */
static void predict_covariance(float p[STATES][STATES], const float s[3][3], float gt, float leak)
{
    float angle[3][3], bias[3][3], half[3][3]; /* half: covariance of the new angles with the old ones */
    read_block(p, ANGLE, angle);
    read_block(p, BIAS, bias);
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            half[i][k] = angle[i][k] - (s[i][0] * p[3][k] + s[i][1] * p[4][k] + s[i][2] * p[5][k]);
        }
    }
    p[7][6] = leak * (leak * p[7][6] + gt * (p[7][1] - p[6][0])) - gt * gt * angle[0][1];
    p[6][6] = leak * (leak * p[6][6] + 2.0f * gt * p[6][1]) + gt * gt * angle[1][1];
    p[7][7] = leak * (leak * p[7][7] - 2.0f * gt * p[7][0]) + gt * gt * angle[0][0];
    for (int i = 0; i < 3; i++) {
        p[6][i] = leak * (p[6][i] - dot3(s[i], &p[6][BIAS])) + gt * half[i][1];
        p[7][i] = leak * (p[7][i] - dot3(s[i], &p[7][BIAS])) - gt * half[i][0];
    }
    for (int i = 0; i < 3; i++) {
        p[6][BIAS + i] = leak * p[6][BIAS + i] + gt * p[BIAS + i][1];
        p[7][BIAS + i] = leak * p[7][BIAS + i] - gt * p[BIAS + i][0];
        for (int k = 0; k < 3; k++) {
            p[BIAS + i][k] -= dot3(s[k], bias[i]);
        }
    }
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k <= i; k++) {
            p[i][k] = half[i][k] - (p[3][i] * s[k][0] + p[4][i] * s[k][1] + p[5][i] * s[k][2]);
        }
    }
}

/* (3.2) Q, and the velocity itself. */
static void predict(marl_estimator *e, const world_axes *world, const estimator_means *means)
{
    marl_kalman *k = &e->kalman;
    float age = means->age, white = estimator_value(e, MARL_PARAMETER_GYRO_WHITE);
    float scale = estimator_value(e, MARL_PARAMETER_GYRO_SCALE),
          walk = estimator_value(e, MARL_PARAMETER_GYRO_WALK);
    marl_vec3 rate = vec3_sub(e->rate, e->bias);
    float leak = float_max(0.0f, 1.0f - age / estimator_value(e, MARL_PARAMETER_VELOCITY_TIME));
    const float s[3][3] = {{age * world->east.x, age * world->east.y, age * world->east.z},
                           {age * world->north.x, age * world->north.y, age * world->north.z},
                           {age * world->up.x, age * world->up.y, age * world->up.z}};
    predict_covariance(k->p, s, MARL_GRAVITY * age, leak);
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

/* (3.3) Mean squares of acceleration and velocity that the covariance does not explain. */
static void follow_evidence(marl_estimator *e, const estimator_means *means)
{
    marl_kalman *k = &e->kalman;
    const float force[2] = {means->force.x, means->force.y};
    float tau = estimator_value(e, MARL_PARAMETER_DISTURBANCE_TIME);
    float memory = float_min(estimator_value(e, MARL_PARAMETER_SPEED_TIME), e->since_start);
    float accel = square_sum(force) - MARL_GRAVITY * MARL_GRAVITY * (k->p[0][0] + k->p[1][1]);
    float speed = square_sum(k->velocity) - k->p[6][6] - k->p[7][7];
    accel = float_min(float_max(accel, 0.0f), MAX_ACCEL * MAX_ACCEL);
    k->accel_evidence = low_pass(k->accel_evidence, accel, means->age / (means->age + tau));
    k->speed_evidence =
        low_pass(k->speed_evidence, float_max(speed, 0.0f), means->age / (means->age + memory));
}

/* Column i of P. */
static void read_column(const marl_kalman *k, int i, float column[STATES])
{
    for (int j = 0; j < i; j++) {
        column[j] = k->p[i][j];
    }
    for (int j = i; j < STATES; j++) {
        column[j] = k->p[j][i];
    }
}

/* Scalar measurement update: z = h x_i + noise of variance r. Changes the error state x and P. */
static void update_scalar(marl_kalman *k, float x[STATES], int i, float h, float z, float r)
{
    float column[STATES];
    read_column(k, i, column);
    float scale = h / (h * h * column[i] + r), innovation = z - h * x[i];
    for (int j = 0; j < STATES; j++) {
        float gain = scale * column[j], *row = k->p[j];
        x[j] += gain * innovation;
        gain *= h;
        for (int l = 0; l <= j; l++) {
            row[l] -= gain * column[l];
        }
    }
}

/* (3.5) How long accelerations last, s: a motion whose speed V goes with its acceleration A as a wave's does,
 * and never less than disturbance_time. */
static float correlation_time(const marl_estimator *e)
{
    const marl_kalman *k = &e->kalman;
    float tau = estimator_value(e, MARL_PARAMETER_DISTURBANCE_TIME);
    if (!estimator_is_on(e, MARL_PARAMETER_WEIGHTING) || k->accel_evidence < MIN_EVIDENCE) {
        return tau;
    }
    float longest = MAX_CORRELATION * estimator_value(e, MARL_PARAMETER_VELOCITY_TIME);
    return float_max(tau, float_min(float_root(k->speed_evidence / k->accel_evidence), longest));
}

/* (3.4) Variance of the accelerometer as a measure of the level, (m/s^2)^2, of one correlated reading. */
static float accel_variance(marl_estimator *e)
{
    float floor = estimator_value(e, MARL_PARAMETER_ACCEL_FLOOR);
    if (!estimator_is_on(e, MARL_PARAMETER_WEIGHTING)) {
        float noise = estimator_value(e, MARL_PARAMETER_ACCEL_NOISE);
        return floor * floor + noise * noise;
    }
    float still = estimator_value(e, MARL_PARAMETER_START_SPEED),
          arm = estimator_value(e, MARL_PARAMETER_START_ARM);
    float speed2 = still * still + arm * arm * e->kalman.rate_variance;
    float disturbance =
        0.5f * e->kalman.accel_evidence + speed2 / (e->since_start * e->since_start + START_TIME2);
    e->weight_accel = 1.0f / (1.0f + disturbance / (HALF_WEIGHT_ACCEL * HALF_WEIGHT_ACCEL));
    return floor * floor + disturbance;
}

/* (3.6) Levelling, and a velocity of zero. */
static void level(marl_estimator *e, const estimator_means *means, float x[STATES])
{
    marl_kalman *k = &e->kalman;
    float floor = estimator_value(e, MARL_PARAMETER_SPEED_FLOOR),
          correlated = 2.0f * correlation_time(e) / means->age;
    float accel = correlated * accel_variance(e);
    float speed = correlated * (floor * floor + 0.5f * k->speed_evidence);
    update_scalar(k, x, 1, MARL_GRAVITY, -means->force.x, accel);
    update_scalar(k, x, 0, -MARL_GRAVITY, -means->force.y, accel);
    update_scalar(k, x, 6, 1.0f, -k->velocity[0], speed);
    update_scalar(k, x, 7, 1.0f, -k->velocity[1], speed);
}

/* The heading as measured: the angle of the field from north, its slope with the tilt about north, variance.
 */
typedef struct heading_measurement {
    float angle, slope, variance, limit; /* rad, 1, rad^2, rad */
} heading_measurement;

/* (3.7) Gain on the heading and on the bias along up alone; all other states are considered, not changed:
 * P <- P + S K K' - K p' - p K'. The turn is no larger than `limit`, rad. */
static void update_heading(marl_kalman *k, float x[STATES], marl_vec3 up, const heading_measurement *m)
{
    const float slope = m->slope, z = m->angle, r = m->variance, limit = m->limit;
    float column[STATES], other[STATES], gain[STATES] = {0};
    read_column(k, 1, other);
    read_column(k, 2, column);
    for (int j = 0; j < STATES; j++) {
        column[j] += slope * other[j];
    }
    float variance = slope * column[1] + column[2] + r, inverse;
    if (column[2] * float_abs(z) >
        limit * variance) { /* a larger variance makes the turn as small as wanted */
        variance = column[2] * float_abs(z) / limit;
    }
    inverse = 1.0f / variance;
    float along = (up.x * column[3] + up.y * column[4] + up.z * column[5]) * inverse;
    gain[2] = column[2] * inverse;
    gain[3] = along * up.x;
    gain[4] = along * up.y;
    gain[5] = along * up.z;
    for (int j = 2; j < 6; j++) {
        x[j] += gain[j] * z;
        other[j] = variance * gain[j] - column[j];
    }
    for (int j = 2; j < STATES; j++) { /* S K K' - p K' - K p', row by row; K is zero outside 2 to 5 */
        float own = j < 6 ? gain[j] : 0.0f, mixed = j < 6 ? other[j] : -column[j], *row = k->p[j];
        for (int l = 0; l <= j; l++) {
            row[l] += mixed * gain[l] - own * column[l];
        }
    }
}

/* (3.7) The horizontal field; what its reference does not explain widens the noise. */
static void correct_heading(marl_estimator *e, const estimator_means *means, marl_vec3 up, float x[STATES])
{
    marl_kalman *k = &e->kalman;
    int weighted = estimator_is_on(e, MARL_PARAMETER_WEIGHTING);
    float noise = estimator_value(e, MARL_PARAMETER_MAG_NOISE), noise2 = noise * noise;
    marl_vec3 turned = {x[0], x[1], x[2]};
    marl_vec3 m = vec3_add(means->field, vec3_cross(turned, means->field));
    float level = float_max(float_root(m.x * m.x + m.y * m.y), MIN_LEVEL_FIELD), level2 = level * level;
    float tilt2 = level2 * (k->p[0][0] + k->p[1][1]);
    float excess = weighted ? float_max(field_reference_excess(&e->field, m, noise) - tilt2, 0.0f) : 0.0f;
    float correlated =
        float_max(1.0f, 2.0f * estimator_value(e, MARL_PARAMETER_DISTURBANCE_TIME) / means->field_age);
    e->weight_mag = 1.0f / (1.0f + excess / noise2);
    if (m.x != 0.0f || m.y != 0.0f) {
        const heading_measurement z = {
            .angle = angle_from_north(m.x, m.y),
            .slope = -m.z / level,
            .variance = correlated * (noise2 + excess) / level2,
            .limit = k->settling > 0.0f || !weighted ? MAX_HEADING_TURN : HEADING_RATE * means->age,
        };
        k->innovation = z.angle;
        update_heading(k, x, up, &z);
    }
    field_reference_follow(&e->field, m, means->field_age,
                           float_max(0.1f, 1.0f / (1.0f + excess / (4.0f * noise2))));
}

/* Covariances that decay never reach denormals. */
static void snap_covariance(marl_kalman *k)
{
    for (int i = 0; i < STATES; i++) {
        for (int j = 0; j < i; j++) {
            k->p[i][j] = float_snap(k->p[i][j]);
        }
    }
}

/* Variances within their limits. */
static void limit_variances(marl_kalman *k)
{
    for (int i = 0; i < STATES; i++) {
        k->p[i][i] = float_max(k->p[i][i], MIN_VARIANCE);
    }
    for (int i = ANGLE; i < BIAS; i++) {
        if (k->p[i][i] > MAX_ANGLE_VARIANCE) {
            float scale = float_root(MAX_ANGLE_VARIANCE / k->p[i][i]);
            for (int j = 0; j < STATES; j++) {
                k->p[j < i ? i : j][j < i ? j : i] *= scale;
            }
            k->p[i][i] *= scale;
        }
    }
}

void kalman_correct(marl_estimator *e, const world_axes *world, const estimator_means *means)
{
    marl_kalman *k = &e->kalman;
    float x[STATES] = {0};
    predict(e, world, means);
    if (means->has_force) {
        if (estimator_is_on(e, MARL_PARAMETER_WEIGHTING)) {
            follow_evidence(e, means);
        }
        level(e, means, x);
    } else {
        clear_velocity(e);
    }
    if (means->has_field) {
        correct_heading(e, means, world->up, x);
    }
    marl_vec3 d = estimator_turn(e, (marl_vec3){x[0], x[1], x[2]});
    estimator_change_bias(e, (marl_vec3){x[3], x[4], x[5]});
    k->velocity[0] = float_snap(k->velocity[0] + x[6]);
    k->velocity[1] = float_snap(k->velocity[1] + x[7]);
    limit_variances(k);
    if (++k->corrections >= SNAP_EVERY) {
        snap_covariance(k);
        k->corrections = 0;
    }
    k->settling = float_max(k->settling - means->age, 0.0f);
    if (means->has_force && estimator_is_on(e, MARL_PARAMETER_WEIGHTING)) {
        kalman_reset_if_lost(e, means, d);
    }
}
