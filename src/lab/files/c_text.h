/* SPDX-License-Identifier: MIT
 * What the C headers that are exported have in common. */
#ifndef LAB_C_TEXT_H
#define LAB_C_TEXT_H

#include "marlinspike/files.h"
#include <stdio.h>

enum { LAB_C_NAME = 80 };

/* Formats into the file. */
#define LAB_C_PUT(out, ...)                                                                                  \
    do {                                                                                                     \
        char text_[400];                                                                                     \
        snprintf(text_, sizeof text_, __VA_ARGS__);                                                          \
        marl_outfile_text(out, text_);                                                                       \
    } while (0)

/* The device's name as C takes it: letters, digits and underscores; "board" without one. The same in capitals. */
void lab_c_name(const char *device, char name[LAB_C_NAME], char upper[LAB_C_NAME]);

/* A text inside a comment, which nothing of it can end. */
void lab_c_comment(marl_outfile *out, const char *text);

/* Opens the comment at the head: whose it is, when it was made, by whom it was written. */
void lab_c_title(marl_outfile *out, const char *what, const marl_calibration_record *record);

#endif
