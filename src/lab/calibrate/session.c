/* SPDX-License-Identifier: MIT
 * A calibration session: what each kind of recording computes, and what it warns of. */
#include "lab/files/fit_merge.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/log.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define BETWEEN_LOGS_NS INT64_C(2000000000)

/* Takes the Earth's own turning off the gyroscope's mean. */
static marl_status without_earth(marl_session *s, marl_error *error)
{
    double rate[3];
    marl_status status = marl_earth_rate(&s->log, &s->record, s->options.latitude, rate, error);
    for (int k = 0; k < 3 && status == MARL_OK; k++) {
        s->still.outcome.fit.bias[k] -= rate[k];
    }
    return status;
}

static marl_status calibrate_still(marl_session *s, marl_error *error)
{
    s->outcome = &s->still.outcome;
    if (s->log.info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; a calibration needs the raw log",
                         s->log.path);
    }
    marl_status status = marl_calibrate_still(&s->log, &s->still, error);
    if (status == MARL_OK && s->still.moved_s > 0) {
        marl_warn(&s->warnings, "moved", "%s: moved for %.2f s, first at %.2f s; that was left out",
                  s->log.path, s->still.moved_s, (double)s->still.moved.from_ns * 1e-9);
    }
    if (status == MARL_OK && s->still.turn_seen_by != (MARL_FRESH_ACCEL | MARL_FRESH_MAG)) {
        marl_warn(&s->warnings, "turn-unseen", "%s: %s cannot be seen", s->log.path,
                  s->still.turn_seen_by == MARL_FRESH_ACCEL
                      ? "without a magnetometer a steady turn about the vertical"
                  : s->still.turn_seen_by == MARL_FRESH_MAG
                      ? "without an accelerometer a steady turn about the direction of the field"
                      : "with neither accelerometer nor magnetometer a steady turn");
    }
    if (status == MARL_OK && isfinite(s->options.latitude)) {
        status = without_earth(s, error);
        s->still.outcome.accepted = status == MARL_OK;
    }
    lab_fit_merge(&s->record.fit[MARL_GYRO], &s->still.outcome.fit, LAB_FIT_BIAS);
    return status;
}

static marl_status calibrate_turns(marl_session *s, marl_error *error)
{
    s->outcome = &s->turns.outcome;
    marl_status status = marl_calibrate_turns(&s->log, s->options.turn_angle, &s->turns, error);
    for (size_t i = 0; i < s->turns.n; i++) {
        const marl_turn *t = &s->turns.turn[i];
        if (!t->used) {
            marl_warn(&s->warnings, "turn-left-out",
                      "%s: the turn from %.2f to %.2f s is left out: %+.1f degrees against the others",
                      s->log.path, (double)t->span.from_ns * 1e-9, (double)t->span.to_ns * 1e-9,
                      t->error / MARL_DEGREE);
        }
    }
    lab_fit_merge(&s->record.fit[MARL_GYRO], &s->turns.outcome.fit, LAB_FIT_BIAS_AND_MATRIX);
    return status;
}

static marl_status calibrate_poses(marl_session *s, marl_error *error)
{
    s->outcome = &s->poses.outcome;
    marl_status status = marl_calibrate_poses(&s->log, s->options.gravity, &s->poses, error);
    for (size_t i = 0; i < s->poses.poses.n; i++) {
        const marl_pose *p = &s->poses.poses.pose[i];
        if (!p->used) {
            marl_warn(&s->warnings, "pose-left-out", "%s: the pose from %.2f to %.2f s is left out: %s",
                      s->log.path, (double)p->span.from_ns * 1e-9, (double)p->span.to_ns * 1e-9, p->why);
        }
    }
    lab_fit_merge(&s->record.fit[MARL_ACCEL], &s->poses.outcome.fit, LAB_FIT_BIAS_AND_MATRIX);
    return status;
}

/* Noise alone puts 5 of 10,000 readings beyond 3.5 deviations, where they are left out. */
static int is_more_than_chance(size_t left_out, double kept)
{
    double expected = 4.65e-4 * (kept + (double)left_out);
    return (double)left_out > expected + 4 * sqrt(expected) + 2;
}

static marl_status calibrate_tumble(marl_session *s, marl_error *error)
{
    s->outcome = &s->tumble.outcome;
    const marl_fit *accel = &s->record.fit[MARL_ACCEL];
    const marl_tumble_options how = {s->options.field, s->options.quick, accel->present ? accel : NULL};
    marl_status status = marl_calibrate_tumble(&s->log, &how, &s->tumble, error);
    const marl_spans *outliers = &s->tumble.outliers;
    size_t longest = 0;
    for (size_t i = 1; i < outliers->n; i++) {
        const marl_span *a = &outliers->span[i], *b = &outliers->span[longest];
        longest = a->to_ns - a->from_ns > b->to_ns - b->from_ns ? i : longest;
    }
    if (outliers->n > 0 && is_more_than_chance(s->tumble.outliers_n, s->tumble.outcome.fit.points)) {
        marl_warn(
            &s->warnings, "outliers",
            "%s: %zu readings in %zu spans do not belong to the field and are left out, the longest from "
            "%.2f to %.2f s",
            s->log.path, s->tumble.outliers_n, outliers->n, (double)outliers->span[longest].from_ns * 1e-9,
            (double)outliers->span[longest].to_ns * 1e-9);
    }
    if (s->tumble.repeats > 0) {
        marl_warn(&s->warnings, "repeats",
                  "%s: %zu magnetometer readings repeat the one before and are not counted", s->log.path,
                  s->tumble.repeats);
    }
    lab_fit_merge(&s->record.fit[MARL_MAG], &s->tumble.outcome.fit, LAB_FIT_BIAS_AND_MATRIX);
    return status;
}

/* The accelerometer's change comes along where it is in the log. */
static marl_status calibrate_soak(marl_session *s, marl_error *error)
{
    s->outcome = &s->soak[0].outcome;
    marl_error none = {0};
    marl_status status = marl_calibrate_soak(&s->log, MARL_GYRO, &s->soak[0], error);
    lab_fit_merge(&s->record.fit[MARL_GYRO], &s->soak[0].outcome.fit, LAB_FIT_BIAS_AND_CURVE);
    if (status != MARL_OK) {
        return status;
    }
    status = marl_calibrate_soak(&s->log, MARL_ACCEL, &s->soak[1], &none);
    if (status == MARL_OK) {
        lab_fit_merge(&s->record.fit[MARL_ACCEL], &s->soak[1].outcome.fit, LAB_FIT_CURVE);
        if (s->soak[1].outcome.remark[0] != '\0') {
            marl_warn(&s->warnings, "remark", "%s: %s", s->log.path, s->soak[1].outcome.remark);
        }
    }
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "%s", none.text) : MARL_OK;
}

static marl_status calibrate_axes(marl_session *s, marl_error *error)
{
    s->outcome = &s->axes.outcome;
    marl_status status =
        marl_calibrate_axes(&s->log, s->options.hemisphere < 0, s->options.up, &s->record, &s->axes, error);
    if (status == MARL_OK && s->options.hemisphere == 0 && s->axes.axes.mag.sign_decided) {
        marl_warn(&s->warnings, "hemisphere",
                  "%s: the field is assumed to point down, as in the north; elsewhere use "
                  "--hemisphere south",
                  s->log.path);
    }
    return status;
}

static marl_status calibrate_moves(marl_session *s, marl_error *error)
{
    s->outcome = &s->moves.outcome;
    marl_status status = marl_calibrate_moves(&s->log, &s->record, &s->moves, error);
    for (size_t i = 0; i < s->moves.n; i++) {
        const marl_move *m = &s->moves.move[i];
        if (!m->used) {
            marl_warn(&s->warnings, "move-left-out",
                      "%s: the move from %.2f to %.2f s is left out: it misses by %.1f degrees", s->log.path,
                      (double)m->span.from_ns * 1e-9, (double)m->span.to_ns * 1e-9, m->error / MARL_DEGREE);
        }
    }
    lab_fit_merge(&s->record.fit[MARL_GYRO], &s->moves.outcome.fit, LAB_FIT_BIAS_AND_MATRIX);
    return status;
}

/* What each recording is for, and what to record when there is nothing at all. */
static const struct {
    const char *name, *next;
    marl_status (*fit)(marl_session *session, marl_error *error);
} recordings[MARL_RECORDING_COUNT] = {
    [MARL_RECORDING_STILL] = {"still", "record a log at rest, 60 s are good", calibrate_still},
    [MARL_RECORDING_TURNS] = {"turns", "record turns through a known angle about each axis, rest between",
                              calibrate_turns},
    [MARL_RECORDING_POSES] = {"poses", "record the pod at rest on each of its six sides, and more",
                              calibrate_poses},
    [MARL_RECORDING_TUMBLE] = {"tumble", "record a tumble through all directions", calibrate_tumble},
    [MARL_RECORDING_SOAK] = {"soak", "record a soak from cold to warm at rest", calibrate_soak},
    [MARL_RECORDING_AXES] = {"axes", "record a tumble through all directions", calibrate_axes},
    [MARL_RECORDING_MOVES] = {"moves",
                              "record the pod laid down in twenty attitudes, turned by hand in between",
                              calibrate_moves},
};

const char *marl_recording_name(marl_recording recording)
{
    return (unsigned)recording < MARL_RECORDING_COUNT ? recordings[recording].name : "?";
}

marl_session *marl_session_create(marl_recording recording)
{
    marl_session *s = calloc(1, sizeof *s);
    if (s == NULL || (unsigned)recording >= MARL_RECORDING_COUNT) {
        free(s);
        return NULL;
    }
    s->recording = recording;
    s->record = marl_calibration_record_empty();
    s->options = (marl_session_options){
        .turn_angle = 360 * MARL_DEGREE, .gravity = MARL_STANDARD_GRAVITY, .field = NAN, .latitude = NAN};
    s->none.model = "";
    snprintf(s->none.next, sizeof s->none.next, "%s", recordings[recording].next);
    s->outcome = &s->none;
    return s;
}

void marl_session_free(marl_session *session)
{
    if (session == NULL) {
        return;
    }
    marl_turns_result_free(&session->turns);
    marl_moves_result_free(&session->moves);
    marl_poses_result_free(&session->poses);
    marl_tumble_result_free(&session->tumble);
    marl_soak_result_free(&session->soak[0]);
    marl_soak_result_free(&session->soak[1]);
    marl_log_free(&session->log);
    free(session);
}

marl_status marl_session_add_log(marl_session *s, const char *path, const marl_log_options *options,
                                 marl_error *error)
{
    marl_log next;
    if (s->log.path == NULL) {
        MARL_TRY(marl_log_load(&s->log, path, options, error));
        marl_log_warn(&s->warnings, &s->log.report, s->log.path);
        return MARL_OK;
    }
    MARL_TRY(marl_log_load(&next, path, options, error));
    double at = 1e-9 * (double)(s->log.row[s->log.n - 1].sample.t_ns + BETWEEN_LOGS_NS);
    marl_status status = marl_log_append(&s->log, &next, BETWEEN_LOGS_NS, error);
    if (status == MARL_OK) {
        marl_warn(&s->warnings, "appended",
                  "%s: goes on behind the recording before, its first row at %.2f s", path, at);
    }
    marl_log_free(&next);
    return status;
}

marl_status marl_session_start_record(marl_session *s, const char *path, marl_error *error)
{
    if (path != NULL && access(path, F_OK) == 0) {
        MARL_TRY(marl_calibration_read(&s->record, path, error));
    }
    const char *log_path = s->log.path != NULL ? s->log.path : "";
    MARL_TRY(
        marl_device_match(s->log.info.device, log_path, s->record.device, path != NULL ? path : "", error));
    if (s->record.device[0] == '\0') {
        snprintf(s->record.device, sizeof s->record.device, "%s", s->log.info.device);
    }
    return MARL_OK;
}

static void stamp(char made[32])
{
    time_t now = time(NULL);
    struct tm utc;
    gmtime_r(&now, &utc);
    strftime(made, 32, "%Y-%m-%dT%H:%M:%SZ", &utc);
}

marl_status marl_session_fit(marl_session *s, marl_error *error)
{
    if (s->log.n == 0) {
        return marl_fail(error, MARL_ERR_ARGUMENT, "a session needs a log");
    }
    marl_status status = recordings[s->recording].fit(s, error);
    if (s->outcome->accepted && s->outcome->remark[0] != '\0') {
        marl_warn(&s->warnings, "remark", "%s: %s", s->log.path, s->outcome->remark);
    }
    stamp(s->record.made);
    return status;
}
