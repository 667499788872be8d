/* SPDX-License-Identifier: MIT
 * Errors and warnings in words, and files that are complete or absent: the usual order of calls for a file is
 *
 *   marl_outfile_open(&out, path, &error);
 *   marl_outfile_write(out, bytes, n);      as often as needed
 *   marl_outfile_commit(out, &error);       or marl_outfile_abort(out) */
#ifndef MARLINSPIKE_ERROR_H
#define MARLINSPIKE_ERROR_H

#include "marlinspike/status.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- error ---- */

/* What went wrong, in words: every lab call that can fail fills one of these. */

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

/* The file's own name, without its folders. */
const char *marl_base_name(const char *path);

/* Appends an item to a list inside a text of `size` bytes, ", " between; a list that is full ends in " ...".
 */
void marl_list_append(char *list, size_t size, const char *item);

/* The known word that is nearest to one that was given, if any is so near that it was probably meant. Set `given`, leave
 * the rest zero, and show each known word, which must outlive the result. */
typedef struct marl_nearest_word {
    const char *given, *found; /* found: NULL when none is near */
    size_t off;                /* changes of a letter between the two */
} marl_nearest_word;
void marl_nearest(marl_nearest_word *nearest, const char *known);

/* ---- outfile ---- */

/* Files that are complete or absent: written beside their target as TARGET.tmp.XXXXXX, flushed, then renamed,
 * and the folder is flushed too. Symbolic links are followed; a file that is replaced hands on its
 * permissions. Temporary files of runs that were killed are cleared by the next run with the same target. A
 * folder, a device or a FIFO is never replaced. */

typedef struct marl_outfile marl_outfile;

/* MARL_ERR_SYSTEM when the folder, or the file that is there, cannot be written, or is no regular file. */
MARL_CHECKED marl_status marl_outfile_open(marl_outfile **out, const char *path, marl_error *error);
/* The same for rows: a FIFO that is there takes them as they come, and waits for its reader here. */
MARL_CHECKED marl_status marl_outfile_open_rows(marl_outfile **out, const char *path, marl_error *error);

/* Before there is anything to write: MARL_ERR_SYSTEM with its kind when something stands there that is never
 * replaced; for `rows` a FIFO is right. */
MARL_CHECKED marl_status marl_outfile_check(const char *path, int rows, marl_error *error);

/* Writing cannot fail at the call: the first failure is kept and reported by commit. */
void marl_outfile_write(marl_outfile *out, const char *bytes, size_t n);
void marl_outfile_text(marl_outfile *out, const char *text);

/* Flushes, renames and frees. MARL_ERR_SYSTEM when any write failed; then no file is left, but for a
 * PATH.part. */
MARL_CHECKED marl_status marl_outfile_commit(marl_outfile *out, marl_error *error);
/* The target of symbolic links, whether or not a file is there; to be freed. NULL with errno set. */
char *marl_outfile_followed(const char *path);

/* Locks the folder of the path's target, until the process ends, so that a file in it can be
 * read, changed and written back without losing what another process writes. 0 while another process has the
 * lock; 1 when it is taken, or cannot be: no such folder, a file system without locks. */
int marl_outfile_lock_folder(const char *path);

/* Leaves no file and frees. NULL is allowed. */
void marl_outfile_abort(marl_outfile *out);

#ifdef __cplusplus
}
#endif
#endif
