/* SPDX-License-Identifier: MIT
 * Files that are complete or absent: what the library's own writers need beyond error.h. */
#ifndef LAB_OUTFILE_H
#define LAB_OUTFILE_H

#include "marlinspike/error.h"

/* The same for a file that grows for a long time: it is written as PATH.part, which holds what has been
 * flushed and is kept when writing fails. MARL_ERR_SYSTEM also when there is a PATH.part already: it may be
 * all that is left of a recording. */
MARL_CHECKED marl_status lab_outfile_open_growing(marl_outfile **out, const char *path, marl_error *error);
/* Hands everything so far to the system. MARL_ERR_SYSTEM when any write failed. */
MARL_CHECKED marl_status lab_outfile_flush(marl_outfile *out, marl_error *error);

/* Space for `max` bytes (at most 4096) to be filled in place; `advance` gives their end. */
char *lab_outfile_reserve(marl_outfile *out, size_t max);
void lab_outfile_advance(marl_outfile *out, const char *end);

/* What is written until then: the PATH.part or the temporary file. NULL where a FIFO takes what is written. */
const char *lab_outfile_path(const marl_outfile *out);
/* Leaves a growing file as PATH.part, with what has been flushed, and frees. NULL is allowed. */
void lab_outfile_leave(marl_outfile *out);

#endif
