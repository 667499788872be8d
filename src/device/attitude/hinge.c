/* SPDX-License-Identifier: MIT
 * One axis: angle, rate, bias. */
#include "marlinspike/hinge.h"
#include "device/math/float_math.h"
#include <math.h>

#define START_BIAS 0.05f /* rad/s */
#define MOST_STEP 60.0f  /* s */
#define MOST_ANGLE 1e6f  /* rad, rad/s: no hinge */
#define MOST_BIAS 10.0f  /* rad/s */
#define MOST_DOUBT 1e6f  /* rad^2 */

static float positive(float x, float least)
{
    return x > least ? x : least;
}

/* NaN is in no range. */
static int usable(float x)
{
    return x >= -MOST_ANGLE && x <= MOST_ANGLE;
}

static float bounded(float x, float most)
{
    return float_snap(float_max(float_min(x, most), -most));
}

static int usable_step(float rate, float dt)
{
    return usable(rate) && dt > 0.0f && dt <= MOST_STEP;
}

void marl_hinge_complementary_init(marl_hinge_complementary *hinge, float angle_time, float bias_time)
{
    *hinge = (marl_hinge_complementary){.angle_time = positive(angle_time, 1e-3f),
                                        .bias_time = positive(bias_time, 1e-3f)};
}

float marl_hinge_complementary_update(marl_hinge_complementary *h, float rate, float angle, float dt)
{
    if (!h->begun) {
        h->begun = usable(angle);
        h->angle = h->begun ? angle : 0.0f;
        return h->angle;
    }
    if (!usable_step(rate, dt)) {
        return h->angle;
    }
    h->angle = bounded(h->angle + (rate - h->bias) * dt, MOST_ANGLE);
    if (usable(angle)) {
        float fix = (angle - h->angle) * dt / (h->angle_time + dt);
        h->angle = bounded(h->angle + fix, MOST_ANGLE);
        h->bias = bounded(h->bias - fix / h->bias_time, MOST_BIAS);
    }
    return h->angle;
}

void marl_hinge_kalman_init(marl_hinge_kalman *hinge, float rate_white, float bias_walk, float angle_white)
{
    *hinge = (marl_hinge_kalman){.rate_white = positive(rate_white, 1e-9f),
                                 .bias_walk = positive(bias_walk, 1e-9f),
                                 .angle_white = positive(angle_white, 1e-9f)};
}

static void begin(marl_hinge_kalman *h, float angle, float dt)
{
    h->angle = angle;
    h->p_angle = h->angle_white * h->angle_white / positive(dt, 1e-3f);
    h->p_both = 0.0f;
    h->p_bias = START_BIAS * START_BIAS;
    h->begun = 1;
}

float marl_hinge_kalman_update(marl_hinge_kalman *h, float rate, float angle, float dt)
{
    if (!h->begun) {
        if (usable(angle)) {
            begin(h, angle, dt);
        }
        return h->angle;
    }
    if (!usable_step(rate, dt)) {
        return h->angle;
    }
    h->angle = bounded(h->angle + (rate - h->bias) * dt, MOST_ANGLE);
    h->p_angle += dt * (h->rate_white * h->rate_white - 2.0f * h->p_both + dt * h->p_bias);
    h->p_angle = float_min(h->p_angle, MOST_DOUBT);
    h->p_both = bounded(h->p_both - dt * h->p_bias, MOST_DOUBT);
    h->p_bias += dt * h->bias_walk * h->bias_walk;
    if (usable(angle)) {
        float noise = h->angle_white * h->angle_white / dt, inverse = 1.0f / (h->p_angle + noise);
        float surprise = angle - h->angle, kept = noise * inverse;
        h->angle = bounded(h->angle + h->p_angle * inverse * surprise, MOST_ANGLE);
        h->bias = bounded(h->bias + h->p_both * inverse * surprise, MOST_BIAS);
        h->p_bias -= h->p_both * h->p_both * inverse;
        h->p_both = float_snap(h->p_both * kept);
        h->p_angle *= kept;
    }
    return h->angle;
}
