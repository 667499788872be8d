/* SPDX-License-Identifier: MIT
 * What each moment is worth, with hindsight: motion, speed, disturbed field, still spans. */
#include "lab/maths/statistics.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>

#define MOTION_MEMORY 2.0      /* T_A, s to each side */
#define SPEED_MEMORY 30.0      /* T_V */
#define DISTURBANCE_MEMORY 1.0 /* T_e */
#define FIRST_SPAN 20.0        /* T_0, s: its field is the reference of the first pass */
#define MIN_HORIZONTAL 25.0    /* uT^2 */
#define STILL_GYRO 0.01        /* w_s, rad/s */
#define STILL_ACCEL 0.06       /* a_s, m/s^2 */
#define STILL_RATE 0.02        /* r_s, rad/s */
#define STILL_RATE_HZ 200.0    /* readings per second of these */
enum { STILL_BLOCKS = 3 };     /* to each side */

/* Two-sided exponential mean of `value` where it is not NaN, in place. */
static void smooth_both_ways(const lab_smoother *s, double memory, double *value, double *forward,
                             double *weight)
{
    double sum = 0, n = 0;
    for (size_t i = 0; i < s->knots; i++) {
        double keep = i > 0 ? exp(-1e-9 * (double)(s->knot[i].t_ns - s->knot[i - 1].t_ns) / memory) : 0;
        sum = keep * sum + (isnan(value[i]) ? 0 : value[i]);
        n = keep * n + !isnan(value[i]);
        forward[i] = sum;
        weight[i] = n;
    }
    sum = n = 0;
    for (size_t i = s->knots; i-- > 0;) {
        double keep =
            i + 1 < s->knots ? exp(-1e-9 * (double)(s->knot[i + 1].t_ns - s->knot[i].t_ns) / memory) : 0;
        sum *= keep; /* the block itself is in the forward sum */
        n *= keep;
        double all = forward[i] + sum, count = weight[i] + n;
        sum += isnan(value[i]) ? 0 : value[i];
        n += !isnan(value[i]);
        value[i] = count > 1e-12 ? all / count : 0;
    }
}

static double length_of(const double v[3])
{
    return sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
}

/* Medians of the field's length and vertical part over the first span, as the first states. */
static void find_first_field(lab_smoother *s, double *length, double *up)
{
    size_t n = 0;
    for (size_t i = 0; i < s->knots; i++) {
        const lab_knot *k = &s->knot[i];
        if (k->field.n > 0 && (n == 0 || 1e-9 * (double)(k->t_ns - s->knot[0].t_ns) < FIRST_SPAN)) {
            length[n] = length_of(k->field.mean);
            up[n++] = k->field.mean[2];
        }
    }
    double strength = n > 0 ? lab_quantile(length, n, 0.5) : 0,
           vertical = n > 0 ? lab_quantile(up, n, 0.5) : 0;
    s->constant[FIELD] = sqrt(fmax(MIN_HORIZONTAL, strength * strength - vertical * vertical));
    s->constant[FIELD + 1] = vertical;
}

static void find_disturbance(lab_smoother *s, double *value, double *forward, double *weight)
{
    for (size_t i = 0; i < s->knots; i++) {
        const lab_knot *k = &s->knot[i];
        double m[3], field = hypot(s->constant[FIELD], s->constant[FIELD + 1]);
        value[i] = NAN;
        if (k->field.n > 0) {
            lab_smooth_field(s, k, m);
            value[i] = pow(length_of(m) - field, 2) + pow(m[2] - s->constant[FIELD + 1], 2) -
                       2 * LAB_MAG_NOISE * LAB_MAG_NOISE / k->field.n;
        }
    }
    smooth_both_ways(s, DISTURBANCE_MEMORY, value, forward, weight);
    for (size_t i = 0; i < s->knots; i++) {
        s->knot[i].disturbance = fmax(0, value[i]);
    }
}

/* Spread of the readings in the seven blocks around one, and the mean rate against the bias. */
static int is_still(const lab_smoother *s, size_t at)
{
    size_t from = at > STILL_BLOCKS ? at - STILL_BLOCKS : 0;
    size_t to = at + STILL_BLOCKS < s->knots ? at + STILL_BLOCKS : s->knots - 1;
    double gyro[3] = {0}, accel[3] = {0}, gyro2 = 0, accel2 = 0, n = 0, rate = 0, seconds = 0;
    for (size_t i = from; i <= to; i++) {
        const lab_knot *k = &s->knot[i];
        if (k->gap) {
            return 0;
        }
        for (int j = 0; j < 3; j++) {
            gyro[j] += k->gyro[j];
            accel[j] += k->accel[j];
        }
        gyro2 += k->gyro2;
        accel2 += k->accel2;
        n += k->gyros;
        seconds += k->length;
    }
    for (int j = 0; j < 3; j++) {
        gyro2 -= gyro[j] * gyro[j] / n;
        accel2 -= accel[j] * accel[j] / n;
        rate += pow(gyro[j] / n - s->knot[at].state[BIAS + j], 2);
    }
    double noise2 = fmax(n, n * n / (STILL_RATE_HZ * seconds)); /* at higher rates readings have more noise */
    return gyro2 < STILL_GYRO * STILL_GYRO * noise2 && accel2 < STILL_ACCEL * STILL_ACCEL * noise2 &&
           rate < STILL_RATE * STILL_RATE;
}

/* Mean of the vertical force that is left: over a log no motion has one, so that it is an error of the sensor, and no
 * part of the motion. */
static double mean_vertical(const lab_smoother *s)
{
    double sum = 0, n = 0;
    for (size_t i = 0; i < s->knots; i++) {
        double f[3];
        lab_smooth_force(s, &s->knot[i], f);
        sum += s->knot[i].force.n > 0 ? f[2] : 0;
        n += s->knot[i].force.n > 0;
    }
    return n > 0 ? sum / n : 0;
}

/* Horizontal and vertical force that gravity and the constants do not explain. */
static void find_motion(lab_smoother *s, double *value, double *forward, double *weight)
{
    double mean = mean_vertical(s);
    for (int vertical = 0; vertical < 2; vertical++) {
        for (size_t i = 0; i < s->knots; i++) {
            double f[3];
            lab_smooth_force(s, &s->knot[i], f);
            double f2 = vertical ? pow(f[2] - mean, 2) : f[0] * f[0] + f[1] * f[1];
            value[i] = s->knot[i].force.n > 0 ? f2 : NAN;
        }
        smooth_both_ways(s, MOTION_MEMORY, value, forward, weight);
        for (size_t i = 0; i < s->knots; i++) {
            *(vertical ? &s->knot[i].vertical : &s->knot[i].motion) = value[i];
        }
    }
}

marl_status lab_smooth_find_evidence(lab_smoother *s, marl_error *error)
{
    double *value = malloc(3 * s->knots * sizeof *value);
    if (value == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    double *forward = value + s->knots, *weight = forward + s->knots;
    find_motion(s, value, forward, weight);
    for (size_t i = 0; i < s->knots; i++) {
        const lab_knot *k = &s->knot[i];
        value[i] = s->passes == 0 ? k->speed : pow(k->state[VELOCITY], 2) + pow(k->state[VELOCITY + 1], 2);
    }
    smooth_both_ways(s, SPEED_MEMORY, value, forward, weight);
    for (size_t i = 0; i < s->knots; i++) {
        s->knot[i].speed = value[i];
        s->knot[i].still = s->passes > 0 && !s->knot[i].moves_fast && is_still(s, i);
    }
    if (s->has_mag) {
        if (s->passes == 0) {
            find_first_field(s, value, forward);
        }
        find_disturbance(s, value, forward, weight);
    }
    free(value);
    return MARL_OK;
}
