/* SPDX-License-Identifier: MIT
 * The covariance of the Kalman filter: predicted block by block, updated by one measurement at a time, so
 * that no matrix is inverted. Lower triangle only. Equation numbers: docs/methods/estimators.md. */
#include "device/attitude/kalman_covariance.h"

/* Angle variance, rad^2, at which the attitude counts as unknown; it grows no further. */
#define MAX_ANGLE_VARIANCE 2.0f
/* Variances do not fall below this: rounding must not make them negative. */
#define MIN_VARIANCE 1e-14f

static void clear_state(marl_kalman *k, int i)
{
    for (int j = 0; j < i; j++) {
        k->p[i][j] = 0.0f;
    }
    for (int j = i; j < STATES; j++) {
        k->p[j][i] = 0.0f;
    }
}

void marlp_kalman_set_variance(marl_kalman *k, int i, float sigma)
{
    clear_state(k, i);
    k->p[i][i] = sigma * sigma;
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
void marlp_kalman_predict_covariance(marl_kalman *kalman, const float s[3][3], float gt, float leak)
{
    float(*p)[STATES] = kalman->p;
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

void marlp_kalman_update_scalar(marl_kalman *k, float x[STATES], int i, float z, float r)
{
    float column[STATES];
    read_column(k, i, column);
    float inverse = 1.0f / (column[i] + r), innovation = z - x[i];
    for (int j = 0; j < STATES; j++) {
        float gain = inverse * column[j], *row = k->p[j];
        x[j] += gain * innovation;
        for (int l = 0; l <= j; l++) {
            row[l] -= gain * column[l];
        }
    }
}

/* (3.7) Gain on the heading and on the bias along up alone; all other states are considered, not changed:
 * P <- P + S K K' - K p' - p K'. The turn is no larger than `limit`, rad. */
void marlp_kalman_update_heading(marl_kalman *k, float x[STATES], marl_vec3 up, const heading_measurement *m)
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

/* Covariances that decay never reach denormals: a row with each correction is often enough. */
static void snap_row(marl_kalman *k)
{
    int i = k->corrections++ % STATES;
    for (int j = 0; j < i; j++) {
        k->p[i][j] = float_snap(k->p[i][j]);
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

void marlp_kalman_tidy_covariance(marl_kalman *k)
{
    limit_variances(k);
    snap_row(k);
}
