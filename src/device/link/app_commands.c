/* SPDX-License-Identifier: MIT
 * The streaming application: messages and their acknowledgements, and what the store keeps. */
#include "device/link/app_parts.h"
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "device/math/attitude_math.h"
#include "marlinspike/app.h"
#include <string.h>

enum { KEEP_CALIBRATION = 1, KEEP_TUNING = 2 };
enum { FEED_AT_ONCE = 64, FEED_MAX = 4096 }; /* bytes a step takes at most */

void marlp_app_load(marl_app *app)
{
    size_t n;
    char device[MARL_DEVICE_NAME];
    marl_settings kept = app->settings;
    if (app->port->nv_read == NULL ||
        marl_store_load(app->port, app->item, sizeof app->item, &n) != MARL_OK) {
        return;
    }
    wire_reader r = marlp_wire_from(app->item, n);
    marl_status status = MARL_OK;
    for (size_t pairs = marlp_wire_get_map(&r); pairs > 0 && status == MARL_OK; pairs--) {
        switch (marlp_wire_get_int(&r)) {
        case KEEP_CALIBRATION:
            status = marlp_item_get_calibration(&r, &kept.calibration, device);
            break;
        case KEEP_TUNING:
            status = marlp_item_get_tuning(&r, &kept.tuning);
            kept.has_tuning = 1;
            break;
        default:
            marlp_wire_skip(&r);
            break;
        }
    }
    if (status == MARL_OK && r.status == MARL_OK) {
        app->settings = kept;
    }
}

static marl_status commit(marl_app *app)
{
    wire_writer w = marlp_wire_into(app->item, sizeof app->item);
    marlp_wire_put_map(&w, app->settings.has_tuning ? 2 : 1);
    marlp_wire_put_int(&w, KEEP_CALIBRATION);
    marlp_item_put_calibration(&w, &app->settings.calibration);
    if (app->settings.has_tuning) {
        marlp_wire_put_int(&w, KEEP_TUNING);
        marlp_item_put_tuning(&w, &app->settings.tuning);
    }
    return w.full ? MARL_ERR_CAPACITY : marl_store_save(app->port, w.bytes, w.n);
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
    if (status == MARL_OK) {
        app->settings.tuning = tuning;
        app->settings.has_tuning = 1;
    }
    return status;
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
    case MARL_ERR_STORE:
    case MARL_ERR_CAPACITY:
        return MARL_OUTCOME_STORE_FAILED;
    case MARL_ERR_EMPTY:
        return MARL_OUTCOME_NO_STORE;
    default:
        return MARL_OUTCOME_NOT_UNDERSTOOD;
    }
}

static marl_status ack(marl_app *app, uint32_t answered, marl_status status)
{
    marl_outcome outcome = outcome_of(status);
    wire_writer w = marlp_app_item(app);
    marlp_item_put_ack(&w, app->number, answered, outcome,
                       outcome == MARL_OUTCOME_NO_STORE ? "this board has no memory to keep it in"
                                                        : marl_status_text(status));
    return marlp_app_send(app, &w);
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

/* Executes a message; MARL_ERR_MESSAGE when it cannot be read. */
static marl_status execute(marl_app *app, marl_item_kind kind, wire_reader *r)
{
    marl_status status = MARL_ERR_MESSAGE;
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
    case MARL_ITEM_COMMIT:
        return app->port->nv_write == NULL ? MARL_ERR_EMPTY : commit(app);
    default:
        break;
    }
    if (status == MARL_OK) {
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
        MARL_TRY(marlp_app_send_identity(app));
    }
    marl_status done = execute(app, kind, &r);
    return ack(app, number, done);
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
