/* SPDX-License-Identifier: MIT
 * marlinspike calibrate */
#include "cli/calibrate/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define BETWEEN_LOGS_NS INT64_C(2000000000)

static void stamp(char made[32])
{
    time_t now = time(NULL);
    struct tm utc;
    gmtime_r(&now, &utc);
    strftime(made, 32, "%Y-%m-%dT%H:%M:%SZ", &utc);
}

/* The record that the new fit goes into: the one in the file, where there is one. */
static marl_status start_record(const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    marl_calibration_record *record = &job->record;
    *record = marl_calibration_record_empty();
    if (o->into != NULL) {
        cli_lock_until_exit(o->into);
    }
    if (o->into != NULL && access(o->into, F_OK) == 0) {
        marl_status status = marl_calibration_read(record, o->into, error);
        if (status != MARL_OK) {
            return status;
        }
    }
    marl_status status = marl_device_match(job->log.info.device, job->log.path, record->device,
                                           o->into != NULL ? o->into : "", error);
    if (status == MARL_OK && record->device[0] == '\0') {
        snprintf(record->device, sizeof record->device, "%s", job->log.info.device);
    }
    return status;
}

/* "z", "+z" or "-z". */
static marl_status read_up(cli_calibrate_options *o, marl_error *error)
{
    const char *text = o->up;
    int sign = *text == '-' ? -1 : 1;
    text += *text == '-' || *text == '+';
    if (strlen(text) != 1 || *text < 'x' || *text > 'z') {
        return marl_fail(error, MARL_ERR_USE, "--up is one of x y z -x -y -z, and not '%s'", o->up);
    }
    o->up_axis = sign * (*text - 'x' + 1);
    return MARL_OK;
}

static const marl_calibrated *result_of(const cli_calibrated *job)
{
    const marl_calibrated *of[CLI_RECORDING_KINDS] = {
        &job->still,           &job->turns.outcome, &job->poses.outcome, &job->tumble.outcome,
        &job->soak[0].outcome, &job->still,         &job->moves.outcome};
    return of[job->kind];
}

/* Another recording for the same calibration. */
static marl_status append(const cli_calibrate_options *o, const char *path, cli_calibrated *job,
                          marl_error *error)
{
    marl_log next;
    marl_status status = marl_log_load(&next, path, &o->reading.options, error);
    if (status != MARL_OK) {
        return status;
    }
    double at = 1e-9 * (double)(job->log.row[job->log.n - 1].sample.t_ns + BETWEEN_LOGS_NS);
    status = marl_log_append(&job->log, &next, BETWEEN_LOGS_NS, error);
    if (status == MARL_OK) {
        marl_warn(&job->warnings, "appended",
                  "%s: goes on behind the recording before, its first row at %.2f s", path, at);
    }
    marl_log_free(&next);
    return status;
}

static marl_status check_options(const cli_calibrate_options *o, const cli_calibrated *job, marl_error *error)
{
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(o->page != NULL ? marl_page_check_path(o->page, error) : MARL_OK);
    if (o->figure != NULL && job->kind == CLI_AXES) {
        return marl_fail(error, MARL_ERR_USE, "calibrate: --figure is of all but axes, which are a table");
    }
    if (!(o->turn_angle > 0 && o->gravity > 1 && o->gravity < 100 && o->field >= 0)) {
        return marl_fail(error, MARL_ERR_USE,
                         "calibrate: --turn-angle, --gravity and --field are positive, gravity in m/s^2");
    }
    if (isfinite(o->latitude) && !(fabs(o->latitude) <= 90)) {
        return marl_fail(error, MARL_ERR_USE, "--latitude is from -90 to 90 degrees");
    }
    if (o->hemisphere != NULL && strcmp(o->hemisphere, "north") != 0 && strcmp(o->hemisphere, "south") != 0) {
        return marl_fail(error, MARL_ERR_USE, "--hemisphere is north or south, and not '%s'", o->hemisphere);
    }
    return MARL_OK;
}

static marl_status load(cli_calibrate_options *o, const cli *c, cli_calibrated *job, marl_error *error)
{
    MARL_TRY(check_options(o, job, error));
    MARL_TRY(cli_reading_prepare(&o->reading, error));
    MARL_TRY(o->up != NULL ? read_up(o, error) : MARL_OK);
    MARL_TRY(marl_log_load(&job->log, c->file[1], &o->reading.options, error));
    for (int i = 2; i < c->files; i++) {
        MARL_TRY(append(o, c->file[i], job, error));
    }
    return start_record(o, job, error);
}

/* There is nothing to fit. A log without samples is too little data, and --json reports it as any other
 * refusal.
 * */
static int refuse(const cli *c, cli_calibrated *job, const marl_error *error)
{
    if (c->json && error->status == MARL_ERR_INSUFFICIENT) {
        job->still = (marl_calibrated){.model = ""};
        snprintf(job->still.next, sizeof job->still.next, "%s", cli_calibrate_kinds[job->kind].next);
        job->record = marl_calibration_record_empty();
        job->result = &job->still;
        (void)cli_calibrated_json(job);
    }
    return cli_exit(error);
}

/* What cannot be drawn takes nothing from what was calibrated. */
static void draw(const cli_calibrate_options *o, const cli_calibrated *job, marl_error *drawing)
{
    marl_error page = {0};
    if (o->figure != NULL) {
        (void)!cli_calibrated_figure(job, o->figure, drawing);
    }
    if (o->page != NULL && cli_calibrated_page(job, o->page, &page) != MARL_OK &&
        drawing->status == MARL_OK) {
        *drawing = page;
    }
}

/* Shows the result, accepted or not, and writes it when it was accepted. */
static int finish(const cli *c, const cli_calibrate_options *o, cli_calibrated *job, marl_error *error)
{
    const marl_calibrated *r = job->result;
    const char *target = o->out != NULL ? o->out : o->into;
    int code = CLI_DONE, written = 0;
    marl_error drawing = {0};
    if (r->accepted && target != NULL) {
        written = marl_calibration_write(&job->record, target, error) == MARL_OK;
    }
    int reported = !r->accepted || error->status == MARL_OK; /* a result that could not be written is none */
    if (r->fit.present && reported) {
        draw(o, job, &drawing);
    }
    if (c->json && reported) {
        code = cli_calibrated_json(job);
    } else if (!c->quiet && r->fit.present) {
        code = cli_calibrated_table(job, written ? target : NULL, target);
    }
    if (error->status != MARL_OK) {
        code = cli_exit(error);
        if (!r->accepted && r->next[0] != '\0') {
            cli_message("next: %s", r->next);
        }
    } else if (drawing.status != MARL_OK) {
        code = cli_exit(&drawing);
    }
    return code;
}

static int calibrate(const cli *c, cli_calibrate_options *o, cli_calibrated *job)
{
    marl_error error = {0};
    if (load(o, c, job, &error) != MARL_OK) {
        return refuse(c, job, &error);
    }
    marl_log_warn(&job->warnings, &job->log.report, job->log.path);
    marl_status status = cli_calibrate_kinds[job->kind].run(o, job, &error);
    job->result = result_of(job);
    if (job->result->accepted && job->result->remark[0] != '\0') {
        marl_warn(&job->warnings, "remark", "%s: %s", job->log.path, job->result->remark);
    }
    if (!c->quiet) {
        cli_print_warnings(&job->warnings);
    }
    stamp(job->record.made);
    if (status == MARL_ERR_SYSTEM || status == MARL_ERR_INPUT) {
        return cli_exit(&error);
    }
    return finish(c, o, job, &error);
}

static int find_kind(const char *name, cli_recording_kind *kind)
{
    char known[80] = "";
    for (int i = 0; i < CLI_RECORDING_KINDS; i++) {
        if (strcmp(name, cli_calibrate_kinds[i].name) == 0) {
            *kind = (cli_recording_kind)i;
            return 1;
        }
        marl_list_append(known, sizeof known, cli_calibrate_kinds[i].name);
    }
    cli_message("calibrate: unknown recording '%s'; known: %s", name, known);
    return 0;
}

static int run(const cli *c, cli_calibrate_options *o)
{
    cli_calibrated *job = calloc(1, sizeof *job);
    int code = CLI_WRONG_USE;
    if (job == NULL) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    if (find_kind(c->file[0], &job->kind)) {
        code = calibrate(c, o, job);
    }
    marl_turns_result_free(&job->turns);
    marl_moves_result_free(&job->moves);
    marl_poses_result_free(&job->poses);
    marl_tumble_result_free(&job->tumble);
    marl_soak_result_free(&job->soak[0]);
    marl_soak_result_free(&job->soak[1]);
    marl_log_free(&job->log);
    free(job);
    return code;
}

int cli_calibrate(int argc, const char **argv)
{
    cli_calibrate_options o = {.turn_angle = 360, .gravity = MARL_STANDARD_GRAVITY, .latitude = NAN};
    cli c;
    const struct poptOption table[] = {
        {"into", '\0', POPT_ARG_STRING, &o.into, 0,
         "put the result into this calibration, keep its other sensors", "CAL"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, 0, "write here (default: the file of --into)", "CAL"},
        {"turn-angle", '\0', POPT_ARG_DOUBLE, &o.turn_angle, 0, "turns: the angle of each (default 360)",
         "DEG"},
        {"gravity", '\0', POPT_ARG_DOUBLE, &o.gravity, 0, "poses: local gravity, m/s^2 (default 9.80665)",
         "G"},
        {"field", '\0', POPT_ARG_DOUBLE, &o.field, 0,
         "tumble: strength of the Earth's field there (default: as found)", "UT"},
        {"hemisphere", '\0', POPT_ARG_STRING, &o.hemisphere, 0,
         "axes: north or south (default north, with a message)", "H"},
        {"up", '\0', POPT_ARG_STRING, &o.up, 0,
         "axes: what points up in the first still pose, x y z -x -y -z (default: accelerometer right)",
         "AXIS"},
        {"latitude", '\0', POPT_ARG_DOUBLE, &o.latitude, 0,
         "still: subtracts the Earth's rate; north is positive (default: it stays in the bias)", "DEG"},
        {"quick", '\0', POPT_ARG_NONE, &o.quick, 0, "tumble: midpoint of the extremes, a rough first result",
         NULL},
        {"figure", '\0', POPT_ARG_STRING, &o.figure, 0, "what was fitted, and how well: .png, .svg or .gp",
         "FILE"},
        {"report", '\0', POPT_ARG_STRING, &o.page, 0,
         "write a page to look at: numbers, points on the sphere, what is left", "PAGE.html"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "still|turns|poses|tumble|soak|axes|moves LOG...", 2, 64,
        "still   the gyroscope's bias, from a recording in which nobody touches the board: 60 s are good\n"
        "turns   the gyroscope's bias and scale, from turns through a known angle with rest between, both "
        "ways\n"
        "        about each axis\n"
        "poses   the accelerometer's bias and scale from six faces, its misalignment too from twelve "
        "attitudes and "
        "more;\n"
        "        they are found in one recording: lay it down, let go for three seconds, go on\n"
        "tumble  the magnetometer's hard and soft iron, field strength and dip, from turning it to all "
        "sides\n"
        "soak    bias over temperature of gyroscope and accelerometer, from a recording at rest, cold to "
        "warm\n"
        "axes    which way the gyroscope's and the magnetometer's axes stand to the accelerometer's, from a "
        "tumble\n"
        "moves   the gyroscope's bias, scale and misalignment, from a recording of poses or any handling "
        "with rests;\n"
        "        the accelerometer of --into is the reference\n"
        "Several logs of the same kind count as one recording.\n"
        "Every number comes with its standard error. A recording that does not bear it out is shown, with "
        "what\n"
        "to record next; then nothing is written and the exit code is 4.",
        "calibrate still data/demo/still.csv --into pod-07.json"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? run(&c, &o) : code;
    cli_close(&c);
    return code;
}
