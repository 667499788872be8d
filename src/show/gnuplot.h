/* SPDX-License-Identifier: MIT
 * gnuplot as a child process. */
#ifndef SHOW_GNUPLOT_H
#define SHOW_GNUPLOT_H

#include "marlinspike/error.h"
#include <stddef.h>

/* Hands a script to gnuplot and takes the image that it prints, PNG or SVG, to be freed. Nothing is written to
 * any file. MARL_ERR_SYSTEM when gnuplot is missing, fails, or prints an image that is not whole. */
MARL_CHECKED marl_status show_gnuplot_draw(const char *script, size_t n, char **image, size_t *size,
                                           marl_error *error);

#endif
