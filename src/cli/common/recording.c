/* SPDX-License-Identifier: MIT
 * One recording. */
#include "cli/common/recording.h"
#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define FLUSH_S 1.0
#define SILENCE_S 10.0
/* So much without a packet or a header is no stream of ours. */
#define DEAF_BYTES 20000u
#define DEAF_S 3.0

static volatile sig_atomic_t stop;

static void on_signal(int number)
{
    (void)number;
    stop = 1;
}

/* Without SA_RESTART: a read that waits ends at once. */
static void listen_for_stop(void)
{
    struct sigaction action;
    memset(&action, 0, sizeof action);
    action.sa_handler = on_signal;
    stop = 0;
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGHUP, &action, NULL);
}

int recording_is_stopped(void)
{
    return stop;
}

static marl_status put_row(recording *r, const marl_log_row *row, marl_error *error)
{
    marl_status status = MARL_OK;
    if (r->log != NULL) {
        marl_log_write(r->log, row);
    }
    if (r->viewer.row != NULL) {
        status = r->viewer.row(r->viewer.context, r, row, error);
    }
    if (status == MARL_OK && r->log != NULL && marl_guide_seconds(r->guide) - r->flushed_s >= FLUSH_S) {
        r->flushed_s = marl_guide_seconds(r->guide);
        status = marl_log_flush(r->log, error);
    }
    return status;
}

/* The columns are settled by what came first and what the board's identity lists. */
static marl_status begin(recording *r, marl_error *error)
{
    r->info = *marl_receiver_info(r->receiver);
    r->info.corrected = r->info.corrected && marl_receiver_report(r->receiver)->kind == MARL_STREAM_LINES;
    r->begun = 1;
    marl_status status = r->out != NULL ? marl_log_create_growing(&r->log, r->out, &r->info, error) : MARL_OK;
    if (status == MARL_OK && r->viewer.begin != NULL) {
        status = r->viewer.begin(r->viewer.context, r, error);
    }
    for (size_t i = 0; i < r->first_n && status == MARL_OK; i++) {
        status = put_row(r, &r->first[i], error);
    }
    r->first_n = 0;
    return status;
}

static marl_status write_row(recording *r, const marl_log_row *row, marl_error *error)
{
    marl_guide_feed(r->guide, &row->sample);
    r->rows++;
    if (r->begun) {
        return put_row(r, row, error);
    }
    r->first[r->first_n++] = *row;
    return r->first_n == RECORDING_FIRST_ROWS ? begin(r, error) : MARL_OK;
}

/* All rows that are there; MARL_END when it is over. */
static marl_status write_rows(recording *r, marl_error *error)
{
    marl_log_row row;
    marl_status status;
    while ((status = marl_receiver_next(r->receiver, &row)) == MARL_OK) {
        status = write_row(r, &row, error);
        if (status != MARL_OK) {
            return status;
        }
        recording_show(r, 0);
        if (marl_guide_done(r->guide)) {
            r->end = END_ENOUGH;
            return MARL_END;
        }
    }
    return status == MARL_ERR_NOT_READY ? MARL_OK : status;
}

static marl_status nothing_understood(const recording *r, marl_error *error)
{
    const marl_stream_report *report = marl_receiver_report(r->receiver);
    if (report->fault[0] != '\0') {
        return marl_fail(error, MARL_ERR_INPUT, "%s", report->fault);
    }
    if (report->items > 0 || report->kind != MARL_STREAM_UNKNOWN) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: no sample came", r->from->name);
    }
    if (r->is_mapped && report->bytes > 0) {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s: %lu bytes and no line among them with the columns of the map", r->from->name,
                         report->bytes);
    }
    if (r->from->kind == SOURCE_SERIAL && report->bytes > 0) {
        return marl_fail(
            error, MARL_ERR_INPUT,
            "%s: %lu bytes and neither a whole packet nor a header among them: is %ld the right baud rate?",
            r->from->name, report->bytes, r->from->baud);
    }
    if (report->bytes > 0) {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s: %lu bytes and neither a whole packet nor a header among them", r->from->name,
                         report->bytes);
    }
    return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: nothing came", r->from->name);
}

/* How long has nothing, or nothing of use, come? */
typedef struct patience {
    double began_s, heard_s;
} patience;

static marl_status check_patience(recording *r, const patience *p, marl_error *error)
{
    const marl_stream_report *report = marl_receiver_report(r->receiver);
    double now = source_seconds(r->from);
    if (report->kind == MARL_STREAM_UNKNOWN && report->items == 0 && report->bytes > DEAF_BYTES &&
        now - p->began_s > DEAF_S) {
        return nothing_understood(r, error);
    }
    if (now - p->heard_s > SILENCE_S) {
        r->end = END_SILENT;
        return MARL_END;
    }
    return MARL_OK;
}

static recording_end end_of_source(const recording *r)
{
    int gone =
        r->from->kind == SOURCE_SERIAL || (r->from->kind == SOURCE_SIM && marl_sim_unplugged(r->from->sim));
    return gone ? END_VANISHED : END_OVER;
}

/* Stop a scene after twice its length even if the guide is unsatisfied. */
static int scene_is_over(const recording *r)
{
    return r->guided && r->from->kind == SOURCE_SIM && source_seconds(r->from) > 2 * r->from->max_s + 1;
}

static marl_status finish(recording *r, marl_error *error)
{
    MARL_TRY(marl_receiver_finish(r->receiver, error));
    return write_rows(r, error);
}

/* What has come in since. MARL_END at the end. */
static marl_status take(recording *r, patience *p, marl_error *error)
{
    uint8_t bytes[4096];
    size_t got;
    if (r->viewer.idle != NULL) {
        MARL_TRY(r->viewer.idle(r->viewer.context, r, error));
    }
    marl_status status = source_read(r->from, bytes, sizeof bytes, &got, error);
    if (status == MARL_END) {
        r->end = end_of_source(r);
        return MARL_END;
    }
    p->heard_s = got > 0 ? source_seconds(r->from) : p->heard_s;
    status = status != MARL_OK ? status : marl_receiver_feed(r->receiver, bytes, got, error);
    status = status != MARL_OK ? status : write_rows(r, error);
    return status != MARL_OK ? status : check_patience(r, p, error);
}

/* Is there a way on behind this end? */
static marl_status go_on(recording *r, patience *p, marl_error *error)
{
    if (stop || r->end == END_ENOUGH || r->viewer.ended == NULL) {
        return MARL_END;
    }
    MARL_TRY(r->viewer.ended(r->viewer.context, r, error));
    r->end = END_OVER;
    *p = (patience){source_seconds(r->from), source_seconds(r->from)};
    return MARL_OK;
}

/* Until one of the ends. */
static marl_status run(recording *r, marl_error *error)
{
    patience p = {source_seconds(r->from), source_seconds(r->from)};
    r->end = END_OVER;
    while (!stop && !scene_is_over(r)) {
        marl_status status = take(r, &p, error);
        status = status == MARL_END ? go_on(r, &p, error) : status;
        if (status == MARL_END && r->end != END_ENOUGH) {
            break;
        }
        if (status != MARL_OK) {
            return status;
        }
        recording_show(r, 0);
    }
    r->end = stop ? END_STOPPED : r->end;
    return finish(r, error);
}

/* Asks for the identity; a board that only sends need not respond. */
static marl_status ask(recording *r, marl_error *error)
{
    uint8_t bytes[MARL_MESSAGE_MAX];
    size_t n;
    marl_message message = {.kind = MARL_ITEM_IDENTIFY, .number = 0};
    marl_status status = marl_message_make(&message, bytes, &n, error);
    status = status != MARL_OK ? status : source_write(r->from, bytes, n, error);
    return status == MARL_END ? MARL_OK : status; /* gone already: reading will report it */
}

static marl_status complete(recording *r, marl_error *error)
{
    marl_status status = MARL_OK;
    if (!r->begun && r->first_n == 0) {
        return nothing_understood(r, error);
    }
    if (!r->begun) {
        status = begin(r, error);
    }
    if (status == MARL_OK && r->log != NULL) {
        status = marl_log_commit(r->log, error);
        r->log = NULL;
    }
    return status;
}

marl_status recording_run(recording *r, const marl_log_options *options, marl_error *error)
{
    r->on_terminal = isatty(STDERR_FILENO);
    r->drawn_wall_s = -INFINITY;
    listen_for_stop();
    marl_log_options kept = *options;
    r->is_mapped = options->columns != NULL;
    kept.keep_repeated = r->is_mapped; /* what is dropped here is gone for good */
    marl_status status = marl_receiver_create(&r->receiver, r->from->name, &kept, error);
    if (status == MARL_OK &&
        !r->is_mapped) { /* a board that prints text of its own does not know the question */
        status = ask(r, error);
    }
    status = status != MARL_OK ? status : run(r, error);
    recording_show(r, 1);
    if (status != MARL_OK && status != MARL_END) {
        return status;
    }
    return complete(r, error);
}

int recording_is_enough(const recording *r)
{
    return !r->wanted || marl_guide_done(r->guide);
}

/* What is left unfinished after a failure: a log that was started stays, as LOG.part. */
void recording_free(recording *r)
{
    if (r->log != NULL) {
        marl_error ignored = {0};
        if (marl_log_part(r->log) != NULL) {
            cli_message("what was received is in %s", marl_log_part(r->log));
        }
        (void)!marl_log_flush(r->log, &ignored);
        marl_log_leave(r->log);
    }
    marl_receiver_free(r->receiver);
    marl_guide_free(r->guide);
}
