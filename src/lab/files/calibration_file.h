/* SPDX-License-Identifier: MIT
 * Calibrations inside other files. */
#ifndef LAB_CALIBRATION_FILE_H
#define LAB_CALIBRATION_FILE_H

#include "lab/files/json_file.h"
#include "marlinspike/files.h"

/* `path` stands in messages. */
MARL_CHECKED marl_status lab_calibration_of_value(marl_calibration_record *record, json_t *value,
                                                  const char *path, marl_error *error);
/* As marl_calibration_write writes it; NULL without memory. */
json_t *lab_calibration_json(const marl_calibration_record *record);

#endif
