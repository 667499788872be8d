/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/app.h"
#include "marlinspike/quat.h"
#include "random_values.h"

enum { MAX = 700 };

/* Unstuffs by the words of the paper, one whole packet without its zero. Independent of the reader. */
static size_t unstuff(const uint8_t *in, size_t n, uint8_t *out)
{
    size_t at = 0, made = 0;
    while (at < n) {
        uint8_t code = in[at++];
        for (int i = 1; i < code; i++) {
            out[made++] = in[at++];
        }
        if (code != 255 && at < n) {
            out[made++] = 0;
        }
    }
    return made;
}

static void random_contents(dice *d, uint8_t *bytes, size_t n)
{
    uint32_t zeros = dice_below(d, 4); /* none, few, many, all */
    for (size_t i = 0; i < n; i++) {
        bytes[i] = dice_below(d, 4) < zeros ? 0 : (uint8_t)(1 + dice_below(d, 255));
    }
}

START_TEST(a_packet_is_stuffed_contents_and_checksum)
{
    dice d = {1};
    for (int i = 0; i < 3000; i++) {
        uint8_t bytes[MAX], out[MARL_PACKET_SIZE(MAX)], back[MAX + 8];
        size_t n = dice_below(&d, MAX + 1), size;
        random_contents(&d, bytes, n);
        ck_assert_int_eq(marl_packet_make(bytes, n, out, MARL_PACKET_SIZE(n), &size), MARL_OK);
        ck_assert(memchr(out, 0, size) == out + size - 1);
        size_t made = unstuff(out, size - 1, back);
        uint32_t crc = marl_crc32(0, bytes, n);
        const uint8_t check[4] = {(uint8_t)crc, (uint8_t)(crc >> 8), (uint8_t)(crc >> 16),
                                  (uint8_t)(crc >> 24)};
        ck_assert_uint_eq(made, n + 4);
        ck_assert(memcmp(back, bytes, n) == 0 && memcmp(back + n, check, 4) == 0);
    }
}
END_TEST

START_TEST(the_documented_size_is_enough_and_needed)
{
    for (size_t n = 0; n <= MAX; n++) {
        uint8_t bytes[MAX], out[MARL_PACKET_SIZE(MAX)];
        size_t size;
        memset(bytes, 0x11, sizeof bytes);
        ck_assert_int_eq(marl_packet_make(bytes, n, out, MARL_PACKET_SIZE(n), &size), MARL_OK);
        ck_assert_uint_le(size, MARL_PACKET_SIZE(n));
        ck_assert_int_eq(marl_packet_make(bytes, n, out, MARL_PACKET_SIZE(n) - 1, &size), MARL_ERR_CAPACITY);
    }
}
END_TEST

/* A stream of packets, each a running number and random contents; faults by `spoil`. */
typedef struct stream {
    uint8_t bytes[1 << 18];
    size_t n;
    int packets;
} stream;

static void make_stream(stream *s, dice *d, int packets)
{
    s->n = 0;
    s->packets = packets;
    s->bytes[s->n++] = 0;
    for (int i = 0; i < packets; i++) {
        uint8_t contents[MAX] = {(uint8_t)i, (uint8_t)(i >> 8)};
        size_t n = dice_below(d, 120), size;
        random_contents(d, contents + 3, n);
        n += 3;
        contents[2] = (uint8_t)(contents[0] ^ contents[1] ^ n); /* so that contents vouch for themselves */
        ck_assert_int_eq(marl_packet_make(contents, n, s->bytes + s->n, sizeof s->bytes - s->n, &size),
                         MARL_OK);
        s->n += size;
    }
}

/* How many good packets come; each must vouch for itself and they must be in order. */
static int receive(const stream *s, marl_packet_reader *reader, uint8_t *scratch, size_t size)
{
    int good = 0, last = -1;
    marl_packet_reader_init(reader, scratch, size);
    for (size_t i = 0; i < s->n; i++) {
        size_t n;
        if (marl_packet_feed(reader, s->bytes[i], &n) != MARL_OK) {
            continue;
        }
        int number = scratch[0] | scratch[1] << 8;
        if (scratch[2] != (uint8_t)(scratch[0] ^ scratch[1] ^ n) || number <= last) {
            ck_abort_msg("a wrong packet %d behind %d", number, last);
        }
        last = number;
        good++;
    }
    return good;
}

START_TEST(every_packet_of_a_clean_line_comes)
{
    static stream s;
    uint8_t scratch[256];
    marl_packet_reader reader;
    dice d = {2};
    make_stream(&s, &d, 1000);
    ck_assert_int_eq(receive(&s, &reader, scratch, sizeof scratch), 1000);
    ck_assert_uint_eq(reader.packets, 1000);
    ck_assert_uint_eq(reader.broken, 0);
    ck_assert_uint_eq(reader.skipped, 0);
}
END_TEST

/* Each fault spoils at most the packets that it touches: two, when a zero is lost or made. */
START_TEST(faults_cost_what_they_touch_and_nothing_wrong_comes)
{
    static stream s;
    uint8_t scratch[256];
    marl_packet_reader reader;
    for (uint64_t seed = 1; seed <= 30; seed++) {
        dice d = {seed};
        int faults = 0;
        make_stream(&s, &d, 1000);
        size_t kept = 1;
        for (size_t i = 1; i < s.n; i++) {
            uint32_t roll = dice_below(&d, 1000);
            faults += roll < 4;
            uint8_t turned = (uint8_t)(s.bytes[i] ^ 1u << dice_below(&d, 8));
            s.bytes[kept] = roll < 4 ? turned : s.bytes[i];
            kept += roll >= 2; /* else lost */
        }
        s.n = kept;
        int good = receive(&s, &reader, scratch, sizeof scratch);
        ck_assert_int_ge(good, 1000 - 2 * faults);
        ck_assert_int_lt(good, 1000);
        ck_assert_uint_gt(reader.broken, 0);
        ck_assert_uint_gt(reader.skipped, 0);
    }
}
END_TEST

START_TEST(a_stream_may_begin_in_the_middle)
{
    static stream s, tail;
    uint8_t scratch[256];
    marl_packet_reader reader;
    dice d = {9};
    make_stream(&s, &d, 50);
    for (size_t from = 0; from < s.n / 2; from++) {
        tail.n = s.n - from;
        memcpy(tail.bytes, s.bytes + from, tail.n);
        int good = receive(&tail, &reader, scratch, sizeof scratch);
        size_t zeros = 0;
        for (size_t i = 1; i < tail.n; i++) { /* one at the front ends nothing */
            zeros += tail.bytes[i] == 0;
        }
        /* all but the one whose begin was missed, and that is no fault of the line */
        int missed = from > 0 && s.bytes[from - 1] != 0 && s.bytes[from] != 0;
        if (good != (int)zeros - missed || reader.broken != 0) {
            ck_abort_msg("%d good of %zu from %zu", good, zeros, from);
        }
    }
}
END_TEST

START_TEST(a_packet_too_long_is_broken_and_the_next_is_good)
{
    uint8_t contents[300], out[MARL_PACKET_SIZE(300)], scratch[64];
    marl_packet_reader reader;
    size_t size, n;
    int good = 0, broken = 0;
    memset(contents, 5, sizeof contents);
    marl_packet_reader_init(&reader, scratch, sizeof scratch);
    (void)!marl_packet_feed(&reader, 0, &n);
    for (int i = 0; i < 4; i++) {
        ck_assert_int_eq(marl_packet_make(contents, i % 2 ? 60 : 300, out, sizeof out, &size), MARL_OK);
        for (size_t k = 0; k < size; k++) {
            marl_status status = marl_packet_feed(&reader, out[k], &n);
            good += status == MARL_OK && n == 60;
            broken += status == MARL_ERR_MESSAGE;
        }
    }
    ck_assert_int_eq(good, 2);
    ck_assert_int_eq(broken, 2);
}
END_TEST

MARL_SUITE("packet", a_packet_is_stuffed_contents_and_checksum, the_documented_size_is_enough_and_needed,
           every_packet_of_a_clean_line_comes, faults_cost_what_they_touch_and_nothing_wrong_comes,
           a_stream_may_begin_in_the_middle, a_packet_too_long_is_broken_and_the_next_is_good)
