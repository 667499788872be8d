/* SPDX-License-Identifier: MIT
 * Requests of the page: docs/live.md has all of them. */
#include "cli/live/live_job.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { HTTP_OK = 200, HTTP_BAD = 400, HTTP_CONFLICT = 409 };

static const char *text_of(const json_t *root, const char *key)
{
    const char *text = json_string_value(json_object_get(root, key));
    return text != NULL ? text : "";
}

/* What a command has come to. */
typedef struct result {
    int later;     /* the answer comes later */
    int keeps_all; /* a change that keeps all state */
} result;

static marl_status apply(live_job *job, marl_change *c, result *r, marl_error *error)
{
    r->keeps_all = c->run < job->live->n && live_change_keeps_all(job, c);
    return live_change(job, c, error);
}

static marl_status run_of(const live_job *job, const json_t *root, size_t *run, marl_error *error)
{
    const json_t *value = json_object_get(root, "run");
    if (!json_is_integer(value) || json_integer_value(value) < 0 ||
        json_integer_value(value) >= (json_int_t)job->live->n) {
        return marl_fail(error, MARL_ERR_USE, "'run' is a number from 0 to %zu", job->live->n - 1);
    }
    *run = (size_t)json_integer_value(value);
    return MARL_OK;
}

static double number_of(const json_t *value)
{
    return json_is_boolean(value)  ? json_is_true(value)
           : json_is_number(value) ? json_number_value(value)
                                   : NAN;
}

/* {"do": "set", "run": 0, "parameter": "tilt_time", "value": 0.5} */
static marl_status set(live_job *job, const json_t *root, result *r, marl_error *error)
{
    marl_change change = {.kind = MARL_CHANGE_TUNING};
    marl_parameter_id id;
    MARL_TRY(run_of(job, root, &change.run, error));
    change.tuning = job->live->run[change.run].tuning;
    const char *name = text_of(root, "parameter");
    if (marl_parameter_find(change.tuning.tuning.filter, name, &id) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "%s has no parameter '%.40s'",
                         marl_filter_name(change.tuning.tuning.filter), name);
    }
    const marl_parameter *row = marl_parameter_row(id);
    double value = number_of(json_object_get(root, "value"));
    if (!((float)value >= row->low && (float)value <= row->high)) {
        return marl_fail(error, MARL_ERR_USE, "%s lies between %g and %g %s", row->name, (double)row->low,
                         (double)row->high, row->unit);
    }
    change.tuning.tuning.value[id] = (float)value;
    return apply(job, &change, r, error);
}

/* {"do": "filter", "run": 0, "filter": "kalman"}: with its defaults, or those from the sheet. */
static marl_status set_filter(live_job *job, const json_t *root, result *r, marl_error *error)
{
    marl_change change = {.kind = MARL_CHANGE_TUNING};
    marl_filter filter;
    const marl_sheet *sheet = job->reading->options.sheet;
    MARL_TRY(run_of(job, root, &change.run, error));
    if (marl_filter_from_name(text_of(root, "filter"), &filter) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "'%.40s' is no filter", text_of(root, "filter"));
    }
    change.tuning.tuning = sheet != NULL ? marl_tuning_for_sheet(filter, sheet) : marl_tuning_default(filter);
    return apply(job, &change, r, error);
}

/* {"change": "start"}: a change as it stands in a recording. */
static marl_status change(live_job *job, const char *json, result *r, marl_error *error)
{
    marl_change c;
    MARL_TRY(marl_change_read(&c, json, "the request", error));
    return apply(job, &c, r, error);
}

/* {"do": "guide", "kind": "tumble"} */
static marl_status guide(live_job *job, const json_t *root, marl_error *error)
{
    marl_guide_kind kind;
    const char *name = text_of(root, "kind");
    if (marl_guide_from_name(name, &kind) != MARL_OK || kind == MARL_GUIDE_SOAK) {
        return marl_fail(error, MARL_ERR_USE, "'%.40s' is no guide; known: still, turns, poses, tumble",
                         name);
    }
    return live_guide_start(job, kind, error);
}

/* {"do": "send", "what": "calibration"}, "tuning" with "run", "commit" or "zero". Answered when the board has. */
static marl_status send(live_job *job, const json_t *root, const marl_live_request *request,
                        marl_error *error)
{
    static const struct {
        const char *name;
        marl_item_kind kind;
    } items[] = {{"calibration", MARL_ITEM_CALIBRATION},
                 {"tuning", MARL_ITEM_TUNING},
                 {"commit", MARL_ITEM_COMMIT},
                 {"zero", MARL_ITEM_ZERO}};
    const char *what = text_of(root, "what");
    marl_message message = {.kind = 0, .calibration = &job->live->record};
    size_t run = 0;
    for (size_t i = 0; i < sizeof items / sizeof items[0]; i++) {
        message.kind = strcmp(what, items[i].name) == 0 ? items[i].kind : message.kind;
    }
    if (message.kind == 0) {
        return marl_fail(error, MARL_ERR_USE,
                         "'%.40s' is nothing to send; known: calibration, tuning, commit, zero", what);
    }
    if (message.kind == MARL_ITEM_TUNING) {
        MARL_TRY(run_of(job, root, &run, error));
    }
    message.tuning = &job->live->run[run].tuning.tuning;
    return live_send_message(job, request, &message, error);
}

static marl_status obey(live_job *job, const marl_live_request *request, const json_t *root, result *r,
                        marl_error *error)
{
    const char *what = text_of(root, "do");
    if (job->live == NULL) {
        return marl_fail(error, MARL_ERR_NOT_READY, "no sample has come yet");
    }
    if (json_object_get(root, "change") != NULL) {
        return change(job, request->json, r, error);
    }
    if (strcmp(what, "set") == 0) {
        return set(job, root, r, error);
    }
    if (strcmp(what, "filter") == 0) {
        return set_filter(job, root, r, error);
    }
    if (strcmp(what, "guide") == 0) {
        return guide(job, root, error);
    }
    if (strcmp(what, "fit") == 0) {
        return live_guide_fit(job, error);
    }
    if (strcmp(what, "send") == 0) {
        marl_status status = send(job, root, request, error);
        r->later = status == MARL_OK;
        return status;
    }
    return marl_fail(error, MARL_ERR_USE,
                     "'%.40s' is no command; known: set, filter, guide, fit, send; or a change", what);
}

static void answer_fault(live_job *job, const marl_live_request *request, int code, const char *why)
{
    json_t *root = json_object();
    json_object_set_new(root, "error", cli_text(why));
    char *text = json_dumps(root, JSON_COMPACT);
    marl_live_server_answer(job->server, request, code, text != NULL ? text : "{\"error\": \"no memory\"}");
    free(text);
    json_decref(root);
}

static void answer(live_job *job, const marl_live_request *request)
{
    marl_error error = {0};
    json_error_t fault;
    result r = {0, 1};
    json_t *root = json_loads(request->json, JSON_REJECT_DUPLICATES, &fault);
    if (!json_is_object(root)) {
        answer_fault(job, request, HTTP_BAD, root == NULL ? fault.text : "a JSON object is wanted");
    } else if (obey(job, request, root, &r, &error) != MARL_OK) {
        answer_fault(job, request,
                     error.status == MARL_ERR_USE || error.status == MARL_ERR_INPUT ? HTTP_BAD
                                                                                    : HTTP_CONFLICT,
                     error.text);
    } else if (!r.later) {
        marl_live_server_answer(job->server, request, HTTP_OK,
                                r.keeps_all ? "{\"done\": true}"
                                            : "{\"done\": true, \"kept\": \"attitude\"}");
    }
    json_decref(root);
}

void live_answer_requests(live_job *job)
{
    marl_live_request request;
    while (marl_live_server_take(job->server, &request)) {
        answer(job, &request);
    }
}

/* ---- to the board ---- */

#define ACK_S 1.0
enum { TRIES = 5 };

marl_status live_send_message(live_job *job, const marl_live_request *request, const marl_message *message,
                              marl_error *error)
{
    live_message *m = &job->message;
    if (job->from.kind == SOURCE_STDIN) {
        return marl_fail(error, MARL_ERR_NOT_READY, "%s: nothing can be sent there", job->from.name);
    }
    if (job->status != LIVE_RUNNING) {
        return marl_fail(error, MARL_ERR_NOT_READY, "%s: nothing comes from there any more", job->from.name);
    }
    if (m->waits) {
        return marl_fail(error, MARL_ERR_NOT_READY, "the board has not yet answered the message before");
    }
    marl_message numbered = *message;
    numbered.number = ++m->number;
    MARL_TRY(marl_message_make(&numbered, m->bytes, &m->n, error));
    MARL_TRY(source_write(&job->from, m->bytes, m->n, error));
    m->waits = 1;
    m->tries = 1;
    m->request = *request;
    m->sent_s = live_wall_s();
    return MARL_OK;
}

static void acknowledged(live_job *job, const marl_ack *ack)
{
    job->message.waits = 0;
    if (ack->outcome == MARL_OUTCOME_DONE) {
        marl_live_server_answer(job->server, &job->message.request, HTTP_OK, "{\"done\": true}");
    } else {
        char why[160];
        snprintf(why, sizeof why, "the board refuses: %s", ack->text);
        answer_fault(job, &job->message.request, HTTP_CONFLICT, why);
    }
}

void live_follow_message(live_job *job)
{
    live_message *m = &job->message;
    marl_ack ack;
    marl_error error = {0};
    while (marl_receiver_ack(job->recording.receiver, &ack) == MARL_OK) {
        if (m->waits && ack.answered == m->number) {
            acknowledged(job, &ack);
        }
    }
    if (!m->waits || live_wall_s() - m->sent_s < ACK_S) {
        return;
    }
    m->sent_s = live_wall_s();
    if (m->tries++ < TRIES && source_write(&job->from, m->bytes, m->n, &error) == MARL_OK) {
        return;
    }
    m->waits = 0;
    answer_fault(job, &m->request, HTTP_CONFLICT, "the board does not answer");
}
