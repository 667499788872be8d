/* SPDX-License-Identifier: MIT
 * What a tumble shows beyond the surface: the dip of the field, and a hard iron that drifts. */
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

/* Sets t->place_rms. Returns the estimate of the same, uT, also where chance could make as much; 0 where the recording is
 * too short for it. */
double lab_tumble_place(const marl_log *log, const lab_tumble_readings *r, marl_tumble_result *t);

#endif
