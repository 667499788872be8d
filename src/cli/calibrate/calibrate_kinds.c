/* SPDX-License-Identifier: MIT
 * The kinds of calibration: what each computes and warns of. */
#include "cli/calibrate/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

/* Takes the Earth's own turning off the gyroscope's mean. */
static marl_status without_earth(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    double rate[3];
    marl_status status = marl_earth_rate(&job->log, &job->record, o->latitude * MARL_DEGREE, rate, error);
    for (int k = 0; k < 3 && status == MARL_OK; k++) {
        job->rest.fit.bias[k] -= rate[k];
    }
    return status;
}

static marl_status calibrate_still(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    marl_status status = MARL_OK;
    if (job->log.info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; a calibration needs the raw log",
                         job->log.path);
    }
    status = marl_calibrate_still(&job->log, &job->rest, error);
    if (status == MARL_OK && job->rest.moved_s > 0) {
        marl_warn(&job->warnings, "moved", "%s: moved for %.2f s, first at %.2f s; that was left out",
                  job->log.path, job->rest.moved_s, (double)job->rest.moved.from_ns * 1e-9);
    }
    if (status == MARL_OK && job->rest.turn_unseen) {
        marl_warn(&job->warnings, "turn-unseen",
                  "%s: without a magnetometer a steady turn about the vertical cannot be seen",
                  job->log.path);
    }
    if (status == MARL_OK && isfinite(o->latitude)) {
        status = without_earth(o, job, error);
        job->rest.accepted = status == MARL_OK;
    }
    job->still = (marl_calibrated){
        .sensor = MARL_GYRO, .fit = job->rest.fit, .accepted = job->rest.accepted, .model = "bias"};
    snprintf(job->still.next, sizeof job->still.next, "%s", job->rest.next);
    marl_fit_merge(&job->record.fit[MARL_GYRO], &job->rest.fit, MARL_FIT_BIAS);
    return status;
}

static marl_status calibrate_turns(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    marl_status status = marl_calibrate_turns(&job->log, o->turn_angle * MARL_DEGREE, &job->turns, error);
    for (size_t i = 0; i < job->turns.n; i++) {
        const marl_turn *t = &job->turns.turn[i];
        if (!t->used) {
            marl_warn(&job->warnings, "turn-left-out",
                      "%s: the turn from %.2f to %.2f s is left out: %+.1f degrees against the others",
                      job->log.path, (double)t->span.from_ns * 1e-9, (double)t->span.to_ns * 1e-9,
                      t->error / MARL_DEGREE);
        }
    }
    marl_fit_merge(&job->record.fit[MARL_GYRO], &job->turns.outcome.fit, MARL_FIT_BIAS_AND_MATRIX);
    return status;
}

static marl_status calibrate_poses(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    marl_status status = marl_calibrate_poses(&job->log, o->gravity, &job->poses, error);
    for (size_t i = 0; i < job->poses.poses.n; i++) {
        const marl_pose *p = &job->poses.poses.pose[i];
        if (!p->used) {
            marl_warn(&job->warnings, "pose-left-out", "%s: the pose from %.2f to %.2f s is left out: %s",
                      job->log.path, (double)p->span.from_ns * 1e-9, (double)p->span.to_ns * 1e-9, p->why);
        }
    }
    marl_fit_merge(&job->record.fit[MARL_ACCEL], &job->poses.outcome.fit, MARL_FIT_BIAS_AND_MATRIX);
    return status;
}

static marl_status calibrate_tumble(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    const marl_fit *accel = &job->record.fit[MARL_ACCEL];
    const marl_tumble_options how = {o->field > 0 ? o->field : NAN, o->quick, accel->present ? accel : NULL};
    marl_status status = marl_calibrate_tumble(&job->log, &how, &job->tumble, error);
    const marl_spans *outliers = &job->tumble.outliers;
    size_t longest = 0;
    for (size_t i = 1; i < outliers->n; i++) {
        const marl_span *a = &outliers->span[i], *b = &outliers->span[longest];
        longest = a->to_ns - a->from_ns > b->to_ns - b->from_ns ? i : longest;
    }
    if (outliers->n > 0) {
        marl_warn(
            &job->warnings, "outliers",
            "%s: %zu readings in %zu spans do not belong to the field and are left out, the longest from "
            "%.2f to %.2f s",
            job->log.path, job->tumble.outliers_n, outliers->n,
            (double)outliers->span[longest].from_ns * 1e-9, (double)outliers->span[longest].to_ns * 1e-9);
    }
    if (job->tumble.repeats > 0) {
        marl_warn(&job->warnings, "repeats",
                  "%s: %zu magnetometer readings repeat the one before and are not counted", job->log.path,
                  job->tumble.repeats);
    }
    marl_fit_merge(&job->record.fit[MARL_MAG], &job->tumble.outcome.fit, MARL_FIT_BIAS_AND_MATRIX);
    return status;
}

/* The accelerometer's change comes along where it is in the log. */
static marl_status calibrate_soak(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    (void)o;
    marl_error none = {0};
    marl_status status = marl_calibrate_soak(&job->log, MARL_GYRO, &job->soak[0], error);
    marl_fit_merge(&job->record.fit[MARL_GYRO], &job->soak[0].outcome.fit, MARL_FIT_BIAS_AND_CURVE);
    if (status != MARL_OK) {
        return status;
    }
    status = marl_calibrate_soak(&job->log, MARL_ACCEL, &job->soak[1], &none);
    if (status == MARL_OK) {
        marl_fit_merge(&job->record.fit[MARL_ACCEL], &job->soak[1].outcome.fit, MARL_FIT_CURVE);
        if (job->soak[1].outcome.remark[0] != '\0') {
            marl_warn(&job->warnings, "remark", "%s: %s", job->log.path, job->soak[1].outcome.remark);
        }
    }
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "%s", none.text) : MARL_OK;
}

static marl_status calibrate_axes(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    int southern = o->hemisphere != NULL && strcmp(o->hemisphere, "south") == 0;
    marl_status status =
        marl_calibrate_axes(&job->log, southern, o->up_axis, &job->record, &job->axes, error);
    job->still = (marl_calibrated){.sensor = MARL_MAG, .accepted = job->axes.accepted, .model = "axes"};
    job->still.fit.present = 1;
    snprintf(job->still.next, sizeof job->still.next, "%s", job->axes.next);
    if (status == MARL_OK && o->hemisphere == NULL && job->axes.axes.mag.sign_decided) {
        marl_warn(&job->warnings, "hemisphere",
                  "%s: the field is assumed to point down, as in the north; elsewhere use "
                  "--hemisphere south",
                  job->log.path);
    }
    return status;
}

static marl_status calibrate_moves(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    (void)o;
    marl_status status = marl_calibrate_moves(&job->log, &job->record, &job->moves, error);
    for (size_t i = 0; i < job->moves.n; i++) {
        const marl_move *m = &job->moves.move[i];
        if (!m->used) {
            marl_warn(&job->warnings, "move-left-out",
                      "%s: the move from %.2f to %.2f s is left out: it misses by %.1f degrees",
                      job->log.path, (double)m->span.from_ns * 1e-9, (double)m->span.to_ns * 1e-9,
                      m->error / MARL_DEGREE);
        }
    }
    marl_fit_merge(&job->record.fit[MARL_GYRO], &job->moves.outcome.fit, MARL_FIT_BIAS_AND_MATRIX);
    return status;
}

const cli_calibrate_kind cli_calibrate_kinds[CLI_RECORDING_KINDS] = {
    [CLI_STILL] = {"still", "record a log at rest, 60 s are good", calibrate_still},
    [CLI_TURNS] = {"turns", "record turns through a known angle about each axis, rest between",
                   calibrate_turns},
    [CLI_POSES] = {"poses", "record the pod at rest on each of its six sides, and more", calibrate_poses},
    [CLI_TUMBLE] = {"tumble", "record a tumble through all directions", calibrate_tumble},
    [CLI_SOAK] = {"soak", "record a soak from cold to warm at rest", calibrate_soak},
    [CLI_AXES] = {"axes", "record a tumble through all directions", calibrate_axes},
    [CLI_MOVES] = {"moves", "record the pod laid down in twenty attitudes, turned by hand in between",
                   calibrate_moves},
};
