/* SPDX-License-Identifier: MIT
 * Files of another kind than is wanted. */
#ifndef LAB_FILE_KIND_H
#define LAB_FILE_KIND_H

#include "marlinspike/error.h"
#include <stdio.h>

/* Fails, with the command that the file is for, where its beginning shows that it is of a kind of ours, a picture or a
 * page, and not a `wanted`: "log", "calibration", "tuning", "sheet" or "chip". MARL_OK for what is not recognised,
 * which the reader then finds out, and for what is no plain file. */
MARL_CHECKED marl_status lab_check_file_kind(const char *path, const char *wanted, marl_error *error);

/* To be read; NULL for what is no regular file, from which nothing may be taken twice, or cannot be opened. */
FILE *lab_open_regular(const char *path);

#endif
