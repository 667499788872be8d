/* SPDX-License-Identifier: MIT
 * The desk's end of a device stream. */
#include "lab/log/log_report.h"
#include "lab/stream/receiver_lines.h"
#include "lab/stream/stream_item.h"
#include "marlinspike/app.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MAX_ACKS = 8 };

struct marl_receiver {
    marl_stream_report report;
    marl_log_info info;
    lab_row_order order;
    lab_row_queue queue;
    lab_repeats repeats;
    marl_ack ack[MAX_ACKS];
    int acks;
    marl_renewal_report renewal;
    int renewed;  /* `renewal` is new */
    int numbered; /* `expected` is set */
    uint32_t expected;
    int finished;
    marl_packet_reader reader;
    uint8_t packet[MARL_ITEM_MAX + 4];
    lab_lines_in lines;
};

marl_status marl_receiver_create(marl_receiver **receiver, const char *name, const marl_log_options *options,
                                 marl_error *error)
{
    marl_receiver *r = calloc(1, sizeof *r);
    *receiver = r;
    if (r == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    lab_report_init(&r->report.rows);
    lab_row_order_init(&r->order);
    r->order.restarts = LAB_RESTARTS_ANYWHERE;
    r->order.keeps_repeated = options != NULL && options->keep_repeated;
    marl_packet_reader_init(&r->reader, r->packet, sizeof r->packet);
    lab_lines_in_init(&r->lines, name, options);
    return MARL_OK;
}

void marl_receiver_free(marl_receiver *r)
{
    if (r != NULL) {
        lab_lines_in_free(&r->lines);
        free(r->queue.row);
        free(r);
    }
}

int lab_row_queue_add(lab_row_queue *q, const marl_log_row *row)
{
    if (q->start > 0 && q->start == q->n) {
        q->start = q->n = 0;
    }
    if (q->n == q->capacity) {
        size_t capacity = q->capacity ? 2 * q->capacity : 256;
        marl_log_row *larger = realloc(q->row, capacity * sizeof *larger);
        if (larger == NULL) {
            return 0;
        }
        q->row = larger;
        q->capacity = capacity;
    }
    q->row[q->n++] = *row;
    return 1;
}

static unsigned columns_of(const marl_log_row *row)
{
    static const unsigned group[] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO, MARL_COLUMNS_MAG,
                                     MARL_COLUMNS_TEMP, MARL_COLUMNS_SPEED};
    unsigned columns = row->has_q ? MARL_COLUMNS_Q : 0;
    for (unsigned i = 0; i < 5; i++) {
        columns |= row->sample.fresh & (1u << i) ? group[i] : 0;
    }
    return columns;
}

/* Queues the rows whose turn it is. */
static marl_status queue_ready(marl_receiver *r, marl_error *error)
{
    marl_log_row row;
    while (lab_row_pop(&r->order, &row, &r->report.rows)) {
        r->info.columns |= columns_of(&row);
        r->report.last_ns = row.sample.t_ns;
        lab_report_readings(&r->repeats, &row.sample, &r->report.rows);
        if (!lab_row_queue_add(&r->queue, &row)) {
            return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        }
    }
    return MARL_OK;
}

static marl_status add_row(marl_receiver *r, const marl_log_row *row, int64_t raw, marl_error *error)
{
    marl_log_report *report = &r->report.rows;
    *lab_row_slot(&r->order) = *row;
    (void)lab_row_push(&r->order, raw, (long)(report->rows + report->rows_dropped + 1), report);
    return queue_ready(r, error);
}

static void read_identity(marl_receiver *r, const lab_identity *identity)
{
    marl_log_row named = {.sample.fresh = identity->sensors};
    r->report.identified = 1;
    r->report.sensors = identity->sensors;
    snprintf(r->report.firmware, sizeof r->report.firmware, "%s", identity->firmware);
    snprintf(r->info.device, sizeof r->info.device, "%s", identity->device);
    marl_text_clean(r->info.device);
    for (char *c = r->info.device; *c != '\0'; c++) { /* one word in the metadata line */
        *c = (char)(*c == ' ' || *c == ',' ? '_' : *c);
    }
    r->info.columns |= columns_of(&named);
}

/* The packets missing by their numbers. */
static void count_lost(marl_receiver *r, uint32_t number)
{
    uint32_t missing = number - r->expected;
    if (r->numbered && missing < UINT32_C(0x80000000)) {
        r->report.items_lost += missing;
    }
    r->numbered = 1;
    r->expected = number + 1;
}

static marl_status read_item(marl_receiver *r, size_t n, marl_error *error)
{
    lab_item item;
    lab_item_result result = lab_item_read(r->packet, n, &item);
    if (result == LAB_ITEM_NO_MEMORY) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    if (result == LAB_ITEM_BAD || !lab_item_is_ours(&item)) {
        r->report.items_unknown++;
        if (result == LAB_ITEM_GOOD && item.kind < MARL_ITEM_IDENTIFY) { /* else it has a number of its own */
            count_lost(r, item.number);
        }
        return MARL_OK;
    }
    r->report.items++;
    count_lost(r, item.number);
    switch (item.kind) {
    case MARL_ITEM_SAMPLE:
        r->report.kind = MARL_STREAM_PACKETS; /* acknowledgements may come between lines, too */
        return add_row(r, &item.row, item.t_ns, error);
    case MARL_ITEM_IDENTITY:
        read_identity(r, &item.identity);
        break;
    case MARL_ITEM_ACK:
        if (r->acks < MAX_ACKS) {
            r->ack[r->acks++] = item.ack;
        }
        break;
    case MARL_ITEM_EVENT:
        if (r->report.events++ == 0) {
            snprintf(r->report.first_event, sizeof r->report.first_event, "%s", item.event);
        }
        break;
    case MARL_ITEM_RENEWAL:
        r->renewal = item.renewal;
        r->renewed = 1;
        break;
    default:
        break;
    }
    return MARL_OK;
}

/* Text lines have times as packets have, and their own columns. */
static marl_status add_line(marl_receiver *r, marl_error *error)
{
    marl_log_row row;
    int64_t raw;
    marl_status status = lab_lines_in_feed(&r->lines, &r->report.rows, &row, &raw);
    if (status != MARL_OK && status != MARL_ERR_NOT_READY) {
        return marl_fail(error, status, "%s", r->lines.fault.text);
    }
    if (status == MARL_OK) {
        MARL_TRY(add_row(r, &row, raw, error));
    }
    snprintf(r->report.fault, sizeof r->report.fault, "%s", r->lines.fault.text);
    if (r->lines.headed) {
        r->report.kind = MARL_STREAM_LINES;
        unsigned columns = r->info.columns | r->lines.info.columns;
        if (r->lines.info.device[0] != '\0') {
            r->info = r->lines.info;
        }
        r->info.columns = columns;
    }
    return MARL_OK;
}

marl_status marl_receiver_feed(marl_receiver *r, const uint8_t *bytes, size_t n, marl_error *error)
{
    marl_status status = MARL_OK;
    r->report.bytes += n;
    for (size_t i = 0; i < n && status == MARL_OK; i++) {
        size_t length;
        if (marl_packet_feed(&r->reader, bytes[i], &length) == MARL_OK) {
            status = read_item(r, length, error);
        }
        if (r->report.kind != MARL_STREAM_PACKETS && lab_lines_in_byte(&r->lines, (char)bytes[i])) {
            status = add_line(r, error);
        }
    }
    r->report.bytes_skipped = r->report.kind == MARL_STREAM_LINES ? r->lines.skipped : r->reader.skipped;
    return status;
}

marl_status marl_receiver_finish(marl_receiver *r, marl_error *error)
{
    if (r->finished) {
        return MARL_OK;
    }
    r->finished = 1;
    lab_row_end(&r->order, &r->report.rows);
    return queue_ready(r, error);
}

marl_status marl_receiver_next(marl_receiver *r, marl_log_row *row)
{
    if (r->queue.start < r->queue.n) {
        *row = r->queue.row[r->queue.start++];
        return MARL_OK;
    }
    return MARL_ERR_NOT_READY;
}

marl_status marl_receiver_renewal(marl_receiver *r, marl_renewal_report *report)
{
    int is_new = r->renewed;
    *report = r->renewal;
    r->renewed = 0;
    return is_new ? MARL_OK : MARL_ERR_NOT_READY;
}

marl_status marl_receiver_ack(marl_receiver *r, marl_ack *ack)
{
    if (r->acks == 0) {
        return MARL_ERR_NOT_READY;
    }
    *ack = r->ack[0];
    r->acks--;
    memmove(r->ack, r->ack + 1, (size_t)r->acks * sizeof *ack);
    return MARL_OK;
}

const marl_log_info *marl_receiver_info(const marl_receiver *receiver)
{
    return &receiver->info;
}

const marl_stream_report *marl_receiver_report(const marl_receiver *receiver)
{
    return &receiver->report;
}
