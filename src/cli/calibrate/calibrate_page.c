/* SPDX-License-Identifier: MIT
 * A calibration as a report page. */
#include "cli/calibrate/calibrate.h"
#include "cli/common/page_fit.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static json_t *table_json(const char *title, json_t *columns, json_t *rows)
{
    return json_pack("{s:s,s:o,s:o}", "title", title, "columns", columns, "rows", rows);
}

static double middle(marl_span span)
{
    return 0.5e-9 * (double)(span.from_ns + span.to_ns);
}

static json_t *poses_table(const marl_pose_list *poses)
{
    json_t *rows = json_array();
    for (size_t i = 0; i < poses->n; i++) {
        const marl_pose *p = &poses->pose[i];
        json_array_append_new(rows,
                              json_pack("[o,o,o,o,o,o]", cli_page_number(middle(p->span), 1),
                                        cli_page_number(p->accel[0], 3), cli_page_number(p->accel[1], 3),
                                        cli_page_number(p->accel[2], 3), cli_page_number(p->distance, 4),
                                        cli_text(p->used ? "" : p->why)));
    }
    return table_json("Poses", json_pack("[s,s,s,s,s,s]", "at, s", "x, m/s^2", "y", "z", "off", "left out"),
                      rows);
}

static json_t *turns_table(const marl_turns_result *r)
{
    json_t *rows = json_array();
    for (size_t i = 0; i < r->n; i++) {
        const marl_turn *t = &r->turn[i];
        const char axis[2] = {"xyz"[t->axis], '\0'};
        json_array_append_new(rows, json_pack("[o,s,o,o,s]", cli_page_number(middle(t->span), 1), axis,
                                              cli_page_number(t->raw_rad / MARL_DEGREE, 3),
                                              cli_page_number(t->error / MARL_DEGREE, 3),
                                              t->used ? "" : "left out"));
    }
    return table_json("Turns", json_pack("[s,s,s,s,s]", "at, s", "axis", "raw, deg", "off, deg", ""), rows);
}

static json_t *moves_table(const marl_moves_result *r)
{
    json_t *rows = json_array();
    for (size_t i = 0; i < r->n; i++) {
        const marl_move *m = &r->move[i];
        json_array_append_new(rows, json_pack("[o,o,o,s]", cli_page_number(middle(m->span), 1),
                                              cli_page_number(m->angle / MARL_DEGREE, 1),
                                              cli_page_number(m->error / MARL_DEGREE, 3),
                                              m->used ? "" : "left out"));
    }
    return table_json("Moves from rest to rest",
                      json_pack("[s,s,s,s]", "at, s", "angle, deg", "off, deg", ""), rows);
}

/* Poses, or the readings of a tumble, on the sphere. */
static int add_points(const marl_session *session, const cli_page_lists *to)
{
    cli_page_points points;
    const marl_fit *fit = &session->outcome->fit;
    double radius = isfinite(fit->field) ? fit->field : MARL_STANDARD_GRAVITY;
    int made = session->recording == MARL_RECORDING_POSES
                   ? cli_page_points_of_poses(&points, &session->poses.poses)
                   : cli_page_points_of_log(&points, &session->log, MARL_MAG, &session->tumble.outliers);
    made = made && cli_page_add_sphere(&points, session->outcome->sensor, fit, radius, to);
    cli_page_points_free(&points);
    return made;
}

static int add_soak(const marl_soak_result *r, json_t *scatters)
{
    double unit = cli_unit_of(r->outcome.sensor), *all = malloc((2 * r->n + 1) * sizeof *all);
    for (int k = 0; k < 3 && all != NULL; k++) {
        char title[96];
        for (size_t i = 0; i < r->n; i++) {
            all[i] = r->point[i].degC;
            all[r->n + i] = r->point[i].value[k] / unit;
        }
        snprintf(title, sizeof title, "%s %c, %s, over temperature: means of 5 s",
                 marl_sensor_name(r->outcome.sensor), 'x' + k, cli_unit_name(r->outcome.sensor));
        json_array_append_new(scatters, cli_page_scatter(title, "degC", all, all + r->n, r->n));
    }
    free(all);
    return all != NULL;
}

static void write_verdict(const marl_session *session, char *text, size_t size)
{
    const marl_calibrated *r = session->outcome;
    if (!r->accepted) {
        snprintf(text, size, "Not accepted: the recording does not bear it out. Record next: %.600s",
                 r->next);
    } else if (isfinite(r->fit.residual_rms)) {
        double unit = cli_unit_of(r->sensor);
        snprintf(text, size, "Accepted: %s of the %s; %.3g %s rms are left. %.300s", r->model,
                 marl_sensor_name(r->sensor), r->fit.residual_rms / unit,
                 session->recording == MARL_RECORDING_TURNS || session->recording == MARL_RECORDING_MOVES
                     ? "deg"
                     : cli_unit_name(r->sensor),
                 r->remark);
    } else {
        snprintf(text, size, "Accepted: %s of the %s. %.300s", r->model, marl_sensor_name(r->sensor),
                 r->remark);
    }
}

marl_status cli_calibrated_page(const marl_session *session, const char *path, marl_error *error)
{
    char title[300], verdict[1000];
    const marl_calibrated *r = session->outcome;
    json_t *root = json_object(), *tables = json_array(), *spheres = json_array(), *scatters = json_array();
    int made = 1;
    if (session->recording != MARL_RECORDING_AXES) {
        json_array_append_new(tables, cli_page_fit_table(r->sensor, &r->fit));
    }
    if (session->recording == MARL_RECORDING_POSES || session->recording == MARL_RECORDING_TUMBLE) {
        made = add_points(session, &(cli_page_lists){spheres, scatters});
    }
    if (session->recording == MARL_RECORDING_POSES) {
        json_array_append_new(tables, poses_table(&session->poses.poses));
    } else if (session->recording == MARL_RECORDING_TURNS) {
        json_array_append_new(tables, turns_table(&session->turns));
    } else if (session->recording == MARL_RECORDING_MOVES) {
        json_array_append_new(tables, moves_table(&session->moves));
    }
    for (int i = 0; i < 2 && session->recording == MARL_RECORDING_SOAK && session->soak[i].n > 0; i++) {
        made &= add_soak(&session->soak[i], scatters);
    }
    snprintf(title, sizeof title, "%.200s: calibrate %s", marl_base_name(session->log.path),
             marl_recording_name(session->recording));
    write_verdict(session, verdict, sizeof verdict);
    json_object_set_new(root, "kind", json_string("calibration"));
    json_object_set_new(root, "title", cli_text(title));
    json_object_set_new(root, "question",
                        json_string("What does the calibration correct, and how sure is it?"));
    json_object_set_new(root, "verdict", cli_text(verdict));
    json_object_set_new(root, "bad", json_boolean(!r->accepted));
    json_object_set_new(root, "warnings", cli_warnings_json(&session->warnings));
    json_object_set_new(root, "tables", tables);
    json_object_set_new(root, "spheres", spheres);
    json_object_set_new(root, "computes", json_boolean(json_array_size(spheres) > 0));
    json_object_set_new(root, "scatters", scatters);
    json_object_set_new(root, "next", r->next[0] != '\0' ? cli_text(r->next) : json_null());
    if (!made) {
        json_decref(root);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return cli_page_write(path, title, root, error);
}
