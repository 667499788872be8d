/* SPDX-License-Identifier: MIT
 * What a tumble shows beyond the surface: the dip of the field, and a hard iron that drifts or is
 * another for a part of the time. */
#ifndef LAB_TUMBLE_PARTS_H
#define LAB_TUMBLE_PARTS_H

#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"

/* The magnetometer's readings of a log. */
typedef struct lab_tumble_readings {
    size_t n;
    double (*x)[3];
    size_t *row;         /* of the log */
    unsigned char *skip; /* does not belong to the surface */
    lab_moments temp;
    size_t repeats;
    int torn; /* soft iron is significant, but these directions do not determine it */
} lab_tumble_readings;

/* dip, its standard error and its spread, or NaN: the angle of the field below the horizon by the
 * accelerometer. Half seconds count by how near to gravity they are, the scatter of blocks of seconds makes
 * the standard error. */
void lab_tumble_dip(const marl_log *log, const lab_tumble_readings *r, const marl_fit *accel,
                    marl_tumble_result *t);

/* t->drift and its standard error, by the distances from the surface over the direction and the time; NaN
 * where the motion does not determine it. */
void lab_tumble_drift(const marl_log *log, const lab_tumble_readings *r, marl_tumble_result *t);

/* 1 where the hard iron is another in a part of the recording, at most half of it: when, and by how much, corrected uT.
 * `fit` is the surface through all readings. */
int lab_tumble_moved(const marl_log *log, const lab_tumble_readings *r, const marl_fit *fit, marl_span *span,
                     double by[3]);
/* The readings outside of a span, none of them marked, in memory of their own; 0 without memory. */
int lab_tumble_without(const marl_log *log, const lab_tumble_readings *r, const marl_span *span,
                       lab_tumble_readings *rest);
void lab_tumble_readings_free(lab_tumble_readings *r);

/* Sets t->place_rms. Returns the estimate of the same, uT, also where chance could make as much; 0 where the recording is
 * too short for it. */
double lab_tumble_place(const marl_log *log, const lab_tumble_readings *r, marl_tumble_result *t);

/* The remarks, and what is seen in the standard errors: of what changes with time and place, the estimate of which is
 * `place` (uT); of axes that disagree with the accelerometer's, with which the dip is dropped. */
void lab_tumble_remark_changes(double place, marl_tumble_result *t);
void lab_tumble_remark_axes(marl_tumble_result *t);

#endif
