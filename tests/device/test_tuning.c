/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/tuning.h"
#include <math.h>
#include <string.h>

START_TEST(the_table_is_complete)
{
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        ck_assert(row->name[0] != '\0' && memchr(row->name, 0, sizeof row->name) != NULL);
        ck_assert_str_ne(marl_parameter_group_name(row->group), "?");
        ck_assert(row->filters != 0 && row->about[0] != '\0');
        ck_assert(row->low <= row->standard && row->standard <= row->high);
        for (int k = 0; k < i; k++) {
            ck_assert_str_ne(row->name, marl_parameter_row((marl_parameter_id)k)->name);
        }
    }
    for (int f = 0; f < MARL_FILTER_COUNT; f++) { /* buffers are sized by it */
        int used = 0;
        for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
            used += (int)(marl_parameter_row((marl_parameter_id)i)->filters >> f & 1u);
        }
        ck_assert_int_le(used, MARL_FILTER_PARAMETERS_MAX);
    }
    ck_assert_ptr_null(marl_parameter_row(MARL_PARAMETER_COUNT));
    ck_assert_ptr_null(marl_parameter_row((marl_parameter_id)-1));
}
END_TEST

START_TEST(filters_by_name)
{
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        marl_filter filter;
        marl_tuning tuning = marl_tuning_default((marl_filter)i);
        ck_assert_int_eq(marl_filter_from_name(marl_filter_name((marl_filter)i), &filter), MARL_OK);
        ck_assert_int_eq((int)filter, i);
        ck_assert_int_eq(marl_tuning_check(&tuning), MARL_OK);
    }
    marl_filter none;
    marl_parameter_id id;
    ck_assert_int_eq(marl_filter_from_name("Gyro", &none), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(marl_filter_name(MARL_FILTER_COUNT), "?");
    ck_assert_int_eq(marl_parameter_find(MARL_FILTER_COMPLEMENTARY, "tilt_time", &id), MARL_OK);
    ck_assert_int_eq((int)id, MARL_PARAMETER_TILT_TIME);
    ck_assert_int_eq(marl_parameter_find(MARL_FILTER_GYRO, "tilt_time", &id), MARL_ERR_ARGUMENT);
    ck_assert_str_eq(marl_parameter_name(MARL_PARAMETER_TILT_TIME), "tilt_time");
    ck_assert_str_eq(marl_parameter_name(MARL_PARAMETER_COUNT), "?");
    ck_assert_str_eq(marl_parameter_group_name(MARL_GROUP_COUNT), "?");
    ck_assert(!marl_parameter_is_of(MARL_PARAMETER_COUNT, MARL_FILTER_KALMAN));
    ck_assert(!marl_parameter_is_of(MARL_PARAMETER_TILT_TIME, MARL_FILTER_COUNT));
}
END_TEST

START_TEST(every_bad_value_is_refused)
{
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        const float bad[] = {NAN, INFINITY, -INFINITY, nextafterf(row->low, -INFINITY),
                             nextafterf(row->high, INFINITY)};
        for (int k = 0; k < 5; k++) {
            marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
            tuning.value[i] = bad[k];
            ck_assert_int_eq(marl_tuning_check(&tuning), MARL_ERR_ARGUMENT);
        }
    }
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    tuning.value[MARL_PARAMETER_USE_MAG] = 0.5f; /* a switch is on or off */
    ck_assert_int_eq(marl_tuning_check(&tuning), MARL_ERR_ARGUMENT);
    tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    tuning.world = (marl_world)2;
    ck_assert_int_eq(marl_tuning_check(&tuning), MARL_ERR_ARGUMENT);
    tuning = marl_tuning_default((marl_filter)77);
    ck_assert_int_eq(marl_tuning_check(&tuning), MARL_ERR_ARGUMENT);
}
END_TEST

MARL_SUITE("tuning", the_table_is_complete, filters_by_name, every_bad_value_is_refused)
