/* SPDX-License-Identifier: MIT
 * marlinspike replay */
#include "cli/common/cli.h"
#include "cli/replay/replay_trace.h"
#include "cli/replay/replay_write.h"
#include <math.h>
#include <stdio.h>
#include <time.h>

typedef struct options {
    cli_reading reading;
    cli_degradation degradation;
    char *calibration, *tuning, *out, *start, *figure, *write, *point;
    int digest;
    double pace;
} options;

/* One replay from file to file, in flat memory. */
typedef struct job {
    marl_log_reader *reader;
    marl_log_writer *writer; /* NULL: no file asked for */
    marl_named_tuning tuning;
    marl_pipeline pipeline;
    marl_degrader degrader;
    marl_log_row last; /* attitude last given out */
    cli_start start;
    cli_replay_trace trace; /* for the figure */
    cli_replay_write write; /* instead of `writer`, with --write */
    double declination_deg; /* NaN: headings stay magnetic */
    int paced;              /* the first row's time stands in first_ns, the clock's then in began */
    int64_t first_ns;
    struct timespec began;
    marl_warnings warnings;
} job;

static marl_status read_options(job *j, options *o, marl_error *error)
{
    marl_degradation degradation;
    MARL_TRY(cli_reading_prepare(&o->reading, 1, error));
    if (!(o->pace >= 0)) {
        return marl_fail(error, MARL_ERR_USE, "replay: --pace is so many times real time, and not %g",
                         o->pace);
    }
    MARL_TRY(cli_degradation_read(&degradation, &o->degradation, error));
    if (marl_degrader_init(&j->degrader, &degradation) != MARL_OK) {
        return MARL_ERR_USE;
    }
    MARL_TRY(cli_start_read(&j->start, o->start, error));
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(cli_replay_write_read(&j->write, o->write, o->point, error));
    if (o->write != NULL && o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "replay: --write needs -o ATT");
    }
    return marl_tuning_read(&j->tuning, o->tuning != NULL ? o->tuning : "complementary",
                            o->reading.options.sheet, error);
}

static marl_status prepare(job *j, const cli *c, options *o, marl_error *error)
{
    marl_calibration_record record;
    MARL_TRY(read_options(j, o, error));
    if (o->calibration != NULL) {
        MARL_TRY(marl_calibration_read(&record, o->calibration, error));
        j->declination_deg = record.declination_deg;
    }
    MARL_TRY(marl_log_open(&j->reader, c->file[0], &o->reading.options, error));
    MARL_TRY(marl_replay_init(&j->pipeline, &j->tuning.tuning, o->calibration != NULL ? &record : NULL,
                              o->calibration, marl_log_reader_info(j->reader), c->file[0], error));
    marl_replay_warn(&j->warnings, o->calibration != NULL ? &record : NULL, marl_log_reader_info(j->reader),
                     c->file[0]);
    if (j->start.from == MARL_START_GIVEN) {
        MARL_TRY(marl_replay_start(&j->pipeline, j->start.q, error));
    }
    j->pipeline.no_digest = !o->digest && !c->json;
    if (o->out == NULL) {
        return MARL_OK;
    }
    const marl_tuning *used = marl_estimator_tuning(&j->pipeline.estimator);
    marl_log_info info = {.columns = MARL_COLUMNS_Q | MARL_COLUMNS_WEIGHT, .world = used->world};
    info.relative_heading = used->value[MARL_PARAMETER_USE_MAG] == 0.0f;
    return o->write != NULL ? cli_replay_write_open(&j->write, o->out, &info, error)
                            : marl_log_create(&j->writer, o->out, &info, error);
}

/* The board's own attitude at its first row is the reference that a log has in itself. */
static marl_status start_with_own(job *j, const marl_log_row *row, marl_error *error)
{
    if (!row->has_q) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "--start reference: the log's first row holds no attitude of its own");
    }
    int ned = marl_log_reader_info(j->reader)->world == MARL_WORLD_NED;
    j->start.from = MARL_START_GIVEN;
    return marl_replay_start(&j->pipeline, ned ? marl_frame_swap_world(row->q) : row->q, error);
}

/* Sleeps until a row's time has come, `pace` times as fast as it was recorded. */
static void wait_for(job *j, int64_t t_ns, double pace)
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
static void overlap(job *j)
{
    marl_log_read_ahead(j->reader);
    if (j->writer != NULL) {
        marl_log_write_behind(j->writer);
    }
}

static marl_status run(job *j, const options *o, marl_error *error)
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
        if (!marl_degrader_feed(&j->degrader, &row.sample, &row.sample)) {
            continue;
        }
        if (marl_pipeline_step(&j->pipeline, &row.sample, &row.q) == MARL_OK) {
            row.has_q = 1;
            marl_pipeline_weights(&j->pipeline, row.weight);
            j->last = row;
            if (j->writer != NULL) {
                marl_log_write(j->writer, &row);
            } else if (j->write.file != NULL) {
                cli_replay_write_row(&j->write, &row, &j->pipeline);
            }
            if (o->figure != NULL &&
                (status = cli_replay_trace_add(&j->trace, &row, &j->pipeline, error)) != MARL_OK) {
                return status;
            }
        }
    }
    if (status == MARL_END && j->pipeline.attitudes == 0) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "no attitude: the log holds no good accelerometer reading to start from");
    }
    return status == MARL_END ? MARL_OK : status;
}

static marl_status finish(job *j, marl_status status, marl_error *error)
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

/* Bias, and for a filter with a covariance the standard deviations at the end. */
static void add_state(json_t *root, const marl_estimator *e)
{
    float tilt, heading;
    marl_vec3 b = marl_estimator_bias(e);
    const double bias[3] = {(double)b.x, (double)b.y, (double)b.z};
    json_object_set_new(root, "gyro_bias", cli_numbers(bias, 3));
    if (marl_estimator_sigma(e, &tilt, &heading) == MARL_OK) {
        json_object_set_new(root, "sigma_tilt_deg", cli_number((double)tilt / MARL_DEGREE));
        json_object_set_new(root, "sigma_heading_deg", cli_number((double)heading / MARL_DEGREE));
    }
}

static int print_json(const job *j)
{
    const marl_estimator_counts counts = marl_estimator_count(&j->pipeline.estimator);
    json_t *root = json_object();
    char digest[16];
    snprintf(digest, sizeof digest, "%08x", (unsigned)j->pipeline.digest);
    json_object_set_new(root, "name", cli_text(j->tuning.name));
    json_object_set_new(root, "filter", cli_text(marl_filter_name(j->tuning.tuning.filter)));
    json_object_set_new(root, "world", cli_text(marl_world_name(j->tuning.tuning.world)));
    json_object_set_new(
        root, "heading",
        cli_text(marl_estimator_heading_is_magnetic(&j->pipeline.estimator) ? "magnetic" : "relative"));
    json_object_set_new(root, "attitudes", json_integer((json_int_t)j->pipeline.attitudes));
    json_object_set_new(root, "updates", json_integer(counts.updates));
    json_object_set_new(root, "restarts", json_integer(counts.restarts));
    json_object_set_new(root, "limited_bias", json_integer(counts.limited_bias));
    json_object_set_new(root, "invalid", cli_invalid_json(&counts));
    json_object_set_new(root, "downweighted", cli_downweighted_json(&counts));
    add_state(root, &j->pipeline.estimator);
    json_object_set_new(root, "digest", cli_text(digest));
    return cli_print_json(root);
}

static double percent(uint32_t part, uint32_t of)
{
    return of > 0 ? 100.0 * (double)part / of : 0;
}

/* What it means that a sensor was down-weighted most of the time, and which parameter decides it. */
static void print_advice(const marl_estimator *e, const marl_estimator_counts *counts)
{
    int kalman = e->tuning.filter == MARL_FILTER_KALMAN;
    if (2.0 * counts->downweighted_accel > counts->used_accel) {
        cli_print(
            kalman
                ? "  The acceleration changed by more than 0.1 m/s^2 most of the time: the tilt rests on the "
                  "gyroscope and on the\n  mean force. accel_floor and disturbance_time set how much one "
                  "reading "
                  "counts.\n"
                : "  Accelerations were beyond accel_threshold = %g m/s^2 most of the time: the tilt rests "
                  "on the "
                  "gyroscope and on the\n  mean force. A larger accel_threshold uses the readings more, and "
                  "follows accelerations more.\n",
            (double)e->tuning.value[MARL_PARAMETER_ACCEL_THRESHOLD]);
    }
    if (2.0 * counts->downweighted_mag > counts->used_mag) {
        cli_print(
            "  The field differed from its reference by more than %g uT most of the time: steel nearby, "
            "or a magnetometer\n"
            "  without calibration. The heading rests on the gyroscope meanwhile; %s decides.\n",
            kalman ? 1.0 : (double)e->tuning.value[MARL_PARAMETER_MAG_THRESHOLD],
            kalman ? "mag_noise" : "mag_threshold");
    }
}

static void print_bias(const marl_estimator *e)
{
    marl_vec3 bias = marl_estimator_bias(e), sigma;
    cli_print("gyroscope bias estimate: %+.3f %+.3f %+.3f deg/s", (double)bias.x / MARL_DEGREE,
              (double)bias.y / MARL_DEGREE, (double)bias.z / MARL_DEGREE);
    if (marl_estimator_bias_sigma(e, &sigma) == MARL_OK) {
        cli_print(" (1 sigma %.3f %.3f %.3f)", (double)sigma.x / MARL_DEGREE, (double)sigma.y / MARL_DEGREE,
                  (double)sigma.z / MARL_DEGREE);
    }
    cli_print("\n");
    uint32_t limited = marl_estimator_count(e).limited_bias;
    if (limited > 0) {
        cli_print("  It stood at bias_limit, %.1f deg/s, during %u corrections, and the attitude is wrong by "
                  "what is "
                  "beyond:\n  calibrate the gyroscope (calibrate still), or raise bias_limit.\n",
                  (double)e->tuning.value[MARL_PARAMETER_BIAS_LIMIT] / MARL_DEGREE, (unsigned)limited);
    }
}

static void print_state(const marl_estimator *e)
{
    const marl_estimator_counts counts = marl_estimator_count(e);
    float tilt, heading;
    if (e->tuning.filter == MARL_FILTER_GYRO || e->tuning.filter == MARL_FILTER_VECTORS) {
        return;
    }
    cli_print(
        "down-weighted (weight < 0.5): accelerometer in %.1f %%, magnetometer in %.1f %% of their readings\n",
        percent(counts.downweighted_accel, counts.used_accel),
        percent(counts.downweighted_mag, counts.used_mag));
    print_advice(e, &counts);
    print_bias(e);
    if (marl_estimator_sigma(e, &tilt, &heading) == MARL_OK) {
        cli_print("standard deviation (1 sigma) at the end: tilt %.2f, heading %.2f deg; errors that "
                  "calibration left come "
                  "on top\n",
                  (double)tilt / MARL_DEGREE, (double)heading / MARL_DEGREE);
    }
}

static int print_table(const job *j, const options *o)
{
    const marl_estimator *e = &j->pipeline.estimator;
    const marl_estimator_counts counts = marl_estimator_count(e);
    marl_rpy angles = marl_quat_to_rpy(j->last.q);
    float heading;
    cli_print("%s: %u attitudes in %s, heading %s\n", j->tuning.name, (unsigned)j->pipeline.attitudes,
              marl_world_name(e->tuning.world),
              marl_estimator_heading_is_magnetic(e) ? "magnetic" : "relative to the start");
    cli_print("invalid readings: accel %u, gyro %u, mag %u; restarts: %u\n", (unsigned)counts.invalid_accel,
              (unsigned)counts.invalid_gyro, (unsigned)counts.invalid_mag, (unsigned)counts.restarts);
    cli_print("at the end, %.3f s: roll %.2f, pitch %.2f, yaw %.2f deg", (double)j->last.sample.t_ns * 1e-9,
              (double)angles.roll / MARL_DEGREE, (double)angles.pitch / MARL_DEGREE,
              (double)angles.yaw / MARL_DEGREE);
    if (marl_estimator_heading_is_magnetic(e) &&
        marl_frame_heading(j->last.q, e->tuning.world, &heading) == MARL_OK) {
        double turned = isnan(j->declination_deg) ? 0 : j->declination_deg;
        cli_print(", %s heading %.2f deg", isnan(j->declination_deg) ? "compass" : "true",
                  fmod((double)heading / MARL_DEGREE + turned + 360, 360));
    }
    cli_print("%s\n", angles.at_pole ? " (pitch at its pole: roll and yaw are one angle)" : "");
    print_state(e);
    if (o->digest) {
        cli_print("digest: %08x\n", (unsigned)j->pipeline.digest);
    }
    if (o->out != NULL) {
        cli_print("written: %s\n", o->out);
    }
    if (o->figure != NULL) {
        cli_print("figure: %s\n", o->figure);
    }
    return cli_print_done();
}

static const char *heading_label(const job *j)
{
    return marl_estimator_heading_is_magnetic(&j->pipeline.estimator) ? "compass heading, deg"
                                                                      : "heading relative to the start, deg";
}

static int replay(const cli *c, options *o)
{
    marl_error error = {0};
    job j = {.declination_deg = NAN};
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
    if (error.status == MARL_OK && o->figure != NULL) {
        (void)!cli_replay_figure(&j.trace, j.tuning.name, heading_label(&j), c->file[0], o->figure, &error);
    }
    cli_replay_trace_free(&j.trace);
    if (error.status != MARL_OK) {
        return cli_exit(&error);
    }
    if (c->json) {
        return print_json(&j);
    }
    return c->quiet ? CLI_DONE : print_table(&j, o);
}

int cli_replay(int argc, const char **argv)
{
    options o = {.degradation = CLI_NO_DEGRADATION};
    cli c;
    const struct poptOption table[] = {
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION, "correct the readings first",
         "CAL"},
        {"tuning", '\0', POPT_ARG_STRING, &o.tuning, CLI_TUNING,
         "FILTER or FILE, with changes as FILTER:NAME=VALUE,...: gyro, vectors, complementary (default), "
         "gradient-descent, kalman; marlinspike tuning lists the parameters",
         "T"},
        {"start", '\0', POPT_ARG_STRING, &o.start, 0,
         "vectors (default), reference: the log's own attitude, or an attitude in enu", "W,X,Y,Z"},
        CLI_DEGRADATION_OPTIONS(o.degradation),
        {"pace", '\0', POPT_ARG_DOUBLE, &o.pace, 0,
         "go at X times the speed of the recording (default: as fast as it goes)", "X"},
        {"figure", '\0', POPT_ARG_STRING, &o.figure, CLI_WRITES,
         "draw angles, bias and weights over time (.png, .svg or .gp)", "FILE"},
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
        "replay lift.csv --calibration pod-07.json --tuning complementary -o attitude.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? replay(&c, &o) : code;
    cli_close(&c);
    return code;
}
