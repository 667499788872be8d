/* SPDX-License-Identifier: MIT
 * A file line by line, through one buffer. NUL bytes at its end, which a power cut leaves where a card has been
 * allocated and not written, are left out, however many they are. */
#ifndef LAB_LOG_LINES_H
#define LAB_LOG_LINES_H

#include "marlinspike/error.h"
#include <stddef.h>

#define LAB_LINES_BUFFER (1u << 20)
#define LAB_LINES_SLACK 9 /* a line end, and what the number scanner reads behind it */

typedef struct lab_lines {
    int fd;
    int at_end;
    int header_is_made; /* of JSON rows: it is no line of the file, and counts with the first */
    long line;          /* number of the line last given, from 1 */
    size_t first, end;  /* unread bytes */
    size_t last;        /* where the line last given begins */
    int whole;          /* it has a line end; a last line may have none */
    size_t nuls; /* NUL bytes that have been left out behind what is in the buffer; at the end: its tail */
    char buffer[LAB_LINES_BUFFER + LAB_LINES_SLACK];
} lab_lines;

/* MARL_ERR_INPUT when the file cannot be read. */
MARL_CHECKED marl_status lab_lines_open(lab_lines *lines, const char *path, marl_error *error);
void lab_lines_close(lab_lines *lines);

/* The next line without its line end; line[n] belongs to no number, and LAB_LINES_SLACK bytes from it on can
 * be read. MARL_END after the last; MARL_ERR_INPUT when
 * reading fails or a line is longer than the buffer. */
MARL_CHECKED marl_status lab_lines_next(lab_lines *lines, const char *path, const char **line, size_t *n,
                                        marl_error *error);
/* The line last given will be given once more. */
void lab_lines_back(lab_lines *lines);

#endif
