/* SPDX-License-Identifier: MIT
 * Examples are those of RFC 8949, appendix A. */
#include "check_main.h"
#include "device/link/cbor.h"
#include "random_values.h"
#include <math.h>

static const struct {
    int64_t value;
    size_t n;
    uint8_t bytes[9];
} integers[] = {
    {0, 1, {0x00}},
    {1, 1, {0x01}},
    {23, 1, {0x17}},
    {24, 2, {0x18, 0x18}},
    {100, 2, {0x18, 0x64}},
    {1000, 3, {0x19, 0x03, 0xe8}},
    {1000000, 5, {0x1a, 0x00, 0x0f, 0x42, 0x40}},
    {INT64_C(1000000000000), 9, {0x1b, 0x00, 0x00, 0x00, 0xe8, 0xd4, 0xa5, 0x10, 0x00}},
    {-1, 1, {0x20}},
    {-10, 1, {0x29}},
    {-100, 2, {0x38, 0x63}},
    {-1000, 3, {0x39, 0x03, 0xe7}},
    {INT64_MIN, 9, {0x3b, 0x7f, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff}},
};

START_TEST(integers_are_as_the_standard_has_them)
{
    uint8_t bytes[16];
    wire_writer w = marlp_wire_into(bytes, sizeof bytes);
    marlp_wire_put_int(&w, integers[_i].value);
    ck_assert_uint_eq(w.n, integers[_i].n);
    ck_assert_mem_eq(bytes, integers[_i].bytes, w.n);
    wire_reader r = marlp_wire_from(bytes, w.n);
    ck_assert(marlp_wire_get_int(&r) == integers[_i].value);
    ck_assert_int_eq(r.status, MARL_OK);
    for (size_t n = 0; n < w.n; n++) { /* cut anywhere, it is refused */
        r = marlp_wire_from(bytes, n);
        ck_assert(marlp_wire_get_int(&r) == 0);
        ck_assert_int_eq(r.status, MARL_ERR_MESSAGE);
    }
}
END_TEST

START_TEST(floats_of_every_kind_are_read)
{
    static const struct {
        float value;
        size_t n;
        uint8_t bytes[5];
    } floats[] = {{100000.0f, 5, {0xfa, 0x47, 0xc3, 0x50, 0x00}},
                  {3.4028234663852886e+38f, 5, {0xfa, 0x7f, 0x7f, 0xff, 0xff}},
                  {1.5f, 3, {0xf9, 0x3e, 0x00}},
                  {65504.0f, 3, {0xf9, 0x7b, 0xff}},
                  {5.960464477539063e-8f, 3, {0xf9, 0x00, 0x01}},
                  {0.00006103515625f, 3, {0xf9, 0x04, 0x00}},
                  {-4.0f, 3, {0xf9, 0xc4, 0x00}},
                  {-1000.0f, 3, {0x39, 0x03, 0xe7}},
                  {24.0f, 2, {0x18, 0x18}}};
    static const uint8_t refused[][9] = {{0xf9, 0x7c, 0x00},             /* infinity */
                                         {0xf9, 0x7e, 0x00},             /* NaN */
                                         {0xfa, 0xff, 0x80, 0x00, 0x00}, /* -infinity */
                                         {0xfb, 0x3f, 0xf1, 0x99, 0x99, 0x99, 0x99, 0x99, 0x9a}, /* double */
                                         {0xf5},                                                 /* true */
                                         {0x1a, 0x01, 0x00, 0x00, 0x01}, /* 2^24 + 1: no float */
                                         {0x61, 0x31}};
    for (size_t i = 0; i < sizeof floats / sizeof floats[0]; i++) {
        wire_reader r = marlp_wire_from(floats[i].bytes, floats[i].n);
        ck_assert_float_eq(marlp_wire_get_float(&r), floats[i].value);
        ck_assert_int_eq(r.status, MARL_OK);
        ck_assert_uint_eq(r.at, floats[i].n);
    }
    for (size_t i = 0; i < sizeof refused / sizeof refused[0]; i++) {
        wire_reader r = marlp_wire_from(refused[i], sizeof refused[i]);
        ck_assert_float_eq(marlp_wire_get_float(&r), 0.0f);
        ck_assert_int_eq(r.status, MARL_ERR_MESSAGE);
    }
}
END_TEST

START_TEST(floats_keep_their_bits)
{
    dice d = {5};
    for (int i = 0; i < 100000; i++) {
        float value = dice_float_bits(&d);
        uint8_t bytes[5];
        wire_writer w = marlp_wire_into(bytes, sizeof bytes);
        marlp_wire_put_float(&w, value);
        wire_reader r = marlp_wire_from(bytes, w.n);
        float back = marlp_wire_get_float(&r);
        if (isfinite(value) ? bits_of(back) != bits_of(value) : r.status != MARL_ERR_MESSAGE) {
            ck_abort_msg("%08x", bits_of(value));
        }
    }
}
END_TEST

/* {"a": [1, [2, 3]], 5: "IETF"} and what is in it. */
START_TEST(maps_arrays_and_texts)
{
    uint8_t bytes[32];
    char text[8];
    static const uint8_t wanted[] = {0xa2, 0x61, 0x61, 0x82, 0x01, 0x82, 0x02,
                                     0x03, 0x05, 0x64, 0x49, 0x45, 0x54, 0x46};
    wire_writer w = marlp_wire_into(bytes, sizeof bytes);
    marlp_wire_put_map(&w, 2);
    marlp_wire_put_text(&w, "a");
    marlp_wire_put_array(&w, 2);
    marlp_wire_put_int(&w, 1);
    marlp_wire_put_array(&w, 2);
    marlp_wire_put_int(&w, 2);
    marlp_wire_put_int(&w, 3);
    marlp_wire_put_int(&w, 5);
    marlp_wire_put_text(&w, "IETF");
    ck_assert_uint_eq(w.n, sizeof wanted);
    ck_assert_mem_eq(bytes, wanted, w.n);

    wire_reader r = marlp_wire_from(bytes, w.n);
    ck_assert_uint_eq(marlp_wire_get_map(&r), 2);
    marlp_wire_get_text(&r, text, sizeof text);
    ck_assert_str_eq(text, "a");
    marlp_wire_skip(&r);
    ck_assert_int_eq(marlp_wire_get_int(&r), 5);
    marlp_wire_get_text(&r, text, 4); /* no room for the NUL */
    ck_assert_int_eq(r.status, MARL_ERR_MESSAGE);
    ck_assert_str_eq(text, "");
}
END_TEST

START_TEST(a_full_writer_is_marked)
{
    uint8_t bytes[6] = {0, 0, 0, 0, 0, 0x77};
    const float value[3] = {1, 2, 3};
    wire_writer w = marlp_wire_into(bytes, 5);
    marlp_wire_put_floats(&w, value, 3);
    ck_assert(w.full);
    marlp_wire_put_int(&w, 1); /* would fit: but what came before did not */
    ck_assert_uint_le(w.n, 5);
    ck_assert_uint_eq(bytes[5], 0x77);
    ck_assert(w.full);
}
END_TEST

/* Whatever the bytes, reading ends, stays inside and keeps its failure. The sanitizer watches. */
START_TEST(garbage_is_survived)
{
    dice d = {7};
    for (int i = 0; i < 100000; i++) {
        size_t n = dice_below(&d, 24);
        uint8_t *bytes = malloc(n > 0 ? n : 1);
        float floats[3];
        char text[8];
        for (size_t k = 0; k < n; k++) {
            bytes[k] = (uint8_t)dice_bits(&d);
        }
        wire_reader r = marlp_wire_from(bytes, n);
        switch (dice_below(&d, 4)) {
        case 0:
            marlp_wire_skip(&r);
            break;
        case 1:
            marlp_wire_get_floats(&r, floats, 3);
            break;
        case 2:
            marlp_wire_get_text(&r, text, sizeof text);
            break;
        default:
            for (size_t pairs = marlp_wire_get_map(&r); pairs > 0; pairs--) {
                marlp_wire_skip(&r);
                marlp_wire_skip(&r);
            }
        }
        if (r.at > n || (r.status != MARL_OK && marlp_wire_get_int(&r) != 0)) {
            ck_abort_msg("read %zu of %zu", r.at, n);
        }
        free(bytes);
    }
}
END_TEST

MARL_SUITE_OF_CASES("cbor", integers, integers_are_as_the_standard_has_them, floats_of_every_kind_are_read,
                    floats_keep_their_bits, maps_arrays_and_texts, a_full_writer_is_marked,
                    garbage_is_survived)
