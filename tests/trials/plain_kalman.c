/* SPDX-License-Identifier: MIT
 * The multiplicative error-state Kalman filter of the textbook: attitude error in the body and gyroscope
 * bias, dense matrices, unit vectors of accelerometer and magnetometer as measurements of three numbers each.
 */
#include "plain.h"
#include "plain_vectors.h"
#include <string.h>

#define GYRO_WHITE 1.05e-4f /* rad/s/sqrt(Hz) */

void plain_kalman_init(plain_state *s, marl_vec3 field)
{
    memset(s->p, 0, sizeof s->p);
    for (int i = 0; i < 3; i++) {
        s->p[i][i] = 1e-3f;
        s->p[i + 3][i + 3] = 3e-4f;
    }
    s->field = plain_unit(field);
}

static void predict(plain_state *s, marl_vec3 rate, float dt)
{
    const float f[6][6] = {{1, rate.z * dt, -rate.y * dt, -dt, 0, 0},
                           {-rate.z * dt, 1, rate.x * dt, 0, -dt, 0},
                           {rate.y * dt, -rate.x * dt, 1, 0, 0, -dt},
                           {0, 0, 0, 1, 0, 0},
                           {0, 0, 0, 0, 1, 0},
                           {0, 0, 0, 0, 0, 1}};
    float fp[6][6];
    for (int i = 0; i < 6; i++) {
        for (int k = 0; k < 6; k++) {
            fp[i][k] = 0;
            for (int j = 0; j < 6; j++) {
                fp[i][k] += f[i][j] * s->p[j][k];
            }
        }
    }
    for (int i = 0; i < 6; i++) {
        for (int k = 0; k < 6; k++) {
            s->p[i][k] = 0;
            for (int j = 0; j < 6; j++) {
                s->p[i][k] += fp[i][j] * f[k][j];
            }
        }
    }
    for (int i = 0; i < 3; i++) {
        s->p[i][i] += GYRO_WHITE * GYRO_WHITE * dt;
        s->p[i + 3][i + 3] += s->bias_gain * s->bias_gain * dt;
    }
}

static void invert(float m[3][3], float out[3][3])
{
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            int a = (i + 1) % 3, b = (i + 2) % 3, c = (k + 1) % 3, d = (k + 2) % 3;
            out[k][i] = m[a][c] * m[b][d] - m[a][d] * m[b][c];
        }
    }
    float k = 1.0f / (m[0][0] * out[0][0] + m[0][1] * out[1][0] + m[0][2] * out[2][0]);
    for (int i = 0; i < 9; i++) {
        (&out[0][0])[i] *= k;
    }
}

/* z = v + v x (attitude error) + noise */
static void correct(plain_state *s, marl_vec3 z, marl_vec3 v, float sigma)
{
    const float h[3][3] = {{0, -v.z, v.y}, {v.z, 0, -v.x}, {-v.y, v.x, 0}};
    const float y[3] = {z.x - v.x, z.y - v.y, z.z - v.z};
    float ph[6][3] = {{0}}, sum[3][3] = {{0}}, inverse[3][3], k[6][3] = {{0}}, d[6] = {0};
    for (int i = 0; i < 6; i++) {
        for (int j = 0; j < 3; j++) {
            for (int l = 0; l < 3; l++) {
                ph[i][j] += s->p[i][l] * h[j][l];
            }
        }
    }
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            for (int l = 0; l < 3; l++) {
                sum[i][j] += h[i][l] * ph[l][j];
            }
        }
        sum[i][i] += sigma * sigma;
    }
    invert(sum, inverse);
    for (int i = 0; i < 6; i++) {
        for (int j = 0; j < 3; j++) {
            for (int l = 0; l < 3; l++) {
                k[i][j] += ph[i][l] * inverse[l][j];
            }
            d[i] += k[i][j] * y[j];
        }
    }
    for (int i = 0; i < 6; i++) {
        for (int j = 0; j < 6; j++) {
            for (int l = 0; l < 3; l++) {
                s->p[i][j] -= k[i][l] * ph[j][l];
            }
        }
    }
    plain_integrate(&s->q, (marl_vec3){d[0], d[1], d[2]}, 1.0f);
    s->bias = (marl_vec3){s->bias.x + d[3], s->bias.y + d[4], s->bias.z + d[5]};
}

/* v_body = (I - [error x]) R* v, so H = [v x]: see correct. */
void plain_kalman(plain_state *s, marl_vec3 gyro, const marl_vec3 *accel, const marl_vec3 *mag, float dt)
{
    marl_vec3 rate = {gyro.x - s->bias.x, gyro.y - s->bias.y, gyro.z - s->bias.z};
    plain_integrate(&s->q, rate, dt);
    predict(s, rate, dt);
    if (accel != NULL) {
        correct(s, plain_unit(*accel), plain_up(s->q), s->gain);
    }
    if (mag != NULL) {
        marl_vec3 n = plain_north(s->q), u = plain_up(s->q), f = s->field;
        marl_vec3 v = {f.y * n.x + f.z * u.x, f.y * n.y + f.z * u.y, f.y * n.z + f.z * u.z};
        correct(s, plain_unit(*mag), v, s->gain);
    }
}
