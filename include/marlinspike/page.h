/* SPDX-License-Identifier: MIT
 * The report page: one HTML file that opens from disk and needs no network. */
#ifndef MARLINSPIKE_PAGE_H
#define MARLINSPIKE_PAGE_H

#include "marlinspike/error.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Writes a page that shows `json`, a JSON object in UTF-8 as docs/formats.md describes it under "report
 * page", with the libraries that draw it (dygraphs, three.js) embedded. They are read from the folder that
 * the build names, or from that of the environment's MARLINSPIKE_JAVASCRIPT. Nothing in title or json can
 * become markup. MARL_ERR_USE when the path does not end in .html; MARL_ERR_SYSTEM when a library is missing
 * or the file cannot be written. The file is complete or absent. */
MARL_CHECKED marl_status marl_page_write(const char *path, const char *title, const char *json,
                                         marl_error *error);
/* MARL_OK when the path ends in .html: to be asked before long work. */
MARL_CHECKED marl_status marl_page_check_path(const char *path, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
