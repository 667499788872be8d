/* SPDX-License-Identifier: MIT
 * Files that are complete or absent: written beside their target, flushed, then renamed. A target that
 * exists and is no regular file (a pipe, a terminal) is written directly. */
#ifndef MARLINSPIKE_OUTFILE_H
#define MARLINSPIKE_OUTFILE_H

#include "marlinspike/error.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_outfile marl_outfile;

/* MARL_ERR_SYSTEM when the folder cannot be written. */
MARL_CHECKED marl_status marl_outfile_open(marl_outfile **out, const char *path, marl_error *error);

/* Writing cannot fail at the call: the first failure is kept and reported by commit. */
void marl_outfile_write(marl_outfile *out, const char *bytes, size_t n);
void marl_outfile_text(marl_outfile *out, const char *text);

/* Room for `most` bytes (at most 4096) to be filled in place; say with `advance` where they ended. */
char *marl_outfile_room(marl_outfile *out, size_t most);
void marl_outfile_advance(marl_outfile *out, const char *end);

/* Flushes, renames and frees. MARL_ERR_SYSTEM when any write failed; then no file is left. */
MARL_CHECKED marl_status marl_outfile_commit(marl_outfile *out, marl_error *error);
/* Leaves no file and frees. NULL is allowed. */
void marl_outfile_abort(marl_outfile *out);

#ifdef __cplusplus
}
#endif
#endif
