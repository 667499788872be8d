/* SPDX-License-Identifier: MIT
 * What the files of the estimator share. What happens rarely stands apart from what happens with every
 * sample. */
#ifndef MARL_ESTIMATOR_PARTS_H
#define MARL_ESTIMATOR_PARTS_H

#include "fusion.h"

static inline int estimator_uses_mag(const marl_estimator *e)
{
    return e->tuning.value[MARL_PARAMETER_USE_MAG] != 0.0f;
}

/* Do magnetometer and "up" point apart enough to tell north? */
int estimator_tells_north(const marl_estimator *e, marl_vec3 up);

/* Leaves the usable readings of the sample fresh, counts the others; the first reason. */
marl_status estimator_screen(marl_estimator *e, marl_sample *s);

/* Forgets all but tuning and counts and counts a new start. The bias goes, too: what led here may have spoilt
 * it. */
void estimator_start_anew(marl_estimator *e);
/* An estimate that may be anywhere is none: it begins anew from the next vectors, on the same clock. */
void estimator_give_up(marl_estimator *e);
/* Corrects by what was gathered; ages and counts of the readings that were taken in. */
void estimator_correct(marl_estimator *e);
/* Takes the attitude from the vectors, once they are there. */
void estimator_start(marl_estimator *e);
/* Strength and dip of the field are those of the last reading. */
void estimator_learn_field(marl_estimator *e);
/* The first magnetometer reading after a start without one sets the heading at once; the tilt stays. */
void estimator_find_heading(marl_estimator *e);

#endif
