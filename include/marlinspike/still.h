/* SPDX-License-Identifier: MIT
 * Stillness: is the board at rest? Readings are accumulated in consecutive windows. A window is quiet
 * when the deviation of each sensor within it is small, the mean rate is no turn, and each sensor's mean is
 * where the window before had it. The board is still from the second quiet window on. A slow, even turn about
 * the vertical can only be seen when a magnetometer is there. */
#ifndef MARLINSPIKE_STILL_H
#define MARLINSPIKE_STILL_H

#include "marlinspike/sample.h"
#include "marlinspike/stats.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_still_limits {
    float window_s;        /* length of a window, s */
    float accel_deviation; /* m/s^2, per axis within a window */
    float gyro_deviation;  /* rad/s, per axis within a window */
    float gyro_mean;       /* rad/s, length of the mean rate: more is a turn, not a bias */
    float accel_shift;     /* m/s^2 between the means of two windows */
    float gyro_shift;      /* rad/s between the means of two windows: a bias does not move, a swing does */
    float mag_shift;       /* uT between the means of two windows */
} marl_still_limits;

typedef enum marl_still_verdict {
    MARL_STILL_OPEN,  /* the window is not complete */
    MARL_STILL_QUIET, /* the window that just ended was quiet */
    MARL_STILL_MOVING /* the window that just ended was not */
} marl_still_verdict;

typedef struct marl_still {
    marl_still_limits limits;
    marl_stats accel, gyro, mag;               /* of the open window */
    marl_vec3 last_accel, last_gyro, last_mag; /* means of the window before */
    int have_last_accel, have_last_gyro, have_last_mag;
    int open;  /* a window has started */
    int still; /* the last two complete windows were quiet */
    int quiet_before;
    int64_t window_start_ns;
} marl_still;

/* Limits that suit consumer-grade sensors from 25 Hz to 1 kHz: windows of 0.5 s, 0.12 m/s^2,
 * 0.012 rad/s, 0.09 rad/s (5 deg/s), 0.06 m/s^2, 0.005 rad/s, 1.5 uT. */
marl_still_limits marl_still_default_limits(void);

/* MARL_ERR_ARGUMENT when a limit is not positive and finite. */
MARL_CHECKED marl_status marl_still_init(marl_still *still, const marl_still_limits *limits);

/* Takes the fresh readings of a sample (checked, see marl_sample_check). A step of time backwards or
 * longer than a window closes the window as moving. */
marl_still_verdict marl_still_update(marl_still *still, const marl_sample *sample);

/* At the end of a recording: decides the window that is still open by what it has. MARL_STILL_OPEN when
 * that is not enough. */
marl_still_verdict marl_still_finish(marl_still *still);

#ifdef __cplusplus
}
#endif
#endif
