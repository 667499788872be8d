/* SPDX-License-Identifier: MIT
 * Attitudes with further columns. Every column has its unit in the header. */
#include "cli/replay/replay_write.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MAX_VALUES = 16 };

const char cli_replay_write_help[] = "further columns: rpy, heading, unwrapped (roll, pitch, yaw without "
                                     "jumps), matrix (4 by 4, body to world), linear "
                                     "(acceleration without gravity, world), bias (of the gyroscope), "
                                     "weights, sigma (kalman), point (where --point is)";

/* What a row's values are made of. */
typedef struct source {
    cli_replay_write *w;
    const marl_log_row *row;
    const marl_pipeline *pipeline;
} source;

static void put_rpy(const source *s, double *to)
{
    marl_rpy r = marl_quat_to_rpy(s->row->q);
    to[0] = (double)r.roll / MARL_DEGREE;
    to[1] = (double)r.pitch / MARL_DEGREE;
    to[2] = (double)r.yaw / MARL_DEGREE;
}

static void put_heading(const source *s, double *to)
{
    float heading;
    to[0] =
        marl_frame_heading(s->row->q, s->w->world, &heading) == MARL_OK ? (double)heading / MARL_DEGREE : NAN;
}

static void put_unwrapped(const source *s, double *to)
{
    marl_rpy r = marl_quat_to_rpy(s->row->q);
    const float angle[3] = {r.roll, r.pitch, r.yaw};
    for (int k = 0; k < 3; k++) {
        to[k] = (double)marl_unwrap_next(&s->w->unwrap[k], angle[k]) / MARL_DEGREE;
    }
}

static void put_matrix(const source *s, double *to)
{
    marl_mat3 matrix = marl_quat_to_matrix(s->row->q);
    for (int i = 0; i < MAX_VALUES; i++) {
        to[i] = i / 4 < 3 && i % 4 < 3 ? (double)matrix.m[i / 4][i % 4] : i == 15;
    }
}

static void put_vector(marl_vec3 v, double *to)
{
    to[0] = (double)v.x;
    to[1] = (double)v.y;
    to[2] = (double)v.z;
}

static void put_linear(const source *s, double *to)
{
    const marl_sample *corrected = &s->pipeline->sample;
    put_vector(marl_frame_without_gravity(s->row->q, s->w->world, corrected->accel), to);
    for (int k = 0; k < 3 && !(corrected->fresh & MARL_FRESH_ACCEL); k++) {
        to[k] = NAN;
    }
}

static void put_bias(const source *s, double *to)
{
    put_vector(marl_estimator_bias(&s->pipeline->estimator), to);
}

static void put_weights(const source *s, double *to)
{
    for (int k = 0; k < 2; k++) {
        to[k] = s->row->weight[k] >= 0.0f ? (double)s->row->weight[k] : (double)NAN;
    }
}

static void put_sigma(const source *s, double *to)
{
    float tilt, heading;
    int known = marl_estimator_sigma(&s->pipeline->estimator, &tilt, &heading) == MARL_OK;
    to[0] = known ? (double)tilt / MARL_DEGREE : NAN;
    to[1] = known ? (double)heading / MARL_DEGREE : NAN;
}

static void put_point(const source *s, double *to)
{
    put_vector(marl_quat_rotate(s->row->q, s->w->point), to);
}

static const struct {
    const char *name, *header;
    int values;
    void (*put)(const source *s, double *to);
} groups[CLI_WRITE_GROUPS] = {
    {"rpy", "roll[deg],pitch[deg],yaw[deg]", 3, put_rpy},
    {"heading", "heading[deg]", 1, put_heading},
    {"unwrapped", "roll_unwrapped[deg],pitch_unwrapped[deg],yaw_unwrapped[deg]", 3, put_unwrapped},
    {"matrix", "m_00,m_01,m_02,m_03,m_10,m_11,m_12,m_13,m_20,m_21,m_22,m_23,m_30,m_31,m_32,m_33", 16,
     put_matrix},
    {"linear", "linear_x[m/s^2],linear_y[m/s^2],linear_z[m/s^2]", 3, put_linear},
    {"bias", "bias_x[rad/s],bias_y[rad/s],bias_z[rad/s]", 3, put_bias},
    {"weights", "weight_accel,weight_mag", 2, put_weights},
    {"sigma", "sigma_tilt[deg],sigma_heading[deg]", 2, put_sigma},
    {"point", "point_x[m],point_y[m],point_z[m]", 3, put_point},
};

static int find_group(const char *name, size_t n)
{
    for (int i = 0; i < CLI_WRITE_GROUPS; i++) {
        if (strlen(groups[i].name) == n && strncmp(groups[i].name, name, n) == 0) {
            return i;
        }
    }
    return -1;
}

static marl_status read_point(cli_replay_write *w, const char *text, marl_error *error)
{
    marl_vec3 *p = &w->point;
    char rest;
    if (sscanf(text, "%f,%f,%f%c", &p->x, &p->y, &p->z, &rest) != 3 || !isfinite(p->x + p->y + p->z)) {
        return marl_fail(error, MARL_ERR_USE, "--point is X,Y,Z in metres, and not '%s'", text);
    }
    return MARL_OK;
}

marl_status cli_replay_write_read(cli_replay_write *w, const char *text, const char *point, marl_error *error)
{
    int has_point = 0;
    for (const char *at = text; at != NULL && *at != '\0';) {
        size_t n = strcspn(at, ",");
        int group = find_group(at, n);
        if (group < 0) {
            return marl_fail(
                error, MARL_ERR_USE,
                "--write: unknown columns '%.*s'; known: rpy, heading, unwrapped, matrix, linear, bias, "
                "weights, sigma, point",
                (int)n, at);
        }
        for (int i = 0; i < w->groups; i++) {
            if (w->group[i] == group) {
                return marl_fail(error, MARL_ERR_USE, "--write: %s twice", groups[group].name);
            }
        }
        has_point |= groups[group].put == put_point;
        w->group[w->groups++] = group;
        at += n + (at[n] == ',');
    }
    if (has_point != (point != NULL)) {
        return marl_fail(error, MARL_ERR_USE,
                         has_point ? "--write point needs --point X,Y,Z"
                                   : "--point is written by --write point");
    }
    return point != NULL ? read_point(w, point, error) : MARL_OK;
}

marl_status cli_replay_write_open(cli_replay_write *w, const char *path, const marl_log_info *info,
                                  marl_error *error)
{
    char line[200];
    w->world = info->world;
    MARL_TRY(marl_outfile_open_rows(&w->file, path, error));
    snprintf(line, sizeof line, "# marlinspike log/1 world=%s%s\n", marl_world_name(info->world),
             info->relative_heading ? " heading=relative" : "");
    marl_outfile_text(w->file, line);
    marl_outfile_text(w->file, "t[s],q_w,q_x,q_y,q_z");
    for (int i = 0; i < w->groups; i++) {
        marl_outfile_text(w->file, ",");
        marl_outfile_text(w->file, groups[w->group[i]].header);
    }
    marl_outfile_text(w->file, "\n");
    return MARL_OK;
}

void cli_replay_write_row(cli_replay_write *w, const marl_log_row *row, const marl_pipeline *pipeline)
{
    char cell[64];
    int64_t t = row->sample.t_ns;
    const source s = {w, row, pipeline};
    int64_t whole = t / 1000000000, rest = t % 1000000000;
    snprintf(cell, sizeof cell, "%s%lld.%09lld", t < 0 ? "-" : "", (long long)llabs(whole),
             (long long)llabs(rest));
    marl_outfile_text(w->file, cell);
    const float q[4] = {row->q.w, row->q.x, row->q.y, row->q.z};
    for (int i = 0; i < 4; i++) {
        snprintf(cell, sizeof cell, ",%.9g", (double)q[i]);
        marl_outfile_text(w->file, cell);
    }
    for (int i = 0; i < w->groups; i++) {
        double value[MAX_VALUES];
        groups[w->group[i]].put(&s, value);
        for (int k = 0; k < groups[w->group[i]].values; k++) {
            marl_outfile_text(w->file, ",");
            if (isfinite(value[k])) {
                snprintf(cell, sizeof cell, "%.9g", value[k]);
                marl_outfile_text(w->file, cell);
            }
        }
    }
    marl_outfile_text(w->file, "\n");
}
