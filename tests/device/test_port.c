/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "fake_board.h"

/* Each row takes one member away, and says who then complains of what. */
static const struct {
    const char *name;
    size_t offset;
    unsigned needs;
    int refused; /* also when nothing is needed */
} members[] = {
    {"clock", offsetof(marl_port, clock), 0, 1},
    {"sleep", offsetof(marl_port, sleep), 0, 1},
    {"bus_read", offsetof(marl_port, bus_read), MARL_PORT_BUS, 0},
    {"bus_write", offsetof(marl_port, bus_write), MARL_PORT_BUS, 0},
    {"data_ready", offsetof(marl_port, data_ready), MARL_PORT_READY, 0},
    {"nv_read", offsetof(marl_port, nv_read), MARL_PORT_NV, 1},
    {"nv_erase", offsetof(marl_port, nv_erase), MARL_PORT_NV, 1},
    {"nv_write", offsetof(marl_port, nv_write), MARL_PORT_NV, 1},
    {"bytes_out", offsetof(marl_port, bytes_out), MARL_PORT_OUT, 0},
    {"bytes_in", offsetof(marl_port, bytes_in), MARL_PORT_IN, 0},
};

START_TEST(a_missing_member_is_named)
{
    fake_board b;
    const char *missing = "";
    fake_board_make(&b);
    ck_assert_int_eq(marl_port_check(&b.port, 15, &missing), MARL_OK);
    memset((char *)&b.port + members[_i].offset, 0, sizeof b.port.clock);
    ck_assert_int_eq(marl_port_check(&b.port, 0, NULL), members[_i].refused ? MARL_ERR_ARGUMENT : MARL_OK);
    ck_assert_int_eq(marl_port_check(&b.port, members[_i].needs | 15u, &missing), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(missing, members[_i].name);
}
END_TEST

START_TEST(a_port_without_memory_is_one)
{
    fake_board b;
    const char *missing = "";
    fake_board_make(&b);
    b.port.nv_read = NULL;
    b.port.nv_erase = NULL;
    b.port.nv_write = NULL;
    ck_assert_int_eq(marl_port_check(&b.port, MARL_PORT_BUS | MARL_PORT_OUT, NULL), MARL_OK);
    ck_assert_int_eq(marl_port_check(&b.port, MARL_PORT_NV, &missing), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(missing, "nv_read");
}
END_TEST

START_TEST(a_memory_of_no_shape_is_refused)
{
    static const marl_nv_shape bad[] = {
        {0, 256, 8},    {1024, 0, 8},    {1024, 256, 0},      {1024, 256, 3},  {256, 256, 8}, {1000, 256, 8},
        {1024, 100, 8}, {1024, 256, 64}, {262144, 131072, 8}, {2, 1, 1},       {30, 15, 1},   {32, 16, 16},
        {48, 16, 16},   {4096, 256, 0},  {4096, 256, 5},      {4096, 256, 128}};
    static const uint32_t units[] = {1, 2, 4, 8, 16, 32};
    fake_board b;
    fake_board_make(&b);
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        const char *missing = "";
        b.port.nv = bad[i];
        ck_assert_int_eq(marl_port_check(&b.port, 0, &missing), MARL_ERR_ARGUMENT);
        ck_assert_str_eq(missing, "nv");
    }
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        b.port.nv = (marl_nv_shape){4096, 256, units[i]};
        ck_assert_int_eq(marl_port_check(&b.port, 0, NULL), MARL_OK);
    }
}
END_TEST

START_TEST(a_clock_of_32_bits_goes_on)
{
    marl_clock32 clock = {0, 0};
    int64_t truth = 0;
    for (int i = 0; i < 20; i++) { /* in steps of 50 minutes: 16 hours, 13 wraps */
        ck_assert_int_eq(marl_clock32_ns(&clock, (uint32_t)truth), truth * 1000);
        truth += INT64_C(3000000000);
    }
    ck_assert_uint_eq(clock.wraps, 13);
}
END_TEST

MARL_SUITE_OF_CASES("port", members, a_missing_member_is_named, a_port_without_memory_is_one,
                    a_memory_of_no_shape_is_refused, a_clock_of_32_bits_goes_on)
