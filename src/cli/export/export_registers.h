/* SPDX-License-Identifier: MIT
 * export --as chip-registers */
#ifndef EXPORT_REGISTERS_H
#define EXPORT_REGISTERS_H

#include "cli/common/cli.h"
#include "marlinspike/files.h"

typedef struct export_registers_options {
    char *chip, *mount, *rest; /* NULL: the Grommet, as it is, not wanted */
    char name[24];             /* of the chip */
    marl_chip_offsets offsets[MARL_SENSOR_COUNT];
    marl_warnings warnings; /* of values that do not fit */
} export_registers_options;

/* Writes the header, and what is left where it is wanted. */
MARL_CHECKED marl_status export_registers(const marl_calibration_record *record, export_registers_options *o,
                                          const char *out, marl_error *error);
void export_registers_print(const export_registers_options *o);
void export_registers_json(const export_registers_options *o, json_t *root);

#endif
