/* SPDX-License-Identifier: MIT
 * marlinspike smooth */
#include "cli/smooth/smooth.h"
#include "cli/common/progress.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

typedef struct options {
    cli_reading reading;
    char *calibration, *into, *out, *figure;
    int gyro_matrix;
    cli_progress progress;
} options;

static void show_progress(void *context, double share)
{
    cli_progress_show(context, "smoothing", share);
}

static marl_status write_attitudes(const cli_smoothed *job, marl_error *error)
{
    const marl_smoothed *s = &job->smoothed;
    marl_log_writer *writer;
    marl_log_info info = {.columns = MARL_COLUMNS_Q | MARL_COLUMNS_SIGMA, .smoothed = 1, .corrected = 1};
    snprintf(info.device, sizeof info.device, "%s", job->log.info.device);
    info.relative_heading = !s->heading_is_magnetic;
    marl_status status = marl_log_create(&writer, job->out, &info, error);
    for (size_t i = 0; i < s->n && status == MARL_OK; i++) {
        const marl_smoothed_row *from = &s->row[i];
        marl_log_row row = {.sample = {.t_ns = from->t_ns}, .q = from->q, .has_q = 1, .weight = {-1, -1}};
        row.sigma_deg[0] = (float)((double)from->sigma_tilt / MARL_DEGREE);
        row.sigma_deg[1] = (float)((double)from->sigma_heading / MARL_DEGREE);
        marl_log_write(writer, &row);
    }
    return status == MARL_OK ? marl_log_commit(writer, error) : status;
}

/* Did --into leave out elements of the magnetometer's matrix that calibrate tumble would give? */
static int would_tumble(const cli_smoothed *job)
{
    const marl_refinement *outcome = job->refined.sensor[MARL_MAG].matrix;
    marl_tumble_result result = {0};
    int missing = 0, accepted;
    for (int k = 0; k < 9; k++) {
        missing |= outcome[k] != MARL_REFINE_ADDED;
    }
    if (!job->smoothed.heading_is_magnetic || !missing) {
        return 0;
    }
    const marl_tumble_options standard = {.field = NAN};
    accepted =
        marl_calibrate_tumble(&job->log, &standard, &result, NULL) == MARL_OK && result.outcome.accepted;
    marl_tumble_result_free(&result);
    return accepted;
}

/* Adds what is significant to the calibration: that of --calibration, or a new one. */
static marl_status refine(cli_smoothed *job, const marl_smooth_options *how, marl_calibration_record *record,
                          marl_error *error)
{
    if (job->log.info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; --into needs the raw log",
                         job->log.path);
    }
    MARL_TRY(marl_smooth_refine(&job->log, how, &job->smoothed, record, &job->refined, error));
    job->tumbles = would_tumble(job);
    if (!job->refined.any) {
        return MARL_OK;
    }
    if (record->device[0] == '\0') {
        snprintf(record->device, sizeof record->device, "%s", job->log.info.device);
    }
    return marl_calibration_write(record, job->into, error);
}

/* Without --calibration, --into starts from what is in that file. */
static marl_status read_calibration(const options *o, marl_calibration_record *record, int *given,
                                    marl_error *error)
{
    const char *path = o->calibration;
    *record = marl_calibration_record_empty();
    *given = 0;
    if (o->into != NULL) {
        cli_lock_until_exit(o->into);
        path = path == NULL && access(o->into, F_OK) == 0 ? o->into : path;
    }
    if (path == NULL) {
        return MARL_OK;
    }
    *given = 1;
    return marl_calibration_read(record, path, error);
}

/* As smoothed, or by the turning alone where that is not trusted. */
static marl_status warn_of_delays(cli_smoothed *job, marl_error *error)
{
    marl_sensor_delays delays = marl_smoothed_delays(&job->smoothed);
    if (marl_smoothed_distrust(&job->smoothed) != NULL) {
        MARL_TRY(marl_sensor_delays_find(&job->log, &delays, error));
    }
    marl_sensor_delays_warn(&job->warnings, &job->log, &delays);
    return MARL_OK;
}

static marl_status run(const cli *c, options *o, cli_smoothed *job, marl_error *error)
{
    marl_calibration_record record;
    int given = 0;
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(cli_reading_prepare(&o->reading, 1, error));
    MARL_TRY(read_calibration(o, &record, &given, error));
    MARL_TRY(marl_log_load(&job->log, c->file[0], &o->reading.options, error));
    marl_log_warn(&job->warnings, &job->log.report, job->log.path);
    MARL_TRY(marl_axis_faults_warn(&job->warnings, &job->log, error));
    MARL_TRY(marl_row_times_warn(&job->warnings, &job->log, error));
    const char *path = o->calibration != NULL ? o->calibration : o->into;
    const marl_smooth_options how = {.record = given ? &record : NULL,
                                     .record_path = path,
                                     .progress = show_progress,
                                     .progress_context = &o->progress};
    MARL_TRY(marl_smooth(&job->log, &how, &job->smoothed, error));
    cli_smooth_warn(job);
    MARL_TRY(warn_of_delays(job, error));
    MARL_TRY(marl_smooth_closures(&job->log, &job->smoothed, &job->closures, error));
    job->calibration = given ? path : NULL;
    MARL_TRY(o->figure != NULL ? cli_smooth_figure(job, o->figure, error) : MARL_OK);
    if (marl_smoothed_distrust(&job->smoothed) != NULL) {
        job->out = job->into = NULL; /* nothing is made of it */
        return MARL_OK;
    }
    MARL_TRY(o->out != NULL ? write_attitudes(job, error) : MARL_OK);
    return o->into != NULL ? refine(job, &how, &record, error) : MARL_OK;
}

static int smooth(const cli *c, options *o, cli_smoothed *job)
{
    marl_error error = {0};
    cli_progress_begin(&o->progress, c->quiet);
    job->out = o->out;
    job->into = o->into;
    job->figure = o->figure;
    job->gyro_matrix = o->gyro_matrix;
    marl_status status = run(c, o, job, &error);
    cli_progress_end(&o->progress);
    if (!c->json && !c->quiet) {
        cli_print_warnings(&job->warnings);
    }
    if (status != MARL_OK) {
        return cli_exit(&error);
    }
    int code = c->json ? cli_smooth_json(job) : c->quiet ? CLI_DONE : cli_smooth_table(job);
    const char *why = marl_smoothed_distrust(&job->smoothed);
    if (code != CLI_DONE || why == NULL) {
        return code;
    }
    (void)!marl_fail(
        &error, MARL_ERR_INSUFFICIENT,
        "%s: not to be trusted: %s; nothing is written. Calibrate first (still, poses, tumble) and "
        "pass --calibration, or record longer, with turns about all axes",
        job->log.path, why);
    return cli_exit(&error);
}

int cli_smooth(int argc, const char **argv)
{
    options o = {0};
    const struct poptOption own[] = {
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION, "correct the readings first",
         "CAL"},
        {"into", '\0', POPT_ARG_STRING, &o.into, CLI_UPDATES,
         "add the errors of the sensors that are significant, and that both halves of the log agree on, to "
         "this calibration",
         "CAL"},
        {"gyro-matrix", '\0', POPT_ARG_NONE, &o.gyro_matrix, 0,
         "show the gyroscope's errors of scale and misalignment", NULL},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES_ROWS, "the attitudes with their standard deviations",
         "ATT"},
        {"figure", '\0', POPT_ARG_STRING, &o.figure, CLI_WRITES,
         "standard deviations, attitude, bias, disturbances; .png, .svg or .gp", "FILE"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG",
        CLI_READS,
        1,
        1,
        "A reference attitude without a rig: the whole log is smoothed forwards and backwards, and\n"
        "each attitude comes with its standard deviation. The result serves as --reference of compare,\n"
        "which also takes --reference smooth. It shares the sensors of the log: a magnetometer error\n"
        "along an axis that never turned stays hidden.",
        "smooth lift.csv --calibration pod-07.json -o lift.smooth.csv"};
    cli c;
    int code = cli_open(&c, argc, argv, own, &usage);
    if (code == CLI_GO) {
        cli_smoothed *job = calloc(1, sizeof *job);
        marl_error none = {MARL_ERR_SYSTEM, "no memory"};
        code = job != NULL ? smooth(&c, &o, job) : cli_exit(&none);
        if (job != NULL) {
            marl_log_free(&job->log);
            marl_smoothed_free(&job->smoothed);
        }
        free(job);
    }
    cli_close(&c);
    return code;
}
