/* SPDX-License-Identifier: MIT
 * Tunings as JSON (docs/formats.md). */
#ifndef MARLINSPIKE_TUNING_FILE_H
#define MARLINSPIKE_TUNING_FILE_H

#include "marlinspike/error.h"
#include "marlinspike/sheet.h"
#include "marlinspike/tuning.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_named_tuning {
    char name[64];
    marl_tuning tuning;
} marl_named_tuning;

/* A filter's name stands for its defaults, anything else is a file. MARL_ERR_INPUT names file, line and
 * key, and lists the known keys when one is unknown. */
MARL_CHECKED marl_status marl_tuning_read(marl_named_tuning *tuning, const char *path_or_filter,
                                          marl_error *error);
MARL_CHECKED marl_status marl_tuning_write(const marl_named_tuning *tuning, const char *path,
                                           marl_error *error);

/* The defaults of a filter for the sensors of a sheet: the Kalman filter's noises are the sheet's, the time
 * constants of the others are where a steady Kalman filter of one angle would settle (accelerometer or
 * magnetometer noise over the gyroscope's), doubts and slacks follow from the errors that the sheet tells.
 * Nothing is searched. Sensors that the sheet does not have keep the general defaults. */
marl_tuning marl_tuning_for_sheet(marl_filter filter, const marl_sheet *sheet);

#ifdef __cplusplus
}
#endif
#endif
