/* SPDX-License-Identifier: MIT
 * Text in UTF-16, as some shells write what they redirect. */
#ifndef LAB_UTF16_TEXT_H
#define LAB_UTF16_TEXT_H

#include "marlinspike/error.h"

/* A file that begins with the mark of UTF-16, either order, as UTF-8 in a file without a name: *fd is at its start, and to be
 * closed. -1 for any other file. MARL_ERR_SYSTEM when there is no room for it. */
MARL_CHECKED marl_status lab_utf16_text(const char *path, int *fd, marl_error *error);

#endif
