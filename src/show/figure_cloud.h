/* SPDX-License-Identifier: MIT
 * What the figures of calibrations share. */
#ifndef SHOW_FIGURE_CLOUD_H
#define SHOW_FIGURE_CLOUD_H

#include "marlinspike/show.h"

marl_curve show_dots(const char *label, const double *x, const double *y, size_t n);

/* Poses or a tumble: three planes above; below, what is left against the direction, and which directions were there. What
 * was left out has a colour of its own. */
MARL_CHECKED marl_status show_draw_cloud(const marl_session *session, const char *path, marl_error *error);

#endif
