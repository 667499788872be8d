/* SPDX-License-Identifier: MIT
 * Figures and the report page. Fill a struct or a JSON text, then one call writes the file. */
#ifndef MARLINSPIKE_SHOW_H
#define MARLINSPIKE_SHOW_H

#include "marlinspike/calibrate.h"
#include "marlinspike/compare.h"
#include "marlinspike/error.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- figure ---- */

/* Figures: panels of curves in a grid, drawn by gnuplot. */

#define MARL_FIGURE_CURVES 8
#define MARL_FIGURE_PANELS 9
#define MARL_FIGURE_SHADES 4

/* y over x; points that are not finite leave a break. Long curves are thinned so that every extreme
 * stays visible. The data belong to the caller. */
typedef struct marl_curve {
    const char *label; /* NULL: not in the key */
    const double *x, *y;
    size_t n;
    int points; /* dots instead of a line; a single one is a large mark */
    int like;   /* 0 = a colour of its own; else that of so many curves before it, dashed */
    int place;  /* 0 = the colour of its place in the panel; else that of this place, from 1 on */
    int wide;   /* a broad grey line that others may lie on */
} marl_curve;

/* Stretches of x behind the curves. The first two kinds fill the panel's height (they should not overlap),
 * the third is hatched over them, the fourth a strip along the bottom. */
typedef struct marl_shade {
    const char *label; /* in the key of the first panel */
    const double *from, *to;
    size_t n;
} marl_shade;

typedef struct marl_panel {
    const char *x_label, *y_label;        /* with units */
    int logarithmic;                      /* both axes; values that are not positive leave a break */
    int logarithmic_x, logarithmic_y;     /* one alone, or both */
    int square;                           /* both axes at the same scale */
    int tight;                            /* both axes end where the data do */
    double y_from, y_to;                  /* both 0: as the data need it */
    size_t curves;                        /* a panel without any is left empty */
    marl_curve curve[MARL_FIGURE_CURVES]; /* one without data is in the key only */
    size_t shades;
    marl_shade shade[MARL_FIGURE_SHADES];
} marl_panel;

typedef struct marl_figure {
    const char *title; /* the title */
    size_t columns;    /* columns of panels, rows from above; 0 = 1 */
    size_t panels;
    marl_panel panel[MARL_FIGURE_PANELS];
} marl_figure;

/* By the ending of the path: .png or .svg is drawn by gnuplot, .gp is gnuplot's own input with the data in
 * it. MARL_ERR_USE for another ending; MARL_ERR_SYSTEM when gnuplot is missing or the file cannot be
 * written. The file is complete or absent. */
MARL_CHECKED marl_status marl_figure_draw(const marl_figure *figure, const char *path, marl_error *error);
/* A study that has run: errors over time, the best estimate with its reference, what the board was doing; the
 * first tunings, at the first rate. Several cases have a figure each: the second one's name gets -2, and so on. */
enum { MARL_FIGURE_TUNINGS = MARL_FIGURE_CURVES - 1 };
MARL_CHECKED marl_status marl_figure_draw_study(const marl_study *study, const char *path, marl_error *error);

/* A calibration after its fit: points in three planes, residuals, or the curve. MARL_ERR_USE for axes, which
 * have none. */
MARL_CHECKED marl_status marl_figure_draw_session(const marl_session *session, const char *path,
                                                  marl_error *error);

/* MARL_OK when the ending of the path is one of these: call it before expensive work. */
MARL_CHECKED marl_status marl_figure_check_path(const char *path, marl_error *error);

/* ---- page ---- */

/* The report page: one HTML file that opens from disk and needs no network. */

/* Writes a page that shows `json`, a JSON object in UTF-8 as docs/formats.md describes it under "report
 * page", with the libraries that draw it (dygraphs, three.js) embedded. They are read from the folder that
 * the build names, or from that of the environment's MARLINSPIKE_JAVASCRIPT. Nothing in title or json can
 * become markup. With `computes` the page holds the device's code as a WebAssembly module, and the worker that
 * replays the logs in the page with it. MARL_ERR_USE when the path does not end in .html; MARL_ERR_SYSTEM when a library is missing
 * or the file cannot be written. The file is complete or absent. */
MARL_CHECKED marl_status marl_page_write(const char *path, const char *title, const char *json, int computes,
                                         marl_error *error);
/* MARL_OK when the path ends in .html: call it before expensive work. */
MARL_CHECKED marl_status marl_page_check_path(const char *path, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
