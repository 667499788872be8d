/* SPDX-License-Identifier: MIT
 * What one run shows over time, thinned for the eye, and logs packed into few bytes. The tool makes the traces of a
 * report page by these calls, and so does the page itself, in which they run as WebAssembly. For one run:
 *
 *   marl_trace_make(&trace, log.n);
 *   options.watch = marl_trace_watch, options.watch_context = &trace;
 *   marl_replay_log(..., &options, &estimate, &error);
 *   marl_trace_add_errors(&trace, &comparison);
 *   marl_trace_thin(&grid, trace.t, trace.value[MARL_TRACE_ROLL], trace.n, rows);
 *   marl_trace_free(&trace); */
#ifndef MARLINSPIKE_TRACE_H
#define MARLINSPIKE_TRACE_H

#include "marlinspike/compare.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- trace ---- */

typedef enum marl_trace_value {
    MARL_TRACE_TOTAL, /* errors, deg */
    MARL_TRACE_TILT,
    MARL_TRACE_HEADING_OFF,
    MARL_TRACE_ROLL, /* deg */
    MARL_TRACE_PITCH,
    MARL_TRACE_HEADING,      /* compass heading, deg */
    MARL_TRACE_BIAS,         /* length of the gyroscope bias, deg/s */
    MARL_TRACE_WEIGHT_ACCEL, /* 0 to 1 */
    MARL_TRACE_WEIGHT_MAG,
    MARL_TRACE_VALUES
} marl_trace_value;

/* Its panel. */
typedef struct marl_trace_row {
    const char *title, *unit;
    int of_reference; /* the reference has it, too */
    int from_zero;    /* the axis holds zero */
} marl_trace_row;

const marl_trace_row *marl_trace_row_of(marl_trace_value value);

/* Values over time; NaN where there is none. */
typedef struct marl_trace {
    size_t n, capacity;
    double *t; /* s, rises */
    double *value[MARL_TRACE_VALUES];
} marl_trace;

/* 0 without memory. */
int marl_trace_make(marl_trace *trace, size_t capacity);
void marl_trace_free(marl_trace *trace);

/* Its angles alone; nothing beyond the capacity. */
void marl_trace_add_attitude(marl_trace *trace, int64_t t_ns, marl_quat q);
/* For marl_replay_options.watch, with a marl_trace: angles, bias and weights. */
void marl_trace_watch(void *trace, const marl_pipeline *pipeline, const marl_sample *sample, marl_quat q);
/* Errors stand at the times of some of the attitudes. */
void marl_trace_add_errors(marl_trace *trace, const marl_comparison *comparison);
/* Is there a number in it? */
int marl_trace_has(const marl_trace *trace, marl_trace_value value);

/* ---- thinned ---- */

/* A span of time cut into buckets; each gives two rows, so that its least and its greatest value are both seen. */
typedef struct marl_trace_grid {
    double from_s, width_s;
    size_t buckets;
} marl_trace_grid;

/* At most 700 buckets, about one for each pixel of a screen, and half as many as there are values. */
marl_trace_grid marl_trace_grid_of(double from_s, double to_s, size_t values);
/* The time of a row, 0 to 2 buckets - 1. */
double marl_trace_grid_time(const marl_trace_grid *grid, size_t row);
/* Of each bucket the least and the greatest value in their order, NaN where it has none, into 2 buckets rows. Times
 * rise. */
void marl_trace_thin(const marl_trace_grid *grid, const double *t, const double *value, size_t n,
                     double *rows);

/* Moments at which a body is drawn. */
typedef struct marl_frames {
    double from_s, step_s;
    size_t n;
} marl_frames;

/* 20 a second, at most 3000 in all. */
marl_frames marl_frames_of(double from_s, double to_s);
/* The attitude at each moment; all zero where there is none within half a second. */
void marl_frames_attitudes(const marl_frames *frames, const marl_series *series, marl_quat *q);
/* The total error of the attitude just before each moment, deg; NaN where there is none. */
void marl_frames_errors(const marl_frames *frames, const marl_trace *trace, double *error);

/* ---- packed ---- */

/* A log with its reference in few bytes, without loss: what a page carries so that it can replay the log. All numbers
 * little-endian:
 *
 *   "MRLP", u8 version (1)
 *   varint rows, then each: varint zigzag of the change of its step in ns (the first: its time, then its step), u8 set of
 *     MARL_FRESH_..., plus 128 where the temperature is the one before; f32 of accel, gyro, mag (x, y, z), temp,
 *     speed, of those that are fresh
 *   varint attitudes, then each: its time as above, f32 w, x, y, z
 *   four times (marl_condition): varint spans, then varint zigzag of the first end's distance from the end before
 *     and varint of the length, ns
 *
 * A varint has seven bits in a byte, the lowest first, and the eighth set in all but the last byte. */

/* Bytes that grow. */
typedef struct marl_packed {
    uint8_t *bytes;
    size_t n, capacity;
    int failed; /* no memory */
} marl_packed;

/* `reference` may be NULL, and so may `conditions`. MARL_ERR_SYSTEM without memory. The bytes are to be freed. */
MARL_CHECKED marl_status marl_packed_write(marl_packed *packed, const marl_log *log,
                                           const marl_series *reference, const marl_conditions *conditions);

/* What is read: rows with their samples alone. */
typedef struct marl_packed_case {
    marl_log log;
    marl_series reference;
    marl_conditions conditions;
} marl_packed_case;

/* MARL_ERR_INPUT when the bytes are damaged, MARL_ERR_SYSTEM without memory. To be freed in either case. */
MARL_CHECKED marl_status marl_packed_read(marl_packed_case *read, const uint8_t *bytes, size_t n);
void marl_packed_case_free(marl_packed_case *read);

#ifdef __cplusplus
}
#endif
#endif
