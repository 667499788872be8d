/* SPDX-License-Identifier: MIT
 * A sensor whose errors are known, and a renewal of its calibration. */
#ifndef RENEWED_SENSOR_H
#define RENEWED_SENSOR_H

#include "marlinspike/renew.h"
#include "random_values.h"
#include <check.h>
#include <math.h>

/* reading = inverse of matrix * true + bias + noise: true = matrix (reading - bias) */
typedef struct sensor {
    double bias[3], back[3][3], noise;
} sensor;

static marl_renewal job;

static inline void direction(dice *d, double v[3])
{
    double n;
    do {
        n = 0;
        for (int k = 0; k < 3; k++) {
            v[k] = dice_between(d, -1, 1);
            n += v[k] * v[k];
        }
    } while (n < 0.1 || n > 1);
    for (int k = 0; k < 3; k++) {
        v[k] /= sqrt(n);
    }
}

static inline sensor make_sensor(dice *d, double bias, double axes, double noise)
{
    sensor s = {.noise = noise};
    for (int i = 0; i < 3; i++) {
        s.bias[i] = bias * dice_between(d, -1, 1);
        for (int j = i; j < 3; j++) {
            s.back[i][j] = s.back[j][i] = (i == j) + axes * dice_between(d, -1, 1);
        }
    }
    return s;
}

static inline marl_vec3 reading_of(const sensor *s, const double truth[3], dice *d)
{
    double v[3];
    for (int i = 0; i < 3; i++) {
        v[i] = s->bias[i] + s->noise * dice_normal(d);
        for (int j = 0; j < 3; j++) {
            v[i] += s->back[i][j] * truth[j];
        }
    }
    return (marl_vec3){(float)v[0], (float)v[1], (float)v[2]};
}

static inline void begin(marl_renewal_kind kind, const marl_calibration *stored,
                         const marl_renewal_options *options)
{
    const marl_calibration none = marl_calibration_none();
    marl_renewal_init(&job);
    ck_assert_int_eq(marl_renewal_start(&job, kind, stored != NULL ? stored : &none, options), MARL_OK);
}

static inline int is_over(void)
{
    return job.stage == MARL_RENEWAL_DONE || job.stage == MARL_RENEWAL_REFUSED;
}

/* How far from one length the corrected readings of all directions are, and from that of `field`. */
static inline double worst_length(const marl_correction *c, const sensor *s, dice *d, double field)
{
    sensor exact = *s;
    double worst = 0;
    exact.noise = 0;
    for (int i = 0; i < 200; i++) {
        double v[3];
        direction(d, v);
        for (int k = 0; k < 3; k++) {
            v[k] *= field;
        }
        marl_vec3 corrected = marl_correction_apply(c, reading_of(&exact, v, d), NAN);
        worst = fmax(worst, fabs((double)marl_vec3_norm(corrected) - field));
    }
    return worst;
}

#endif
