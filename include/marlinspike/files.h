/* SPDX-License-Identifier: MIT
 * Tunings, sensor sheets and chip tables as JSON files (docs/formats.md). Errors of all readers:
 * MARL_ERR_INPUT names file, line and key. */
#ifndef MARLINSPIKE_FILES_H
#define MARLINSPIKE_FILES_H

#include "marlinspike/chip.h"
#include "marlinspike/error.h"
#include "marlinspike/sheet.h"
#include "marlinspike/tuning.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_named_tuning {
    char name[64];
    char about[200]; /* what it is for; may be empty */
    marl_tuning tuning;
} marl_named_tuning;

/* A tuning as the command line gives it: a filter's name (its defaults; with a sheet, which may be NULL,
 * those that follow from it) or a file, and behind a colon changes of single parameters:
 * "complementary:tilt_time=0.5,damping=1", "calm.json:weighting=off". Switches are on or off. The text is
 * part of the name. MARL_ERR_INPUT names file, line and key, and lists the known keys when one is unknown;
 * MARL_ERR_USE when a change has an unknown name or a value out of its range. */
MARL_CHECKED marl_status marl_tuning_read(marl_named_tuning *tuning, const char *text,
                                          const marl_sheet *sheet, marl_error *error);
MARL_CHECKED marl_status marl_tuning_write(const marl_named_tuning *tuning, const char *path,
                                           marl_error *error);

/* The defaults of a filter for the sensors of a sheet: noise densities as they stand there, uncertainties and
 * the thresholds of the weighting from the errors that the sheet states. Nothing is searched. Sensors that
 * the sheet does not have keep the general defaults. */
marl_tuning marl_tuning_for_sheet(marl_filter filter, const marl_sheet *sheet);

/* The made-up nine-axis Grommet chip, consumer grade; the same as data/sheets/grommet.json. */
marl_sheet marl_sheet_grommet(void);

MARL_CHECKED marl_status marl_sheet_read(marl_sheet *sheet, const char *path, marl_error *error);
/* In SI units; what is zero is left out. */
MARL_CHECKED marl_status marl_sheet_write(const marl_sheet *sheet, const char *path, marl_error *error);

/* MARL_ERR_INPUT names the allowed range, too. */
MARL_CHECKED marl_status marl_chip_read_file(marl_chip *chip, const char *path, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
