/* SPDX-License-Identifier: MIT
 * What happens every 100 ms: the readings gathered since are judged, and correct the estimate. */
#include "estimator_parts.h"
#include "kalman.h"
#include "pull.h"

static fusion_limits limits_of(const marl_estimator *e)
{
    const float *value = e->tuning.value;
    fusion_limits p = {.trust = {.accel = value[MARL_PARAMETER_ACCEL_SLACK],
                                 .rate = value[MARL_PARAMETER_RATE_SLACK],
                                 .tilt = value[MARL_PARAMETER_TILT_SLACK],
                                 .field = value[MARL_PARAMETER_FIELD_SLACK],
                                 .dip = value[MARL_PARAMETER_DIP_SLACK],
                                 .heading = value[MARL_PARAMETER_HEADING_SLACK],
                                 .linger = value[MARL_PARAMETER_LINGER],
                                 .hold = value[MARL_PARAMETER_HOLD_LIMIT]},
                       .tilt_time = value[MARL_PARAMETER_TILT_TIME],
                       .heading_time = value[MARL_PARAMETER_HEADING_TIME],
                       .tilt_speed = value[MARL_PARAMETER_TILT_SPEED],
                       .heading_speed = value[MARL_PARAMETER_HEADING_SPEED],
                       .bias_time = value[MARL_PARAMETER_BIAS_TIME],
                       .bias_limit = value[MARL_PARAMETER_BIAS_LIMIT],
                       .gyro_scale = value[MARL_PARAMETER_GYRO_SCALE]};
    p.trust.rate *= e->pull.known ? PULL_ACCOUNTED : 1.0f;
    return p;
}

/* The means of what was gathered. */
static marl_gathered mean_of(const marl_gathered *g)
{
    float accel = g->accels > 0 ? 1.0f / (float)g->accels : 0.0f;
    float mag = g->mags > 0 ? 1.0f / (float)g->mags : 0.0f;
    return (marl_gathered){.accel = lane3_scale(g->accel, accel),
                           .mag = lane3_scale(g->mag, mag),
                           .longer2 = accel * g->longer2,
                           .turning2 = accel * g->turning2,
                           .accels = g->accels,
                           .mags = g->mags};
}

static void fuse(marl_estimator *e, const fusion_limits *p, const marl_gathered *mean)
{
    fusion_state *s = &e->belief;
    int gradient = e->tuning.filter == MARL_FILTER_GRADIENT_DESCENT;
    marl_vec3 tilt = {0.0f, 0.0f, 0.0f};
    float heading = 0.0f;
    fusion_age(s, p, e->gather_age);
    fusion_reckon(s, &p->trust);
    float doubt = s->tilt.angle;
    if (mean->accels > 0) {
        tilt = fusion_tilt(s, p, mean, e->accel_age, gradient);
    }
    if (mean->mags > 0) {
        heading = fusion_heading(s, p, mean, doubt, e->mag_age, gradient);
    }
    fusion_move(s, p, tilt, heading);
}

/* As fuse, by the covariance. */
static void filter(marl_estimator *e, const fusion_limits *p, const marl_gathered *mean)
{
    kalman_age(e, e->gather_age);
    fusion_reckon(&e->belief, &p->trust);
    if (mean->accels > 0) {
        kalman_tilt(e, p, mean, e->accel_age);
    }
    if (mean->mags > 0) {
        kalman_heading(e, p, mean, e->mag_age);
    }
}

/* After a start there are few readings, and the gain is high: the first correct at once, later ones wait for
 * more and more others. The magnetometer has no say: it would move the tilt. */
static float time_to_gather(const marl_estimator *e)
{
    return lane_least(FUSION_GATHER, FUSION_GATHER_SHARE * e->belief.accel_trust.heard_s);
}

void estimator_correct(marl_estimator *e)
{
    fusion_limits p = limits_of(e);
    marl_gathered mean = mean_of(&e->gathered);
    e->accel_age += e->gather_age;
    e->mag_age += e->gather_age;
    if (e->tuning.filter == MARL_FILTER_KALMAN) {
        filter(e, &p, &mean);
    } else {
        fuse(e, &p, &mean);
    }
    if (mean.accels > 0) {
        e->accel_age = 0.0f;
        e->counts.doubted_accel += e->belief.accel_trust.weight < 0.5f ? mean.accels : 0;
    }
    if (mean.mags > 0) {
        e->mag_age = 0.0f;
        e->counts.doubted_mag += e->belief.mag_trust.weight < 0.5f ? mean.mags : 0;
    }
    e->gathered = (marl_gathered){.accels = 0};
    e->gather_for = time_to_gather(e);
    if (e->belief.tilt.angle >= FUSION_LOST || e->belief.heading.angle >= FUSION_LOST) {
        estimator_give_up(e);
    }
}
