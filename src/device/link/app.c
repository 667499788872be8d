/* SPDX-License-Identifier: MIT
 * The streaming application: reading, estimating, streaming. */
#include "device/link/app_parts.h"
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include <string.h>

enum { HEADER_EVERY = 200 }; /* lines */

/* Sends what is queued. Nothing new is started before all of it is sent, so that a packet is whole. */
static marl_status drain(marl_app *app)
{
    size_t accepted = 0;
    if (app->sent < app->waiting) {
        marl_status status = app->port->bytes_out(app->port->context, app->out + app->sent,
                                                  app->waiting - app->sent, &accepted);
        app->sent += accepted;
        return status;
    }
    return MARL_OK;
}

static int is_clear(marl_app *app)
{
    return app->sent == app->waiting;
}

wire_writer marlp_app_item(marl_app *app)
{
    return marlp_wire_into(app->item, sizeof app->item);
}

static marl_status put_packet(marl_app *app, const wire_writer *item)
{
    size_t size;
    app->out[0] = 0; /* ends whatever noise stood on the line before */
    marl_status status = marl_packet_make(item->bytes, item->n, app->out + 1, sizeof app->out - 1, &size);
    app->waiting = status == MARL_OK ? size + 1 : 0;
    app->sent = 0;
    return status != MARL_OK ? status : drain(app);
}

marl_status marlp_app_send(marl_app *app, const wire_writer *item)
{
    app->number++;
    marl_status status = drain(app);
    if (status != MARL_OK || !is_clear(app) || app->owes || item->full) {
        app->unsent++;
        return status;
    }
    return put_packet(app, item);
}

static marl_status put_identity(marl_app *app, wire_writer *w)
{
    item_identity identity = {.device = app->config.device,
                              .firmware = app->config.firmware,
                              .sensors = marl_board_sensors(&app->board),
                              .period_us = marl_board_period_us(&app->board)};
    MARL_TRY(app->port->clock(app->port->context, &identity.t_ns));
    marlp_item_put_identity(w, app->number, &identity);
    return MARL_OK;
}

marl_status marlp_app_answer(marl_app *app)
{
    MARL_TRY(drain(app));
    while (app->owes && is_clear(app)) {
        wire_writer w = marlp_app_item(app);
        uint8_t next = app->owes & MARLP_OWES_IDENTITY ? MARLP_OWES_IDENTITY : MARLP_OWES_ACK;
        if (next == MARLP_OWES_IDENTITY) {
            MARL_TRY(put_identity(app, &w));
        } else {
            marlp_app_put_ack(app, &w);
        }
        app->owes = (uint8_t)(app->owes & ~next);
        app->number++;
        MARL_TRY(put_packet(app, &w));
    }
    return MARL_OK;
}

static marl_status send_line(marl_app *app, size_t n)
{
    app->waiting = n;
    app->sent = 0;
    return drain(app);
}

static marl_status stream_line(marl_app *app, const marl_sample *sample, const marl_quat *q)
{
    char *line = (char *)app->out;
    uint8_t sensors = marl_board_sensors(&app->board);
    int with_q = app->settings.has_tuning;
    marl_status status = drain(app);
    int has_room = is_clear(app) && !app->owes;
    if (status == MARL_OK && has_room && app->rows++ % HEADER_EVERY == 0) {
        status = send_line(app, marl_csv_line_header(line, sensors, with_q));
        has_room = is_clear(app);
    }
    if (status != MARL_OK || !has_room) {
        app->unsent++;
        return status;
    }
    return send_line(app, marl_csv_line_row(line, sensors, with_q, sample, q));
}

marl_status marlp_app_feed(marl_app *app, const marl_sample *raw)
{
    marl_quat attitude, *q = NULL;
    if (!app->settings.has_tuning) {
        (void)marl_pipeline_correct(&app->pipeline, raw);
    } else if (marl_pipeline_step(&app->pipeline, raw, &attitude) == MARL_OK) {
        q = &attitude;
    }
    if (app->config.renewal != NULL) {
        MARL_TRY(app->config.renewal->feed(app, raw));
    }
    if (app->config.silent) {
        return MARL_OK;
    }
    if (app->config.as_lines) {
        return stream_line(app, raw, q);
    }
    wire_writer w = marlp_app_item(app);
    marlp_item_put_sample(&w, app->number, raw, q);
    return marlp_app_send(app, &w);
}

/* Reports when a chip starts to fail, and when it works again; not every time. */
static marl_status report_faults(marl_app *app)
{
    for (uint8_t i = 0; i < app->board.parts; i++) {
        const marl_part_state *state = &app->board.state[i];
        if (state->fault == app->reported[i] || app->config.as_lines || !is_clear(app) || app->owes) {
            continue;
        }
        item_event event = {.part = i,
                            .bus = app->board.part[i].at.bus,
                            .address = app->board.part[i].at.address,
                            .fault = state->fault,
                            .identity = state->identity,
                            .silent = state->counts.silent,
                            .late = state->counts.late,
                            .garbage = state->counts.garbage,
                            .restarts = state->counts.restarts,
                            .overflows = state->counts.overflows};
        MARL_TRY(app->port->clock(app->port->context, &event.t_ns));
        wire_writer w = marlp_app_item(app);
        marlp_item_put_event(&w, app->number, &event);
        MARL_TRY(marlp_app_send(app, &w));
        app->reported[i] = state->fault;
    }
    return MARL_OK;
}

static marl_pipeline_config pipeline_config(const marl_app *app)
{
    return (marl_pipeline_config){.tuning = app->settings.tuning,
                                  .calibration = app->settings.calibration,
                                  .sensors = marl_board_sensors(&app->board),
                                  .watch_still = 1};
}

void marlp_app_use_settings(marl_app *app)
{
    const marl_pipeline_config config = pipeline_config(app);
    app->rows = 0; /* there may be other columns from now on: the header first */
    if (app->config.renewal != NULL) {
        app->config.renewal->forget(app->config.renewal);
    }
    if (marl_pipeline_configure(&app->pipeline, &config) != MARL_OK) {
        app->settings.has_tuning = 0;
    }
}

void marlp_app_recalibrate(marl_app *app)
{
    const marl_pipeline_config config = pipeline_config(app);
    if (marl_pipeline_recalibrate(&app->pipeline, &config) != MARL_OK) {
        marlp_app_use_settings(app);
    }
}

static marl_status check(const marl_port *port, const marl_app_config *config, const char **what)
{
    const char *unnamed;
    what = what != NULL ? what : &unnamed;
    size_t n = strlen(config->device);
    if (n == 0 || n >= MARL_DEVICE_NAME || strpbrk(config->device, " \t\r\n,") != NULL ||
        strlen(config->firmware) >= MARL_DEVICE_NAME) {
        *what = "device";
        return MARL_ERR_ARGUMENT;
    }
    if (config->choice == NULL) {
        *what = "choice";
        return MARL_ERR_ARGUMENT;
    }
    return marl_port_check(port, MARL_PORT_BUS | MARL_PORT_OUT, what);
}

/* One that the firmware has; which one it runs comes in a message. */
static marl_filter first_filter(marl_filter_choice choice)
{
    marl_filter filter = MARL_FILTER_GYRO;
    while (filter < MARL_FILTER_COUNT && choice(filter) == NULL) {
        filter = (marl_filter)(filter + 1);
    }
    return filter;
}

void marlp_app_forget_settings(marl_app *app)
{
    memset(&app->settings, 0, sizeof app->settings);
    app->settings.calibration = marl_calibration_none();
    app->settings.tuning = marl_tuning_default(first_filter(app->config.choice));
}

marl_status marl_app_start(marl_app *app, const marl_port *port, const marl_part *part, uint8_t parts,
                           const marl_app_config *config, const char **what)
{
    memset(app, 0, sizeof *app);
    app->port = port;
    app->config = *config;
    MARL_TRY(check(port, config, what));
    marlp_app_forget_settings(app);
    marl_packet_reader_init(&app->reader, app->in, sizeof app->in);
    MARL_TRY(marl_board_init(&app->board, port, part, parts, what));
    marlp_app_load(app);
    const marl_pipeline_config pipeline = pipeline_config(app);
    MARL_TRY(marl_pipeline_init_with(&app->pipeline, &pipeline, config->choice));
    (void)!marl_board_start(&app->board); /* a chip that fails is reported by an event and restarted */
    app->owes = config->as_lines ? 0 : MARLP_OWES_IDENTITY;
    MARL_TRY(marlp_app_answer(app));
    return report_faults(app);
}

static marl_status read_board(marl_app *app)
{
    marl_sample sample;
    marl_status status = marl_board_read(&app->board, &sample);
    while (status == MARL_OK) { /* of several chips another may have something, too */
        MARL_TRY(marlp_app_feed(app, &sample));
        status = marl_board_read(&app->board, &sample);
    }
    return report_faults(app);
}

marl_status marl_app_step(marl_app *app, uint32_t *rest_us)
{
    *rest_us = 0;
    MARL_TRY(marlp_app_answer(app));
    MARL_TRY(marlp_app_listen(app));
    if (!app->fed) {
        MARL_TRY(read_board(app));
    }
    return marl_board_rest(&app->board, rest_us);
}
