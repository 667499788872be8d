/* SPDX-License-Identifier: MIT
 * What live does with each row and between the rows. */
#include "cli/live/live_job.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

#define NAP_S 0.002  /* between looks at requests while the pace waits */
#define REOPEN_S 1.0 /* between tries to open a line that vanished */
#define ENDED_NAP_S 0.02

double live_wall_s(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + 1e-9 * (double)t.tv_nsec;
}

static void nap(double seconds)
{
    const struct timespec t = {.tv_sec = (time_t)seconds,
                               .tv_nsec = (long)(1e9 * (seconds - floor(seconds)))};
    nanosleep(&t, NULL);
}

/* A change without its note would make the recording wrong: the text is made before anything is done. */
static marl_status make_note(const live_job *job, const marl_change *change, char **text, marl_error *error)
{
    *text = NULL;
    if (job->recording.log == NULL) {
        return MARL_OK;
    }
    *text = marl_change_text(change);
    return *text != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static void write_note(live_job *job, char *text)
{
    if (text != NULL) {
        marl_log_write_note(job->recording.log, text);
    }
    free(text);
}

marl_status live_change(live_job *job, marl_change *change, marl_error *error)
{
    char *text;
    change->after_ns = job->live->rows > 0 ? job->live->t_ns : INT64_MIN;
    if (change->kind == MARL_CHANGE_TUNING && change->run < job->live->n) {
        const char *name = job->live->run[change->run].tuning.name; /* by which it is found */
        snprintf(change->tuning.name, sizeof change->tuning.name, "%s", name);
    }
    MARL_TRY(make_note(job, change, &text, error));
    marl_status status = marl_live_apply(job->live, change, error);
    if (status != MARL_OK) {
        free(text);
        return status;
    }
    write_note(job, text);
    job->every = change->kind == MARL_CHANGE_EVERY ? change->every : job->every;
    live_show_state(job);
    return MARL_OK;
}

int live_change_keeps_all(const live_job *job, const marl_change *change)
{
    const marl_tuning *before = &job->live->run[change->run].tuning.tuning, *after = &change->tuning.tuning;
    return change->kind != MARL_CHANGE_CALIBRATION &&
           (change->kind != MARL_CHANGE_TUNING ||
            (before->filter == after->filter &&
             before->value[MARL_PARAMETER_USE_MAG] == after->value[MARL_PARAMETER_USE_MAG]));
}

static marl_status note(live_job *job, const marl_change *change, marl_error *error)
{
    char *text;
    MARL_TRY(make_note(job, change, &text, error));
    write_note(job, text);
    return MARL_OK;
}

/* The runs as they begin stand before the first row of the recording. */
static marl_status begin(void *context, recording *r, marl_error *error)
{
    live_job *job = context;
    MARL_TRY(marl_live_create(&job->live, job->tunings, job->tuning_n, job->has_record ? &job->record : NULL,
                              &r->info, r->from->name, error));
    r->watched = job->server == NULL ? job->live : NULL;
    marl_change change = {.after_ns = INT64_MIN};
    if (job->has_record) {
        change.kind = MARL_CHANGE_CALIBRATION;
        change.record = job->record;
        MARL_TRY(note(job, &change, error));
    }
    for (size_t i = 0; i < job->live->n; i++) {
        change.kind = MARL_CHANGE_TUNING;
        change.run = i;
        change.tuning = job->live->run[i].tuning;
        MARL_TRY(note(job, &change, error));
        if (job->live->run[i].failure[0] != '\0') {
            cli_message("%s does not run: %s", job->live->run[i].tuning.name, job->live->run[i].failure);
        }
    }
    return MARL_OK;
}

int live_is_unpaced(const live_job *job)
{
    return job->from.kind == SOURCE_SIM && job->options->pace <= 0;
}

static marl_status row(void *context, recording *r, const marl_log_row *row, marl_error *error)
{
    live_job *job = context;
    (void)r;
    (void)error;
    if (job->status != LIVE_RUNNING) { /* it is back */
        job->status = LIVE_RUNNING;
        live_show_state(job);
    }
    if (job->oldest_wall_s < 0) {
        job->oldest_wall_s = live_wall_s();
    }
    marl_live_feed(job->live, &row->sample);
    live_batch_row(job, &row->sample);
    live_guide_feed(job, row);
    if (live_is_unpaced(job) &&
        1e-9 * (double)(row->sample.t_ns - job->shown_ns) >= 1 / job->options->updates) {
        live_show_frame(job);
    }
    return MARL_OK;
}

/* Everything that is not samples. */
static void look_round(live_job *job)
{
    if (job->server != NULL) {
        live_answer_requests(job);
        live_guide_follow(job);
        live_follow_message(job);
    }
    if (!live_is_unpaced(job) && live_wall_s() - job->shown_wall_s >= 1 / job->options->updates) {
        live_show_frame(job);
    }
}

/* A simulated source is as fast as it may be; 0 paces nothing. */
static double ahead_s(const live_job *job)
{
    double pace = job->options->pace;
    if (job->from.kind != SOURCE_SIM || live_is_unpaced(job)) {
        return 0;
    }
    return (source_seconds(&job->from) - job->began_s) / pace - (live_wall_s() - job->began_wall_s);
}

static marl_status idle(void *context, recording *r, marl_error *error)
{
    live_job *job = context;
    (void)r;
    (void)error;
    if (job->began_wall_s < 0) {
        job->began_wall_s = live_wall_s();
        job->began_s = source_seconds(&job->from);
    }
    look_round(job);
    for (double ahead; (ahead = ahead_s(job)) > 0 && !recording_is_stopped();) {
        nap(fmin(ahead, NAP_S));
        look_round(job);
    }
    double now = source_seconds(&job->from) - job->began_s;
    return now >= job->duration_s ? MARL_END : MARL_OK;
}

/* Is the line back? */
static int reopen(live_job *job)
{
    marl_error none = {0};
    source_close(&job->from);
    return source_open(&job->from, &job->where, &none) == MARL_OK;
}

static void say_ended(live_job *job, const recording *r)
{
    job->status = r->end == END_VANISHED || r->end == END_SILENT ? LIVE_LOST : LIVE_OVER;
    if (!job->quiet) {
        cli_message("%s: %s%s", r->from->name,
                    r->end == END_VANISHED ? "the device vanished; waiting for it"
                    : r->end == END_SILENT ? "nothing comes; waiting for it"
                                           : "is over",
                    job->status == LIVE_OVER && job->server != NULL ? "; the page stays until Ctrl-C" : "");
    }
    live_show_frame(job);
    live_show_state(job);
}

/* The page keeps what it has. A line that vanished is tried again; one that is silent only needs to be read. */
static marl_status ended(void *context, recording *r, marl_error *error)
{
    live_job *job = context;
    double tried = live_wall_s();
    (void)error;
    int over = r->end == END_OVER;
    if (over && job->server == NULL) {
        live_show_frame(job);
        return MARL_END;
    }
    if (job->status == LIVE_RUNNING || job->status == LIVE_WAITING) {
        say_ended(job, r);
    }
    if (r->end == END_SILENT) {
        return MARL_OK;
    }
    while (!recording_is_stopped()) {
        look_round(job);
        nap(ENDED_NAP_S);
        if (r->end == END_VANISHED && job->from.kind == SOURCE_SERIAL && live_wall_s() - tried >= REOPEN_S) {
            tried = live_wall_s();
            if (reopen(job)) {
                return MARL_OK;
            }
        }
    }
    return MARL_END;
}

recording_viewer live_viewer(live_job *job)
{
    return (recording_viewer){job, begin, row, idle, ended};
}

int live_print_end(live_job *job, const cli *c)
{
    recording *r = &job->recording;
    live_show_frame(job); /* with the last rows */
    if (c->quiet || c->json) {
        return CLI_DONE;
    }
    recording_warn(r);
    cli_print_warnings(&r->warnings);
    cli_print("%s: %lu rows, %.1f s%s%s\n", r->from->name, r->rows, marl_guide_seconds(r->guide),
              r->out != NULL ? ", recorded in " : "", r->out != NULL ? r->out : "");
    return cli_print_done();
}
