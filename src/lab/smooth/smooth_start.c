/* SPDX-License-Identifier: MIT
 * Blocks of rows, and the start from the causal filter. */
#include "lab/smooth/smooth_parts.h"
#include "marlinspike/estimator.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define BLOCK_NS INT64_C(100000000)
#define RATE_UNSEEN 0.2 /* share of the rate that may change unseen in a gap */

static void add_stillness(lab_knot *k, const marl_sample *s)
{
    const double w[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
    const double a[3] = {(double)s->accel.x, (double)s->accel.y, (double)s->accel.z};
    for (int i = 0; i < 3; i++) {
        k->gyro[i] += w[i];
        k->gyro2 += w[i] * w[i];
        k->accel[i] += a[i];
        k->accel2 += a[i] * a[i];
    }
    k->gyros++;
}

static void close_block(lab_smoother *s, size_t first, size_t last)
{
    lab_knot *k = &s->knot[s->knots];
    const marl_sample *end = &s->sample[last], *before = &s->sample[first > 0 ? first - 1 : 0];
    *k = (lab_knot){.first = first, .last = last, .t_ns = end->t_ns};
    k->length = 1e-9 * (double)(end->t_ns - before->t_ns);
    k->gap = first == last && end->t_ns - before->t_ns > BLOCK_NS;
    for (size_t i = first; i <= last; i++) {
        add_stillness(k, &s->sample[i]);
    }
    for (int i = 0; i < 3; i++) {
        k->rate2 += pow(k->gyro[i] / k->gyros, 2);
    }
    if (k->gap) {
        double change = pow((double)end->gyro.x - (double)before->gyro.x, 2) +
                        pow((double)end->gyro.y - (double)before->gyro.y, 2) +
                        pow((double)end->gyro.z - (double)before->gyro.z, 2);
        k->gap_turn2 = 0.25 * k->length * k->length * (change + RATE_UNSEEN * RATE_UNSEEN * k->rate2);
    }
    s->knots++;
}

/* A row step of over 0.1 s is a block of its own. */
static void cut(lab_smoother *s)
{
    size_t first = 1;
    close_block(s, 0, 0);
    s->knot[0].length = 0;
    s->knot[0].gap = 0;
    for (size_t i = 1; i < s->rows; i++) {
        int64_t step = s->sample[i].t_ns - s->sample[i - 1].t_ns;
        if (step > BLOCK_NS) {
            if (i > first) {
                close_block(s, first, i - 1);
            }
            close_block(s, i, i);
            first = i + 1;
        } else if (s->sample[i].t_ns - s->sample[first - 1].t_ns >= BLOCK_NS) {
            close_block(s, first, i);
            first = i + 1;
        }
    }
    if (first < s->rows) {
        close_block(s, first, s->rows - 1);
    }
}

static void set_attitude(lab_knot *k, marl_quat q)
{
    k->q[0] = (double)q.w;
    k->q[1] = (double)q.x;
    k->q[2] = (double)q.y;
    k->q[3] = (double)q.z;
}

marl_status lab_smooth_start(lab_smoother *s, const char *path, marl_error *error)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_estimator e;
    marl_quat q;
    size_t at = 0, started = 0;
    tuning.value[MARL_PARAMETER_USE_MAG] = s->has_mag ? 1.0f : 0.0f;
    if (s->gyro_is_calibrated) {
        tuning.value[MARL_PARAMETER_BIAS_SPREAD] = MARL_BIAS_SPREAD_CALIBRATED;
    }
    s->knot = calloc(s->rows + 1, sizeof *s->knot);
    if (s->knot == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    cut(s);
    if (marl_estimator_init(&e, &tuning) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "the filter's parameters are out of range");
    }
    int any = 0;
    for (size_t i = 0; i < s->rows; i++) {
        (void)!marl_estimator_update(&e, &s->sample[i]);
        if (at >= s->knots || s->knot[at].last != i) {
            continue;
        }
        lab_knot *k = &s->knot[at++];
        if (marl_estimator_attitude(&e, &q) == MARL_OK) {
            started = any ? started : at - 1;
            any = 1;
            set_attitude(k, q);
            k->speed = (double)marl_estimator_speed_evidence(&e);
        } else if (any) { /* it restarts behind a gap */
            memcpy(k->q, s->knot[at - 2].q, sizeof k->q);
            k->speed = s->knot[at - 2].speed;
        }
    }
    if (!any) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: no attitude: no good accelerometer reading to start from", path);
    }
    marl_vec3 bias = marl_estimator_bias(&e);
    for (size_t i = 0; i < s->knots; i++) {
        if (i < started) {
            memcpy(s->knot[i].q, s->knot[started].q, sizeof s->knot[i].q);
        }
        s->knot[i].state[BIAS] = (double)bias.x;
        s->knot[i].state[BIAS + 1] = (double)bias.y;
        s->knot[i].state[BIAS + 2] = (double)bias.z;
    }
    return MARL_OK;
}
