/* SPDX-License-Identifier: MIT
 * Did the board turn, slowly and evenly, within a span in which it seems still? */
#ifndef LAB_SPAN_TURN_H
#define LAB_SPAN_TURN_H

#include "marlinspike/log.h"

/* The largest change of a sensor's mean reading over eighths of the span, against the first of them. */
typedef struct lab_span_turn {
    int seen;      /* 0: the sensor has no readings there */
    double angle;  /* rad, as an angle of the vector */
    double sigma;  /* its standard error; three times that of white noise, since slow noise adds to it */
    double rate;   /* rad/s: the angle over the time between the two eighths; 0 within four standard errors */
    double from_s; /* when that eighth starts, after the start of the span */
} lab_span_turn;

/* `sensor` is MARL_ACCEL or MARL_MAG. */
lab_span_turn lab_span_turn_of(const marl_log *log, marl_span span, marl_sensor sensor);

/* MARL_ERR_INSUFFICIENT when one of the two sensors shows a turn of the board; *seen (may be NULL) is a set of MARL_FRESH_...:
 * which sensors have readings there. */
MARL_CHECKED marl_status lab_span_turn_check(const marl_log *log, marl_span span, unsigned *seen,
                                             marl_error *error);

/* Turns beyond these are no noise, drift or temperature: of the accelerometer's vector 0.3 degrees, of the
 * magnetometer's 0.6, each at a rate of 0.003 deg/s or more. */
int lab_span_turn_is_motion(const lab_span_turn *turn, marl_sensor sensor);

#endif
