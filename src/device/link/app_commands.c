/* SPDX-License-Identifier: MIT
 * The streaming application: messages and their acknowledgements, and what the store keeps. */
#include "device/link/app_parts.h"
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "device/math/attitude_math.h"
#include "marlinspike/app.h"
#include <string.h>

enum { KEEP_CALIBRATION = 1, KEEP_TUNING = 2, KEEP_OFFSETS = 3 };
enum { FEED_AT_ONCE = 64, FEED_MAX = 4096 }; /* bytes a step takes at most */

/* Goes through all of them; returns the first failure. */
static marl_status take_biases(marl_app *app, const marl_vec3 taken[MARL_SENSOR_COUNT], unsigned sensors)
{
    marl_status first = MARL_OK;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (sensors & 1u << i) {
            marl_status status = marl_board_take_bias(&app->board, (marl_sensor)i, taken[i]);
            first = first != MARL_OK ? first : status;
        }
    }
    return first;
}

/* Settings from a record of the store; MARL_ERR_MESSAGE, and none of them, when it holds something else. */
static marl_status read_kept(marl_app *app, size_t n)
{
    char device[MARL_DEVICE_NAME];
    marl_settings kept = app->settings;
    wire_reader r = marlp_wire_from(app->item, n);
    marl_status status = MARL_OK;
    for (size_t pairs = marlp_wire_get_map(&r); pairs > 0 && status == MARL_OK; pairs--) {
        switch (marlp_wire_get_int(&r)) {
        case KEEP_CALIBRATION:
            status = marlp_item_get_calibration(&r, &kept.calibration, device);
            break;
        case KEEP_TUNING:
            status = marlp_item_get_tuning(&r, &kept.tuning);
            kept.has_tuning = app->config.choice(kept.tuning.filter) != NULL; /* else of another firmware */
            kept.tuning = kept.has_tuning ? kept.tuning : app->settings.tuning;
            break;
        case KEEP_OFFSETS:
            marlp_item_get_offsets(&r, kept.taken, &kept.takes);
            break;
        default:
            marlp_wire_skip(&r);
            break;
        }
    }
    MARL_TRY(status != MARL_OK ? status : r.status);
    app->settings = kept;
    app->changed = 0;
    (void)!take_biases(app, kept.taken, kept.takes); /* a chip that has no such registers reads as it is */
    return MARL_OK;
}

void marlp_app_load(marl_app *app)
{
    size_t n;
    if (app->port->nv_read != NULL &&
        marl_store_load(app->port, app->item, sizeof app->item, &n) == MARL_OK) {
        (void)!read_kept(app, n); /* what no firmware of this kind wrote is no settings */
    }
}

/* The settings that `undo` goes back to: the last record when those of now are not kept yet, else the one before; before
 * the first record, those of a new board. MARL_ERR_EMPTY when there is nothing to undo. */
static marl_status load_former(marl_app *app)
{
    size_t n;
    const marl_settings now = app->settings;
    marl_status last = marl_store_load(app->port, app->item, sizeof app->item, &n);
    marl_status status = app->changed || last != MARL_OK
                             ? last
                             : marl_store_load_before(app->port, app->item, sizeof app->item, &n, NULL);
    if (status == MARL_ERR_EMPTY && (app->changed || last == MARL_OK)) {
        n = 0;
        status = MARL_OK;
    }
    MARL_TRY(status);
    marlp_app_forget_settings(app);
    status = n > 0 ? read_kept(app, n) : MARL_OK;
    if (status != MARL_OK) {
        app->settings = now;
        return status;
    }
    const marl_vec3 none[MARL_SENSOR_COUNT] = {{0.0f, 0.0f, 0.0f}};
    (void)!take_biases(app, none, now.takes & ~(unsigned)app->settings.takes);
    return MARL_OK;
}

static marl_status undo(marl_app *app)
{
    if (app->port->nv_read == NULL) {
        return MARL_ERR_EMPTY;
    }
    int was_kept = !app->changed;
    marl_status status = load_former(app);
    MARL_TRY(status == MARL_ERR_EMPTY ? MARL_ERR_ARGUMENT : status); /* there is nothing to undo */
    app->changed = 0;
    return was_kept ? marlp_app_commit(app) : MARL_OK;
}

marl_status marlp_app_commit(marl_app *app)
{
    if (app->port->nv_write == NULL) {
        return MARL_ERR_EMPTY;
    }
    wire_writer w = marlp_wire_into(app->item, sizeof app->item);
    marlp_wire_put_map(&w, 1u + (app->settings.has_tuning != 0) + (app->settings.takes != 0));
    marlp_wire_put_int(&w, KEEP_CALIBRATION);
    marlp_item_put_calibration(&w, &app->settings.calibration);
    if (app->settings.has_tuning) {
        marlp_wire_put_int(&w, KEEP_TUNING);
        marlp_item_put_tuning(&w, &app->settings.tuning);
    }
    if (app->settings.takes) {
        marlp_wire_put_int(&w, KEEP_OFFSETS);
        marlp_item_put_offsets(&w, app->settings.taken, app->settings.takes);
    }
    MARL_TRY(w.full ? MARL_ERR_CAPACITY : marl_store_save(app->port, w.bytes, w.n));
    app->changed = 0;
    return MARL_OK;
}

/* The mount that makes the attitude of now the zero: level, and with a magnetometer x to the north, which
 * in the world enu is a quarter turn from its own zero. */
static marl_status zero(marl_app *app)
{
    const marl_still *still = &app->pipeline.still;
    if (!still->still || !still->have_last_accel) {
        return MARL_ERR_MOVING;
    }
    const marl_quat from_north = {0.70710678f, 0.0f, 0.0f, -0.70710678f};
    marl_quat q =
        still->have_last_mag
            ? marl_quat_product(from_north, attitude_from_vectors(still->last_accel, still->last_mag))
            : attitude_from_up(still->last_accel);
    app->settings.calibration.mount = marl_quat_canonical(q);
    app->settings.calibration.has_mount = 1;
    return MARL_OK;
}

static marl_correction *correction_of(marl_calibration *c, unsigned sensor)
{
    return sensor == MARL_ACCEL ? &c->accel : sensor == MARL_GYRO ? &c->gyro : &c->mag;
}

/* A calibration whose bias is in the registers already and is sent again must not take it away twice. */
static void keep_moved(marl_app *app, marl_calibration *calibration)
{
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_vec3 taken = app->settings.taken[i], left = correction_of(&app->settings.calibration, i)->bias;
        marl_correction *c = correction_of(calibration, i);
        marl_vec3 off = vec3_sub(c->bias, vec3_add(taken, left));
        if ((app->settings.takes & 1u << i) && vec3_dot(off, off) < 1e-10f * vec3_dot(taken, taken)) {
            c->bias = left;
        }
    }
}

static marl_status read_calibration(marl_app *app, wire_reader *r)
{
    marl_calibration calibration;
    char device[MARL_DEVICE_NAME];
    marl_status status = marlp_item_get_calibration(r, &calibration, device);
    if (status == MARL_OK && device[0] != '\0' && strcmp(device, app->config.device) != 0) {
        status = MARL_ERR_DEVICE;
    }
    if (status == MARL_OK) {
        marl_still_limits limits = app->pipeline.still.limits;
        keep_moved(app, &calibration);
        app->settings.calibration = calibration;
        status =
            marl_still_init(&app->pipeline.still, &limits); /* readings are corrected in another way now */
    }
    return status;
}

static marl_status read_tuning(marl_app *app, wire_reader *r)
{
    marl_tuning tuning;
    marl_status status = marlp_item_get_tuning(r, &tuning);
    if (status == MARL_OK && app->config.choice(tuning.filter) == NULL) { /* not in this firmware */
        status = MARL_ERR_ARGUMENT;
    }
    if (status == MARL_OK) {
        app->settings.tuning = tuning;
        app->settings.has_tuning = 1;
    }
    return status;
}

/* Biases move from the calibration into the registers, on top of what these take already; the rest, less than half a
 * count, stays with the calibration. All or none: whether they fit is asked before the first is written. */
static marl_status move_offsets(marl_app *app)
{
    marl_settings to = app->settings;
    to.takes = 0;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_correction *c = correction_of(&to.calibration, i);
        marl_vec3 left, all = vec3_add(to.taken[i], c->bias);
        if (c->present && marl_board_has_offset(&app->board, (marl_sensor)i)) {
            MARL_TRY(marl_board_bias_left(&app->board, (marl_sensor)i, all, &left));
            to.taken[i] = vec3_sub(all, left);
            to.takes = (uint8_t)(to.takes | 1u << i);
            c->bias = left;
        }
    }
    if (to.takes == 0) {
        return MARL_ERR_ARGUMENT;
    }
    marl_status status = take_biases(app, to.taken, to.takes);
    if (status != MARL_OK) { /* the calibration keeps them, so no register may, not even after a restart */
        (void)!take_biases(app, app->settings.taken, to.takes);
        return status;
    }
    to.takes |= app->settings.takes;
    app->settings = to;
    marl_still_limits limits = app->pipeline.still.limits;
    return marl_still_init(&app->pipeline.still, &limits); /* readings are others now */
}

static marl_outcome outcome_of(marl_status status)
{
    switch (status) {
    case MARL_OK:
        return MARL_OUTCOME_DONE;
    case MARL_ERR_ARGUMENT:
        return MARL_OUTCOME_OUT_OF_RANGE;
    case MARL_ERR_DEVICE:
        return MARL_OUTCOME_OTHER_DEVICE;
    case MARL_ERR_MOVING:
        return MARL_OUTCOME_MOVING;
    case MARL_ERR_NOT_READY:
        return MARL_OUTCOME_BUSY;
    case MARL_ERR_STORE:
    case MARL_ERR_CAPACITY:
        return MARL_OUTCOME_STORE_FAILED;
    case MARL_ERR_EMPTY:
        return MARL_OUTCOME_NO_STORE;
    case MARL_ERR_BUS_SILENT:
    case MARL_ERR_BUS_LATE:
    case MARL_ERR_BUS_GARBAGE:
        return MARL_OUTCOME_CHIP_FAILED;
    default:
        return MARL_OUTCOME_NOT_UNDERSTOOD;
    }
}

static const char *text_of(marl_item_kind kind, marl_status status)
{
    if (kind == MARL_ITEM_OFFSETS && status == MARL_ERR_ARGUMENT) {
        return "no calibrated sensor has offset registers, or its bias does not fit into them";
    }
    switch (status) {
    case MARL_ERR_EMPTY:
        return "this board has no memory to keep it in";
    case MARL_ERR_NOT_READY:
        return "a calibration runs on the board: it must end or be stopped first";
    case MARL_ERR_ARGUMENT:
        return kind == MARL_ITEM_UNDO        ? "there is nothing to go back to"
               : kind == MARL_ITEM_CALIBRATE ? "this board has no such sensor, or a number is out of range"
                                             : marl_status_text(status);
    case MARL_ERR_MESSAGE:
        return kind == MARL_ITEM_CALIBRATE ? "this firmware does not renew calibrations"
                                           : marl_status_text(status);
    default:
        return marl_status_text(status);
    }
}

void marlp_app_put_ack(const marl_app *app, wire_writer *w)
{
    marlp_item_put_ack(w, app->number, app->answers, outcome_of(app->done),
                       text_of((marl_item_kind)app->asked, app->done));
}

/* A recorded sample: it takes the place of the board's own. */
static marl_status feed_recorded(marl_app *app, wire_reader *r)
{
    marl_sample sample;
    if (marlp_item_get_sample(r, &sample) != MARL_OK) {
        return MARL_OK; /* samples are not acknowledged; the numbers show what was lost */
    }
    app->fed = 1;
    return marlp_app_feed(app, &sample);
}

static marl_status calibrate(marl_app *app, wire_reader *r)
{
    marl_renewal_kind kind;
    marl_renewal_options options;
    MARL_TRY(marlp_item_get_calibrate(r, &kind, &options));
    return app->config.renewal == NULL ? MARL_ERR_MESSAGE : app->config.renewal->ask(app, kind, &options);
}

/* A calibration that runs is made with the readings and settings as they are. */
static int would_disturb(const marl_app *app, marl_item_kind kind)
{
    return app->config.renewal != NULL && app->config.renewal->running &&
           (kind == MARL_ITEM_CALIBRATION || kind == MARL_ITEM_OFFSETS || kind == MARL_ITEM_UNDO);
}

/* Executes a message; MARL_ERR_MESSAGE when it cannot be read. */
static marl_status execute(marl_app *app, marl_item_kind kind, wire_reader *r)
{
    marl_status status = MARL_ERR_MESSAGE;
    if (would_disturb(app, kind)) {
        return MARL_ERR_NOT_READY;
    }
    switch (kind) {
    case MARL_ITEM_IDENTIFY:
        return MARL_OK;
    case MARL_ITEM_CALIBRATION:
        status = read_calibration(app, r);
        break;
    case MARL_ITEM_TUNING:
        status = read_tuning(app, r);
        break;
    case MARL_ITEM_ZERO:
        status = zero(app);
        break;
    case MARL_ITEM_OFFSETS:
        status = move_offsets(app);
        break;
    case MARL_ITEM_COMMIT:
        return marlp_app_commit(app);
    case MARL_ITEM_CALIBRATE:
        return calibrate(app, r);
    case MARL_ITEM_UNDO:
        status = undo(app);
        break;
    default:
        break;
    }
    if (status == MARL_OK) {
        app->changed = app->changed || kind != MARL_ITEM_UNDO;
        marlp_app_use_settings(app);
    }
    return status;
}

static marl_status read_packet(marl_app *app, size_t n)
{
    marl_item_kind kind;
    uint32_t number;
    wire_reader r = marlp_wire_from(app->in, n);
    if (marlp_item_get_head(&r, &kind, &number) != MARL_OK) {
        return MARL_OK;
    }
    if (kind == MARL_ITEM_SAMPLE) {
        return feed_recorded(app, &r);
    }
    if (kind == MARL_ITEM_IDENTIFY) {
        app->fed = 0; /* from now on the board's own samples again */
        app->owes |= MARLP_OWES_IDENTITY;
    }
    app->done = execute(app, kind, &r);
    app->asked = (uint8_t)kind;
    app->answers = number;
    app->owes |= MARLP_OWES_ACK;
    return marlp_app_answer(app);
}

marl_status marlp_app_listen(marl_app *app)
{
    uint8_t bytes[FEED_AT_ONCE];
    size_t got = app->port->bytes_in != NULL ? FEED_AT_ONCE : 0, n;
    for (size_t all = 0; got == FEED_AT_ONCE && all < FEED_MAX; all += got) {
        marl_status status = app->port->bytes_in(app->port->context, bytes, sizeof bytes, &got);
        for (size_t i = 0; i < got && status == MARL_OK; i++) {
            if (marl_packet_feed(&app->reader, bytes[i], &n) == MARL_OK) {
                status = read_packet(app, n);
            }
        }
        if (status != MARL_OK) {
            return status;
        }
    }
    return MARL_OK;
}
