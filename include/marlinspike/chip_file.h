/* SPDX-License-Identifier: MIT
 * Chip tables as JSON (docs/formats.md). */
#ifndef MARLINSPIKE_CHIP_FILE_H
#define MARLINSPIKE_CHIP_FILE_H

#include "marlinspike/chip.h"
#include "marlinspike/error.h"

#ifdef __cplusplus
extern "C" {
#endif

/* MARL_ERR_INPUT names file, line, key and the allowed range. */
MARL_CHECKED marl_status marl_chip_read_file(marl_chip *chip, const char *path, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
