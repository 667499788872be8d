/* SPDX-License-Identifier: MIT
 * The station on a port that fails: any call of it, once or several times in a row. What was acknowledged as kept is
 * there after the next boot, nothing half made is, and the board goes on when the port is well again. */
#include "check_main.h"
#include "port_messages.h"
#include "random_values.h"

typedef enum call_kind {
    CLOCK,
    SLEEP,
    BUS_READ,
    BUS_WRITE,
    NV_READ,
    NV_ERASE,
    NV_WRITE,
    BYTES_OUT,
    BYTES_IN,
    CALL_KINDS
} call_kind;

/* Passes everything on to the simulated board, but for calls `from` to `until` - 1 of this kind. */
typedef struct failing_port {
    const marl_port *real;
    marl_port port;
    call_kind kind;
    long from, until;
    long calls[CALL_KINDS];
} failing_port;

static marl_status call(failing_port *f, call_kind kind)
{
    static const marl_status failure[CALL_KINDS] = {
        [CLOCK] = MARL_ERR_BUS_LATE,       [SLEEP] = MARL_ERR_BUS_LATE,     [BUS_READ] = MARL_ERR_BUS_SILENT,
        [BUS_WRITE] = MARL_ERR_BUS_SILENT, [NV_READ] = MARL_ERR_BUS_LATE,   [NV_ERASE] = MARL_ERR_STORE,
        [NV_WRITE] = MARL_ERR_STORE,       [BYTES_OUT] = MARL_ERR_BUS_LATE, [BYTES_IN] = MARL_ERR_BUS_LATE};
    long n = f->calls[kind]++;
    return kind == f->kind && n >= f->from && n < f->until ? failure[kind] : MARL_OK;
}

/* The context of the calls below is the failing port. */
#define PASS_ON(kind, member, ...)                                                                           \
    failing_port *f = context;                                                                               \
    marl_status status = call(f, kind);                                                                      \
    return status != MARL_OK ? status : f->real->member(f->real->context, __VA_ARGS__)

static marl_status fail_clock(void *context, int64_t *t_ns)
{
    PASS_ON(CLOCK, clock, t_ns);
}

static marl_status fail_sleep(void *context, uint32_t us)
{
    PASS_ON(SLEEP, sleep, us);
}

static marl_status fail_bus_read(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n)
{
    PASS_ON(BUS_READ, bus_read, at, reg, bytes, n);
}

static marl_status fail_bus_write(void *context, marl_place at, uint8_t reg, const uint8_t *bytes, size_t n)
{
    PASS_ON(BUS_WRITE, bus_write, at, reg, bytes, n);
}

static marl_status fail_nv_read(void *context, uint32_t at, uint8_t *bytes, size_t n)
{
    PASS_ON(NV_READ, nv_read, at, bytes, n);
}

static marl_status fail_nv_erase(void *context, uint32_t at)
{
    PASS_ON(NV_ERASE, nv_erase, at);
}

static marl_status fail_nv_write(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    PASS_ON(NV_WRITE, nv_write, at, bytes, n);
}

static marl_status fail_bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *queued)
{
    PASS_ON(BYTES_OUT, bytes_out, bytes, n, queued);
}

static marl_status fail_bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got)
{
    *got = 0;
    PASS_ON(BYTES_IN, bytes_in, bytes, n, got);
}

static void put_before(failing_port *f, const marl_port *real)
{
    *f = (failing_port){.real = real, .port = *real, .kind = CALL_KINDS};
    f->port.context = f;
    f->port.button = NULL; /* of another context */
    f->port.lamp = NULL;
    f->port.clock = fail_clock;
    f->port.sleep = fail_sleep;
    f->port.bus_read = fail_bus_read;
    f->port.bus_write = fail_bus_write;
    f->port.nv_read = fail_nv_read;
    f->port.nv_erase = fail_nv_erase;
    f->port.nv_write = fail_nv_write;
    f->port.bytes_out = fail_bytes_out;
    f->port.bytes_in = fail_bytes_in;
}

/* What may be in the store: what was acknowledged last, and whatever later one was not. */
typedef struct kept {
    marl_settings settings[8];
    int n;
} kept;

typedef struct trial {
    sim_test t;
    failing_port f;
    marl_app app;
    marl_app_renewal renewal;
    int ran; /* the application has started */
    kept kept;
} trial;

static int same_settings(const marl_settings *a, const marl_settings *b)
{
    const marl_correction *c = &a->calibration.gyro, *d = &b->calibration.gyro;
    return a->has_tuning == b->has_tuning && (!a->has_tuning || a->tuning.filter == b->tuning.filter) &&
           a->takes == b->takes && a->calibration.has_mount == b->calibration.has_mount &&
           c->present == d->present && (!c->present || memcmp(&c->bias, &d->bias, sizeof c->bias) == 0);
}

static void start(trial *x)
{
    x->ran = x->ran || marl_app_start(&x->app, &x->f.port, x->t.part, 1, &x->t.app, NULL) == MARL_OK;
}

/* For a twentieth of a second; the outcome of the message in it, or -1. */
static int run(trial *x)
{
    const marl_port *port = x->f.real;
    double until = marl_sim_seconds(x->t.sim) + 0.05;
    marl_ack ack = {.outcome = MARL_OUTCOME_DONE};
    int outcome = -1;
    while (marl_sim_seconds(x->t.sim) < until) {
        uint32_t rest_us = 1000;
        uint8_t bytes[4096];
        start(x);
        if (!x->ran || marl_app_step(&x->app, &rest_us) != MARL_OK) {
            rest_us = 1000; /* as the main loop of a board would do */
        }
        ck_assert_int_eq(port->sleep(port->context, rest_us), MARL_OK);
        size_t n = marl_sim_receive(x->t.sim, bytes, sizeof bytes);
        ck_assert_int_eq(marl_receiver_feed(x->t.receiver, bytes, n, NULL), MARL_OK);
        outcome = marl_receiver_ack(x->t.receiver, &ack) == MARL_OK ? (int)ack.outcome : outcome;
    }
    return outcome;
}

static int send_message(trial *x, marl_message message)
{
    static uint32_t number;
    const marl_settings before = x->app.settings;
    message.number = ++number;
    give(&x->t, &message);
    int outcome = run(x);
    if (message.kind == MARL_ITEM_COMMIT || message.kind == MARL_ITEM_UNDO) {
        x->kept.n = outcome == MARL_OUTCOME_DONE ? 0 : x->kept.n;
        ck_assert_int_le(x->kept.n + 2, 8);
        x->kept.settings[x->kept.n++] = x->app.settings;
        if (outcome != MARL_OUTCOME_DONE) {
            x->kept.settings[x->kept.n++] = before;
        }
    }
    return outcome;
}

static int send_all(trial *x)
{
    marl_calibration_record c = calibration_for("pod-07");
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    int done = 0;
    const marl_message script[] = {{.kind = MARL_ITEM_IDENTIFY},
                                   {.kind = MARL_ITEM_CALIBRATION, .calibration = &c},
                                   {.kind = MARL_ITEM_COMMIT},
                                   {.kind = MARL_ITEM_TUNING, .tuning = &tuning},
                                   {.kind = MARL_ITEM_OFFSETS},
                                   {.kind = MARL_ITEM_COMMIT},
                                   {.kind = MARL_ITEM_CALIBRATE, .renewal = MARL_RENEW_STILL},
                                   {.kind = MARL_ITEM_CALIBRATE, .renewal = MARL_RENEW_NOTHING},
                                   {.kind = MARL_ITEM_UNDO}};
    for (size_t i = 0; i < sizeof script / sizeof script[0]; i++) {
        done += send_message(x, script[i]) == MARL_OUTCOME_DONE;
    }
    return done;
}

static void prepare(trial *x, call_kind kind, long from, long n)
{
    memset(x, 0, sizeof *x);
    sim_test_prepare(&x->t, MARL_SCENE_STILL, 100);
    sim_test_start(&x->t);
    put_before(&x->f, marl_sim_port(x->t.sim));
    marl_app_renewal_init(&x->renewal, MARL_APP_RENEWS_BIAS | MARL_APP_WATCHES_FIELD);
    x->t.app.renewal = &x->renewal;
    x->f.kind = kind;
    x->f.from = from;
    x->f.until = from + n;
    x->kept.n = 1; /* a new board: none */
    start(x);
}

/* The board boots again, and has what may have been kept; then everything that is sent works. */
static void boot_and_go_on(trial *x)
{
    int found = x->kept.n == 1 && !x->kept.settings[0].has_tuning;
    x->f.kind = CALL_KINDS;
    x->ran = 0;
    start(x);
    ck_assert(x->ran);
    for (int i = 0; i < x->kept.n; i++) {
        found |= same_settings(&x->app.settings, &x->kept.settings[i]);
    }
    ck_assert(found);
    (void)run(x); /* of what came while nobody listened */
    ck_assert_int_ge(send_all(x), 8);
}

static const call_kind kinds[] = {CLOCK,    SLEEP,    BUS_READ,  BUS_WRITE, NV_READ,
                                  NV_ERASE, NV_WRITE, BYTES_OUT, BYTES_IN};

START_TEST(any_call_may_fail)
{
    static trial x;
    dice d = {31};
    int hit = 0;
    call_kind kind = kinds[_i];
    prepare(&x, CALL_KINDS, 0, 0);
    ck_assert_int_eq(send_all(&x), 9);
    long calls = x.f.calls[kind], tried = calls < 60 ? calls : 60;
    sim_test_end(&x.t);
    ck_assert_int_gt(calls, 0);
    for (long i = 0; i < 2 * tried; i++) {
        long at = calls == tried ? i / 2 : (long)dice_below(&d, (uint32_t)calls);
        prepare(&x, kind, at, i % 2 ? 12 : 1);
        hit += send_all(&x) < 9;
        boot_and_go_on(&x);
        sim_test_end(&x.t);
    }
    ck_assert(hit >= tried || kind < NV_READ || kind > NV_WRITE); /* the memory is only used for messages */
}
END_TEST

/* All calls of a kind fail from now on: the answer says which part of the board it is. */
START_TEST(a_failure_that_lasts_is_acknowledged)
{
    static trial x;
    static const struct {
        call_kind kind;
        marl_item_kind asked;
        marl_outcome outcome;
    } row[] = {{BUS_WRITE, MARL_ITEM_OFFSETS, MARL_OUTCOME_CHIP_FAILED},
               {NV_READ, MARL_ITEM_COMMIT, MARL_OUTCOME_STORE_FAILED},
               {NV_READ, MARL_ITEM_UNDO, MARL_OUTCOME_STORE_FAILED},
               {NV_ERASE, MARL_ITEM_COMMIT, MARL_OUTCOME_STORE_FAILED},
               {NV_WRITE, MARL_ITEM_COMMIT, MARL_OUTCOME_STORE_FAILED},
               {CALL_KINDS, MARL_ITEM_COMMIT, MARL_OUTCOME_DONE}};
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        marl_calibration_record c = calibration_for("pod-07");
        prepare(&x, row[i].kind, 1 << 30, 1);
        ck_assert_int_eq(send_message(&x, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                         MARL_OUTCOME_DONE);
        x.f.from = 0;
        ck_assert_int_eq(send_message(&x, (marl_message){.kind = row[i].asked}), row[i].outcome);
        ck_assert_int_eq(x.app.settings.takes, 0);
        ck_assert_float_eq(x.app.settings.calibration.gyro.bias.x, 0.0139f); /* as it was */
        sim_test_end(&x.t);
    }
}
END_TEST

MARL_SUITE_OF_CASES("failing port", kinds, any_call_may_fail, a_failure_that_lasts_is_acknowledged)
