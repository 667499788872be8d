/* SPDX-License-Identifier: MIT
 * A log in windows of time, to see how vectors change while the board turns. */
#ifndef LAB_AXES_WINDOWS_H
#define LAB_AXES_WINDOWS_H

#include "marlinspike/log.h"

/* Means of the three sensors over a window of time, and how many readings were there. */
typedef struct lab_axes_window {
    int64_t at;
    double v[MARL_SENSOR_COUNT][3];
    unsigned n[MARL_SENSOR_COUNT];
} lab_axes_window;

typedef struct lab_axes_windows {
    lab_axes_window *at;
    size_t n;
    int64_t window_ns;
    double *left; /* squares that each arrangement leaves, by blocks of time: blocks times arrangements */
    size_t blocks;
} lab_axes_windows;

enum { LAB_AXES_BLOCK = 20 }; /* windows */

/* On the grid of window_ns; empty windows are left out. To be freed, also on failure. MARL_ERR_SYSTEM without
 * memory. */
MARL_CHECKED marl_status lab_axes_windows_make(lab_axes_windows *all, const marl_log *log, int64_t window_ns,
                                               marl_error *error);
void lab_axes_windows_free(lab_axes_windows *all);

/* Is this window in the middle of three that hold both the sensor and the gyroscope? */
int lab_axes_usable(const lab_axes_windows *all, size_t i, marl_sensor seen);
/* How the vector that a sensor sees changes in the middle of three windows, 1/s. */
void lab_axes_change(const lab_axes_windows *all, size_t i, marl_sensor sensor, double change[3]);

#endif
