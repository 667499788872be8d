/* SPDX-License-Identifier: MIT
 * The start of an estimate, and its way to the next knot. */
#include "lab/smooth/smooth_model.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <string.h>

#define GYRO_SCALE 2e-4     /* s_g, errors that turn with the rate beside those of the matrix, 1 */
#define BIAS_START 0.1      /* b0, rad/s */
#define TURN_START 0.5      /* theta0, rad */
#define HEADING_START 1e-4  /* the same of a relative heading, which is exact at the start */
#define VELOCITY_LEAK 600.0 /* T_v, s */
#define VELOCITY_NOISE 1e-4 /* m^2/s^3 */

void lab_smooth_begin(const lab_smoother *s, lab_estimate *e)
{
    const lab_knot *k = &s->knot[0];
    double sigma[STATES];
    memset(e, 0, sizeof *e);
    for (int i = 0; i < 3; i++) {
        sigma[THETA + i] = TURN_START;
        sigma[BIAS + i] = BIAS_START;
    }
    sigma[THETA + 2] = s->has_mag ? TURN_START : HEADING_START;
    sigma[VELOCITY] = sigma[VELOCITY + 1] = sqrt(LAB_SPEED_NOISE * LAB_SPEED_NOISE + 0.5 * k->speed);
    for (int i = 0; i < STATES; i++) {
        e->p[i * DIAGONAL] = sigma[i] * sigma[i];
    }
}

void lab_smooth_transition(const lab_knot *k, double f[SQUARE])
{
    memset(f, 0, SQUARE * sizeof *f);
    for (int i = 0; i < STATES; i++) {
        f[i * DIAGONAL] = 1;
    }
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            f[(THETA + i) * STATES + BIAS + j] = -k->turn[3 * i + j] * k->length;
        }
    }
    for (int i = 0; i < 2; i++) {
        f[(VELOCITY + i) * STATES + VELOCITY + i] = k->gap ? 0 : 1 - k->length / VELOCITY_LEAK;
    }
    if (!k->gap) {
        f[VELOCITY * STATES + THETA + 1] = MARL_STANDARD_GRAVITY * k->length;
        f[(VELOCITY + 1) * STATES + THETA] = -MARL_STANDARD_GRAVITY * k->length;
    }
}

/* p := f p f'. */
static void propagate(const double f[SQUARE], double p[SQUARE])
{
    double left[SQUARE] = {0};
    for (int i = 0; i < STATES; i++) {
        for (int l = 0; l < STATES; l++) {
            for (int j = 0; j < STATES && f[i * STATES + l] != 0; j++) {
                left[i * STATES + j] += f[i * STATES + l] * p[l * STATES + j];
            }
        }
    }
    for (int i = 0; i < STATES; i++) {
        for (int j = 0; j < STATES; j++) {
            double sum = 0;
            for (int l = 0; l < STATES; l++) {
                sum += left[i * STATES + l] * f[j * STATES + l];
            }
            p[i * STATES + j] = sum;
        }
    }
}

/* The states at knot k: the turn by what the block's nominal motion did not use of the bias. */
static void predict_states(const lab_smoother *s, const lab_knot *before, const lab_knot *k,
                           const double f[SQUARE], lab_estimate *e)
{
    double x[STATES], force[3];
    memcpy(x, e->x, sizeof x);
    lab_smooth_force(s, k, force);
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            x[THETA + i] += f[(THETA + i) * STATES + BIAS + j] * (e->x[BIAS + j] - before->state[BIAS + j]);
        }
        x[THETA + i] += k->delta[i];
    }
    for (int i = 0; i < 2; i++) {
        double tilt = i == 0 ? e->x[THETA + 1] : -e->x[THETA];
        double gained = k->force.n > 0 ? k->length * (force[i] + MARL_STANDARD_GRAVITY * tilt) : 0;
        x[VELOCITY + i] = k->gap ? 0 : (1 - k->length / VELOCITY_LEAK) * e->x[VELOCITY + i] + gained;
    }
    memcpy(e->x, x, sizeof x);
}

/* How much the constant at `place` adds to the turn and the velocity at knot k. */
static void add_constant(const lab_knot *k, int place, double unit, double slope[STATES][CONSTANTS], int at)
{
    if (place >= GYRO_MATRIX && place < ARM) {
        for (int i = 0; i < 3; i++) {
            slope[THETA + i][at] -= k->by_rate[i][place - GYRO_MATRIX] * k->length * unit;
        }
    }
    for (int i = 0; i < 3 && place >= GYRO_FORCE; i++) {
        slope[THETA + i][at] -= k->by_force[i][place - GYRO_FORCE] * k->length * unit;
    }
    for (int i = 0; i < 2 && !k->gap && k->force.n > 0; i++) {
        slope[VELOCITY + i][at] -= lab_smooth_force_by(k, place, i) * k->length * unit;
    }
}

void lab_smooth_predict(const lab_smoother *s, const lab_constants *c, const lab_knot *before,
                        const lab_knot *k, const double f[SQUARE], lab_estimate *e)
{
    double slope[STATES][CONSTANTS];
    memcpy(slope, e->slope, sizeof slope);
    for (int i = 0; i < STATES; i++) {
        for (int l = 0; l < STATES; l++) {
            double share = f[i * STATES + l] - (i == l);
            for (int j = 0; j < c->used && share != 0; j++) {
                slope[i][j] += share * e->slope[l][j];
            }
        }
    }
    for (int j = 0; j < c->used; j++) {
        add_constant(k, c->place[j], c->unit[j], slope, j);
    }
    memcpy(e->slope, slope, sizeof slope);
    predict_states(s, before, k, f, e);
    propagate(f, e->p);
    for (int i = 0; i < 3; i++) {
        e->p[(THETA + i) * DIAGONAL] += lab_smooth_turn_variance(s, k);
        e->p[(BIAS + i) * DIAGONAL] += s->walk * s->walk * k->length;
    }
    for (int i = 0; i < 2; i++) {
        e->p[(VELOCITY + i) * DIAGONAL] += k->gap ? LAB_SPEED_NOISE * LAB_SPEED_NOISE + 0.5 * k->speed
                                                  : (VELOCITY_NOISE + k->coarse[MARL_ACCEL]) * k->length;
    }
}

double lab_smooth_turn_variance(const lab_smoother *s, const lab_knot *k)
{
    double density = s->noise * s->noise + 2 * LAB_PI * GYRO_SCALE * GYRO_SCALE * sqrt(k->rate2);
    return (density + k->coarse[MARL_GYRO]) * k->length + k->unseen2;
}
