/* SPDX-License-Identifier: MIT
 * A reference attitude as it comes: is it usable, on which clock and in which frames is it expressed. What
 * is found here is found once per log and removed from the reference before anything is compared. */
#ifndef MARLINSPIKE_REFERENCE_H
#define MARLINSPIKE_REFERENCE_H

#include "marlinspike/compare.h"
#include "marlinspike/error.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Is it a reference? MARL_ERR_INSUFFICIENT when it is shorter than 10 s; MARL_ERR_INPUT when a step of it
 * turns by more than 90 degrees (across which nothing can be interpolated, and which no rig means) or when
 * rows of the log it came from hold quaternions whose length is not 1 within 1 %. */
MARL_CHECKED marl_status marl_reference_check(const marl_series *reference, const marl_log *log,
                                              marl_error *error);

/* The reference's clock against the log's: t_reference = t_log + offset_s + 1e-6 ppm (t_log - first row). */
typedef struct marl_clock {
    int found;
    double offset_s, offset_sigma_s; /* at the log's first row */
    double ppm, ppm_sigma; /* ppm is NaN, and counts as 0, where the recording does not determine it */
    double r_squared;      /* share of the reference's turning that the gyroscope explains, 0 to 1 */
    int repeats; /* the motion repeats itself: other shifts fit as well, this is where both have most in
                    common */
} marl_clock;

/* From turning: the log's raw gyroscope against the reference's angular rate, with a free 3x3 map and a bias
 * between them, so that a tilted mount does not matter. First the shift that explains most, among all; then
 * offset and rate together by least squares over windows of 3.2 s and shorter. A low-pass in the gyroscope
 * delays it; that delay is in offset_s, with a minus. Not found when there is too little turning or another
 * shift would fit nearly as well. MARL_ERR_INSUFFICIENT without a gyroscope, MARL_ERR_SYSTEM without memory.
 */
MARL_CHECKED marl_status marl_clock_find(const marl_log *log, const marl_series *reference, marl_clock *clock,
                                         marl_error *error);

/* Converts the times of a reference to the log's clock, whose first row is at from_ns. */
void marl_clock_apply(const marl_clock *clock, int64_t from_ns, marl_series *reference);

typedef enum marl_match_kind {
    MARL_MATCH_NONE = 0,
    MARL_MATCH_START,         /* one difference, taken while the estimate first stays with the reference */
    MARL_MATCH_HEADING,       /* about the vertical */
    MARL_MATCH_WORLD,         /* another world frame */
    MARL_MATCH_WORLD_AND_BODY /* and a tilted mount */
} marl_match_kind;

/* "none", "start", "heading", "world", "world+body". MARL_ERR_ARGUMENT for another name. */
MARL_CHECKED marl_status marl_match_from_name(const char *name, marl_match_kind *kind);

/* Constant rotations with estimate ~ world reference body. */
typedef struct marl_match {
    marl_match_kind kind; /* as asked */
    marl_quat world, body;
    int has_world,
        has_body; /* 0: left out, because not asked for or because the motion does not determine it */
    double world_sigma_deg[3],
        body_sigma_deg[3]; /* standard errors about x, y, z, by the scatter over twelfths
                              of the log (5 s at least); NaN where not found */
    double sigma_deg;      /* the largest of them; NaN without */
    double residual_deg;   /* rms of the rotations that are left */
    double condition;      /* how many times larger than their mean a common error of the attitudes comes out,
                                  1 = best; INFINITY where the sides cannot be separated at all */
} marl_match;

/* Least squares of the rotation between the two, over the attitudes that both have, 5 s after the first
 * one on where they last 30 s. Both on one clock. body is left out when its standard error would exceed 1
 * degree or the condition number 20: turning about one axis does not separate it from world.
 * MARL_ERR_INSUFFICIENT when they have under 10 s in common, or (start) the difference never stays within
 * 2 degrees for 5 s. */
MARL_CHECKED marl_status marl_match_find(const marl_series *estimate, const marl_series *reference,
                                         marl_match_kind kind, marl_match *match, marl_error *error);

/* Adds the estimate's own standard deviations (rad; tilt: both axes together) to those of the match: an error
 * of the estimate that lasts is no scatter. */
void marl_match_add_sigma(marl_match *match, double tilt, double heading);

/* reference becomes world reference body. */
void marl_match_apply(const marl_match *match, marl_series *reference);

#ifdef __cplusplus
}
#endif
#endif
