/* SPDX-License-Identifier: MIT
 * Blocks of rows, and the start from the causal filter. */
#include "lab/smooth/smooth_parts.h"
#include "marlinspike/estimator.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define BLOCK_NS INT64_C(100000000)
#define START_BIAS_LIMIT 0.4f  /* rad/s */
#define START_GYRO_SCALE 0.03f /* 1 */
#define RATE_UNSEEN 0.2        /* share of the rate that may change unseen in a gap */

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
    k->gap = first == last && end->t_ns - before->t_ns > s->gap_ns;
    for (size_t i = first; i <= last; i++) {
        add_stillness(k, &s->sample[i]);
        k->unseen2 += lab_unseen2(s, i);
    }
    for (int i = 0; i < 3; i++) {
        k->rate2 += pow(k->gyro[i] / k->gyros, 2);
    }
    if (k->gap) {
        double change = pow((double)end->gyro.x - (double)before->gyro.x, 2) +
                        pow((double)end->gyro.y - (double)before->gyro.y, 2) +
                        pow((double)end->gyro.z - (double)before->gyro.z, 2);
        k->unseen2 = 0.25 * k->length * k->length * (change + RATE_UNSEEN * RATE_UNSEEN * k->rate2);
    }
    s->knots++;
}

/* A block lasts 0.1 s or ends at a longer step. */
static size_t most_knots(const lab_smoother *s)
{
    uint64_t ns = (uint64_t)s->sample[s->rows - 1].t_ns - (uint64_t)s->sample[0].t_ns;
    size_t most = 2 * (size_t)(ns / (uint64_t)BLOCK_NS) + 3;
    return most < s->rows + 1 ? most : s->rows + 1;
}

/* A step over which rows are missing is a block of its own. */
static void cut(lab_smoother *s)
{
    size_t first = 1;
    close_block(s, 0, 0);
    s->knot[0].length = 0;
    s->knot[0].gap = 0;
    for (size_t i = 1; i < s->rows; i++) {
        int64_t step = s->sample[i].t_ns - s->sample[i - 1].t_ns;
        if (step > s->gap_ns) {
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

/* The causal filter from the first row on, wide open for errors of the gyroscope. */
static marl_status begin(const lab_smoother *s, int weighting, float bias_spread, marl_estimator *e,
                         marl_error *error)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    tuning.value[MARL_PARAMETER_USE_MAG] = s->has_mag ? 1.0f : 0.0f;
    tuning.value[MARL_PARAMETER_BIAS_LIMIT] = START_BIAS_LIMIT;
    tuning.value[MARL_PARAMETER_BIAS_SPREAD] = bias_spread;
    tuning.value[MARL_PARAMETER_GYRO_SCALE] = START_GYRO_SCALE;
    tuning.value[MARL_PARAMETER_WEIGHTING] = weighting ? 1.0f : 0.0f;
    return marl_estimator_init(e, &tuning) == MARL_OK
               ? MARL_OK
               : marl_fail(error, MARL_ERR_USE, "the filter's parameters are out of range");
}

static marl_sample without_bias(const marl_sample *from, const double bias[3])
{
    marl_sample sample = *from;
    sample.gyro.x -= (float)bias[0];
    sample.gyro.y -= (float)bias[1];
    sample.gyro.z -= (float)bias[2];
    return sample;
}

static void add_bias(const marl_estimator *e, double bias[3])
{
    marl_vec3 b = marl_estimator_bias(e);
    bias[0] += (double)b.x;
    bias[1] += (double)b.y;
    bias[2] += (double)b.z;
}

/* Attitude and speed of each knot from the filter; *started is the first that it has. 0 when it has none. */
static int run_filter(lab_smoother *s, marl_estimator *e, const double bias[3], size_t *started)
{
    marl_quat q;
    size_t at = 0;
    int any = 0;
    for (size_t i = 0; i < s->rows; i++) {
        marl_sample sample = without_bias(&s->sample[i], bias);
        (void)!marl_estimator_update(e, &sample);
        if (at >= s->knots || s->knot[at].last != i) {
            continue;
        }
        lab_knot *k = &s->knot[at++];
        if (marl_estimator_attitude(e, &q) == MARL_OK) {
            *started = any ? *started : at - 1;
            any = 1;
            set_attitude(k, q);
            k->speed = (double)marl_estimator_speed_evidence(e);
        } else if (any) { /* it restarts behind a gap */
            memcpy(k->q, s->knot[at - 2].q, sizeof k->q);
            k->speed = s->knot[at - 2].speed;
        }
    }
    return any;
}

marl_status lab_smooth_cut(lab_smoother *s, marl_error *error)
{
    s->knot = calloc(most_knots(s), sizeof *s->knot);
    if (s->knot == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    MARL_TRY(lab_smooth_find_rates(s, error));
    MARL_TRY(lab_smooth_find_noise(s, error));
    cut(s);
    lab_smooth_find_coarseness(s);
    return MARL_OK;
}

/* Twice over the log: the last bias of the first time is taken off the readings of the second. */
marl_status lab_smooth_start(lab_smoother *s, int weighting, marl_error *error)
{
    static const float spread[] = {0.06f, 0.02f}; /* rad/s */
    double bias[3] = {0, 0, 0};
    size_t started = 0;
    for (int time = 0; time < 2; time++) {
        marl_estimator e;
        MARL_TRY(begin(s, weighting, spread[time], &e, error));
        if (!run_filter(s, &e, bias, &started)) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT,
                             "%s: no attitude: no good accelerometer reading to start from", s->path);
        }
        add_bias(&e, bias);
    }
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        if (i < started) {
            memcpy(k->q, s->knot[started].q, sizeof k->q);
        }
        memset(k->state, 0, sizeof k->state);
        memcpy(k->state + BIAS, bias, sizeof bias);
    }
    memset(s->constant, 0, sizeof s->constant);
    s->walk = LAB_STEADY_WALK;
    s->passes = 0;
    return MARL_OK;
}
