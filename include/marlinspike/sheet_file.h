/* SPDX-License-Identifier: MIT
 * Sensor sheets as JSON (docs/formats.md). */
#ifndef MARLINSPIKE_SHEET_FILE_H
#define MARLINSPIKE_SHEET_FILE_H

#include "marlinspike/error.h"
#include "marlinspike/sheet.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The made-up nine-axis Grommet chip, consumer grade; the same as data/sheets/grommet.json. */
marl_sheet marl_sheet_grommet(void);

/* MARL_ERR_INPUT names file, line and key. */
MARL_CHECKED marl_status marl_sheet_read(marl_sheet *sheet, const char *path, marl_error *error);
/* In SI units; what is zero is left out. */
MARL_CHECKED marl_status marl_sheet_write(const marl_sheet *sheet, const char *path, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
