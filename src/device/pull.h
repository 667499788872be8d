/* SPDX-License-Identifier: MIT
 * The body's own motion in the accelerometer: what a known lever arm or speed tells of it is taken out. */
#ifndef MARL_PULL_H
#define MARL_PULL_H

#include "fusion.h"

/* A turn that is accounted for counts for so much less against the accelerometer. */
#define PULL_ACCOUNTED 10.0f

/* A lever arm in the tuning tells of the body's motion. */
void pull_begin(marl_estimator *e);

/* Keeps the smoothed rate and speed; call with each sample that moved the time on by dt seconds. */
void pull_follow(marl_estimator *e, const marl_sample *s, float dt);

/* e's last accelerometer reading without centripetal and tangential acceleration:
 * lever arm r: w x (w x r) + dw/dt x r; speed v along body x: dv/dt + w x v. */
marl_vec3 pull_without(const marl_estimator *e);

#endif
