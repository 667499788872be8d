/* SPDX-License-Identifier: MIT
 * Files that are complete or absent: written beside their target as TARGET.tmp.XXXXXX, flushed, then renamed,
 * and the folder is flushed too. Symbolic links are followed; a file that is replaced hands on its
 * permissions. Temporary files of runs that were killed are cleared by the next run with the same target. A
 * target that exists and is no regular file (a pipe, a terminal) is written directly. */
#ifndef MARLINSPIKE_OUTFILE_H
#define MARLINSPIKE_OUTFILE_H

#include "marlinspike/error.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_outfile marl_outfile;

/* MARL_ERR_SYSTEM when the folder, or the file that is there, cannot be written. */
MARL_CHECKED marl_status marl_outfile_open(marl_outfile **out, const char *path, marl_error *error);

/* The same for a file that grows for a long time: it is written as PATH.part, which holds what has been
 * flushed and is kept when writing fails. MARL_ERR_SYSTEM also when there is a PATH.part already: it may be
 * all that is left of a recording. */
MARL_CHECKED marl_status marl_outfile_open_growing(marl_outfile **out, const char *path, marl_error *error);
/* Hands everything so far to the system. MARL_ERR_SYSTEM when any write failed. */
MARL_CHECKED marl_status marl_outfile_flush(marl_outfile *out, marl_error *error);

/* Writing cannot fail at the call: the first failure is kept and reported by commit. */
void marl_outfile_write(marl_outfile *out, const char *bytes, size_t n);
void marl_outfile_text(marl_outfile *out, const char *text);

/* Room for `most` bytes (at most 4096) to be filled in place; `advance` gives their number. */
char *marl_outfile_reserve(marl_outfile *out, size_t max);
void marl_outfile_advance(marl_outfile *out, const char *end);

/* Flushes, renames and frees. MARL_ERR_SYSTEM when any write failed; then no file is left, but for a
 * PATH.part. */
MARL_CHECKED marl_status marl_outfile_commit(marl_outfile *out, marl_error *error);
/* The target of symbolic links, whether or not a file is there; to be freed. NULL with errno set. */
char *marl_outfile_followed(const char *path);

/* Locks the folder of the path's target, until the process ends, so that a file in it can be
 * read, changed and written back without losing what another process writes. 0 while another process has the
 * lock; 1 when it is taken, or cannot be: no such folder, a file system without locks. */
int marl_outfile_lock_folder(const char *path);

/* What is written until then: the PATH.part or the temporary file. NULL where the target is written directly.
 */
const char *marl_outfile_temporary(const marl_outfile *out);
/* Leaves a growing file as PATH.part, with what has been flushed, and frees. NULL is allowed. */
void marl_outfile_leave(marl_outfile *out);
/* Leaves no file and frees. NULL is allowed. */
void marl_outfile_abort(marl_outfile *out);

#ifdef __cplusplus
}
#endif
#endif
