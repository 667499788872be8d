/* SPDX-License-Identifier: MIT
 * Did a log begin while the body drove? A filter cannot tell the speed that it had before the first sample from a tilt. */
#include "marlinspike/replay.h"
#include <math.h>

#define START_NS INT64_C(3000000000) /* a rest so soon is one at the start */
#define FAST 4.0f                    /* m/s: hands, ropes and people are slower */

void marl_start_watch_init(marl_start_watch *watch)
{
    const marl_still_limits limits = marl_still_default_limits();
    *watch = (marl_start_watch){0};
    (void)!marl_still_init(&watch->still, &limits); /* the defaults pass its check */
}

void marl_start_watch_add(void *context, const marl_pipeline *pipeline, const marl_sample *sample,
                          marl_quat q)
{
    marl_start_watch *watch = context;
    (void)q;
    if (!watch->begun) {
        watch->first_ns = sample->t_ns;
        watch->begun = 1;
    }
    if (!watch->rested && sample->t_ns - watch->first_ns < START_NS) {
        watch->rested = marl_still_update(&watch->still, sample) == MARL_STILL_QUIET;
    }
    watch->knows_speed |= pipeline->estimator.motion.has_speed;
    watch->speed2 = fmaxf(watch->speed2, marl_estimator_speed_evidence(&pipeline->estimator));
}

double marl_start_watch_speed(const marl_start_watch *watch)
{
    int misleads = !watch->rested && !watch->knows_speed && watch->speed2 > FAST * FAST;
    return misleads ? sqrt((double)watch->speed2) : 0;
}
