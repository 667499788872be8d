/* SPDX-License-Identifier: MIT
 * marlinspike send */
#include "cli/send/send_renewal.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { MAX_STEPS = 7 };
#define PAUSE_S 0.3
#define PATIENCE_S 3.0 /* a board needs a while to see that it is at rest */

typedef struct options {
    char *to, *calibration, *tuning, *device, *renewal;
    int commit, zero, offsets, undo;
    double gravity, field, patience;
} options;

/* What is sent, one after the other. */
typedef struct steps {
    int n;
    struct {
        marl_message message;
        const char *what;
        marl_outcome outcome;
        char text[100];
    } step[MAX_STEPS];
    marl_calibration_record calibration;
    marl_named_tuning tuning;
    marl_renewal_kind renewal;
    marl_renewal_options renewal_options;
    marl_renewal_report found;
    send_desk desk;
} steps;

static void add(steps *s, marl_item_kind kind, const char *what)
{
    s->step[s->n].what = what;
    s->step[s->n++].message =
        (marl_message){.kind = kind, .calibration = &s->calibration, .tuning = &s->tuning.tuning};
}

static marl_status plan_renewal(const options *o, steps *s, marl_error *error)
{
    MARL_TRY(send_renewal_kind(o->renewal, &s->renewal, error));
    s->renewal_options = marl_renewal_default(s->renewal);
    if (!isnan(o->gravity) && s->renewal == MARL_RENEW_POSES) {
        s->renewal_options.length = (float)o->gravity;
    } else if (!isnan(o->field) && s->renewal == MARL_RENEW_TUMBLE) {
        s->renewal_options.length = (float)o->field;
    } else if (!isnan(o->gravity) || !isnan(o->field)) {
        return marl_fail(error, MARL_ERR_USE,
                         "--gravity is for --calibrate poses, --field for --calibrate tumble");
    }
    if (!isnan(o->patience)) {
        s->renewal_options.patience_s = (float)o->patience;
    }
    add(s, MARL_ITEM_CALIBRATE, "calibrate");
    s->step[s->n - 1].message.renewal = s->renewal;
    s->step[s->n - 1].message.options = s->renewal != MARL_RENEW_NOTHING ? &s->renewal_options : NULL;
    return MARL_OK;
}

static marl_status plan(const options *o, steps *s, marl_error *error)
{
    marl_status status = MARL_OK;
    if (o->to == NULL ||
        (!o->calibration && !o->offsets && !o->tuning && !o->commit && !o->zero && !o->renewal && !o->undo)) {
        return marl_fail(
            error, MARL_ERR_USE,
            "send: --to is needed, and one of --undo, --calibration, --offsets, --tuning, --zero, "
            "--calibrate, --commit");
    }
    if (o->renewal == NULL && (!isnan(o->gravity) || !isnan(o->field) || !isnan(o->patience))) {
        return marl_fail(error, MARL_ERR_USE, "--gravity, --field and --patience belong to --calibrate");
    }
    if (strncmp(o->to, "serial:", 7) != 0 && strcmp(o->to, "sim") != 0 && strncmp(o->to, "sim:", 4) != 0) {
        return marl_fail(error, MARL_ERR_USE, "--to '%s': wanted serial:DEVICE[@BAUD], sim or sim:FILE",
                         o->to);
    }
    if (o->undo) {
        add(s, MARL_ITEM_UNDO, "undo");
    }
    if (o->calibration != NULL) {
        status = marl_calibration_read(&s->calibration, o->calibration, error);
        add(s, MARL_ITEM_CALIBRATION, "calibration");
    }
    if (o->offsets) {
        add(s, MARL_ITEM_OFFSETS, "offsets");
    }
    if (status == MARL_OK && o->tuning != NULL) {
        status = marl_tuning_read(&s->tuning, o->tuning, NULL, error);
        add(s, MARL_ITEM_TUNING, "tuning");
    }
    if (o->zero) {
        add(s, MARL_ITEM_ZERO, "zero");
    }
    if (status == MARL_OK && o->renewal != NULL) {
        status = plan_renewal(o, s, error);
    }
    if (o->commit) {
        add(s, MARL_ITEM_COMMIT, "commit");
    }
    return status;
}

/* Asks again for a while when the board reports that it moves. */
static marl_status ask_patiently(source *to, marl_receiver *receiver, marl_message *message, marl_ack *ack,
                                 marl_error *error)
{
    double start = source_seconds(to);
    for (;;) {
        marl_ack other;
        message->number++;
        marl_status status = talk_ask(to, receiver, message, ack, error);
        if (status != MARL_OK || ack->outcome != MARL_OUTCOME_MOVING ||
            source_seconds(to) - start > PATIENCE_S) {
            return status;
        }
        status = talk_wait(to, receiver, UINT32_MAX, PAUSE_S, &other, error);
        if (status != MARL_ERR_NOT_READY) {
            return status;
        }
    }
}

/* Until the board is done with it. */
static marl_status renew(const cli *c, source *to, marl_receiver *receiver, steps *s, marl_error *error)
{
    MARL_TRY(send_renewal_watch(c, to, receiver, &s->desk, &s->found, error));
    double gravity = s->renewal == MARL_RENEW_POSES ? (double)s->renewal_options.length : (double)NAN;
    MARL_TRY(send_desk_fit(&s->desk, marl_receiver_info(receiver)->columns, &s->found, gravity, error));
    return send_renewal_check(to, &s->found, error);
}

static marl_status talk(const cli *c, source *to, marl_receiver *receiver, steps *s, marl_error *error)
{
    marl_ack ack;
    marl_message who = {.kind = MARL_ITEM_IDENTIFY, .number = 0};
    marl_status status = talk_ask(to, receiver, &who, &ack, error);
    for (int i = 0; i < s->n && status == MARL_OK; i++) {
        status = ask_patiently(to, receiver, &s->step[i].message, &ack, error);
        status = status == MARL_OK ? talk_check(to, receiver, &ack, s->step[i].what, error) : status;
        if (status == MARL_OK && s->step[i].message.renewal != MARL_RENEW_NOTHING) {
            status = renew(c, to, receiver, s, error);
        }
    }
    return status;
}

static int report(const cli *c, const source *to, marl_receiver *receiver, const steps *s)
{
    const char *device = marl_receiver_info(receiver)->device;
    const char *firmware = marl_receiver_report(receiver)->firmware;
    char done[80] = "";
    for (int i = 0; i < s->n; i++) {
        marl_list_append(done, sizeof done, s->step[i].what);
    }
    if (c->json) {
        json_t *root = json_object(), *list = json_array();
        for (int i = 0; i < s->n; i++) {
            json_array_append_new(list, cli_text(s->step[i].what));
        }
        json_object_set_new(root, "to", cli_text(to->name));
        json_object_set_new(root, "device", cli_text(device));
        json_object_set_new(root, "firmware", cli_text(firmware));
        json_object_set_new(root, "done", list);
        if (s->found.kind != MARL_RENEW_NOTHING) {
            json_object_set_new(root, "renewal", send_renewal_json(&s->found, &s->desk));
        }
        return cli_print_json(root);
    }
    if (!c->quiet) {
        if (s->found.kind != MARL_RENEW_NOTHING) {
            send_renewal_print(&s->found, &s->desk);
        }
        cli_print("%s: %s (firmware %s) has accepted: %s\n", to->name, device, firmware, done);
    }
    return cli_print_done();
}

static int send_all(const cli *c, const options *o)
{
    marl_error error = {0};
    source to = {0};
    steps s = {0};
    marl_receiver *receiver = NULL;
    int is_sim = o->to != NULL && strncmp(o->to, "sim", 3) == 0;
    const char *flash = is_sim && o->to[3] == ':' ? o->to + 4 : NULL;
    const char *scene = o->renewal == NULL || strcmp(o->renewal, "stop") == 0 ? "still" : o->renewal;
    char from[40];
    snprintf(from, sizeof from, "sim:%.30s", scene);
    source_options where = {.from = is_sim ? from : o->to,
                            .flash = flash,
                            .device = o->device,
                            .seed = 1,
                            .silent = o->renewal == NULL};
    marl_status status = plan(o, &s, &error);
    status = status != MARL_OK ? status : source_open(&to, &where, &error);
    status = status != MARL_OK ? status : marl_receiver_create(&receiver, to.name, NULL, &error);
    status = status != MARL_OK ? status : talk(c, &to, receiver, &s, &error);
    status = status != MARL_OK ? status : source_keep(&to, &error);
    int refused = c->json && s.found.stage == MARL_RENEWAL_REFUSED;
    int code = status == MARL_OK || refused ? report(c, &to, receiver, &s) : CLI_DONE;
    code = status != MARL_OK ? cli_exit(&error) : code;
    send_desk_free(&s.desk);
    marl_receiver_free(receiver);
    source_close(&to);
    return code;
}

int cli_send(int argc, const char **argv)
{
    options o = {.gravity = (double)NAN, .field = (double)NAN, .patience = (double)NAN};
    cli c;
    const struct poptOption table[] = {
        {"to", '\0', POPT_ARG_STRING, &o.to, CLI_BOARD,
         "serial:DEVICE[@BAUD], sim, or sim:FILE that keeps its memory", "T"},
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION,
         "use this calibration from now on", "CAL"},
        {"offsets", '\0', POPT_ARG_NONE, &o.offsets, 0,
         "let the chips' offset registers take away the biases of the calibration", NULL},
        {"tuning", '\0', POPT_ARG_STRING, &o.tuning, CLI_TUNING,
         "estimate with this tuning, and stream attitudes", "T|FILTER"},
        {"zero", '\0', POPT_ARG_NONE, &o.zero, 0, "the attitude of now is level (and north); at rest", NULL},
        {"calibrate", '\0', POPT_ARG_STRING, &o.renewal, 0,
         "the board renews a calibration itself: still, poses or tumble; stop ends that", "KIND"},
        {"gravity", '\0', POPT_ARG_DOUBLE, &o.gravity, 0, "of the place, for poses (default 9.80665)",
         "M/S2"},
        {"field", '\0', POPT_ARG_DOUBLE, &o.field, 0, "strength of the field, for tumble (default: unknown)",
         "UT"},
        {"patience", '\0', POPT_ARG_DOUBLE, &o.patience, 0,
         "after so long the board ends with what there is (default 180)", "S"},
        {"undo", '\0', POPT_ARG_NONE, &o.undo, 0,
         "back to the settings before the last change, or before the last commit", NULL},
        {"commit", '\0', POPT_ARG_NONE, &o.commit, 0, "keep all that over power cuts", NULL},
        {"device", '\0', POPT_ARG_STRING, &o.device, 0, "name of the simulated board (default pod-07)",
         "NAME"},
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "",
        CLI_NO_FILE,
        0,
        0,
        "Sends to a board and waits for its acknowledgement, five times at most. Several commands are\n"
        "sent in this order: undo, calibration, offsets, tuning, zero, calibrate, commit. The board\n"
        "refuses what it cannot use, what is for another device, and a zero while it moves; the message\n"
        "gives the reason. With --calibrate it is watched until it is done: what it finds is in use at\n"
        "once, and kept with --commit; where it refuses, what it had stays.",
        "send --to serial:/dev/ttyUSB0@921600 --calibration pod-07.json --commit"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? send_all(&c, &o) : code;
    cli_close(&c);
    return code;
}
