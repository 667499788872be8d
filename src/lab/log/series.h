/* SPDX-License-Identifier: MIT
 * Reading between the lines of a series of attitudes. */
#ifndef LAB_SERIES_H
#define LAB_SERIES_H

#include "marlinspike/log.h"

/* ka a + kb b, to length one. */
marl_quat lab_quat_mix(marl_quat a, double ka, marl_quat b, double kb);
/* Angle between two attitudes, rad, 0 to pi. */
double lab_quat_angle(marl_quat a, marl_quat b);

/* The longest piece in time without a step of over LAB_BREAK_NS, as a series that shares its attitudes. */
marl_series lab_series_longest_piece(const marl_series *series);

/* Of at most 4096 steps, evenly chosen; NaN under two attitudes. */
double lab_median_step_s(const marl_series *series);

enum { LAB_GAP_IN_STEPS = 5 };
/* Longer steps than so many median ones are gaps, which nothing is interpolated across. */
int64_t lab_longest_step_ns(const marl_series *series);

/* The attitude at t by slerp; 0 beyond the ends and inside a step longer than longest_ns. *place is where
 * the search starts, 0 at first. */
int lab_series_at(const marl_series *series, int64_t longest_ns, int64_t t_ns, size_t *place, marl_quat *q);

#endif
