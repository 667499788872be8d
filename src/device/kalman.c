/* SPDX-License-Identifier: MIT
 * The Kalman filter. States 0 to 2: turn in the world, rad; 3 to 5: bias in the body, rad/s. */
#include "kalman.h"

/* What calibration leaves in the magnetometer is taken as a noise that stays for a second: 2 s of density, s.
 */
#define LEFT_FOR 2.0f
#define LEAST 1e-14f /* variances never reach zero by rounding */
/* Flicker noise taken as the walk that has its Allan deviation at 50 s. */
#define FLICKER_AS_WALK 0.0265f

void kalman_begin(marl_estimator *e, int north)
{
    float spread = e->tuning.value[MARL_PARAMETER_BIAS_SPREAD];
    for (int i = 0; i < 6; i++) {
        for (int k = 0; k < 6; k++) {
            e->covariance[i][k] = 0.0f;
        }
    }
    for (int i = 0; i < 3; i++) {
        e->covariance[i][i] = FUSION_FRESH;
        e->covariance[i + 3][i + 3] = spread * spread + LEAST;
    }
    e->covariance[2][2] = north ? FUSION_FRESH : LEAST;
}

/* What was known together with the old heading is worth nothing now. */
void kalman_begin_heading(marl_estimator *e)
{
    for (int i = 0; i < 6; i++) {
        e->covariance[i][2] = e->covariance[2][i] = 0.0f;
    }
    e->covariance[2][2] = FUSION_FRESH;
}

static void mirror(float p[6][6])
{
    for (int i = 0; i < 6; i++) {
        for (int k = 0; k < i; k++) {
            p[i][k] = p[k][i];
        }
    }
}

/* P := F P F' + Q with F = [1, -R dt; 0, 1]. */
static void propagate(float p[6][6], const marl_mat3 *turn, float dt)
{
    float moved[3][3], middle[3][3];
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            float sum = 0.0f;
            for (int j = 0; j < 3; j++) {
                sum += turn->m[i][j] * p[3 + j][3 + k];
            }
            moved[i][k] = dt * sum;
            middle[i][k] = p[i][3 + k] - 0.5f * moved[i][k];
            p[i][3 + k] = lane_snap(p[i][3 + k] - moved[i][k]);
        }
    }
    for (int i = 0; i < 3; i++) {
        for (int k = i; k < 3; k++) {
            float sum = 0.0f;
            for (int j = 0; j < 3; j++) {
                sum += middle[i][j] * turn->m[k][j] + middle[k][j] * turn->m[i][j];
            }
            p[i][k] = lane_snap(p[i][k] - dt * sum);
        }
    }
}

/* A variance above `most` is brought down to it, with all that goes with it. */
static void cap(float p[6][6], int state, float most)
{
    if (p[state][state] > most) {
        float k = lane_root(most / p[state][state]);
        for (int i = 0; i < 6; i++) {
            p[i][state] *= k;
            p[state][i] *= k;
        }
    }
}

/* What the covariance says is what trust goes by. */
static void tell_doubts(marl_estimator *e)
{
    const float(*p)[6] = (const float(*)[6])e->covariance;
    float bias = (p[3][3] + p[4][4] + p[5][5]) * (1.0f / 3.0f);
    e->belief.tilt = (marl_doubt){.angle = 0.5f * (p[0][0] + p[1][1]), .bias = bias};
    e->belief.heading = (marl_doubt){.angle = p[2][2], .bias = bias};
}

void kalman_age(marl_estimator *e, float age)
{
    const float *value = e->tuning.value;
    float(*p)[6] = e->covariance;
    marl_mat3 turn = marl_quat_to_matrix(e->belief.q);
    propagate(p, &turn, age);
    marl_vec3 turned = laneq_rotate(e->belief.q, e->belief.turning);
    float level = lane_root(turned.x * turned.x + turned.y * turned.y);
    const float speed[3] = {level, level, lane_size(turned.z)};
    float white = value[MARL_PARAMETER_GYRO_WHITE], scale = value[MARL_PARAMETER_GYRO_SCALE];
    float flicker = value[MARL_PARAMETER_GYRO_FLICKER], walk = value[MARL_PARAMETER_GYRO_WALK];
    float drift = (walk * walk + FLICKER_AS_WALK * flicker * flicker) * age;
    float spread = value[MARL_PARAMETER_BIAS_SPREAD];
    for (int i = 0; i < 3; i++) {
        p[i][i] = lane_most(p[i][i], LEAST) + (white * white + scale * scale * FUSION_TURN * speed[i]) * age;
        p[i + 3][i + 3] = lane_most(p[i + 3][i + 3], LEAST) + drift;
    }
    mirror(p);
    float tilt = trust_least_doubt(&e->belief.accel_trust, TRUST_SHAKEN),
          heading = trust_least_doubt(&e->belief.mag_trust, TRUST_TURNED);
    p[0][0] = lane_most(p[0][0], tilt);
    p[1][1] = lane_most(p[1][1], tilt);
    p[2][2] = lane_most(p[2][2], heading);
    for (int i = 0; i < 3; i++) {
        cap(p, i, FUSION_LOST);
        cap(p, i + 3, spread * spread + LEAST);
    }
    tell_doubts(e);
}

/* P after a number with variance sum - P[m][m] was read and the gain k taken, `row` being P[m] before:
 * Joseph's form, which holds for any gain. */
static void shrink(float p[6][6], const float k[6], const float row[6], float sum)
{
    float beside[6]; /* how far the gain is from the best one */
    for (int j = 0; j < 6; j++) {
        beside[j] = k[j] * sum - row[j];
    }
    for (int i = 0; i < 6; i++) {
        for (int j = i; j < 6; j++) {
            p[i][j] += k[i] * beside[j] - row[i] * k[j];
        }
    }
    mirror(p);
}

/* The turn about axis m of the level is read, with variance r. Adds the gain times its surprise to d. The
 * accelerometer does not see the heading, and what goes with it by chance is left alone. */
static void take_in_tilt(float p[6][6], int m, float z, float r, float d[6])
{
    float row[6], k[6], sum = p[m][m] + r, inverse = 1.0f / sum;
    float surprise = z - d[m];
    for (int i = 0; i < 6; i++) {
        row[i] = p[m][i];
        k[i] = i == 2 ? 0.0f : row[i] * inverse;
        d[i] += k[i] * surprise;
    }
    shrink(p, k, row, sum);
}

/* Takes the turn out of the estimate and moves the bias, as far as the surprise tells of it. */
static void move(marl_estimator *e, const float d[6], float drift, float limit)
{
    marl_vec3 half = {0.5f * d[0], 0.5f * d[1], 0.5f * d[2]};
    float size = lane_root(lane3_dot(half, half));
    half = lane3_scale(half, FUSION_MOST_FIX / lane_most(size, FUSION_MOST_FIX));
    marl_quat turn = {1.0f, half.x, half.y, half.z};
    marl_vec3 b = e->belief.bias;
    e->belief.q = laneq_snap(laneq_unit(laneq_product(turn, e->belief.q)));
    e->belief.bias =
        lane3_snap((marl_vec3){step_clamp(b.x + drift * d[3], limit), step_clamp(b.y + drift * d[4], limit),
                               step_clamp(b.z + drift * d[5], limit)});
}

void kalman_tilt(marl_estimator *e, const fusion_limits *limits, const marl_gathered *mean, float age)
{
    marl_belief *b = &e->belief;
    marl_vec3 half = fusion_judge_pull(b, &limits->trust, mean, age);
    float white = e->tuning.value[MARL_PARAMETER_ACCEL_WHITE] / MARL_GRAVITY;
    float r = white * white / (age * b->accel_trust.weight), d[6] = {0};
    take_in_tilt(e->covariance, 0, 2.0f * half.x, r, d);
    take_in_tilt(e->covariance, 1, 2.0f * half.y, r, d);
    move(e, d, trust_in_drift(&b->accel_trust), limits->bias_limit);
    e->covariance[2][2] += fusion_upset(b, lane_least(d[0] * d[0] + d[1] * d[1], FUSION_FRESH));
}

/* The turn about up is read, with a gain that leaves the tilt alone: it turns about the vertical and moves
 * the bias along the vertical. */
static void take_in_heading(float p[6][6], marl_vec3 up, float z, float r, float d[6])
{
    float row[6], sum = p[2][2] + r, inverse = 1.0f / sum;
    for (int i = 0; i < 6; i++) {
        row[i] = p[2][i];
    }
    float along = (up.x * row[3] + up.y * row[4] + up.z * row[5]) * inverse;
    const float k[6] = {0.0f, 0.0f, row[2] * inverse, up.x * along, up.y * along, up.z * along};
    for (int i = 0; i < 6; i++) {
        d[i] += k[i] * z;
    }
    shrink(p, k, row, sum);
}

void kalman_heading(marl_estimator *e, const fusion_limits *limits, const marl_gathered *mean, float age)
{
    marl_belief *b = &e->belief;
    float half = fusion_judge_field(b, &limits->trust, mean->mag, age);
    float reach2 =
        lane_most(mean->mag.x * mean->mag.x + mean->mag.y * mean->mag.y, MARL_TINY_MAG * MARL_TINY_MAG);
    float white = e->tuning.value[MARL_PARAMETER_MAG_WHITE], left = e->tuning.value[MARL_PARAMETER_MAG_ERROR];
    float noise = (white * white + LEFT_FOR * left * left) / reach2 +
                  FUSION_TILTED_FOR * fusion_slope2(b->dip) * b->tilt.angle;
    float r = noise / (age * b->mag_trust.weight), d[6] = {0};
    take_in_heading(e->covariance, step_up(b->q), 2.0f * half, r, d);
    move(e, d, trust_in_drift(&b->mag_trust), limits->bias_limit);
}
