/* SPDX-License-Identifier: MIT
 * send --calibrate. */
#include "cli/send/send_renewal.h"
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define SILENT_S 10.0
#define LINE_S 5.0 /* where no terminal shows it in place */
enum { FACES = 6 };

static const char *const names[] = {"stop", "still", "poses", "tumble"};

const char *send_renewal_name(marl_renewal_kind kind)
{
    return names[kind];
}

marl_status send_renewal_kind(const char *word, marl_renewal_kind *kind, marl_error *error)
{
    for (int i = 0; i < (int)(sizeof names / sizeof names[0]); i++) {
        if (strcmp(word, names[i]) == 0) {
            *kind = (marl_renewal_kind)i;
            return MARL_OK;
        }
    }
    return marl_fail(error, MARL_ERR_USE, "--calibrate '%s': wanted still, poses, tumble or stop", word);
}

/* What the hand should do now. */
static void put_next(const marl_renewal_report *r, char *text, size_t size)
{
    int face = r->found.missing;
    char sign = face % 2 ? '-' : '+', axis = (char)('x' + face / 2);
    if (r->kind == MARL_RENEW_STILL) {
        snprintf(text, size, "leave it alone, on something that stands still");
    } else if (r->kind == MARL_RENEW_POSES && r->stage == MARL_RENEWAL_WAIT) {
        snprintf(text, size, "hold still");
    } else if (r->kind == MARL_RENEW_POSES && face < FACES) {
        snprintf(text, size, "lay it down with its %c%c axis up", sign, axis);
    } else if (r->kind == MARL_RENEW_POSES) {
        snprintf(text, size, "lay it down in another attitude");
    } else if (r->stage == MARL_RENEWAL_WAIT) {
        snprintf(text, size, "the fit is being made");
    } else if (face < FACES && r->found.coverage > 0) {
        snprintf(text, size,
                 "turn it around with its %c%c axis along the field (north and down in the north)", sign,
                 axis);
    } else {
        snprintf(text, size, "turn it slowly about all its axes, far from steel");
    }
}

static void put_state(const marl_renewal_report *r, char *text, size_t size)
{
    double share = 100 * (double)r->found.coverage;
    unsigned points = (unsigned)r->found.points;
    if (r->kind == MARL_RENEW_STILL) {
        snprintf(text, size, "at rest for %.1f s of 10", 0.5 * points);
    } else if (r->kind == MARL_RENEW_POSES) {
        snprintf(text, size, "%u pose%s, %.0f of 6 faces", points, points == 1 ? "" : "s",
                 6 * (double)r->found.coverage);
    } else {
        snprintf(text, size, "%u readings, %.0f %% of the directions", points, share);
    }
}

/* On a terminal in place; else a line when there is something new to do, or after a while. */
static void show(const marl_renewal_report *r, double seconds, int on_terminal, char *before, size_t size,
                 double *shown_s)
{
    char state[100], next[120], line[240];
    put_state(r, state, sizeof state);
    put_next(r, next, sizeof next);
    int over = r->stage == MARL_RENEWAL_DONE || r->stage == MARL_RENEWAL_REFUSED;
    snprintf(line, sizeof line, "%7.1f s  %s%s%s", seconds, state, over ? "" : " -> ", over ? "" : next);
    if (on_terminal) {
        fprintf(stderr, "\r%.99s\033[K", line);
        fflush(stderr);
    } else if (strcmp(next, before) != 0 || seconds - *shown_s >= LINE_S) {
        cli_message("%s", line);
        *shown_s = seconds;
    }
    snprintf(before, size, "%s", next);
}

static marl_status take(source *to, marl_receiver *receiver, send_desk *desk, marl_error *error)
{
    uint8_t bytes[4096];
    size_t got;
    marl_log_row row;
    marl_status status = source_read(to, bytes, sizeof bytes, &got, error);
    if (status == MARL_END) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: the device vanished", to->name);
    }
    MARL_TRY(status);
    MARL_TRY(marl_receiver_feed(receiver, bytes, got, error));
    while (marl_receiver_next(receiver, &row) == MARL_OK) {
        MARL_TRY(send_desk_add(desk, &row, error));
    }
    return MARL_OK;
}

marl_status send_renewal_watch(const cli *c, source *to, marl_receiver *receiver, send_desk *desk,
                               marl_renewal_report *report, marl_error *error)
{
    int on_terminal = isatty(STDERR_FILENO) && !c->quiet;
    double begin = source_seconds(to), heard = begin, shown = -LINE_S;
    char before[120] = "";
    unsigned long restarts = marl_receiver_report(receiver)->rows.restarts;
    *report = (marl_renewal_report){0};
    while (report->stage != MARL_RENEWAL_DONE && report->stage != MARL_RENEWAL_REFUSED) {
        MARL_TRY(take(to, receiver, desk, error));
        if (marl_receiver_renewal(receiver, report) == MARL_OK && report->stage != MARL_RENEWAL_AGAIN) {
            heard = source_seconds(to);
            if (!c->quiet) {
                show(report, heard - begin, on_terminal, before, sizeof before, &shown);
            }
        } else if (source_seconds(to) - heard > SILENT_S) {
            return marl_fail(
                error, MARL_ERR_SYSTEM, "%s: nothing was heard of the calibration for %.0f s%s", to->name,
                SILENT_S,
                marl_receiver_report(receiver)->rows.restarts > restarts ? ": the board has restarted" : "");
        }
    }
    if (on_terminal) {
        fputc('\n', stderr);
    }
    return MARL_OK;
}

marl_status send_renewal_check(const source *to, const marl_renewal_report *report, marl_error *error)
{
    char next[120];
    if (report->stage == MARL_RENEWAL_DONE) {
        return MARL_OK;
    }
    put_next(report, next, sizeof next);
    return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: the board keeps its calibration: %s; next time: %s",
                     to->name, marl_renewal_reason_text(report->reason), next);
}

/* The sensors' units; turns in degrees. */
static double unit_of(const marl_renewal_report *r, const char **name)
{
    *name = r->kind == MARL_RENEW_STILL ? "deg/s" : r->kind == MARL_RENEW_POSES ? "m/s^2" : "uT";
    return r->kind == MARL_RENEW_STILL ? 1 / MARL_DEGREE : 1;
}

void send_renewal_print(const marl_renewal_report *r, const send_desk *desk)
{
    static const char *const sensor[] = {"", "gyroscope", "accelerometer", "magnetometer"};
    const marl_renewed *f = &r->found;
    const char *unit;
    char state[100];
    double scale = unit_of(r, &unit);
    const double bias[3] = {(double)f->correction.bias.x, (double)f->correction.bias.y,
                            (double)f->correction.bias.z},
                 sigma[3] = {(double)f->bias_sigma.x, (double)f->bias_sigma.y, (double)f->bias_sigma.z},
                 change[3] = {(double)f->change.x, (double)f->change.y, (double)f->change.z};
    put_state(r, state, sizeof state);
    cli_print("%s, renewed on the board: %s\n", sensor[r->kind], state);
    cli_print("  axis        bias   std error   change  (%s)\n", unit);
    for (int k = 0; k < 3; k++) {
        cli_print("  %c     %10.4f  %10.4f %+8.4f  (%.1f std errors)\n", 'x' + k, scale * bias[k],
                  scale * sigma[k], scale * change[k], sigma[k] > 0 ? fabs(change[k]) / sigma[k] : 0);
    }
    if (f->matrix_sigma > 0) {
        cli_print("  matrix: new, known to %.4f\n", (double)f->matrix_sigma);
    } else {
        cli_print("  matrix: as it was\n");
    }
    if (f->residual_rms > 0) {
        cli_print("  residual: %.3g %s rms\n", scale * (double)f->residual_rms, unit);
    } else {
        cli_print("  residual: none to see: as many poses as unknowns\n");
    }
    if (r->kind == MARL_RENEW_TUMBLE) {
        cli_print("  field: %.2f uT\n", (double)f->length);
    }
    send_desk_print(desk, r, scale, unit);
}

static json_t *vector_json(marl_vec3 v)
{
    return json_pack("[f,f,f]", (double)v.x, (double)v.y, (double)v.z);
}

json_t *send_renewal_json(const marl_renewal_report *r, const send_desk *desk)
{
    const marl_renewed *f = &r->found;
    int done = r->stage == MARL_RENEWAL_DONE;
    json_t *root = json_object(), *matrix = json_array();
    for (int i = 0; i < 3 && done; i++) {
        const float *row = f->correction.matrix.m[i];
        json_array_append_new(matrix, json_pack("[f,f,f]", (double)row[0], (double)row[1], (double)row[2]));
    }
    json_object_set_new(root, "kind", cli_text(names[r->kind]));
    json_object_set_new(root, "accepted", json_boolean(done));
    json_object_set_new(root, "reason", done ? json_null() : cli_text(marl_renewal_reason_text(r->reason)));
    json_object_set_new(root, "points", json_integer(f->points));
    json_object_set_new(root, "coverage", cli_number((double)f->coverage));
    json_object_set_new(root, "bias", done ? vector_json(f->correction.bias) : json_null());
    json_object_set_new(root, "bias_sigma", done ? vector_json(f->bias_sigma) : json_null());
    json_object_set_new(root, "change", done ? vector_json(f->change) : json_null());
    json_object_set_new(root, "matrix", done ? json_incref(matrix) : json_null());
    json_object_set_new(root, "matrix_sigma",
                        done && f->matrix_sigma > 0 ? cli_number((double)f->matrix_sigma) : json_null());
    json_object_set_new(root, "residual_rms",
                        done && f->residual_rms > 0 ? cli_number((double)f->residual_rms) : json_null());
    json_object_set_new(root, "field",
                        done && r->kind == MARL_RENEW_TUMBLE ? cli_number((double)f->length) : json_null());
    json_object_set_new(root, "desk", send_desk_json(desk));
    json_decref(matrix);
    return root;
}
