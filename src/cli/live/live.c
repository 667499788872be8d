/* SPDX-License-Identifier: MIT
 * marlinspike live */
#include "cli/live/live_job.h"
#include <math.h>
#include <signal.h>
#include <stdlib.h>

static const char *const usual[] = {"complementary", "gradient-descent", "kalman", NULL};

static marl_status check(const live_options *o, marl_error *error)
{
    if (o->sources == NULL) {
        return marl_fail(error, MARL_ERR_USE, "live: --from is needed");
    }
    if (o->sources[1] != NULL) {
        return marl_fail(error, MARL_ERR_USE, "live: one source at a time, and not %s and %s", o->sources[0],
                         o->sources[1]);
    }
    if (!(o->pace >= 0) || o->rate < 0 || o->rate > 1e5 || o->seed < 0) {
        return marl_fail(error, MARL_ERR_USE, "live: --pace, --rate and --seed are not negative");
    }
    if (!(o->updates >= 1 && o->updates <= 200)) {
        return marl_fail(error, MARL_ERR_USE, "live: --updates lies between 1 and 200 Hz");
    }
    if (!(o->duration > 0)) {
        return marl_fail(error, MARL_ERR_USE, "live: --duration is longer than 0 s");
    }
    if (!(o->turn_angle >= 60 && o->turn_angle <= 3600)) {
        return marl_fail(error, MARL_ERR_USE, "live: --turn-angle lies between 60 and 3600 deg");
    }
    return o->port >= 0 && o->port < 65536
               ? MARL_OK
               : marl_fail(error, MARL_ERR_USE,
                           "live: --http is a port from 1 to 65535, or 0 for a free one");
}

static marl_status read_tunings(live_job *job, marl_error *error)
{
    const live_options *o = job->options;
    const char *const *text = o->tunings != NULL ? (const char *const *)o->tunings : usual;
    for (; *text != NULL; text++) {
        if (job->tuning_n == MARL_LIVE_RUNS) {
            return marl_fail(error, MARL_ERR_USE, "live: at most %d tunings run at once", MARL_LIVE_RUNS);
        }
        MARL_TRY(marl_tuning_read(&job->tunings[job->tuning_n++], *text, job->reading->options.sheet, error));
    }
    if (o->calibration != NULL) {
        MARL_TRY(marl_calibration_read(&job->record, o->calibration, error));
        job->has_record = 1;
    }
    return MARL_OK;
}

static marl_status open_all(live_job *job, marl_error *error)
{
    const live_options *o = job->options;
    MARL_TRY(read_tunings(job, error));
    MARL_TRY(source_open(&job->from, &job->where, error));
    MARL_TRY(o->osc != NULL ? marl_osc_open(&job->osc, o->osc, error) : MARL_OK);
    MARL_TRY(!o->no_page ? marl_live_server_open(&job->server, o->port, error) : MARL_OK);
    MARL_TRY(marl_guide_create(&job->recording.guide, MARL_GUIDE_SECONDS, INFINITY, error));
    int is_scene = job->from.kind == SOURCE_SIM && isfinite(job->from.max_s);
    job->duration_s = is_scene && o->no_page && !isfinite(o->duration) ? job->from.max_s : o->duration;
    if (job->server != NULL) {
        cli_message("%s", marl_live_server_address(job->server));
        live_show_state(job);
    }
    return MARL_OK;
}

static void close_all(live_job *job)
{
    recording_free(&job->recording);
    live_guide_free(&job->guide);
    marl_live_server_close(job->server);
    marl_osc_close(job->osc);
    marl_live_free(job->live);
    source_close(&job->from);
}

static int live(const cli *c, const live_options *o, cli_reading *reading)
{
    marl_error error = {0};
    live_job job = {.options = o,
                    .reading = reading,
                    .json = c->json,
                    .quiet = c->quiet,
                    .where = {.from = o->sources != NULL ? o->sources[0] : NULL,
                              .chips = o->chips,
                              .faults = o->faults,
                              .device = o->device,
                              .rate = o->rate,
                              .seed = o->seed,
                              .reading = reading},
                    .every = 1,
                    .began_wall_s = -1,
                    .oldest_wall_s = -1};
    job.record = marl_calibration_record_empty();
    job.recording =
        (recording){.out = o->record, .quiet = c->quiet || c->json || !o->no_page, .from = &job.from};
    job.recording.viewer = live_viewer(&job);
    signal(SIGPIPE, SIG_IGN);
    marl_status status = check(o, &error);
    status = status != MARL_OK ? status : cli_reading_prepare(reading, 1, &error);
    status = status != MARL_OK ? status : open_all(&job, &error);
    status = status != MARL_OK ? status : recording_run(&job.recording, &reading->options, &error);
    if (status != MARL_OK) {
        live_show_failure(&job, &error);
    }
    int code = status == MARL_OK ? live_print_end(&job, c) : cli_exit(&error);
    close_all(&job);
    return code;
}

int cli_live(int argc, const char **argv)
{
    live_options o = {.seed = 1, .pace = 1, .updates = 60, .duration = INFINITY, .turn_angle = 360};
    cli_reading reading = {0};
    cli c;
    const struct poptOption table[] = {
        {"from", '\0', POPT_ARG_ARGV, &o.sources, CLI_SOURCE,
         "sim:SCENE, log:FILE, serial:DEVICE[@BAUD], or - for stdin", "F"},
        {"tuning", '\0', POPT_ARG_ARGV, &o.tunings, CLI_TUNING,
         "FILTER or FILE, with changes as FILTER:NAME=VALUE,...; may be repeated (default: complementary, "
         "gradient-descent and kalman)",
         "T"},
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION, "correct the readings first",
         "CAL"},
        {"record", '\0', POPT_ARG_STRING, &o.record, CLI_WRITES_ROWS,
         "write what comes, with every change made: replay --changes gives the same attitudes", "LOG"},
        {"http", '\0', POPT_ARG_INT, &o.port, 0, "port of the page on this machine (default: a free one)",
         "PORT"},
        {"no-page", '\0', POPT_ARG_NONE, &o.no_page, 0, "no page; the attitudes are printed in place", NULL},
        {"osc", '\0', POPT_ARG_STRING, &o.osc, 0, "send attitudes there as Open Sound Control over UDP",
         "HOST:PORT"},
        {"updates", '\0', POPT_ARG_DOUBLE, &o.updates, 0,
         "attitudes a second for page, network and --json (default 60)", "HZ"},
        {"pace", '\0', POPT_ARG_DOUBLE, &o.pace, 0,
         "a simulated board or a log goes at X times real time (default 1; 0: as fast as it goes)", "X"},
        {"duration", '\0', POPT_ARG_DOUBLE, &o.duration, 0,
         "end after so many seconds of the source (default: without end; a scene with --no-page: its own)",
         "S"},
        {"turn-angle", '\0', POPT_ARG_DOUBLE, &o.turn_angle, 0, "of each turn that is guided (default 360)",
         "DEG"},
        {"chip", '\0', POPT_ARG_ARGV, &o.chips, CLI_READS,
         "chip table of the simulated board; may be repeated", "F"},
        {"rate", '\0', POPT_ARG_DOUBLE, &o.rate, 0, "rate its chips are set to (default: that of the sheet)",
         "HZ"},
        {"seed", '\0', POPT_ARG_LONGLONG, &o.seed, 0, "same seed, same samples (default 1)", "N"},
        {"device", '\0', POPT_ARG_STRING, &o.device, 0, "its name (default pod-07)", "NAME"},
        {"faults", '\0', POPT_ARG_STRING, &o.faults, 0, "its faults, as record has them", "LIST"},
        CLI_READING_OPTIONS(reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "",
        CLI_NO_FILE,
        0,
        0,
        "Runs filters on what a board streams, shows them side by side on a page in the browser of this\n"
        "machine, and lets their parameters be changed while they run. The page also guides through the\n"
        "calibrations, applies them, and sends calibration and tuning back to the board. --json prints\n"
        "one JSON object a line, --updates times a second. Ctrl-C ends; the recording is then complete.",
        "live --from sim:handle --tuning complementary --tuning kalman"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? live(&c, &o, &reading) : code;
    cli_close(&c);
    return code;
}
