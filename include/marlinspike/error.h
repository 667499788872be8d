/* SPDX-License-Identifier: MIT
 * What went wrong, in words: every lab call that can fail fills one of these. */
#ifndef MARLINSPIKE_ERROR_H
#define MARLINSPIKE_ERROR_H

#include "marlinspike/status.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_error {
    marl_status status; /* MARL_OK while nothing has failed */
    char text[600];     /* "file:line: what is wrong"; no line end */
} marl_error;

/* Records a failure and returns its status. The first reason is kept: a second call on the same
 * error changes nothing. `error` may be NULL. */
marl_status marl_fail(marl_error *error, marl_status status, const char *format, ...)
#if defined(__GNUC__)
    __attribute__((format(printf, 3, 4)))
#endif
    ;

/* Warnings, each with a code for programs and a text for people. Beyond the last place they are counted. */
typedef struct marl_warnings {
    size_t n, more; /* in the list; and beyond it */
    struct {
        char code[24];
        char text[400];
    } item[32];
} marl_warnings;

void marl_warn(marl_warnings *warnings, const char *code, const char *format, ...)
#if defined(__GNUC__)
    __attribute__((format(printf, 3, 4)))
#endif
    ;

/* Replaces in place what is no text by '?': bytes that are no valid UTF-8, and control characters, which a
 * terminal takes for commands. Every message and every text that is read from a file or a board goes through
 * this. */
void marl_text_clean(char *text);
/* The same, but line ends stay. */
void marl_text_clean_lines(char *text);

/* Appends an item to a list inside a text of `size` bytes, ", " between; a list that is full ends in " ...".
 */
void marl_list_append(char *list, size_t size, const char *item);

#ifdef __cplusplus
}
#endif
#endif
