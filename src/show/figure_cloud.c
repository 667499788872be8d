/* SPDX-License-Identifier: MIT
 * Poses and tumbles: the readings of a constant field, and what they miss the sphere by. */
#include "show/figure_cloud.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define TURN 6.283185307179586
#define EDGE 1.2 /* of what is used: where a reading that is not is drawn, at most */
enum { CIRCLE = 121, SERIES = 9, LEFT_OUT_PLACE = 5 };

marl_curve show_dots(const char *label, const double *x, const double *y, size_t n)
{
    return (marl_curve){.label = label, .x = x, .y = y, .n = n, .points = 1};
}

/* Readings of a constant field, raw and corrected, and what they miss the sphere by. */
typedef struct cloud {
    size_t n;
    double *raw[3], *corrected[3], *off, *azimuth, *height;
    double *memory;
} cloud;

/* 0 without memory. */
static int make_cloud(cloud *p, size_t n)
{
    p->memory = malloc((SERIES * n + 1) * sizeof *p->memory);
    if (p->memory == NULL) {
        return 0;
    }
    for (size_t k = 0; k < 3; k++) {
        p->raw[k] = p->memory + k * n;
        p->corrected[k] = p->memory + (3 + k) * n;
    }
    p->off = p->memory + 6 * n;
    p->azimuth = p->memory + 7 * n;
    p->height = p->memory + 8 * n;
    return 1;
}

static void add_reading(cloud *p, const marl_fit *fit, double length, const double x[3])
{
    double v[3], whole = 0;
    marl_fit_apply(fit, x, NAN, v);
    for (int k = 0; k < 3; k++) {
        whole += v[k] * v[k];
        p->raw[k][p->n] = x[k];
        p->corrected[k][p->n] = v[k];
    }
    whole = sqrt(whole);
    p->off[p->n] = whole - length;
    p->azimuth[p->n] = atan2(v[1], v[0]) / MARL_DEGREE;
    p->height[p->n] = whole > 0 ? v[2] / whole : NAN;
    p->n++;
}

/* Those that the fit used go into one cloud, those that were left out into another. */
typedef struct clouds {
    cloud used, left_out;
} clouds;

static void gather_poses(const marl_session *session, double length, clouds *c)
{
    for (size_t i = 0; i < session->poses.poses.n; i++) {
        const marl_pose *pose = &session->poses.poses.pose[i];
        if (isfinite(pose->distance)) {
            add_reading(pose->used ? &c->used : &c->left_out, &session->outcome->fit, length, pose->accel);
        }
    }
}

static void gather_field(const marl_session *session, double length, clouds *c)
{
    size_t at = 0;
    for (size_t i = 0; i < session->log.n; i++) {
        const marl_sample *s = &session->log.row[i].sample;
        if (s->fresh & MARL_FRESH_MAG) {
            const double x[3] = {(double)s->mag.x, (double)s->mag.y, (double)s->mag.z};
            int out = marl_spans_hold(&session->tumble.outliers, s->t_ns, &at);
            add_reading(out ? &c->left_out : &c->used, &session->outcome->fit, length, x);
        }
    }
}

static marl_status gather_readings(const marl_session *session, clouds *c, double *length, marl_error *error)
{
    int poses = session->recording == MARL_RECORDING_POSES;
    size_t n = poses ? session->poses.poses.n : session->log.n;
    *length = poses ? MARL_STANDARD_GRAVITY : session->outcome->fit.field;
    if (!make_cloud(&c->used, n) || !make_cloud(&c->left_out, n)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (poses) {
        gather_poses(session, *length, c);
    } else {
        gather_field(session, *length, c);
    }
    return MARL_OK;
}

/* What was left out is drawn at the edge where it lies beyond what was used, so that it does not squash that. */
static void hold_left_out(clouds *c, double length, double *most)
{
    *most = 0;
    for (size_t i = 0; i < c->used.n; i++) {
        *most = fmax(*most, fabs(c->used.off[i]));
    }
    *most *= EDGE;
    for (size_t i = 0; i < c->left_out.n; i++) {
        double size = c->left_out.off[i] + length, held = size > EDGE * length ? EDGE * length / size : 1;
        for (int k = 0; k < 3; k++) {
            c->left_out.corrected[k][i] *= held;
        }
        c->left_out.off[i] = fmax(-*most, fmin(*most, c->left_out.off[i]));
    }
}

/* What was left out, in a colour of its own. */
static void add_left_out(marl_panel *panel, const char *label, const double *x, const double *y, size_t n)
{
    marl_curve curve = show_dots(label, x, y, n);
    curve.place = LEFT_OUT_PLACE;
    if (n > 0) {
        panel->curve[panel->curves++] = curve;
    }
}

static void add_planes(marl_figure *figure, const clouds *c, double circle[2][CIRCLE], char labels[3][2][32])
{
    static const int plane[3][2] = {{0, 1}, {0, 2}, {1, 2}};
    const cloud *p = &c->used, *q = &c->left_out;
    for (int k = 0; k < 3; k++) {
        int x = plane[k][0], y = plane[k][1];
        marl_panel *panel = &figure->panel[k];
        *panel = (marl_panel){.x_label = labels[k][0], .y_label = labels[k][1], .square = 1};
        panel->curve[panel->curves++] = show_dots("raw", p->raw[x], p->raw[y], p->n);
        panel->curve[panel->curves++] = show_dots("corrected", p->corrected[x], p->corrected[y], p->n);
        panel->curve[panel->curves++] =
            (marl_curve){.label = "ideal", .x = circle[0], .y = circle[1], .n = CIRCLE};
        add_left_out(panel, "left out", q->corrected[x], q->corrected[y], q->n);
    }
}

static void add_residuals(marl_figure *figure, const clouds *c, double most, const char *off_label)
{
    const cloud *p = &c->used, *q = &c->left_out;
    const double *x[2] = {p->azimuth, p->height}, *left_x[2] = {q->azimuth, q->height};
    static const char *const x_label[2] = {"azimuth, deg", "height, -1 to 1"};
    for (int k = 0; k < 2; k++) {
        marl_panel *panel = &figure->panel[3 + k];
        *panel = (marl_panel){.x_label = x_label[k], .y_label = off_label, .y_from = -most, .y_to = most};
        panel->curve[panel->curves++] = show_dots(NULL, x[k], p->off, p->n);
        add_left_out(panel, NULL, left_x[k], q->off, q->n);
    }
    figure->panel[5] = (marl_panel){.x_label = "azimuth, deg", .y_label = "height (equal areas)"};
    figure->panel[5].curve[figure->panel[5].curves++] = show_dots(NULL, p->azimuth, p->height, p->n);
    add_left_out(&figure->panel[5], NULL, q->azimuth, q->height, q->n);
}

marl_status show_draw_cloud(const marl_session *session, const char *path, marl_error *error)
{
    static const int plane[3][2] = {{0, 1}, {0, 2}, {1, 2}};
    double circle[2][CIRCLE], length, most;
    char labels[3][2][32], off_label[48], title[300];
    const char *unit = marl_sensor_unit(session->outcome->sensor),
               *name = marl_sensor_name(session->outcome->sensor);
    clouds c = {.used = {0}};
    marl_figure figure = {.title = title, .columns = 3, .panels = 6};
    marl_status status = gather_readings(session, &c, &length, error);
    if (status == MARL_OK) {
        hold_left_out(&c, length, &most);
        for (int i = 0; i < CIRCLE; i++) {
            circle[0][i] = length * cos(TURN * i / (CIRCLE - 1));
            circle[1][i] = length * sin(TURN * i / (CIRCLE - 1));
        }
        for (int k = 0; k < 3; k++) {
            snprintf(labels[k][0], sizeof labels[k][0], "%s %c, %s", name, 'x' + plane[k][0], unit);
            snprintf(labels[k][1], sizeof labels[k][1], "%s %c, %s", name, 'x' + plane[k][1], unit);
        }
        snprintf(off_label, sizeof off_label, "length off, %s", unit);
        add_planes(&figure, &c, circle, labels);
        add_residuals(&figure, &c, most, off_label);
        snprintf(title, sizeof title, "%.150s: %s corrected, %.3g %s rms left, %.0f %% of directions covered",
                 marl_base_name(session->log.path), name, session->outcome->fit.residual_rms, unit,
                 100 * session->outcome->fit.coverage);
        status = marl_figure_draw(&figure, path, error);
    }
    free(c.used.memory);
    free(c.left_out.memory);
    return status;
}
