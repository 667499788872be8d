/* SPDX-License-Identifier: MIT
 * marlinspike replay */
#include "cli/replay/replay_board.h"
#include "cli/replay/replay_page.h"
#include <math.h>
#include <time.h>

static marl_status read_options(cli_replay_job *j, cli_replay_options *o, marl_error *error)
{
    MARL_TRY(cli_reading_prepare(&o->reading, 1, error));
    if (!(o->pace >= 0)) {
        return marl_fail(error, MARL_ERR_USE, "replay: --pace is so many times real time, and not %g",
                         o->pace);
    }
    MARL_TRY(cli_degradation_read(&j->degradation, &o->degradation, error));
    if (marl_degrader_init(&j->degrader, &j->degradation) != MARL_OK) {
        return MARL_ERR_USE;
    }
    MARL_TRY(cli_start_read(&j->start, o->start, error));
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(cli_body_check(o->body, error));
    MARL_TRY(cli_replay_write_read(&j->write, o->write, o->point, error));
    if (o->write != NULL && o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "replay: --write needs -o ATT");
    }
    return marl_tuning_read(&j->tuning, o->tuning != NULL ? o->tuning : "complementary",
                            o->reading.options.sheet, error);
}

static marl_status open_pipeline(cli_replay_job *j, const cli_replay_options *o, const char *log,
                                 marl_error *error)
{
    marl_calibration_record record;
    const marl_log_info *info = marl_log_reader_info(j->reader);
    if (o->calibration != NULL) {
        MARL_TRY(marl_calibration_read(&record, o->calibration, error));
        j->declination_deg = record.declination_deg;
    }
    const marl_calibration_record *used = o->calibration != NULL ? &record : NULL;
    MARL_TRY(marl_replay_init(j->pipeline, &j->tuning.tuning, used, o->calibration, info, log, error));
    marl_replay_warn(&j->warnings, used, info, log);
    return j->start.from == MARL_START_GIVEN ? marl_replay_start(j->pipeline, j->start.q, error) : MARL_OK;
}

static marl_status prepare(cli_replay_job *j, const cli *c, cli_replay_options *o, marl_error *error)
{
    MARL_TRY(read_options(j, o, error));
    MARL_TRY(o->page != NULL ? cli_replay_page_check(o->page, c->file[0], error) : MARL_OK);
    MARL_TRY(marl_log_open(&j->reader, c->file[0], &o->reading.options, error));
    MARL_TRY(o->changes != NULL ? cli_replay_changes_open(j, o, c->file[0], error)
                                : open_pipeline(j, o, c->file[0], error));
    j->pipeline->no_digest = !o->digest && !c->json;
    if (o->out == NULL) {
        return MARL_OK;
    }
    const marl_tuning *used = marl_estimator_tuning(&j->pipeline->estimator);
    marl_log_info info = {.columns = MARL_COLUMNS_Q | MARL_COLUMNS_WEIGHT, .world = used->world};
    info.relative_heading = used->value[MARL_PARAMETER_USE_MAG] == 0.0f;
    return o->write != NULL ? cli_replay_write_open(&j->write, o->out, &info, error)
                            : marl_log_create(&j->writer, o->out, &info, error);
}

/* The board's own attitude at its first row is the reference that a log has in itself. */
static marl_status start_with_own(cli_replay_job *j, const marl_log_row *row, marl_error *error)
{
    if (!row->has_q) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "--start reference: the log's first row holds no attitude of its own");
    }
    int ned = marl_log_reader_info(j->reader)->world == MARL_WORLD_NED;
    j->start = (cli_start){MARL_START_GIVEN, ned ? marl_frame_swap_world(row->q) : row->q};
    return marl_replay_start(j->pipeline, j->start.q, error);
}

/* Sleeps until a row's time has come, `pace` times as fast as it was recorded. */
static void wait_for(cli_replay_job *j, int64_t t_ns, double pace)
{
    struct timespec now, nap;
    if (pace <= 0 || clock_gettime(CLOCK_MONOTONIC, &now) != 0) {
        return;
    }
    if (!j->paced) {
        j->paced = 1;
        j->began = now;
        j->first_ns = t_ns;
    }
    double since = (double)(now.tv_sec - j->began.tv_sec) + 1e-9 * (double)(now.tv_nsec - j->began.tv_nsec);
    double left = 1e-9 * (double)(t_ns - j->first_ns) / pace - since;
    if (left > 0) {
        nap.tv_sec = (time_t)left;
        nap.tv_nsec = (long)(1e9 * (left - floor(left)));
        nanosleep(&nap, NULL);
    }
}

/* As fast as it goes: reading, filtering and writing at once. */
static void overlap(cli_replay_job *j)
{
    marl_log_read_ahead(j->reader);
    if (j->writer != NULL) {
        marl_log_write_behind(j->writer);
    }
}

/* A row through the filter: *has_q, and the attitude in the row, where there is one. */
static marl_status step(cli_replay_job *j, marl_log_row *row, int *has_q, marl_error *error)
{
    *has_q = 0;
    if (j->live != NULL) {
        uint32_t before = j->pipeline->attitudes;
        MARL_TRY(marl_live_follow(j->live, &j->changes, &row->sample, error));
        *has_q = j->pipeline->attitudes != before;
        return *has_q ? marl_estimator_attitude(&j->pipeline->estimator, &row->q) : MARL_OK;
    }
    if (marl_degrader_feed(&j->degrader, &row->sample, &row->sample)) {
        *has_q = marl_pipeline_step(j->pipeline, &row->sample, &row->q) == MARL_OK;
    }
    return MARL_OK;
}

/* An attitude, to where it is wanted. */
static marl_status take(cli_replay_job *j, const cli_replay_options *o, marl_log_row *row, marl_error *error)
{
    row->has_q = 1;
    marl_pipeline_weights(j->pipeline, row->weight);
    j->last = *row;
    marl_start_watch_add(&j->start_watch, j->pipeline, &row->sample, row->q);
    if (j->writer != NULL) {
        marl_log_write(j->writer, row);
    } else if (j->write.file != NULL) {
        cli_replay_write_row(&j->write, row, j->pipeline);
    }
    return o->figure != NULL ? cli_replay_trace_add(&j->trace, row, j->pipeline, error) : MARL_OK;
}

static marl_status run(cli_replay_job *j, const cli_replay_options *o, marl_error *error)
{
    marl_log_row row;
    marl_status status;
    if (o->pace <= 0) {
        overlap(j);
    }
    while ((status = marl_log_next(j->reader, &row, error)) == MARL_OK) {
        if (j->start.from == MARL_START_REFERENCE && (status = start_with_own(j, &row, error)) != MARL_OK) {
            return status;
        }
        wait_for(j, row.sample.t_ns, o->pace);
        int has_q;
        MARL_TRY(step(j, &row, &has_q, error));
        if (has_q) {
            MARL_TRY(take(j, o, &row, error));
        }
    }
    if (status == MARL_END && j->pipeline->attitudes == 0) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "no attitude: the log holds no good accelerometer reading to start from");
    }
    return status == MARL_END ? MARL_OK : status;
}

static marl_status finish(cli_replay_job *j, marl_status status, marl_error *error)
{
    if (j->write.file != NULL && status != MARL_OK) {
        marl_outfile_abort(j->write.file);
    } else if (j->write.file != NULL) {
        status = marl_outfile_commit(j->write.file, error);
    }
    if (j->writer == NULL) {
        return status;
    }
    if (status != MARL_OK) {
        marl_log_abort(j->writer);
        return status;
    }
    return marl_log_commit(j->writer, error);
}

static const char *heading_label(const cli_replay_job *j)
{
    return marl_estimator_heading_is_magnetic(&j->pipeline->estimator) ? "compass heading, deg"
                                                                       : "heading relative to the start, deg";
}

/* What was asked for beside the attitudes. */
static void draw(cli_replay_job *j, const cli_replay_options *o, const char *log, marl_error *error)
{
    if (o->figure != NULL) {
        (void)!cli_replay_figure(&j->trace, j->tuning.name, heading_label(j), log, o->figure, error);
    }
    const cli_replay_page page = {log,        o->calibration,     cli_body_name(o->body),
                                  &j->tuning, o->reading.options, j->degradation,
                                  j->start};
    if (o->page != NULL && error->status == MARL_OK) {
        (void)!cli_replay_page_write(&page, o->page, error);
    }
}

static int show(const cli *c, const cli_replay_options *o, const cli_replay_job *j, const marl_error *error)
{
    if (error->status != MARL_OK) {
        return cli_exit(error);
    }
    if (c->json) {
        return cli_print_json(cli_replay_json(j));
    }
    return c->quiet ? CLI_DONE : cli_replay_print_table(j, o);
}

static int replay(const cli *c, cli_replay_options *o)
{
    marl_error error = {0};
    cli_replay_job j = {.declination_deg = NAN};
    j.pipeline = &j.own;
    marl_start_watch_init(&j.start_watch);
    if (o->on != NULL) {
        return read_options(&j, o, &error) == MARL_OK ? cli_replay_on_board(c, o, &j, &error)
                                                      : cli_exit(&error);
    }
    marl_status status = prepare(&j, c, o, &error);
    status = status == MARL_OK ? run(&j, o, &error) : status;
    (void)!finish(&j, status, &error);
    if (j.reader != NULL) {
        marl_log_warn(&j.warnings, marl_log_reader_report(j.reader), c->file[0]);
    }
    if (!c->quiet) {
        cli_print_warnings(&j.warnings);
    }
    marl_log_close(j.reader);
    if (error.status == MARL_OK) {
        draw(&j, o, c->file[0], &error);
    }
    cli_replay_trace_free(&j.trace);
    int code = show(c, o, &j, &error);
    marl_live_free(j.live);
    marl_changes_free(&j.changes);
    return code;
}

int cli_replay(int argc, const char **argv)
{
    cli_replay_options o = {.degradation = CLI_NO_DEGRADATION};
    cli c;
    const struct poptOption table[] = {
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION, "correct the readings first",
         "CAL"},
        {"tuning", '\0', POPT_ARG_STRING, &o.tuning, CLI_TUNING,
         "FILTER or FILE, with changes as FILTER:NAME=VALUE,...: gyro, vectors, complementary (default), "
         "gradient-descent, kalman; marlinspike tuning lists the parameters",
         "T"},
        {"changes", '\0', POPT_ARG_STRING, &o.changes, 0,
         "of a recording of live: the run of this name, with every change that was made while it ran", "RUN"},
        {"start", '\0', POPT_ARG_STRING, &o.start, 0,
         "vectors (default), reference: the log's own attitude, or an attitude in enu", "W,X,Y,Z"},
        {"on", '\0', POPT_ARG_STRING, &o.on, CLI_BOARD,
         "run it on a board, too, serial:DEVICE[@BAUD] or sim, and compare bit for bit; the board keeps "
         "calibration and "
         "tuning until its next start",
         "T"},
        CLI_DEGRADATION_OPTIONS(o.degradation),
        {"pace", '\0', POPT_ARG_DOUBLE, &o.pace, 0,
         "go at X times the speed of the recording (default: as fast as it goes)", "X"},
        {"figure", '\0', POPT_ARG_STRING, &o.figure, CLI_WRITES,
         "draw angles, bias and weights over time (.png, .svg or .gp)", "FILE"},
        {"report", '\0', POPT_ARG_STRING, &o.page, CLI_WRITES,
         "write a page on which the tuning can be changed, computed by the device's code (no network)",
         "PAGE.html"},
        {"body", '\0', POPT_ARG_STRING, &o.body, 0, "what turns on the page: board (default) or hook-block",
         "B"},
        {"digest", '\0', POPT_ARG_NONE, &o.digest, 0, "print the CRC-32 of all times and attitudes", NULL},
        {"write", '\0', POPT_ARG_STRING, &o.write, 0, cli_replay_write_help, "COLUMNS"},
        {"point", '\0', POPT_ARG_STRING, &o.point, 0, "a point fixed to the body, m, for --write point",
         "X,Y,Z"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES_ROWS, "the attitudes to write", "ATT"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG",
        CLI_READS,
        1,
        1,
        "Runs a log through the code that runs on the device, row by row: the same log gives the same\n"
        "attitudes bit for bit, on the desk and on the device; the digest proves it.",
        "replay lift.csv --calibration cal.json --tuning complementary -o attitude.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? replay(&c, &o) : code;
    cli_close(&c);
    return code;
}
