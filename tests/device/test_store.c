/* SPDX-License-Identifier: MIT
 * Power cuts are in tests/port/test_sim.c, where there is flash. */
#include "check_main.h"
#include "fake_board.h"
#include "marlinspike/app.h"
#include "random_values.h"

enum { HALF = FAKE_MEMORY / 2, MAX = HALF - 16 };

START_TEST(what_was_saved_last_is_loaded)
{
    fake_board b;
    dice d = {4};
    uint8_t saved[MAX], loaded[MAX];
    size_t n;
    fake_board_make(&b);
    ck_assert_int_eq(marl_store_load(&b.port, loaded, sizeof loaded, &n), MARL_ERR_EMPTY);
    for (int i = 0; i < 300; i++) {
        size_t length = dice_below(&d, MAX + 1);
        for (size_t k = 0; k < length; k++) {
            saved[k] = (uint8_t)dice_bits(&d);
        }
        ck_assert_int_eq(marl_store_save(&b.port, saved, length), MARL_OK);
        ck_assert_int_eq(marl_store_load(&b.port, loaded, sizeof loaded, &n), MARL_OK);
        ck_assert_uint_eq(n, length);
        ck_assert(memcmp(saved, loaded, n) == 0);
    }
}
END_TEST

/* One bit that turns in the newest record brings back the one before; then none is left. */
START_TEST(a_spoilt_record_gives_way_to_the_one_before)
{
    for (uint32_t bit = 0; bit < 8 * (16 + 40); bit++) {
        fake_board b;
        uint8_t first[40], second[40], loaded[64];
        size_t n;
        fake_board_make(&b);
        memset(first, 1, sizeof first);
        memset(second, 2, sizeof second);
        ck_assert_int_eq(marl_store_save(&b.port, first, sizeof first), MARL_OK);
        ck_assert_int_eq(marl_store_save(&b.port, second, sizeof second), MARL_OK);
        b.memory[HALF + bit / 8] ^= (uint8_t)(1u << bit % 8);
        ck_assert_int_eq(marl_store_load(&b.port, loaded, sizeof loaded, &n), MARL_OK);
        ck_assert(n == sizeof first && memcmp(loaded, first, n) == 0);
        b.memory[bit / 8] ^= (uint8_t)(1u << bit % 8);
        ck_assert_int_eq(marl_store_load(&b.port, loaded, sizeof loaded, &n), MARL_ERR_EMPTY);
    }
}
END_TEST

START_TEST(a_failure_at_any_step_leaves_the_record_before)
{
    uint8_t first[100], second[100], loaded[128];
    memset(first, 1, sizeof first);
    memset(second, 2, sizeof second);
    int failed = 0;
    for (int step = 1; step < 40; step++) {
        fake_board b;
        size_t n;
        fake_board_make(&b);
        ck_assert_int_eq(marl_store_save(&b.port, first, sizeof first), MARL_OK);
        b.memory_left = step;
        marl_status status = marl_store_save(&b.port, second, sizeof second);
        b.memory_left = -1;
        failed += status == MARL_ERR_STORE;
        ck_assert_int_eq(marl_store_load(&b.port, loaded, sizeof loaded, &n), MARL_OK);
        ck_assert_uint_eq(loaded[50], status == MARL_OK ? 2 : 1);
    }
    ck_assert_int_eq(failed, 1 + (16 + 100 + FAKE_UNIT - 1) / FAKE_UNIT); /* an erase and every unit */
}
END_TEST

START_TEST(memory_that_does_not_keep_is_noticed)
{
    fake_board b;
    const uint8_t bytes[10] = {1, 2, 3};
    fake_board_make(&b);
    b.forgets = 1;
    ck_assert_int_eq(marl_store_save(&b.port, bytes, sizeof bytes), MARL_ERR_STORE);
}
END_TEST

START_TEST(too_long_is_refused)
{
    fake_board b;
    uint8_t bytes[MAX + 1] = {0}, small[10];
    size_t n;
    fake_board_make(&b);
    ck_assert_int_eq(marl_store_save(&b.port, bytes, MAX + 1), MARL_ERR_CAPACITY);
    ck_assert_int_eq(marl_store_save(&b.port, bytes, MAX), MARL_OK);
    ck_assert_int_eq(marl_store_load(&b.port, small, sizeof small, &n), MARL_ERR_CAPACITY);
}
END_TEST

/* One step back, and how often was written; a step further is none. */
START_TEST(the_record_before_is_there_too)
{
    fake_board b;
    uint8_t record[20], loaded[20], small[4];
    size_t n;
    uint32_t saves = 99;
    fake_board_make(&b);
    ck_assert_int_eq(marl_store_load_before(&b.port, loaded, sizeof loaded, &n, &saves), MARL_ERR_EMPTY);
    for (uint8_t i = 1; i < 40; i++) {
        memset(record, i, sizeof record);
        ck_assert_int_eq(marl_store_save(&b.port, record, sizeof record), MARL_OK);
        marl_status status =
            marl_store_load_before(&b.port, loaded, sizeof loaded, &n, i % 2 ? &saves : NULL);
        ck_assert_int_eq(status, i == 1 ? MARL_ERR_EMPTY : MARL_OK);
        ck_assert(i == 1 || (n == sizeof record && loaded[19] == i - 1));
        ck_assert(i % 2 == 0 || saves == i);
    }
    ck_assert_int_eq(marl_store_load_before(&b.port, small, sizeof small, &n, NULL), MARL_ERR_CAPACITY);
    b.memory[HALF] ^= 1; /* the newest or the one before: one alone is no two */
    ck_assert_int_eq(marl_store_load_before(&b.port, loaded, sizeof loaded, &n, NULL), MARL_ERR_EMPTY);
}
END_TEST

/* Reads fail from any one on: nothing is loaded, and what stands there stays. */
START_TEST(memory_that_cannot_be_read_is_reported)
{
    uint8_t first[100], second[100], loaded[128];
    size_t n;
    int failed[3] = {0};
    memset(first, 1, sizeof first);
    memset(second, 2, sizeof second);
    for (int step = 0; step < 24; step++) {
        fake_board b;
        fake_board_make(&b);
        ck_assert_int_eq(marl_store_save(&b.port, first, sizeof first), MARL_OK);
        ck_assert_int_eq(marl_store_save(&b.port, second, sizeof second), MARL_OK);
        b.reads_left = step;
        marl_status status = marl_store_load(&b.port, loaded, sizeof loaded, &n);
        failed[0] += status == MARL_ERR_STORE;
        ck_assert(status == MARL_ERR_STORE || (status == MARL_OK && loaded[50] == 2));
        b.reads_left = step;
        status = marl_store_load_before(&b.port, loaded, sizeof loaded, &n, NULL);
        failed[1] += status == MARL_ERR_STORE;
        ck_assert(status == MARL_ERR_STORE || (status == MARL_OK && loaded[50] == 1));
        b.reads_left = step;
        status = marl_store_save(&b.port, first, sizeof first);
        failed[2] += status == MARL_ERR_STORE;
        b.reads_left = -1;
        ck_assert_int_eq(marl_store_load(&b.port, loaded, sizeof loaded, &n), MARL_OK);
        ck_assert(loaded[50] == 1 || loaded[50] == 2);
        ck_assert(status == MARL_ERR_STORE || loaded[50] == 1);
    }
    for (int i = 0; i < 3; i++) {
        ck_assert(failed[i] > 8 && failed[i] < 24);
    }
}
END_TEST

MARL_SUITE("store", what_was_saved_last_is_loaded, a_spoilt_record_gives_way_to_the_one_before,
           a_failure_at_any_step_leaves_the_record_before, memory_that_does_not_keep_is_noticed,
           memory_that_cannot_be_read_is_reported, too_long_is_refused, the_record_before_is_there_too)
