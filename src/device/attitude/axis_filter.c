/* SPDX-License-Identifier: MIT
 * One axis: angle, rate, bias. */
#include "device/math/float_math.h"
#include "marlinspike/estimator.h"
#include <math.h>

#define START_BIAS 0.05f  /* rad/s */
#define MAX_STEP 60.0f    /* s */
#define MAX_ANGLE 1e6f    /* rad, rad/s: beyond what one axis can do */
#define MAX_BIAS 10.0f    /* rad/s */
#define MAX_VARIANCE 1e6f /* rad^2 */

static float positive(float x, float min)
{
    return x > min ? x : min;
}

/* NaN is in no range. */
static int usable(float x)
{
    return x >= -MAX_ANGLE && x <= MAX_ANGLE;
}

static float bounded(float x, float max)
{
    return float_snap(float_max(float_min(x, max), -max));
}

static int usable_step(float rate, float dt)
{
    return usable(rate) && dt > 0.0f && dt <= MAX_STEP;
}

void marl_axis_filter_complementary_init(marl_axis_filter_complementary *axis_filter, float angle_time,
                                         float bias_time)
{
    *axis_filter = (marl_axis_filter_complementary){.angle_time = positive(angle_time, 1e-3f),
                                                    .bias_time = positive(bias_time, 1e-3f)};
}

float marl_axis_filter_complementary_update(marl_axis_filter_complementary *h, float rate, float angle,
                                            float dt)
{
    if (!h->started) {
        h->started = usable(angle);
        h->angle = h->started ? angle : 0.0f;
        return h->angle;
    }
    if (!usable_step(rate, dt)) {
        return h->angle;
    }
    h->angle = bounded(h->angle + (rate - h->bias) * dt, MAX_ANGLE);
    if (usable(angle)) {
        float fix = (angle - h->angle) * dt / (h->angle_time + dt);
        h->angle = bounded(h->angle + fix, MAX_ANGLE);
        h->bias = bounded(h->bias - fix / h->bias_time, MAX_BIAS);
    }
    return h->angle;
}

void marl_axis_filter_kalman_init(marl_axis_filter_kalman *axis_filter, float rate_white, float bias_walk,
                                  float angle_white)
{
    *axis_filter = (marl_axis_filter_kalman){.rate_white = positive(rate_white, 1e-9f),
                                             .bias_walk = positive(bias_walk, 1e-9f),
                                             .angle_white = positive(angle_white, 1e-9f)};
}

static void start(marl_axis_filter_kalman *h, float angle, float dt)
{
    h->angle = angle;
    h->p_angle = h->angle_white * h->angle_white / positive(dt, 1e-3f);
    h->p_both = 0.0f;
    h->p_bias = START_BIAS * START_BIAS;
    h->started = 1;
}

float marl_axis_filter_kalman_update(marl_axis_filter_kalman *h, float rate, float angle, float dt)
{
    if (!h->started) {
        if (usable(angle)) {
            start(h, angle, dt);
        }
        return h->angle;
    }
    if (!usable_step(rate, dt)) {
        return h->angle;
    }
    h->angle = bounded(h->angle + (rate - h->bias) * dt, MAX_ANGLE);
    h->p_angle += dt * (h->rate_white * h->rate_white - 2.0f * h->p_both + dt * h->p_bias);
    h->p_angle = float_min(h->p_angle, MAX_VARIANCE);
    h->p_both = bounded(h->p_both - dt * h->p_bias, MAX_VARIANCE);
    h->p_bias += dt * h->bias_walk * h->bias_walk;
    if (usable(angle)) {
        float noise = h->angle_white * h->angle_white / dt, inverse = 1.0f / (h->p_angle + noise);
        float innovation = angle - h->angle, kept = noise * inverse;
        h->angle = bounded(h->angle + h->p_angle * inverse * innovation, MAX_ANGLE);
        h->bias = bounded(h->bias + h->p_both * inverse * innovation, MAX_BIAS);
        h->p_bias -= h->p_both * h->p_both * inverse;
        h->p_both = float_snap(h->p_both * kept);
        h->p_angle *= kept;
    }
    return h->angle;
}
