/* SPDX-License-Identifier: MIT
 * Figures, the report page, the live page and attitudes over the network. Fill a struct or a JSON text, then one call
 * writes the file; the live page and the network have begin and end. */
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

/* ---- live page ---- */

/* The server of the live page, on 127.0.0.1 alone: HTTP/1.1, events to viewers as server-sent events, requests from them
 * by POST /command. Viewers are served by a thread of its own; no call below waits for one. A viewer that reads too
 * slowly loses messages. What each event and request holds: docs/live.md. What is refused: docs/security.md. */

enum { MARL_LIVE_REQUEST_MAX = 65536 };

typedef struct marl_live_server marl_live_server;

/* A request that waits for its answer. */
typedef struct marl_live_request {
    void *handle;
    const char *json; /* as it came, not yet parsed; ends with a NUL */
} marl_live_request;

/* Port 0: a free one. MARL_ERR_SYSTEM when the port is in use or a library of the page is missing. */
MARL_CHECKED marl_status marl_live_server_open(marl_live_server **server, int port, marl_error *error);
void marl_live_server_close(marl_live_server *server); /* NULL is allowed */
/* http://127.0.0.1:PORT/?token=TOKEN; without the token the page can be watched, but changes nothing. */
const char *marl_live_server_address(const marl_live_server *server);
int marl_live_server_viewers(marl_live_server *server);
/* To all viewers; JSON in one line. The last event "state" is what a new viewer gets first. */
void marl_live_server_publish(marl_live_server *server, const char *event, const char *json);
/* The next request: 1, or 0 when there is none. Every one must be answered, with a code of HTTP and JSON. */
int marl_live_server_take(marl_live_server *server, marl_live_request *request);
void marl_live_server_answer(marl_live_server *server, const marl_live_request *request, int code,
                             const char *json);

/* ---- attitudes over the network ---- */

/* Open Sound Control 1.0 over UDP ("The Open Sound Control 1.0 Specification", 2002). One message an attitude:
 *
 *     /marlinspike/attitude  ,sdfffffff  run, t (s), q w x y z (body to east-north-up), roll, pitch, heading (deg) */
typedef struct marl_osc marl_osc;

/* HOST:PORT. MARL_ERR_USE when it is no such address, MARL_ERR_SYSTEM when the host has none. */
MARL_CHECKED marl_status marl_osc_open(marl_osc **osc, const char *to, marl_error *error);
/* Nobody needs to listen; returns 0 when the message could not be sent. */
int marl_osc_send(marl_osc *osc, const char *run, double t_s, marl_quat q);
void marl_osc_close(marl_osc *osc); /* NULL is allowed */

#ifdef __cplusplus
}
#endif
#endif
