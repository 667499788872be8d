/* SPDX-License-Identifier: MIT
 * replay --on: the log through a board, which sends each sample back with its attitude. */
#include "cli/replay/replay_board.h"
#include "cli/common/talk.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

enum {
    UNDERWAY = 2,
    EXPECTED = 256
}; /* samples sent ahead of those that came back; attitudes to be compared */
#define PATIENCE_S 3.0

/* What this desk makes of a sample. */
typedef struct expected {
    int64_t t_ns;
    int has_q;
    marl_quat q;
} expected;

typedef struct comparison {
    source board;
    marl_receiver *receiver;
    marl_pipeline pipeline;
    uint32_t number; /* of the last message */
    expected expected[EXPECTED];
    size_t sent, compared; /* samples */
    size_t same, differ, lost;
    double first_difference_s; /* NaN: none */
    char device[MARL_DEVICE_NAME], firmware[MARL_DEVICE_NAME];
} comparison;

static marl_status check_options(const cli_replay_options *o, marl_error *error)
{
    int others = o->out != NULL || o->figure != NULL || o->page != NULL || o->write != NULL ||
                 o->changes != NULL || o->start != NULL || o->pace > 0 || o->degradation.gap != NULL ||
                 o->degradation.every != 1 || o->degradation.drop > 0 || o->degradation.jitter > 0;
    if (strncmp(o->on, "serial:", 7) != 0 && strcmp(o->on, "sim") != 0) {
        return marl_fail(error, MARL_ERR_USE, "--on '%s': wanted serial:DEVICE[@BAUD] or sim", o->on);
    }
    return others ? marl_fail(error, MARL_ERR_USE,
                              "replay: --on goes with --calibration and --tuning alone: it compares, and "
                              "writes nothing")
                  : MARL_OK;
}

static marl_status ask(comparison *k, marl_message message, const char *what, marl_error *error)
{
    marl_ack ack;
    message.number = ++k->number;
    MARL_TRY(talk_ask(&k->board, k->receiver, &message, &ack, error));
    return talk_check(&k->board, k->receiver, &ack, what, error);
}

static marl_status send_sample(comparison *k, const marl_sample *sample, marl_error *error)
{
    uint8_t bytes[MARL_MESSAGE_MAX];
    size_t n;
    const marl_message message = {.kind = MARL_ITEM_SAMPLE, .number = ++k->number, .sample = sample};
    MARL_TRY(marl_message_make(&message, bytes, &n, error));
    return source_write(&k->board, bytes, n, error);
}

/* Both begin with the same temperature, and with nothing else known: a sample that holds it stops the board's own ones,
 * and calibration and tuning start its pipeline anew. */
static marl_status begin(comparison *k, const cli_replay_job *j, const marl_calibration_record *record,
                         marl_error *error)
{
    const marl_sample first = {.temp = 25.0f, .fresh = MARL_FRESH_TEMP};
    marl_quat q;
    MARL_TRY(ask(k, (marl_message){.kind = MARL_ITEM_IDENTIFY}, "question", error));
    const marl_stream_report *report = marl_receiver_report(k->receiver);
    snprintf(k->device, sizeof k->device, "%s", marl_receiver_info(k->receiver)->device);
    snprintf(k->firmware, sizeof k->firmware, "%s", report->firmware);
    const marl_pipeline_config config = {.tuning = j->tuning.tuning,
                                         .calibration = marl_calibration_for_device(record),
                                         .sensors = report->sensors,
                                         .watch_still = 1};
    MARL_TRY(send_sample(k, &first, error));
    MARL_TRY(
        ask(k, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = record}, "calibration", error));
    MARL_TRY(ask(k, (marl_message){.kind = MARL_ITEM_TUNING, .tuning = &j->tuning.tuning}, "tuning", error));
    MARL_TRY(marl_pipeline_init(&k->pipeline, &config));
    (void)!marl_pipeline_step(&k->pipeline, &first, &q);
    MARL_TRY(marl_pipeline_configure(&k->pipeline, &config));
    marl_receiver_free(k->receiver); /* the board's own times end here */
    k->receiver = NULL;
    return marl_receiver_create(&k->receiver, k->board.name, NULL, error);
}

static int same_bits(const marl_quat *a, const marl_quat *b)
{
    uint32_t bits[2][4];
    memcpy(bits[0], a, sizeof bits[0]);
    memcpy(bits[1], b, sizeof bits[1]);
    return memcmp(bits[0], bits[1], sizeof bits[0]) == 0;
}

static void compare(comparison *k, const marl_log_row *row)
{
    while (k->compared < k->sent && k->expected[k->compared % EXPECTED].t_ns != row->sample.t_ns) {
        k->compared++;
        k->lost++;
    }
    if (k->compared == k->sent) {
        return;
    }
    const expected *e = &k->expected[k->compared++ % EXPECTED];
    int same = e->has_q == row->has_q && (!e->has_q || same_bits(&e->q, &row->q));
    k->same += (size_t)(same && e->has_q);
    k->differ += (size_t)!same;
    if (!same && isnan(k->first_difference_s)) {
        k->first_difference_s = 1e-9 * (double)e->t_ns;
    }
}

/* Reads until every sample has come back: a board whose line is busy drops what it has to send. */
static marl_status catch_up(comparison *k, marl_error *error)
{
    double since = source_seconds(&k->board);
    const marl_stream_report *report = marl_receiver_report(k->receiver);
    unsigned long before = report->items - report->events;
    while (k->sent > before) {
        uint8_t bytes[4096];
        size_t got;
        marl_log_row row;
        marl_status status = source_read(&k->board, bytes, sizeof bytes, &got, error);
        if (status != MARL_OK) {
            return status == MARL_END
                       ? marl_fail(error, MARL_ERR_SYSTEM, "%s: the device vanished", k->board.name)
                       : status;
        }
        MARL_TRY(marl_receiver_feed(k->receiver, bytes, got, error));
        while (marl_receiver_next(k->receiver, &row) == MARL_OK) {
            compare(k, &row);
        }
        if (report->identified) { /* it does so by itself at its start alone */
            return marl_fail(error, MARL_ERR_SYSTEM, "%s: the board restarted after %zu samples",
                             k->board.name, k->sent);
        }
        unsigned long items = report->items - report->events;
        since = items != before ? source_seconds(&k->board) : since;
        before = items;
        if (source_seconds(&k->board) - since > PATIENCE_S) {
            return marl_fail(error, MARL_ERR_SYSTEM, "%s: %zu samples went out and %lu came back",
                             k->board.name, k->sent, items);
        }
    }
    return MARL_OK;
}

static marl_status send_rows(comparison *k, cli_replay_job *j, marl_error *error)
{
    marl_log_row row;
    marl_status status;
    while ((status = marl_log_next(j->reader, &row, error)) == MARL_OK) {
        expected *e = &k->expected[k->sent++ % EXPECTED];
        e->t_ns = row.sample.t_ns;
        e->has_q = marl_pipeline_step(&k->pipeline, &row.sample, &e->q) == MARL_OK;
        MARL_TRY(send_sample(k, &row.sample, error));
        MARL_TRY(catch_up(k, error));
    }
    MARL_TRY(status == MARL_END ? MARL_OK : status);
    MARL_TRY(marl_receiver_finish(k->receiver, error));
    while (marl_receiver_next(k->receiver, &row) == MARL_OK) {
        compare(k, &row);
    }
    k->lost += k->sent - k->compared;
    if (k->lost > 0) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: %zu of %zu samples did not come back", k->board.name,
                         k->lost, k->sent);
    }
    return ask(k, (marl_message){.kind = MARL_ITEM_IDENTIFY}, "question", error); /* its own samples again */
}

static json_t *board_json(const comparison *k)
{
    json_t *board = json_object();
    json_object_set_new(board, "on", cli_text(k->board.name));
    json_object_set_new(board, "device", cli_text(k->device));
    json_object_set_new(board, "firmware", cli_text(k->firmware));
    json_object_set_new(board, "same", json_integer((json_int_t)k->same));
    json_object_set_new(board, "differ", json_integer((json_int_t)k->differ));
    json_object_set_new(board, "first_difference_s", cli_number(k->first_difference_s));
    return board;
}

static int print(const cli *c, const comparison *k, const cli_replay_job *j)
{
    if (c->json) {
        json_t *root = cli_replay_json(j);
        json_object_set_new(root, "board", board_json(k));
        return cli_print_json(root);
    }
    if (!c->quiet && k->differ == 0) {
        cli_print_prose(
            2, "%s: %s (firmware %s) gives the %zu attitudes that this desk gives, bit for bit; digest %08x",
            k->board.name, k->device, k->firmware, k->same, (unsigned)k->pipeline.digest);
    } else if (!c->quiet) {
        cli_print_prose(
            2,
            "%s: %s (firmware %s) gives other attitudes than this desk:\n  %zu of %zu differ, the first "
            "at %.3f s\n  Does its self-test pass, and is its firmware of this version?",
            k->board.name, k->device, k->firmware, k->differ, k->differ + k->same, k->first_difference_s);
    }
    return cli_print_done();
}

int cli_replay_on_board(const cli *c, const cli_replay_options *o, cli_replay_job *j, marl_error *error)
{
    static comparison k;
    marl_calibration_record record = marl_calibration_record_empty();
    source_options where = {.from = strcmp(o->on, "sim") == 0 ? "sim:still" : o->on, .seed = 1};
    k = (comparison){.first_difference_s = NAN};
    j->pipeline = &k.pipeline;
    marl_status status = check_options(o, error);
    status = status == MARL_OK && o->calibration != NULL
                 ? marl_calibration_read(&record, o->calibration, error)
                 : status;
    status = status == MARL_OK ? marl_log_open(&j->reader, c->file[0], &o->reading.options, error) : status;
    status = status == MARL_OK ? source_open(&k.board, &where, error) : status;
    status = status == MARL_OK ? marl_receiver_create(&k.receiver, k.board.name, NULL, error) : status;
    status = status == MARL_OK ? begin(&k, j, &record, error) : status;
    status = status == MARL_OK ? send_rows(&k, j, error) : status;
    if (status != MARL_OK) { /* where the line or the pipeline gave no reason of its own */
        (void)marl_fail(error, status, "%s: %s", o->on, marl_status_text(status));
    }
    int code = status == MARL_OK ? print(c, &k, j) : cli_exit(error);
    marl_receiver_free(k.receiver);
    source_close(&k.board);
    marl_log_close(j->reader);
    return code == CLI_DONE && k.differ > 0 ? CLI_DOES_NOT_HOLD : code;
}
