/* SPDX-License-Identifier: MIT
 * What a calibration shows: tables and JSON. */
#include "cli/calibrate/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static double seconds(int64_t ns)
{
    return 1e-9 * (double)ns;
}

static json_t *poses_json(const marl_pose_list *poses)
{
    json_t *list = json_array();
    for (size_t i = 0; i < poses->n; i++) {
        const marl_pose *p = &poses->pose[i];
        json_t *item = json_object();
        json_object_set_new(item, "from_s", json_real(seconds(p->span.from_ns)));
        json_object_set_new(item, "to_s", json_real(seconds(p->span.to_ns)));
        json_object_set_new(item, "used", json_boolean(p->used));
        json_object_set_new(item, "why", p->why[0] ? cli_text(p->why) : json_null());
        json_object_set_new(item, "accel", cli_numbers(p->accel, 3));
        json_object_set_new(item, "distance", cli_number(p->distance));
        json_array_append_new(list, item);
    }
    return list;
}

static json_t *turns_json(const marl_turns_result *r)
{
    json_t *list = json_array();
    for (size_t i = 0; i < r->n; i++) {
        const marl_turn *t = &r->turn[i];
        const char axis[2] = {"xyz"[t->axis], '\0'};
        json_t *item = json_object();
        json_object_set_new(item, "from_s", json_real(seconds(t->span.from_ns)));
        json_object_set_new(item, "to_s", json_real(seconds(t->span.to_ns)));
        json_object_set_new(item, "axis", cli_text(axis));
        json_object_set_new(item, "raw_deg", json_real(t->raw_rad / MARL_DEGREE));
        json_object_set_new(item, "wanted_deg", json_real(t->wanted / MARL_DEGREE));
        json_object_set_new(item, "error_deg", cli_number(t->error / MARL_DEGREE));
        json_object_set_new(item, "used", json_boolean(t->used));
        json_array_append_new(list, item);
    }
    return list;
}

static json_t *moves_json(const marl_moves_result *r)
{
    json_t *list = json_array();
    for (size_t i = 0; i < r->n; i++) {
        const marl_move *m = &r->move[i];
        json_t *item = json_object();
        json_object_set_new(item, "from_s", json_real(seconds(m->span.from_ns)));
        json_object_set_new(item, "to_s", json_real(seconds(m->span.to_ns)));
        json_object_set_new(item, "angle_deg", json_real(m->angle / MARL_DEGREE));
        json_object_set_new(item, "error_deg", cli_number(m->error / MARL_DEGREE));
        json_object_set_new(item, "used", json_boolean(m->used));
        json_array_append_new(list, item);
    }
    return list;
}

static json_t *span_json(const marl_span *span)
{
    const double ends[2] = {seconds(span->from_ns), seconds(span->to_ns)};
    return cli_numbers(ends, 2);
}

static json_t *spans_json(const marl_spans *spans)
{
    json_t *list = json_array();
    for (size_t i = 0; i < spans->n; i++) {
        json_array_append_new(list, span_json(&spans->span[i]));
    }
    return list;
}

int cli_calibrated_json(const marl_session *session)
{
    const marl_calibrated *r = session->outcome;
    char *text = marl_calibration_text(&session->record);
    json_t *calibration = text != NULL ? json_loads(text, 0, NULL) : NULL, *next = json_array();
    json_t *root = calibration;
    free(text);
    if (calibration == NULL) {
        json_decref(next);
        cli_message("no memory");
        return CLI_MACHINE;
    }
    if (r->next[0] != '\0') {
        json_array_append_new(next, cli_text(r->next));
    }
    if (!r->accepted) {
        root = json_object();
        json_object_set_new(root, "calibration", calibration);
    }
    json_object_set_new(root, "accepted", json_boolean(r->accepted));
    json_object_set_new(root, "next", next);
    json_object_set_new(root, "model", cli_text(r->model));
    if (session->recording == MARL_RECORDING_STILL) {
        json_object_set_new(root, "later_seen", cli_numbers(session->still.later_seen, 3));
        json_object_set_new(root, "later_sigma", cli_numbers(session->still.later_sigma, 3));
    } else if (session->recording == MARL_RECORDING_POSES) {
        json_object_set_new(root, "poses", poses_json(&session->poses.poses));
    } else if (session->recording == MARL_RECORDING_TURNS) {
        json_object_set_new(root, "turns", turns_json(&session->turns));
    } else if (session->recording == MARL_RECORDING_MOVES) {
        json_object_set_new(root, "moves", moves_json(&session->moves));
    } else if (session->recording == MARL_RECORDING_TUMBLE) {
        json_object_set_new(root, "outlier_spans", spans_json(&session->tumble.outliers));
        json_object_set_new(root, "dip_sigma_deg", cli_number(session->tumble.dip_sigma_deg));
        json_object_set_new(root, "drift", cli_numbers(session->tumble.drift, 3));
        json_object_set_new(root, "drift_sigma", cli_numbers(session->tumble.drift_sigma, 3));
        json_object_set_new(root, "place_rms", cli_number(session->tumble.place_rms));
        if (session->tumble.moved.to_ns > session->tumble.moved.from_ns) {
            json_object_set_new(root, "moved", span_json(&session->tumble.moved));
            json_object_set_new(root, "moved_by", cli_numbers(session->tumble.moved_by, 3));
        }
    } else if (session->recording == MARL_RECORDING_AXES) {
        json_object_set_new(root, "rotation_deg", cli_numbers(session->axes.rotation_deg, 3));
        json_object_set_new(root, "rotation_sigma_deg", cli_numbers(session->axes.rotation_sigma, 3));
    } else if (session->recording == MARL_RECORDING_SOAK) {
        json_object_set_new(root, "order", json_integer(session->soak[0].order));
        json_object_set_new(root, "lag_s", cli_number(session->soak[0].lag_s));
        json_object_set_new(root, "lag_sigma_s", cli_number(session->soak[0].lag_sigma_s));
    }
    json_object_set_new(root, "warnings", cli_warnings_json(&session->warnings));
    return cli_print_json(root);
}

static void print_value(double value, double sigma, int decimals)
{
    if (isfinite(sigma)) {
        cli_print("  %+9.*f +- %*.*f", decimals, value, decimals + 2, decimals, sigma);
    } else {
        cli_print("  %+9.*f %*s", decimals, value, decimals + 5, "open");
    }
}

/* Bias and matrix with their standard errors. */
static void print_fit(marl_sensor sensor, const marl_fit *fit, int with_matrix)
{
    cli_print("%-8s  %*s", "", sensor == MARL_MAG ? 18 : 20,
              sensor == MARL_GYRO    ? "bias, deg/s"
              : sensor == MARL_ACCEL ? "bias, m/s^2"
                                     : "bias, uT");
    cli_print(with_matrix ? "  %20s\n" : "%.0s\n", "matrix");
    for (int k = 0; k < 3; k++) {
        cli_print("%-8s", marl_column_name((marl_column)((int)(sensor == MARL_ACCEL  ? MARL_COLUMN_ACCEL_X
                                                               : sensor == MARL_GYRO ? MARL_COLUMN_GYRO_X
                                                                                     : MARL_COLUMN_MAG_X) +
                                                         k)));
        print_value(fit->bias[k] / cli_unit_of(sensor), fit->bias_sigma[k] / cli_unit_of(sensor),
                    sensor == MARL_MAG ? 3 : 5);
        for (int j = 0; j < 3 && with_matrix; j++) {
            print_value(fit->matrix[k][j], fit->matrix_sigma[k][j], 5);
        }
        cli_print("\n");
    }
}

static void print_still(const marl_session *session)
{
    const marl_still_result *rest = &session->still;
    cli_print("%s: gyroscope bias from %.1f s at rest", session->log.path, rest->still_s);
    if (isfinite(rest->outcome.fit.temperature_degC)) {
        cli_print(", at %.1f degC", rest->outcome.fit.temperature_degC);
    }
    cli_print("\n\n%-8s %12s %12s %20s %14s\n", "", "bias deg/s", "std error", "in 10 minutes",
              "noise deg/s");
    for (int k = 0; k < 3; k++) {
        char later[24] = "-";
        if (isfinite(rest->later_sigma[k])) {
            double seen = rest->later_seen[k] / MARL_DEGREE, bound = rest->later_sigma[k] / MARL_DEGREE;
            snprintf(later, sizeof later, rest->later_is_bound[k] ? "%.5f to %.5f" : "%.5f", seen, bound);
        }
        cli_print("%-8s %+12.5f %12.5f %20s %14.5f\n",
                  marl_column_name((marl_column)(MARL_COLUMN_GYRO_X + k)),
                  rest->outcome.fit.bias[k] / MARL_DEGREE, rest->outcome.fit.bias_sigma[k] / MARL_DEGREE,
                  later, rest->deviation[k] / MARL_DEGREE);
    }
}

static void print_turns(const marl_session *session)
{
    const marl_turns_result *r = &session->turns;
    cli_print("%s: %zu turns, %zu left out, %.3f deg rms off after the fit\n\n", session->log.path, r->n,
              r->left_out, r->outcome.fit.residual_rms / MARL_DEGREE);
    cli_print("%-16s %5s %12s %10s %10s\n", "from to s", "axis", "raw deg", "wanted", "error deg");
    for (size_t i = 0; i < r->n; i++) {
        const marl_turn *t = &r->turn[i];
        cli_print("%7.2f %8.2f %5c %12.3f %10.0f %+10.3f%s\n", seconds(t->span.from_ns),
                  seconds(t->span.to_ns), "xyz"[t->axis], t -> raw_rad / MARL_DEGREE,
                  t -> wanted / MARL_DEGREE, t -> error / MARL_DEGREE, t -> used ? "" : "  left out");
    }
    cli_print("spread of the repeats:");
    for (int k = 0; k < 3; k++) {
        cli_print(" %c %.3g %%", 'x' + k, 100 * r->spread[k]);
    }
    cli_print("\n\n");
    print_fit(MARL_GYRO, &r->outcome.fit, 1);
    cli_print("open: turns of unaligned axes do not determine it\n");
}

static void print_poses(const marl_session *session)
{
    const marl_poses_result *r = &session->poses;
    const marl_fit *fit = &r->outcome.fit;
    cli_print("%s: %s of the accelerometer\nfrom %.0f poses, %.4f m/s^2 rms off, %.0f %% of 26 directions "
              "covered\n\n",
              session->log.path, r->outcome.model, fit->points, fit->residual_rms, 100 * fit->coverage);
    print_fit(MARL_ACCEL, fit, 1);
}

static void print_tumble(const marl_session *session)
{
    const marl_tumble_result *r = &session->tumble;
    const marl_fit *fit = &r->outcome.fit;
    char off[40] = "";
    if (isfinite(fit->residual_rms)) {
        snprintf(off, sizeof off, ", %.3f uT rms off", fit->residual_rms);
    }
    cli_print_prose(0, "%s: %s from %.0f readings, %zu left out%s", session->log.path, r->outcome.model,
                    fit->points, r->outliers_n, off);
    cli_print("%.0f %% of 60 directions covered, field %.2f uT", 100 * fit->coverage, fit->field);
    if (isfinite(fit->dip_deg)) {
        cli_print(", dip %.1f +- %.1f deg", fit->dip_deg, r->dip_sigma_deg);
    }
    cli_print("\n\n");
    print_fit(MARL_MAG, fit, 1);
}

static void print_soak(const marl_session *session)
{
    for (int i = 0; i < 2; i++) {
        const marl_soak_result *r = &session->soak[i];
        const marl_fit *fit = &r->outcome.fit;
        double unit = cli_unit_of(r->outcome.sensor);
        if (!fit->present) {
            continue;
        }
        cli_print(
            "%s%s: bias of the %s from %.1f to %.1f degC,\na curve of order %d through %zu means, %.3g %s "
            "rms off\n\n",
            i ? "\n" : "", session->log.path, i ? "accelerometer" : "gyroscope", fit->range_degC[0],
            fit->range_degC[1], r->order, r->n, fit->residual_rms / unit, cli_unit_name(r->outcome.sensor));
        cli_print("%-8s %25s %16s %16s\n", "", i ? "bias at reference" : "bias", "per degC", "per degC^2");
        for (int k = 0; k < 3; k++) {
            cli_print("%-8s ",
                      marl_column_name((marl_column)((i ? MARL_COLUMN_ACCEL_X : MARL_COLUMN_GYRO_X) + k)));
            if (isfinite(fit->bias_sigma[k])) {
                cli_print("%+12.5f +- %9.5f", fit->bias[k] / unit, fit->bias_sigma[k] / unit);
            } else {
                cli_print("%25s", "open");
            }
            cli_print(" %+16.6f %+16.8f\n", fit->bias_per_degC[k] / unit, fit->bias_per_degC2[k] / unit);
        }
        cli_print("reference %.1f degC; the change over the whole range is known to %.2g %s\n",
                  fit->reference_degC,
                  fmax(r->change_sigma[0], fmax(r->change_sigma[1], r->change_sigma[2])) / unit,
                  cli_unit_name(r->outcome.sensor));
    }
}

static void print_arrangement(const char *name, const marl_axes_fit *fit)
{
    char text[32];
    marl_arrangement_text(&fit->best, text);
    cli_print("%-13s %s (leaves %.0f %% of the motion, the next best %.0f %%)\n", name, text,
              100 * fit->residual, 100 * fit->next);
}

static void print_axes(const marl_session *session)
{
    const marl_axes_result *r = &session->axes;
    if (r->axes.gyro.verdict != MARL_AXES_DECIDED) {
        return;
    }
    cli_print("%s, as the calibration corrects it,\nagainst the accelerometer's axes:\n\n",
              session->log.path);
    print_arrangement("gyroscope", &r->axes.gyro);
    if (r->axes.mag.verdict == MARL_AXES_DECIDED) {
        print_arrangement("magnetometer", &r->axes.mag);
        cli_print("rotation of the magnetometer, deg:");
        for (int k = 0; k < 3; k++) {
            if (isfinite(r->rotation_deg[k]) && isfinite(r->rotation_sigma[k])) {
                cli_print("  %c %+.3f +- %.3f", 'x' + k, r->rotation_deg[k], r->rotation_sigma[k]);
            } else {
                cli_print("  %c open", 'x' + k);
            }
        }
        cli_print(r->turned ? "\n" : "  (not seen, left as it is)\n");
    } else {
        cli_print("magnetometer  not determined by this motion, unchanged\n");
    }
}

static void print_moves(const marl_session *session)
{
    const marl_moves_result *r = &session->moves;
    double least = INFINITY, most = 0;
    for (size_t i = 0; i < r->n; i++) {
        least = fmin(least, r->move[i].angle / MARL_DEGREE);
        most = fmax(most, r->move[i].angle / MARL_DEGREE);
    }
    cli_print(
        "%s: %zu moves from rest to rest by %.0f to %.0f degrees,\n%zu left out, %.3f deg rms off after the "
        "fit\n\n",
        session->log.path, r->n, least, most, r->left_out, r->outcome.fit.residual_rms / MARL_DEGREE);
    print_fit(MARL_GYRO, &r->outcome.fit, 1);
}

int cli_calibrated_table(const marl_session *session, const char *written, const char *target)
{
    static void (*const print[MARL_RECORDING_COUNT])(const marl_session *) = {
        [MARL_RECORDING_STILL] = print_still, [MARL_RECORDING_TURNS] = print_turns,
        [MARL_RECORDING_POSES] = print_poses, [MARL_RECORDING_TUMBLE] = print_tumble,
        [MARL_RECORDING_SOAK] = print_soak,   [MARL_RECORDING_AXES] = print_axes,
        [MARL_RECORDING_MOVES] = print_moves,
    };
    print[session->recording](session);
    cli_print("\n");
    if (written != NULL) {
        cli_print("written: %s\n", written);
    } else if (session->outcome->accepted && target == NULL) {
        cli_print("not written: add --into CAL or -o CAL\n");
    } else if (!session->outcome->accepted) {
        cli_print("not accepted, nothing is written\n");
    }
    return cli_print_done();
}
