/* SPDX-License-Identifier: MIT
 * What a recording is: rates, gaps, means, rest. */
#ifndef MARLINSPIKE_INSPECT_H
#define MARLINSPIKE_INSPECT_H

#include "marlinspike/axes.h"
#include "marlinspike/log.h"
#include "marlinspike/spans.h"

#ifdef __cplusplus
extern "C" {
#endif

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

/* What the units of the columns probably are, where that differs from the log; "" = nothing to suspect.
 * From the length of gravity (at rest, or the median of all), and from how much the gyroscope must be scaled
 * to turn it. */
typedef struct marl_unit_suspicions {
    char accel[160], gyro[160];
    double gravity; /* length of the accelerometer's readings, m/s^2 by the log; NaN without */
} marl_unit_suspicions;

marl_unit_suspicions marl_suspect_units(const marl_log *log, const marl_spans *still, const marl_axes *axes);

#ifdef __cplusplus
}
#endif
#endif
