/* SPDX-License-Identifier: MIT
 * What a recording is: rates, gaps, means, rest; and the gyroscope's bias from rest. */
#ifndef MARLINSPIKE_INSPECT_H
#define MARLINSPIKE_INSPECT_H

#include "marlinspike/axes.h"
#include "marlinspike/calibration.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_span {
    int64_t from_ns, to_ns;
} marl_span;

typedef struct marl_spans {
    size_t n;
    marl_span *span;
} marl_spans;

void marl_spans_free(marl_spans *spans);
double marl_spans_seconds(const marl_spans *spans);
/* 1 when t lies in one of the spans; *at is a place to go on from, start with 0. */
int marl_spans_hold(const marl_spans *spans, int64_t t_ns, size_t *at);

/* Rest, found by the device's stillness detector with its default limits, wider where the sensors' own noise
 * would not fit into them; at least 1 s each. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_inspect_still(const marl_log *log, marl_spans *spans, marl_error *error);

typedef struct marl_sensor_summary {
    unsigned axes;                /* bit 0 x, 1 y, 2 z: which are in the log; 0 = sensor absent */
    size_t readings;              /* rows where it is fresh */
    double rate_hz;               /* 1 / median step between fresh rows; NaN under two readings */
    double jitter_ms;             /* rms deviation of the steps from their median, gaps left out */
    size_t gaps;                  /* steps over 1.5 medians */
    double longest_gap_s;         /* 0 without gaps */
    int64_t longest_gap_ns;       /* when it began */
    size_t duplicates;            /* readings equal in all axes to the one before */
    double mean[3], deviation[3]; /* SI, over the whole recording */
    size_t clipped[3]; /* readings in runs of five and more at the axis's own extreme, which moves in far
                          smaller steps elsewhere */
    size_t stuck[3]; /* readings in runs of a second and more that keep one value while another axis moves */
} marl_sensor_summary;

typedef struct marl_inspection {
    double duration_s; /* first to last row */
    marl_sensor_summary sensor[MARL_SENSOR_COUNT];
    marl_spans still;
} marl_inspection;

MARL_CHECKED marl_status marl_inspect(const marl_log *log, marl_inspection *inspection, marl_error *error);
void marl_inspection_free(marl_inspection *inspection);

/* What the units of the columns probably are, where that is not what the log says; "" = nothing to suspect.
 * From the length of gravity (at rest, or the median of all), and from how much the gyroscope must be scaled
 * to turn it. */
typedef struct marl_unit_suspicions {
    char accel[160], gyro[160];
} marl_unit_suspicions;

marl_unit_suspicions marl_suspect_units(const marl_log *log, const marl_spans *still, const marl_axes *axes);

/* A gyroscope bias from a recording at rest. */
typedef struct marl_rest {
    marl_fit fit;        /* bias, its standard error, points, residual_rms, temperature */
    double still_s;      /* rest that was used, s */
    double deviation[3]; /* of the readings at rest, rad/s */
    int accepted;
    char next[300];  /* what to record next when not accepted */
    marl_span moved; /* first motion; from == to when there was none */
    double moved_s;  /* motion in all, s */
} marl_rest;

/* Mean rate over the rest of a recording. The standard error is the larger of white noise alone and the
 * scatter of block means (5 blocks or more, of 5 s where the recording allows), so that noise which is
 * not white is not told as sure. Not accepted, with *rest filled, when the board moved in more than
 * 5 % of the recording, rest is shorter than 5 s, or an axis never changes; that is MARL_ERR_EVIDENCE. */
MARL_CHECKED marl_status marl_calibrate_rest(const marl_log *log, marl_rest *rest, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
