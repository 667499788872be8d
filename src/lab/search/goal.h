/* SPDX-License-Identifier: MIT
 * What the parts of the search ask of a goal. */
#ifndef LAB_GOAL_H
#define LAB_GOAL_H

#include "marlinspike/search.h"

enum { LAB_ANGLES = 3 };   /* total, tilt, heading */
#define LAB_MIN_SCORE 1e-9 /* in place of zero, which has no logarithm */

/* Only rms values of the errors, which are sums that can be taken while the filter runs. */
int lab_goal_is_of_sums(const marl_goal *goal);
double lab_goal_of_sums(const marl_goal *goal, const double rms[LAB_ANGLES]);

/* More than the total error? */
int lab_goal_needs_parts(const marl_goal *goal);
/* Does a measure of it hold the heading? */
int lab_goal_needs_heading(const marl_goal *goal);
/* The measures that this log does not determine. */
void lab_goal_undetermined(const marl_goal *goal, const marl_comparison *comparison, char *names,
                           size_t size);
/* 1 when a study's ranking goes by the same measure, and by which. */
int lab_goal_rank_by(const marl_goal *goal, marl_rank_by *by);

/* The score of a tuning from those of its logs; INFINITY when one of them is not finite. */
double lab_goal_over_logs(const marl_goal *goal, const double *by_log, size_t n);

#endif
