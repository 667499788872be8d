/* SPDX-License-Identifier: MIT
 * Where a file that is complete or absent is put: its target, its folder, and what earlier runs left there.
 */
#ifndef LAB_OUTFILE_TARGET_H
#define LAB_OUTFILE_TARGET_H

/* A new temporary file TARGET.tmp.XXXXXX beside the target, locked for as long as it is open: its descriptor,
 * and its path, to be freed. -1 with errno set; `path` is NULL then. */
int lab_outfile_temporary(const char *target, char **path);

/* Removes temporary files of this target that nobody has open: left by runs that were killed. */
void lab_outfile_clear(const char *target);

/* Makes a rename in the target's folder survive a power cut. 0, or an errno. */
int lab_outfile_sync_folder(const char *target);

#endif
