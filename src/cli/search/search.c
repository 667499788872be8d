/* SPDX-License-Identifier: MIT
 * marlinspike search */
#include "cli/search/search.h"
#include "cli/common/progress.h"
#include "cli/common/study_options.h"
#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

typedef struct options {
    cli_study study;
    char **filter, **vary, **held;
    char *goal, *limit, *from_sheet, *trade, *trials, *out, *figure, *page, *start;
    int worst, threads;
    marl_sheet sheet; /* of --from-sheet */
} options;

static volatile sig_atomic_t stopped;

static void on_signal(int number)
{
    (void)number;
    stopped = 1;
}

/* Ctrl-C ends the search with the best so far. */
static void catch_signals(void)
{
    struct sigaction action = {0};
    action.sa_handler = on_signal;
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
}

/* ---- progress ---- */

typedef struct progress {
    cli_progress line;
    const char *unit;
} progress;

static void show_progress(void *context, size_t done, size_t total, double best)
{
    progress *p = context;
    snprintf(p->line.note, sizeof p->line.note, " (%zu tunings, best %.4g %s; Ctrl-C: the best so far)", done,
             best, p->unit);
    cli_progress_show(&p->line, "searching", total > 0 ? (double)done / (double)total : 0);
}

/* ---- what is given ---- */

/* "300" evaluations, "20s" seconds. */
static marl_status read_limit(const char *text, marl_search_options *to, marl_error *error)
{
    char *end;
    double number = text != NULL ? strtod(text, &end) : 1;
    if (text == NULL) {
        return MARL_OK;
    }
    int seconds = end != text && strcmp(end, "s") == 0, count = end != text && *end == '\0';
    if (!(number > 0 && number < 1e9) || (count && number < 1) || (!seconds && !count)) {
        return marl_fail(error, MARL_ERR_USE,
                         "--limit is a number of tunings (300) or of seconds (20s), above 0, and not '%s'",
                         text);
    }
    to->limit = count ? (size_t)number : 0;
    to->limit_s = seconds ? number : 0;
    return MARL_OK;
}

static marl_status read_goal(const options *o, marl_search_options *to, marl_error *error)
{
    to->goal.worst = o->worst;
    return o->goal != NULL ? marl_goal_read(&to->goal, o->goal, error) : MARL_OK;
}

static marl_status read_space(const options *o, marl_search *search, marl_error *error)
{
    static const char *standard[] = {"kalman", NULL};
    const char *const *filter = o->filter != NULL ? (const char *const *)o->filter : standard;
    for (size_t i = 0; filter[i] != NULL; i++) {
        MARL_TRY(marl_search_add_filter(search, filter[i], error));
    }
    for (size_t i = 0; o->vary != NULL && o->vary[i] != NULL; i++) {
        MARL_TRY(marl_search_vary(search, o->vary[i], error));
    }
    return MARL_OK;
}

static marl_status read_held(const options *o, marl_search *search, marl_error *error)
{
    for (size_t i = 0; o->held != NULL && o->held[i] != NULL; i++) {
        char *equals = cli_study_sign(o->held[i]);
        if (equals == NULL) {
            return marl_fail(error, MARL_ERR_USE, "--hold-out is LOG=REFERENCE, and not '%s'", o->held[i]);
        }
        *equals = '\0';
        MARL_TRY(marl_search_hold_out(search, o->held[i], equals + 1, error));
    }
    return MARL_OK;
}

static marl_status load(const cli *c, options *o, marl_search *search, marl_error *error)
{
    cli_start start;
    marl_study_options *to = &search->study->options;
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(o->page != NULL ? marl_page_check_path(o->page, error) : MARL_OK);
    MARL_TRY(cli_study_prepare(c, &o->study, search->study, error));
    MARL_TRY(read_limit(o->limit, &search->options, error));
    MARL_TRY(read_goal(o, &search->options, error));
    MARL_TRY(cli_start_read(&start, o->start, error));
    to->start = start.from;
    to->start_q = start.q;
    if (o->threads < 0 || o->threads > 64) {
        return marl_fail(error, MARL_ERR_USE, "--threads is 1 to 64, or 0 for all cores");
    }
    search->options.threads = (unsigned)o->threads;
    if (o->from_sheet != NULL) {
        MARL_TRY(marl_sheet_read(&o->sheet, o->from_sheet, error));
        search->options.sheet = &o->sheet;
    }
    MARL_TRY(read_space(o, search, error));
    MARL_TRY(cli_study_load(c, &o->study, search->study, error));
    return read_held(o, search, error);
}

/* ---- what comes out ---- */

static marl_status write_files(const options *o, marl_search *search, const cli_trade *trade,
                               marl_error *error)
{
    MARL_TRY(o->out != NULL ? marl_search_write(search, o->out, error) : MARL_OK);
    MARL_TRY(o->trials != NULL ? marl_search_write_trials(search, o->trials, error) : MARL_OK);
    MARL_TRY(o->figure != NULL ? cli_search_figure(search, trade, o->figure, error) : MARL_OK);
    return o->page != NULL ? cli_search_page(search, trade, o->page, error) : MARL_OK;
}

static int show(const cli *c, const options *o, marl_search *search)
{
    marl_error error = {0};
    cli_trade trade = {.name = o->trade};
    int printed = CLI_DONE;
    marl_status status =
        o->trade != NULL ? marl_search_trade(search, o->trade, trade.point, &trade.n, &error) : MARL_OK;
    status = status != MARL_OK ? status : write_files(o, search, &trade, &error);
    if (c->json) {
        printed = cli_print_json(cli_search_object(search, &trade));
    } else if (!c->quiet) {
        printed = cli_search_table(search, &trade, status == MARL_OK ? o->out : NULL);
    }
    return status != MARL_OK ? cli_exit(&error) : printed;
}

static int search_logs(const cli *c, options *o, marl_search *search)
{
    marl_error error = {0};
    progress p = {.unit = "deg"};
    cli_progress_begin(&p.line, c->quiet);
    search->study->options.progress = cli_progress_show;
    search->study->options.progress_context = &p.line;
    marl_status status = load(c, o, search, &error);
    cli_progress_end(&p.line);
    search->study->options.progress = NULL;
    if (!c->quiet) {
        cli_print_warnings(&search->study->warnings);
        cli_print_warnings(&search->held->warnings);
    }
    if (status == MARL_OK) {
        catch_signals();
        p.unit = search->options.goal.n > 0 ? search->options.goal.unit : "deg";
        search->options.stop = &stopped;
        search->options.progress = show_progress;
        search->options.context = &p;
        status = marl_search_run(search, &error);
        cli_progress_end(&p.line);
    }
    return status == MARL_OK ? show(c, o, search) : cli_exit(&error);
}

int cli_search(int argc, const char **argv)
{
    options *o = calloc(1, sizeof *o);
    cli c;
    marl_study *study = marl_study_create();
    marl_search *search = study != NULL ? marl_search_create(study) : NULL;
    if (o == NULL || search == NULL) {
        free(o);
        marl_study_free(study);
        return CLI_MACHINE;
    }
    const struct poptOption table[] = {
        CLI_STUDY_OPTIONS(o->study),
        {"filter", '\0', POPT_ARG_ARGV, &o->filter, CLI_TUNING,
         "a filter or a tuning to start from (default: kalman); repeat it to let them compete", "F"},
        {"vary", '\0', POPT_ARG_ARGV, &o->vary, 0,
         "a parameter to vary, in a range; repeat it (default: those worth varying, see below)",
         "NAME[=LOW:HIGH]"},
        {"goal", '\0', POPT_ARG_STRING, &o->goal, 0,
         "what is made small: total.rms (default), tilt.p95, heading.rms, jitter, lag, settle, or a sum, as "
         "tilt.rms+0.01*lag",
         "MEASURE"},
        {"worst", '\0', POPT_ARG_NONE, &o->worst, 0,
         "over logs the worst one counts, and not the geometric mean", NULL},
        {"hold-out", '\0', POPT_ARG_ARGV, &o->held, CLI_READS,
         "a log to prove it on, which is not tuned on; repeat it", "LOG=ATT"},
        {"limit", '\0', POPT_ARG_STRING, &o->limit, 0,
         "so many tunings (300), or seconds before the proof (20s)", "N|S"},
        {"from-sheet", '\0', POPT_ARG_STRING, &o->from_sheet, CLI_READS,
         "start from the filter's defaults for this sensor sheet", "F"},
        {"start", '\0', POPT_ARG_STRING, &o->start, 0,
         "one start for all: vectors (default), reference, or an attitude in enu", "W,X,Y,Z"},
        {"trade", '\0', POPT_ARG_STRING, &o->trade, 0,
         "what this parameter trades: jitter against lag, errors at rest against those while shaking",
         "NAME"},
        {"sweep-out", '\0', POPT_ARG_STRING, &o->trials, CLI_WRITES, "write every trial as a row of CSV",
         "CSV"},
        {"threads", '\0', POPT_ARG_INT, &o->threads, 0,
         "how many; the answer is the same (default: all cores)", "N"},
        {"figure", '\0', POPT_ARG_STRING, &o->figure, CLI_WRITES, "draw what was tried (.png, .svg or .gp)",
         "FILE"},
        {"report", '\0', POPT_ARG_STRING, &o->page, CLI_WRITES,
         "write a page to look at: slices, tables, traces (opens from disk, no network)", "PAGE.html"},
        {NULL, 'o', POPT_ARG_STRING, &o->out, CLI_WRITES, "write the tuning, with its evidence", "T"},
        CLI_READING_OPTIONS(o->study.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "[LOG]",
        CLI_READS,
        0,
        1,
        "Searches for the tuning that follows the references best, and proves it on what it was not tuned\n"
        "on: logs that are held out; else each log by a tuning of the others (three logs and more); else "
        "the\n"
        "second half of each log. Where no gain over the default is shown, the default is kept. Varied "
        "unless\n"
        "--vary names others: complementary tilt_time, heading_time, accel_threshold, mag_threshold;\n"
        "gradient-descent beta, heading_beta, accel_threshold, mag_threshold; kalman gyro_white, gyro_walk,\n"
        "speed_floor, mag_noise, disturbance_time.",
        "search lift.csv --reference lift.reference.csv --filter kalman -o best.json"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? search_logs(&c, o, search) : code;
    cli_close(&c);
    marl_search_free(search);
    marl_study_free(study);
    free(o);
    return code;
}
