/* SPDX-License-Identifier: MIT
 * The streaming application: reading, estimating, streaming. */
#include "device/link/app_parts.h"
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include <string.h>

enum { HEADER_EVERY = 200 }; /* lines */

/* Sends what is queued. Nothing new is started before all of it is sent, so that a packet is whole. */
static marl_status drain(marl_app *s)
{
    size_t used_bytes = 0;
    if (s->sent < s->waiting) {
        marl_status status =
            s->port->bytes_out(s->port->context, s->out + s->sent, s->waiting - s->sent, &used_bytes);
        s->sent += used_bytes;
        return status;
    }
    return MARL_OK;
}

static int is_clear(marl_app *s)
{
    return s->sent == s->waiting;
}

wire_writer marlp_app_item(marl_app *s)
{
    return marlp_wire_into(s->item, sizeof s->item);
}

marl_status marlp_app_send(marl_app *s, const wire_writer *item)
{
    size_t size;
    s->number++;
    marl_status status = drain(s);
    if (status != MARL_OK || !is_clear(s) || item->full) {
        s->unsent++;
        return status;
    }
    s->out[0] = 0; /* ends whatever noise stood on the line before */
    status = marl_packet_make(item->bytes, item->n, s->out + 1, sizeof s->out - 1, &size);
    s->waiting = status == MARL_OK ? size + 1 : 0;
    s->sent = 0;
    return status != MARL_OK ? status : drain(s);
}

static marl_status send_line(marl_app *s, size_t n)
{
    s->waiting = n;
    s->sent = 0;
    return drain(s);
}

static marl_status stream_line(marl_app *s, const marl_sample *sample, const marl_quat *q)
{
    char *line = (char *)s->out;
    uint8_t sensors = marl_board_sensors(&s->board);
    int with_q = s->settings.has_tuning;
    marl_status status = drain(s);
    if (status == MARL_OK && is_clear(s) && s->rows++ % HEADER_EVERY == 0) {
        status = send_line(s, marl_csv_line_header(line, sensors, with_q));
    }
    if (status != MARL_OK || !is_clear(s)) {
        s->unsent++;
        return status;
    }
    return send_line(s, marl_csv_line_row(line, sensors, with_q, sample, q));
}

marl_status marlp_app_feed(marl_app *s, const marl_sample *raw)
{
    marl_quat attitude, *q = NULL;
    if (!s->settings.has_tuning) {
        (void)marl_pipeline_correct(&s->pipeline, raw);
    } else if (marl_pipeline_step(&s->pipeline, raw, &attitude) == MARL_OK) {
        q = &attitude;
    }
    if (s->config.silent) {
        return MARL_OK;
    }
    if (s->config.as_lines) {
        return stream_line(s, raw, q);
    }
    wire_writer w = marlp_app_item(s);
    marlp_item_put_sample(&w, s->number, raw, q);
    return marlp_app_send(s, &w);
}

marl_status marlp_app_send_identity(marl_app *s)
{
    item_identity identity = {.device = s->config.device,
                              .firmware = s->config.firmware,
                              .sensors = marl_board_sensors(&s->board),
                              .period_us = marl_board_period_us(&s->board)};
    MARL_TRY(s->port->clock(s->port->context, &identity.t_ns));
    wire_writer w = marlp_app_item(s);
    marlp_item_put_identity(&w, s->number, &identity);
    return marlp_app_send(s, &w);
}

/* Reports when a chip starts to fail, and when it works again; not every time. */
static marl_status report_faults(marl_app *s)
{
    for (uint8_t i = 0; i < s->board.parts; i++) {
        const marl_part_state *state = &s->board.state[i];
        if (state->fault == s->reported[i] || s->config.as_lines || !is_clear(s)) {
            continue;
        }
        item_event event = {.part = i,
                            .bus = s->board.part[i].at.bus,
                            .address = s->board.part[i].at.address,
                            .fault = state->fault,
                            .identity = state->identity,
                            .silent = state->counts.silent,
                            .late = state->counts.late,
                            .garbage = state->counts.garbage,
                            .restarts = state->counts.restarts};
        MARL_TRY(s->port->clock(s->port->context, &event.t_ns));
        wire_writer w = marlp_app_item(s);
        marlp_item_put_event(&w, s->number, &event);
        MARL_TRY(marlp_app_send(s, &w));
        s->reported[i] = state->fault;
    }
    return MARL_OK;
}

static marl_pipeline_config pipeline_config(const marl_app *s)
{
    return (marl_pipeline_config){.tuning = s->settings.tuning,
                                  .calibration = s->settings.calibration,
                                  .sensors = marl_board_sensors(&s->board),
                                  .watch_still = 1};
}

void marlp_app_use_settings(marl_app *s)
{
    const marl_pipeline_config config = pipeline_config(s);
    s->rows = 0; /* there may be other columns from now on: the header first */
    if (marl_pipeline_configure(&s->pipeline, &config) != MARL_OK) {
        s->settings.has_tuning = 0;
    }
}

static marl_status check(const marl_port *port, const marl_app_config *config, const char **what)
{
    size_t n = strlen(config->device);
    if (n == 0 || n >= MARL_DEVICE_NAME || strpbrk(config->device, " \t\r\n,") != NULL ||
        strlen(config->firmware) >= MARL_DEVICE_NAME) {
        if (what != NULL) {
            *what = "device";
        }
        return MARL_ERR_ARGUMENT;
    }
    return marl_port_check(port, MARL_PORT_BUS | MARL_PORT_OUT, what);
}

marl_status marl_app_start(marl_app *s, const marl_port *port, const marl_part *part, uint8_t parts,
                           const marl_app_config *config, const char **what)
{
    memset(s, 0, sizeof *s);
    s->port = port;
    s->config = *config;
    s->settings.calibration = marl_calibration_none();
    s->settings.tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_packet_reader_init(&s->reader, s->in, sizeof s->in);
    MARL_TRY(check(port, config, what));
    MARL_TRY(marl_board_init(&s->board, port, part, parts, what));
    marlp_app_load(s);
    const marl_pipeline_config pipeline = pipeline_config(s);
    MARL_TRY(marl_pipeline_init(&s->pipeline, &pipeline));
    (void)!marl_board_start(&s->board); /* a chip that fails is reported by an event and restarted */
    MARL_TRY(config->as_lines ? MARL_OK : marlp_app_send_identity(s));
    return report_faults(s);
}

static marl_status read_board(marl_app *s)
{
    marl_sample sample;
    marl_status status = marl_board_read(&s->board, &sample);
    while (status == MARL_OK) { /* of several chips another may have something, too */
        MARL_TRY(marlp_app_feed(s, &sample));
        status = marl_board_read(&s->board, &sample);
    }
    return report_faults(s);
}

marl_status marl_app_step(marl_app *s, uint32_t *rest_us)
{
    *rest_us = 0;
    MARL_TRY(drain(s));
    MARL_TRY(marlp_app_listen(s));
    if (!s->fed) {
        MARL_TRY(read_board(s));
    }
    return marl_board_rest(&s->board, rest_us);
}
