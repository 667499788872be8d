/* SPDX-License-Identifier: MIT
 * What the reader of tunings is made of. */
#ifndef LAB_TUNING_FILE_H
#define LAB_TUNING_FILE_H

#include "lab/files/json_file.h"
#include "marlinspike/files.h"

/* A file alone, without changes behind it. */
MARL_CHECKED marl_status lab_tuning_file_read(marl_named_tuning *tuning, const char *path, marl_error *error);

/* The same of a tuning inside another file. */
MARL_CHECKED marl_status lab_tuning_of_value(marl_named_tuning *tuning, json_t *value, const char *path,
                                             marl_error *error);

/* As marl_tuning_write writes it; NULL without memory. */
json_t *lab_tuning_json(const marl_named_tuning *tuning);

/* The filters' names, with commas. */
void lab_list_filters(char *text, size_t size);

#endif
