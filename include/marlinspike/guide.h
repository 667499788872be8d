/* SPDX-License-Identifier: MIT
 * Guides for recordings: what is in, what is missing, what the hand should do now, and when it is enough.
 * Each recording has its own (still, turns, poses, tumble, soak); a guide watches raw samples as they come.
 */
#ifndef MARLINSPIKE_GUIDE_H
#define MARLINSPIKE_GUIDE_H

#include "marlinspike/error.h"
#include "marlinspike/sample.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What is enough:
 *   still    30 s at rest
 *   turns    about each axis, both ways, a turn within 20 % of the angle, at rest before and after
 *   poses    2 s at rest on each of the six faces and in 6 more attitudes, 15 deg from each other
 *   tumble   80 % of 60 cells of equal area hold a direction of the magnetometer, about the middle of its
 * extremes soak     20 degC from the coldest to the warmest, and no new extreme for 30 s seconds  so many
 * seconds */
typedef enum marl_guide_kind {
    MARL_GUIDE_STILL,
    MARL_GUIDE_TURNS,
    MARL_GUIDE_POSES,
    MARL_GUIDE_TUMBLE,
    MARL_GUIDE_SOAK,
    MARL_GUIDE_SECONDS,
    MARL_GUIDE_KIND_COUNT
} marl_guide_kind;

const char *marl_guide_name(marl_guide_kind kind);
/* MARL_ERR_ARGUMENT for a name that is none; "seconds" is none, its number is given instead. */
MARL_CHECKED marl_status marl_guide_from_name(const char *name, marl_guide_kind *kind);

/* Three lines: time, rates and rest; what is in; what to do now. */
enum { MARL_GUIDE_LINES = 3, MARL_GUIDE_WIDTH = 160 };
typedef struct marl_guide_view {
    char line[MARL_GUIDE_LINES][MARL_GUIDE_WIDTH];
} marl_guide_view;

typedef struct marl_guide marl_guide;

/* `amount`: seconds of SECONDS (infinity: without end), degrees of TURNS; unused otherwise. */
MARL_CHECKED marl_status marl_guide_create(marl_guide **guide, marl_guide_kind kind, double amount,
                                           marl_error *error);
void marl_guide_free(marl_guide *guide); /* NULL is allowed */

/* Samples in the order of time. */
void marl_guide_feed(marl_guide *guide, const marl_sample *sample);
int marl_guide_done(const marl_guide *guide);
double marl_guide_progress(const marl_guide *guide); /* 0 to 1 */
double marl_guide_seconds(const marl_guide *guide);  /* since the first sample */
/* Steps of over one and a half usual ones: of the sensor that has most. */
unsigned long marl_guide_gaps(const marl_guide *guide);
/* Readings a second of a sensor over the whole recording; NaN when it has fewer than two. */
double marl_guide_rate(const marl_guide *guide, marl_sensor sensor);
void marl_guide_show(const marl_guide *guide, marl_guide_view *view);

#ifdef __cplusplus
}
#endif
#endif
