/* SPDX-License-Identifier: MIT
 * The desk's end of a stream. An even first byte: the bytes as they are. Odd: pieces of the input, each in a
 * valid packet, so that the readers of items are reached. */
#include "fuzz.h"
#include "marlinspike/lab.h"

static void drain(marl_receiver *receiver)
{
    static int64_t last;
    marl_log_row row;
    marl_ack ack;
    int first = 1;
    while (marl_receiver_next(receiver, &row) == MARL_OK) {
        FUZZ_HOLDS(first || row.sample.t_ns > last);
        last = row.sample.t_ns;
        first = 0;
    }
    while (marl_receiver_ack(receiver, &ack) == MARL_OK) {
        FUZZ_HOLDS(memchr(ack.text, '\0', sizeof ack.text) != NULL);
    }
}

static void feed_packets(marl_receiver *receiver, fuzz_bytes *in)
{
    uint8_t item[256], packet[MARL_PACKET_SIZE(256)];
    while (in->left > 0) {
        size_t size = fuzz_byte(in), n;
        size = size < in->left ? size : in->left;
        fuzz_take(in, item, size);
        if (marl_packet_make(item, size, packet, sizeof packet, &n) == MARL_OK) {
            FUZZ_HOLDS(marl_receiver_feed(receiver, packet, n, NULL) == MARL_OK);
        }
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    fuzz_bytes in = {data, size};
    marl_receiver *receiver;
    marl_error error = {0};
    FUZZ_HOLDS(marl_receiver_create(&receiver, "bytes", NULL, &error) == MARL_OK);
    if (fuzz_byte(&in) & 1) {
        feed_packets(receiver, &in);
    } else if (marl_receiver_feed(receiver, in.at, in.left, &error) != MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
    }
    FUZZ_HOLDS(marl_receiver_finish(receiver, NULL) == MARL_OK);
    drain(receiver);
    marl_receiver_free(receiver);
    return 0;
}
