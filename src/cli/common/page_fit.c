/* SPDX-License-Identifier: MIT
 * Fits on the report page. */
#include "cli/common/page_fit.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define EDGE 1.3 /* radii: how far off a reading that is left out is drawn, at most */
enum { MAX_POINTS = 2500, MIN_POINTS = 4 };

/* "0.1234 +- 0.0005", or that it is open. */
static json_t *with_sigma(double value, double sigma, int decimals)
{
    char text[64];
    if (isfinite(sigma)) {
        snprintf(text, sizeof text, "%+.*f +- %.*f", decimals, value, decimals, sigma);
    } else {
        snprintf(text, sizeof text, "%+.*f, open", decimals, value);
    }
    return json_string(text);
}

json_t *cli_page_fit_table(marl_sensor sensor, const marl_fit *fit)
{
    char title[64], bias[32];
    json_t *table = json_object(), *rows = json_array();
    snprintf(title, sizeof title, "What corrects the %s", marl_sensor_name(sensor));
    snprintf(bias, sizeof bias, "bias, %s", cli_unit_name(sensor));
    for (int i = 0; i < 3; i++) {
        const char axis[2] = {"xyz"[i], '\0'};
        json_t *row = json_array();
        json_array_append_new(row, json_string(axis));
        json_array_append_new(row, with_sigma(fit->bias[i] / cli_unit_of(sensor),
                                              fit->bias_sigma[i] / cli_unit_of(sensor),
                                              sensor == MARL_MAG ? 3 : 5));
        for (int j = 0; j < 3; j++) {
            json_array_append_new(row, with_sigma(fit->matrix[i][j], fit->matrix_sigma[i][j], 5));
        }
        json_array_append_new(rows, row);
    }
    json_object_set_new(table, "title", json_string(title));
    json_object_set_new(table, "columns",
                        json_pack("[s,s,s,s,s]", "axis", bias, "matrix x", "matrix y", "matrix z"));
    json_object_set_new(table, "rows", rows);
    return table;
}

static int make_points(cli_page_points *p, size_t capacity)
{
    *p = (cli_page_points){.x = malloc((capacity + 1) * sizeof *p->x),
                           .left_out = malloc((capacity + 1) * sizeof *p->left_out)};
    return p->x != NULL && p->left_out != NULL;
}

int cli_page_points_of_log(cli_page_points *p, const marl_log *log, marl_sensor sensor,
                           const marl_spans *outliers)
{
    size_t readings = 0, seen = 0, at = 0;
    int made = make_points(p, MAX_POINTS);
    for (size_t i = 0; i < log->n; i++) {
        readings += ((unsigned)log->row[i].sample.fresh >> sensor) & 1u;
    }
    for (size_t i = 0; i < log->n && made; i++) {
        const marl_sample *s = &log->row[i].sample;
        const marl_vec3 *v = sensor == MARL_ACCEL ? &s->accel : sensor == MARL_GYRO ? &s->gyro : &s->mag;
        const double x[3] = {(double)v->x, (double)v->y, (double)v->z};
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        if (outliers != NULL && marl_spans_hold(outliers, s->t_ns, &at)) {
            if (p->left_out_n < MAX_POINTS) {
                memcpy(p->left_out[p->left_out_n++], x, sizeof x);
            }
        } else if (seen * MAX_POINTS / readings >= p->n && p->n < MAX_POINTS) {
            memcpy(p->x[p->n++], x, sizeof x);
        }
        seen++;
    }
    return made;
}

int cli_page_points_of_poses(cli_page_points *p, const marl_pose_list *poses)
{
    int made = make_points(p, poses->n);
    for (size_t i = 0; i < poses->n && made; i++) {
        const marl_pose *pose = &poses->pose[i];
        if (pose->used) {
            memcpy(p->x[p->n++], pose->accel, sizeof p->x[0]);
        } else if (isfinite(pose->distance)) {
            memcpy(p->left_out[p->left_out_n++], pose->accel, sizeof p->x[0]);
        }
    }
    return made;
}

void cli_page_points_free(cli_page_points *p)
{
    free(p->x);
    free(p->left_out);
    *p = (cli_page_points){0};
}

static json_t *point_json(const double v[3])
{
    return json_pack("[o,o,o]", cli_page_number(v[0], 3), cli_page_number(v[1], 3), cli_page_number(v[2], 3));
}

/* What was left out, corrected; far ones at the edge of what is drawn. */
static json_t *left_out_json(const cli_page_points *p, const marl_fit *fit, double radius)
{
    json_t *list = json_array();
    for (size_t i = 0; i < p->left_out_n; i++) {
        double v[3];
        marl_fit_apply(fit, p->left_out[i], NAN, v);
        double size = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]), held = fmin(1, EDGE * radius / size);
        const double drawn[3] = {held * v[0], held * v[1], held * v[2]};
        json_array_append_new(list, point_json(drawn));
    }
    return list;
}

static json_t *sphere_json(const cli_page_points *p, marl_sensor sensor, const marl_fit *fit, double radius)
{
    char title[64];
    double missing[MARL_DIRECTIONS_MAX][3], (*v)[3] = malloc((p->n + 1) * sizeof *v);
    json_t *root = json_object(), *raw = json_array(), *corrected = json_array(), *holes = json_array();
    if (v == NULL) {
        json_decref(raw);
        json_decref(corrected);
        json_decref(holes);
        json_decref(root);
        return NULL;
    }
    for (size_t i = 0; i < p->n; i++) {
        marl_fit_apply(fit, p->x[i], NAN, v[i]);
        json_array_append_new(raw, point_json(p->x[i]));
        json_array_append_new(corrected, point_json(v[i]));
    }
    size_t n = marl_missing_directions((const double(*)[3])v, p->n, sensor, missing);
    for (size_t i = 0; i < n; i++) {
        json_array_append_new(holes, point_json(missing[i]));
    }
    free(v);
    snprintf(title, sizeof title, "The %s on the sphere", marl_sensor_name(sensor));
    json_object_set_new(root, "title", json_string(title));
    json_object_set_new(root, "name", json_string(marl_sensor_name(sensor)));
    json_object_set_new(root, "unit", json_string(cli_unit_name(sensor)));
    json_object_set_new(root, "radius", cli_number(radius));
    json_object_set_new(root, "sensor", json_integer((json_int_t)sensor));
    json_object_set_new(root, "bias", cli_numbers(fit->bias, 3));
    json_object_set_new(root, "matrix", cli_numbers(fit->matrix[0], 9));
    json_object_set_new(root, "missing", holes);
    json_object_set_new(root, "raw", raw);
    json_object_set_new(root, "corrected", corrected);
    json_object_set_new(root, "left_out", left_out_json(p, fit, radius));
    return root;
}

json_t *cli_page_scatter(const char *title, const char *x_unit, const double *x, const double *y, size_t n)
{
    json_t *root = json_object(), *xs = json_array(), *ys = json_array();
    for (size_t i = 0; i < n; i++) {
        json_array_append_new(xs, cli_page_number(x[i], 4));
        json_array_append_new(ys, cli_page_number(y[i], 6));
    }
    json_object_set_new(root, "title", cli_text(title));
    json_object_set_new(root, "x_unit", json_string(x_unit));
    json_object_set_new(root, "x", xs);
    json_object_set_new(root, "y", ys);
    return root;
}

/* A scatter that belongs to the last sphere. */
static void add_scatter(const cli_page_lists *to, const char *title, const double *x, const double *y,
                        size_t n)
{
    json_t *scatter = cli_page_scatter(title, "deg", x, y, n);
    json_object_set_new(scatter, "sphere", json_integer((json_int_t)json_array_size(to->spheres) - 1));
    json_array_append_new(to->scatters, scatter);
}

static int add_residuals(const cli_page_lists *to, const cli_page_points *p, marl_sensor sensor,
                         const marl_fit *fit, double radius)
{
    double *all = malloc((3 * p->n + 1) * sizeof *all), *azimuth = all, *height = all + p->n,
           *off = all + 2 * p->n;
    char title[96];
    if (all == NULL || p->n < MIN_POINTS) {
        free(all);
        return all != NULL;
    }
    for (size_t i = 0; i < p->n; i++) {
        double v[3];
        marl_fit_apply(fit, p->x[i], NAN, v);
        double length = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
        azimuth[i] = atan2(v[1], v[0]) / MARL_DEGREE;
        height[i] = asin(fmax(-1, fmin(1, v[2] / length))) / MARL_DEGREE;
        off[i] = length - radius;
    }
    snprintf(title, sizeof title, "corrected length off, %s, over azimuth", cli_unit_name(sensor));
    add_scatter(to, title, azimuth, off, p->n);
    snprintf(title, sizeof title, "corrected length off, %s, over height", cli_unit_name(sensor));
    add_scatter(to, title, height, off, p->n);
    free(all);
    return 1;
}

int cli_page_add_sphere(const cli_page_points *p, marl_sensor sensor, const marl_fit *fit, double radius,
                        const cli_page_lists *to)
{
    json_t *sphere = sphere_json(p, sensor, fit, radius);
    if (sphere == NULL) {
        return 0;
    }
    json_array_append_new(to->spheres, sphere);
    return add_residuals(to, p, sensor, fit, radius);
}

json_t *cli_page_corrections(const marl_calibration_record *record)
{
    static const double unit[MARL_SENSOR_COUNT] = {1, MARL_DEGREE, 1};
    static const char *const names[MARL_SENSOR_COUNT] = {"accel, m/s^2", "gyro, deg/s", "mag, uT"};
    json_t *root = json_object(), *rows = json_array();
    for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
        const marl_fit *fit = &record->fit[k];
        for (int i = 0; i < 3 && fit->present; i++) {
            char name[48];
            snprintf(name, sizeof name, "%s, %c", names[k], 'x' + i);
            json_array_append_new(
                rows, json_pack("[o,o,o,o,o]", cli_text(name), cli_page_number(fit->bias[i] / unit[k], 5),
                                cli_page_number(fit->matrix[i][0], 5), cli_page_number(fit->matrix[i][1], 5),
                                cli_page_number(fit->matrix[i][2], 5)));
        }
    }
    json_object_set_new(root, "columns",
                        json_pack("[s,s,s,s,s]", "corrected by", "bias", "matrix x", "y", "z"));
    json_object_set_new(root, "rows", rows);
    return root;
}
