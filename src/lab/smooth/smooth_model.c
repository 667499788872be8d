/* SPDX-License-Identifier: MIT
 * The start of an estimate, and its way to the next knot. */
#include "lab/smooth/smooth_model.h"
#include "lab/maths/statistics.h"
#include <math.h>
#include <string.h>

#define GYRO_NOISE 1.5e-4   /* n_g, rad/s/sqrt(Hz) */
#define GYRO_SCALE 2e-4     /* s_g, errors that turn with the rate beside those of the matrix, 1 */
#define BIAS_WALK 5e-6      /* n_b, rad/s/sqrt(s) */
#define BIAS_START 0.01     /* b0, rad/s */
#define TURN_START 0.5      /* theta0, rad */
#define HEADING_START 1e-4  /* the same of a relative heading, which is exact at the start */
#define FIELD_START 5.0     /* uT */
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
        sigma[MAG + i] = s->mag_prior;
        sigma[ACCEL + i] = s->accel_prior;
    }
    sigma[THETA + 2] = s->has_mag ? TURN_START : HEADING_START;
    sigma[VELOCITY] = sigma[VELOCITY + 1] = sqrt(LAB_SPEED_NOISE * LAB_SPEED_NOISE + 0.5 * k->speed);
    sigma[FIELD] = sigma[FIELD + 1] = FIELD_START;
    e->x[FIELD] = k->state[FIELD];
    e->x[FIELD + 1] = k->state[FIELD + 1];
    for (int i = MATRIX; i < STATES; i++) {
        sigma[i] = s->matrix_prior;
    }
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
        for (int j = 0; j < STATES - MATRIX; j++) {
            f[(THETA + i) * STATES + MATRIX + j] = -k->turn_by_rate[j % 3][3 * i + j / 3] * k->length;
        }
    }
    for (int i = 0; i < 2; i++) {
        f[(VELOCITY + i) * STATES + VELOCITY + i] = k->gap ? 0 : 1 - k->length / VELOCITY_LEAK;
        for (int j = 0; j < 3 && !k->gap; j++) {
            f[(VELOCITY + i) * STATES + ACCEL + j] = -k->force_turn[3 * i + j] * k->length;
        }
    }
    if (!k->gap) {
        f[VELOCITY * STATES + THETA + 1] = MARL_STANDARD_GRAVITY * k->length;
        f[(VELOCITY + 1) * STATES + THETA] = -MARL_STANDARD_GRAVITY * k->length;
    }
}

/* p := f p f'. Rows of f other than those of turn and velocity are unit rows. */
static void propagate(const double f[SQUARE], double p[SQUARE])
{
    static const int row[] = {THETA, THETA + 1, THETA + 2, VELOCITY, VELOCITY + 1};
    double left[SQUARE];
    memcpy(left, p, sizeof left);
    for (int r = 0; r < 5; r++) {
        for (int j = 0; j < STATES; j++) {
            double sum = 0;
            for (int i = 0; i < STATES; i++) {
                sum += f[row[r] * STATES + i] * p[i * STATES + j];
            }
            left[row[r] * STATES + j] = sum;
        }
    }
    memcpy(p, left, sizeof left);
    for (int r = 0; r < 5; r++) {
        for (int j = 0; j < STATES; j++) {
            double sum = 0;
            for (int i = 0; i < STATES; i++) {
                sum += left[j * STATES + i] * f[row[r] * STATES + i];
            }
            p[j * STATES + row[r]] = sum;
        }
    }
}

/* The states at knot k: the turn by what the block's nominal motion did not use of bias and matrix. */
static void predict_states(const lab_knot *before, const lab_knot *k, const double f[SQUARE], lab_estimate *e)
{
    double x[STATES];
    memcpy(x, e->x, sizeof x);
    for (int i = 0; i < 3; i++) {
        for (int j = BIAS; j < STATES; j = j + 1 == VELOCITY ? MATRIX : j + 1) {
            x[THETA + i] += f[(THETA + i) * STATES + j] * (e->x[j] - before->state[j]);
        }
        x[THETA + i] += k->delta[i];
    }
    for (int i = 0; i < 2; i++) {
        double force = k->force[i] + MARL_STANDARD_GRAVITY * (i == 0 ? e->x[THETA + 1] : -e->x[THETA]);
        for (int j = 0; j < 3; j++) {
            force -= k->force_turn[3 * i + j] * e->x[ACCEL + j];
        }
        x[VELOCITY + i] = k->gap ? 0
                                 : (1 - k->length / VELOCITY_LEAK) * e->x[VELOCITY + i] +
                                       (k->forces > 0 ? k->length * force : 0);
    }
    memcpy(e->x, x, sizeof x);
}

void lab_smooth_predict(const lab_knot *before, const lab_knot *k, const double f[SQUARE], lab_estimate *e)
{
    predict_states(before, k, f, e);
    propagate(f, e->p);
    double turn2 =
        (GYRO_NOISE * GYRO_NOISE + 2 * LAB_PI * GYRO_SCALE * GYRO_SCALE * sqrt(k->rate2)) * k->length;
    for (int i = 0; i < 3; i++) {
        e->p[(THETA + i) * DIAGONAL] += turn2 + (k->gap ? k->gap_turn2 : 0);
        e->p[(BIAS + i) * DIAGONAL] += BIAS_WALK * BIAS_WALK * k->length;
    }
    for (int i = 0; i < 2; i++) {
        e->p[(VELOCITY + i) * DIAGONAL] +=
            k->gap ? LAB_SPEED_NOISE * LAB_SPEED_NOISE + 0.5 * k->speed : VELOCITY_NOISE * k->length;
    }
}
