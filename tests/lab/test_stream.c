/* SPDX-License-Identifier: MIT
 * The two ends of the stream, each written on its own: what one writes the other reads. */
#include "check_main.h"
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "marlinspike/record.h"
#include "random_values.h"

/* The contents of a message, as a board finds them on the line. */
static wire_reader open_message(const marl_message *message, marl_item_kind *kind, uint32_t *number)
{
    static uint8_t contents[MARL_ITEM_MAX + 4];
    uint8_t bytes[MARL_MESSAGE_MAX];
    marl_packet_reader reader;
    marl_error error = {0};
    size_t n, length = 0, found = 0;
    ck_assert_msg(marl_message_make(message, bytes, &n, &error) == MARL_OK, "%s", error.text);
    marl_packet_reader_init(&reader, contents, sizeof contents);
    for (size_t i = 0; i < n; i++) {
        size_t now;
        if (marl_packet_feed(&reader, bytes[i], &now) == MARL_OK) {
            length = now;
            found++;
        }
    }
    ck_assert_uint_eq(found, 1);
    wire_reader r = marlp_wire_from(contents, length);
    ck_assert_int_eq(marlp_item_get_head(&r, kind, number), MARL_OK);
    return r;
}

START_TEST(a_board_reads_the_calibration_that_the_desk_writes)
{
    dice d = {21};
    for (int k = 0; k < 300; k++) {
        marl_calibration_record record = marl_calibration_record_empty();
        char device[MARL_DEVICE_NAME];
        marl_item_kind kind;
        uint32_t number;
        marl_calibration read;
        strcpy(record.device, k % 2 ? "pod-07" : "");
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            marl_fit *fit = &record.fit[i];
            fit->present = (int)dice_below(&d, 2);
            fit->has_curve = (int)dice_below(&d, 2);
            fit->reference_degC = 20;
            fit->range_degC[0] = -5;
            fit->range_degC[1] = 45;
            for (int a = 0; a < 3; a++) {
                fit->bias[a] = dice_normal(&d);
                fit->bias_per_degC[a] = 0.01 * dice_normal(&d);
                for (int b = 0; b < 3; b++) {
                    fit->matrix[a][b] += 0.02 * dice_normal(&d);
                }
            }
        }
        record.has_mount = k % 3 == 0;
        const marl_message message = {.kind = MARL_ITEM_CALIBRATION, .number = 77, .calibration = &record};
        wire_reader r = open_message(&message, &kind, &number);
        ck_assert_int_eq(kind, MARL_ITEM_CALIBRATION);
        ck_assert_uint_eq(number, 77);
        ck_assert_int_eq(marlp_item_get_calibration(&r, &read, device), MARL_OK);
        ck_assert_str_eq(device, record.device);
        marl_calibration wanted = marl_calibration_for_device(&record);
        ck_assert_int_eq(read.has_mount, wanted.has_mount);
        for (int i = 0; i < 20; i++) { /* they do the same to every sample */
            marl_sample a = {.accel = dice_vector(&d, 20),
                             .gyro = dice_vector(&d, 5),
                             .mag = dice_vector(&d, 60),
                             .temp = (float)dice_between(&d, -10, 50),
                             .fresh = 15};
            marl_sample b = a;
            marl_calibration_correct(&wanted, a.temp, &a);
            marl_calibration_mount(&wanted, &a);
            marl_calibration_correct(&read, b.temp, &b);
            marl_calibration_mount(&read, &b);
            ck_assert(memcmp(&a, &b, sizeof a) == 0);
        }
    }
}
END_TEST

START_TEST(a_board_reads_the_tuning_that_the_desk_writes)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)f), read;
        marl_item_kind kind;
        uint32_t number;
        tuning.world = f % 2 ? MARL_WORLD_NED : MARL_WORLD_ENU;
        tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
        const marl_message message = {.kind = MARL_ITEM_TUNING, .number = 4000000000u, .tuning = &tuning};
        wire_reader r = open_message(&message, &kind, &number);
        ck_assert_uint_eq(number, 4000000000u);
        ck_assert_int_eq(marlp_item_get_tuning(&r, &read), MARL_OK);
        ck_assert_int_eq(read.filter, tuning.filter);
        ck_assert_int_eq(read.world, tuning.world);
        ck_assert_mem_eq(read.value, tuning.value, sizeof tuning.value);
    }
}
END_TEST

START_TEST(a_message_without_contents_is_refused)
{
    uint8_t bytes[MARL_MESSAGE_MAX];
    size_t n;
    static const marl_item_kind kinds[] = {MARL_ITEM_CALIBRATION, MARL_ITEM_TUNING, MARL_ITEM_SAMPLE,
                                           MARL_ITEM_ACK};
    for (int i = 0; i < 4; i++) {
        const marl_message message = {.kind = kinds[i]};
        ck_assert_int_eq(marl_message_make(&message, bytes, &n, NULL), MARL_ERR_ARGUMENT);
    }
}
END_TEST

/* What a board sends, in packets. */
typedef struct wire {
    uint8_t bytes[1 << 20];
    size_t n;
    uint32_t number;
} wire;

static void put(wire *w, const wire_writer *item)
{
    size_t size;
    ck_assert(!item->full);
    ck_assert_int_eq(marl_packet_make(item->bytes, item->n, w->bytes + w->n, sizeof w->bytes - w->n, &size),
                     MARL_OK);
    w->n += size;
    w->number++;
}

static void put_sample(wire *w, const marl_sample *s, const marl_quat *q)
{
    uint8_t item[MARL_ITEM_MAX];
    wire_writer writer = marlp_wire_into(item, sizeof item);
    marlp_item_put_sample(&writer, w->number, s, q);
    put(w, &writer);
}

static marl_receiver *receive(const wire *w)
{
    marl_receiver *receiver;
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, (const uint8_t[]){0}, 1, NULL), MARL_OK);
    for (size_t at = 0; at < w->n; at += 1000) { /* in pieces that end anywhere */
        size_t n = w->n - at < 1000 ? w->n - at : 1000;
        ck_assert_int_eq(marl_receiver_feed(receiver, w->bytes + at, n, NULL), MARL_OK);
    }
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    return receiver;
}

START_TEST(the_desk_reads_the_samples_that_a_board_writes)
{
    enum { N = 2000 };
    static wire w;
    static marl_sample sample[N];
    static marl_quat q[N];
    marl_log_row row;
    dice d = {22};
    w.n = 0;
    w.number = 0;
    for (int i = 0; i < N; i++) {
        sample[i] = (marl_sample){.t_ns = INT64_C(-5000000000) + i * INT64_C(1000000),
                                  .accel = dice_vector(&d, 50),
                                  .gyro = dice_vector(&d, 5),
                                  .mag = dice_vector(&d, 50),
                                  .temp = (float)dice_normal(&d),
                                  .speed = (float)dice_normal(&d),
                                  .fresh = (uint8_t)dice_below(&d, 32)};
        q[i] = marl_quat_canonical(dice_attitude(&d));
        put_sample(&w, &sample[i], i % 2 ? &q[i] : NULL);
    }
    marl_receiver *receiver = receive(&w);
    for (int i = 0; i < N; i++) {
        ck_assert_int_eq(marl_receiver_next(receiver, &row), MARL_OK);
        const marl_sample *s = &row.sample;
        ck_assert(s->t_ns == sample[i].t_ns && s->fresh == sample[i].fresh && row.has_q == i % 2);
        ck_assert(!row.has_q || memcmp(&row.q, &q[i], sizeof row.q) == 0);
        ck_assert(!(s->fresh & MARL_FRESH_ACCEL) ||
                  memcmp(&s->accel, &sample[i].accel, sizeof s->accel) == 0);
        ck_assert(!(s->fresh & MARL_FRESH_GYRO) || memcmp(&s->gyro, &sample[i].gyro, sizeof s->gyro) == 0);
        ck_assert(!(s->fresh & MARL_FRESH_MAG) || memcmp(&s->mag, &sample[i].mag, sizeof s->mag) == 0);
        ck_assert(!(s->fresh & MARL_FRESH_TEMP) || bits_of(s->temp) == bits_of(sample[i].temp));
        ck_assert(!(s->fresh & MARL_FRESH_SPEED) || bits_of(s->speed) == bits_of(sample[i].speed));
    }
    ck_assert_int_eq(marl_receiver_next(receiver, &row), MARL_ERR_NOT_READY);
    ck_assert_uint_eq(marl_receiver_report(receiver)->items_lost, 0);
    ck_assert_uint_eq(marl_receiver_info(receiver)->columns, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO |
                                                                 MARL_COLUMNS_MAG | MARL_COLUMNS_TEMP |
                                                                 MARL_COLUMNS_SPEED | MARL_COLUMNS_Q);
    marl_receiver_free(receiver);
}
END_TEST

START_TEST(the_desk_reads_what_else_a_board_sends)
{
    static wire w;
    uint8_t item[MARL_ITEM_MAX];
    marl_ack ack;
    w.n = 0;
    w.number = 0;
    item_identity identity = {
        .t_ns = 5, .device = "pod 9,x", .firmware = "1.2\n", .sensors = 3, .period_us = 100};
    item_event event = {.t_ns = 1500000000, .part = 1, .bus = 2, .address = 0x1d, .fault = MARL_ERR_BUS_LATE};
    wire_writer writer = marlp_wire_into(item, sizeof item);
    marlp_item_put_identity(&writer, w.number, &identity);
    put(&w, &writer);
    writer = marlp_wire_into(item, sizeof item);
    marlp_item_put_event(&writer, w.number, &event);
    put(&w, &writer);
    w.number += 3; /* lost */
    writer = marlp_wire_into(item, sizeof item);
    marlp_item_put_ack(&writer, w.number, 99, MARL_OUTCOME_MOVING, "it moves");
    put(&w, &writer);
    marl_receiver *receiver = receive(&w);
    const marl_stream_report *report = marl_receiver_report(receiver);
    ck_assert_str_eq(marl_receiver_info(receiver)->device, "pod_9_x"); /* one word of the metadata line */
    ck_assert_str_eq(report->firmware, "1.2?");
    ck_assert_uint_eq(report->events, 1);
    ck_assert_str_eq(report->first_event,
                     "1.500 s: chip 1 (bus 2, address 0x1d): the chip responds too late");
    ck_assert_uint_eq(report->items_lost, 3);
    ck_assert_int_eq(marl_receiver_ack(receiver, &ack), MARL_OK);
    ck_assert_uint_eq(ack.answered, 99);
    ck_assert_int_eq(ack.outcome, MARL_OUTCOME_MOVING);
    ck_assert_str_eq(ack.text, "it moves");
    marl_receiver_free(receiver);
}
END_TEST

/* Bytes lost and turned: every row that comes is one that was sent, in order, and the rest is counted. */
START_TEST(what_a_noisy_line_loses_is_counted)
{
    enum { N = 3000 };
    for (uint64_t seed = 1; seed <= 10; seed++) {
        static wire w, noisy;
        dice d = {seed};
        unsigned long came = 0;
        marl_log_row row;
        w.n = noisy.n = 0;
        w.number = 0;
        for (int i = 0; i < N; i++) {
            marl_sample s = {
                .t_ns = i * INT64_C(10000000), .gyro = {(float)i, 1, 2}, .fresh = MARL_FRESH_GYRO};
            put_sample(&w, &s, NULL);
        }
        for (size_t i = 0; i < w.n; i++) {
            uint32_t roll = dice_below(&d, 2000);
            uint8_t turned = (uint8_t)(w.bytes[i] ^ 1u << dice_below(&d, 8));
            noisy.bytes[noisy.n] = roll == 1 ? turned : w.bytes[i];
            noisy.n += roll != 0 ||
                       i + 60 > w.n; /* the last packet comes, so that what is missing before is known */
        }
        marl_receiver *receiver = receive(&noisy);
        while (marl_receiver_next(receiver, &row) == MARL_OK) {
            ck_assert(row.sample.t_ns == (int64_t)row.sample.gyro.x * INT64_C(10000000));
            came++;
        }
        const marl_stream_report *report = marl_receiver_report(receiver);
        ck_assert_uint_lt(came, N);
        ck_assert_uint_gt(came, N * 9 / 10);
        ck_assert_uint_eq(report->rows.rows, came);
        ck_assert_uint_le(came + report->items_lost, N);
        ck_assert_uint_ge(came + report->items_lost,
                          N - 3); /* the first and the last may be missing unseen */
        marl_receiver_free(receiver);
    }
}
END_TEST

/* A stream that is read from its first byte, without a zero before it: its first packet is the identity. */
START_TEST(the_first_packet_of_a_stream_is_read)
{
    static wire w;
    uint8_t item[MARL_ITEM_MAX];
    w.n = 0;
    w.number = 0;
    item_identity identity = {
        .t_ns = 5, .device = "pod-09", .firmware = "1.2", .sensors = 3, .period_us = 100};
    wire_writer writer = marlp_wire_into(item, sizeof item);
    marlp_item_put_identity(&writer, w.number, &identity);
    put(&w, &writer);
    marl_receiver *receiver;
    ck_assert_int_eq(marl_receiver_create(&receiver, "test", NULL, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_feed(receiver, w.bytes, w.n, NULL), MARL_OK);
    ck_assert_int_eq(marl_receiver_report(receiver)->identified, 1);
    ck_assert_str_eq(marl_receiver_info(receiver)->device, "pod-09");
    marl_receiver_free(receiver);
}
END_TEST

START_TEST(a_board_that_restarts_goes_on_in_the_stream)
{
    static wire w;
    marl_log_row row;
    int came = 0;
    w.n = 0;
    w.number = 0;
    for (int i = 0; i < 200; i++) {
        marl_sample s = {.t_ns = (i < 150 ? i : i - 150) * INT64_C(10000000), .fresh = 0};
        w.number = i == 150 ? 0 : w.number;
        put_sample(&w, &s, NULL);
    }
    marl_receiver *receiver = receive(&w);
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    for (; marl_receiver_next(receiver, &row) == MARL_OK; came++) {
        int64_t later = came < 150 ? 0 : INT64_C(1990000000); /* two seconds behind the row before */
        ck_assert_int_eq(row.sample.t_ns, came * INT64_C(10000000) + later);
    }
    ck_assert_int_eq(came, 200);
    ck_assert_uint_eq(marl_receiver_report(receiver)->rows.restarts, 1);
    ck_assert_uint_eq(marl_receiver_report(receiver)->items_lost, 0);
    marl_receiver_free(receiver);
}
END_TEST

/* Items of a kind that is not known, those that are meant for a board, and packets of others between the samples:
 * counted as such, and no sample counts as lost. A kind that a newer board sends has its place in the numbers. */
START_TEST(what_is_no_item_of_a_board_is_no_loss)
{
    static wire w;
    marl_log_row row;
    int came = 0;
    w.n = 0;
    w.number = 0;
    for (int i = 0; i < 30; i++) {
        marl_sample s = {.t_ns = i * INT64_C(10000000), .fresh = 0};
        const uint8_t newer[] = {0x83, 0x06, 0x18, (uint8_t)w.number, 0x80}; /* kind 6 with an array */
        const uint8_t asked[] = {0x83, 0x10, 0x19, 0x77, 0x77, 0xa0};        /* 16: for a board */
        const uint8_t others[] = {0x01, 0x02, 0x03};
        const uint8_t *item = i % 3 == 0 ? newer : i % 3 == 1 ? asked : others;
        const size_t n = i % 3 == 0 ? sizeof newer : i % 3 == 1 ? sizeof asked : sizeof others;
        size_t size = 0;
        ck_assert_int_eq(marl_packet_make(item, n, w.bytes + w.n, sizeof w.bytes - w.n, &size), MARL_OK);
        w.number += i % 3 == 0;
        w.n += size;
        put_sample(&w, &s, NULL);
    }
    marl_receiver *receiver = receive(&w);
    ck_assert_int_eq(marl_receiver_finish(receiver, NULL), MARL_OK);
    for (; marl_receiver_next(receiver, &row) == MARL_OK; came++) {
    }
    ck_assert_int_eq(came, 30);
    ck_assert_uint_eq(marl_receiver_report(receiver)->items_unknown, 30);
    ck_assert_uint_eq(marl_receiver_report(receiver)->items_lost, 0);
    marl_receiver_free(receiver);
}
END_TEST

/* Items that are none of ours, and garbage that passes the CRC, are passed over. */
START_TEST(garbage_in_good_packets_is_survived)
{
    static wire w;
    dice d = {31};
    marl_log_row row;
    w.n = 0;
    w.number = 0;
    for (int i = 0; i < 5000; i++) {
        uint8_t bytes[40];
        size_t n = 1 + dice_below(&d, 39), size;
        for (size_t k = 0; k < n; k++) {
            bytes[k] = (uint8_t)dice_bits(&d);
        }
        if (i % 2) { /* looks like an item at first */
            memcpy(bytes, (const uint8_t[]){0x83, (uint8_t)(1 + dice_below(&d, 4)), 0x01, 0xa2},
                   n < 4 ? n : 4);
        }
        ck_assert_int_eq(marl_packet_make(bytes, n, w.bytes + w.n, sizeof w.bytes - w.n, &size), MARL_OK);
        w.n += size;
    }
    marl_receiver *receiver = receive(&w);
    while (marl_receiver_next(receiver, &row) == MARL_OK) {
    }
    marl_receiver_free(receiver);
}
END_TEST

MARL_SUITE("stream", a_board_reads_the_calibration_that_the_desk_writes,
           a_board_reads_the_tuning_that_the_desk_writes, a_message_without_contents_is_refused,
           the_desk_reads_the_samples_that_a_board_writes, the_desk_reads_what_else_a_board_sends,
           what_a_noisy_line_loses_is_counted, the_first_packet_of_a_stream_is_read,
           a_board_that_restarts_goes_on_in_the_stream, what_is_no_item_of_a_board_is_no_loss,
           garbage_in_good_packets_is_survived)
