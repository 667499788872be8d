/* SPDX-License-Identifier: MIT
 * Tunings as texts of the command line: a filter or a file, and changes behind a colon. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include "temporary.h"
#include <math.h>

/* One parameter that the text sets, or the message that it gives. */
static const struct {
    const char *text;
    marl_parameter_id id;
    float value;
    marl_status status;
    const char *message;
} cases[] = {
    {"complementary", MARL_PARAMETER_TILT_TIME, 1.0f, MARL_OK, NULL},
    {"complementary:tilt_time=0.5", MARL_PARAMETER_TILT_TIME, 0.5f, MARL_OK, NULL},
    {"complementary:tilt_time=0.5,damping=1", MARL_PARAMETER_DAMPING, 1.0f, MARL_OK, NULL},
    {"complementary:damping=1,damping=2", MARL_PARAMETER_DAMPING, 2.0f, MARL_OK, NULL},
    {"kalman:weighting=off", MARL_PARAMETER_WEIGHTING, 0.0f, MARL_OK, NULL},
    {"kalman:use_mag=false,gyro_white=1e-3", MARL_PARAMETER_GYRO_WHITE, 1e-3f, MARL_OK, NULL},
    {"gradient-descent:run_down=on,beta=0.1", MARL_PARAMETER_BETA, 0.1f, MARL_OK, NULL},
    {"magic", 0, 0, MARL_ERR_USE,
     "magic: neither a file nor a filter; filters: gyro, vectors, complementary"},
    {"magic:beta=1", 0, 0, MARL_ERR_USE, "magic: neither a file nor a filter"},
    {"klaman", 0, 0, MARL_ERR_USE, "klaman: neither a file nor a filter (kalman?); filters"},
    {"dir/kalman", 0, 0, MARL_ERR_INPUT, "dir/kalman: neither a file nor a filter;"},
    {"kalman:", 0, 0, MARL_ERR_USE, "kalman:: '' is not NAME=VALUE"},
    {"kalman:gyro_white", 0, 0, MARL_ERR_USE, "kalman:gyro_white: 'gyro_white' is not NAME=VALUE"},
    {"kalman:tilt_time=1", 0, 0, MARL_ERR_USE,
     "kalman:tilt_time=1: 'tilt_time' is no parameter of kalman; known: use_mag, weighting, gyro_white"},
    {"kalman:acel_noise=1", 0, 0, MARL_ERR_USE,
     "kalman:acel_noise=1: 'acel_noise' is no parameter of kalman (accel_noise?); known: use_mag"},
    {"gyro:beta=1", 0, 0, MARL_ERR_USE,
     "gyro:beta=1: 'beta' is no parameter of gyro; known: use_mag, gap_limit"},
    {"complementary:damping=0", 0, 0, MARL_ERR_USE,
     "complementary:damping=0: damping: 0 is out of its range, 0.1 to 100 1"},
    {"complementary:tilt_time=-1", 0, 0, MARL_ERR_USE,
     "complementary:tilt_time=-1: tilt_time: -1 is out of its range, 0.01 to 1000 s"},
    {"complementary:tilt_time=nan", 0, 0, MARL_ERR_USE, "complementary:tilt_time=nan: tilt_time is a number"},
    {"complementary:tilt_time=1e999", 0, 0, MARL_ERR_USE,
     "complementary:tilt_time=1e999: tilt_time is a number"},
    {"complementary:tilt_time=1s", 0, 0, MARL_ERR_USE,
     "complementary:tilt_time=1s: tilt_time is a number, and not '1s'"},
    {"complementary:use_mag=1", 0, 0, MARL_ERR_USE,
     "complementary:use_mag=1: use_mag is on or off, and not '1'"},
    {"complementary:world=up", 0, 0, MARL_ERR_USE,
     "complementary:world=up: world is enu or ned, and not 'up'"},
};

START_TEST(each_text_gives_a_tuning_or_a_message)
{
    marl_named_tuning t;
    marl_error error = {0};
    marl_status status = marl_tuning_read(&t, cases[_i].text, NULL, &error);
    ck_assert_msg(status == cases[_i].status, "%s: %s", cases[_i].text, error.text);
    if (status != MARL_OK) {
        ck_assert_msg(strncmp(error.text, cases[_i].message, strlen(cases[_i].message)) == 0,
                      "wanted %s\ngot    %s", cases[_i].message, error.text);
        return;
    }
    ck_assert_float_eq(t.tuning.value[cases[_i].id], cases[_i].value);
    ck_assert_int_eq(marl_tuning_check(&t.tuning), MARL_OK);
    ck_assert_str_eq(t.name, cases[_i].text);
}
END_TEST

/* A file may be followed by changes, too; a name with a colon in it is a file where there is one. */
START_TEST(files_take_changes)
{
    temporary dir = temporary_make();
    char text[300];
    marl_error error = {0};
    marl_named_tuning t = {.name = "mine", .tuning = marl_tuning_default(MARL_FILTER_GRADIENT_DESCENT)};
    t.tuning.value[MARL_PARAMETER_ZETA] = 0.001f;
    ck_assert_int_eq(marl_tuning_write(&t, temporary_path(&dir, "a.json"), &error), MARL_OK);
    snprintf(text, sizeof text, "%s:beta=0.2,world=ned", dir.path);
    ck_assert_int_eq(marl_tuning_read(&t, text, NULL, &error), MARL_OK);
    ck_assert_float_eq(t.tuning.value[MARL_PARAMETER_BETA], 0.2f);
    ck_assert_float_eq(t.tuning.value[MARL_PARAMETER_ZETA], 0.001f);
    ck_assert_int_eq(t.tuning.world, MARL_WORLD_NED);
    ck_assert_str_eq(t.name, "mine:beta=0.2,world=ned");
    snprintf(t.name, sizeof t.name, "odd");
    ck_assert_int_eq(marl_tuning_write(&t, temporary_path(&dir, "a:b=1"), &error), MARL_OK);
    ck_assert_int_eq(marl_tuning_read(&t, dir.path, NULL, &error), MARL_OK);
    ck_assert_str_eq(t.name, "odd");
    temporary_remove(&dir);
}
END_TEST

/* A number in the parameter's range: an end, or logarithmic where the range spans decades. */
static float some_value(const marl_parameter *row, dice *random, int trial)
{
    if (trial < 2 || row->kind == MARL_KIND_SWITCH) {
        return trial % 2 == 0 ? row->low : row->high;
    }
    float share = (float)dice_between(random, 0, 1);
    if (row->low > 0 && row->high > 100 * row->low) {
        return row->low * powf(row->high / row->low, share);
    }
    return row->low + (row->high - row->low) * share;
}

static void survives_writing(const marl_named_tuning *a, temporary *dir)
{
    marl_error error = {0};
    marl_named_tuning b;
    ck_assert_msg(marl_tuning_write(a, temporary_path(dir, "a.json"), &error) == MARL_OK, "%s", error.text);
    ck_assert_msg(marl_tuning_read(&b, dir->path, NULL, &error) == MARL_OK, "%s", error.text);
    ck_assert_mem_eq(&a->tuning, &b.tuning, sizeof a->tuning);
    ck_assert_str_eq(a->name, b.name);
    ck_assert_str_eq(a->about, b.about);
}

/* Every parameter of every filter, both ends of its range and values between, with and without the weighting:
 * what is written is read back with the same bits. */
START_TEST(every_value_in_range_survives_writing)
{
    temporary dir = temporary_make();
    dice random = {0x1d872b41u};
    for (int i = 0; i < MARL_FILTER_COUNT * MARL_PARAMETER_COUNT; i++) {
        int filter = i / MARL_PARAMETER_COUNT, p = i % MARL_PARAMETER_COUNT;
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)p);
        for (int trial = 0; trial < 12 && ((row->filters >> filter) & 1u); trial++) {
            marl_named_tuning a = {
                .name = "x", .about = "y", .tuning = marl_tuning_default((marl_filter)filter)};
            a.tuning.value[MARL_PARAMETER_WEIGHTING] =
                trial % 4 < 2 || filter < MARL_FILTER_COMPLEMENTARY ? 1.0f : 0.0f;
            a.tuning.value[p] = some_value(row, &random, trial);
            survives_writing(&a, &dir);
        }
    }
    temporary_remove(&dir);
}
END_TEST

/* A name that is cut in the middle of a character, or holds what is no text. */
START_TEST(any_name_of_a_file_can_be_written)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    marl_named_tuning a;
    char name[90], text[160];
    for (int before = 0; before < 4; before++) {
        memset(name, 'a', sizeof name);
        for (int i = before; i + 2 < 80; i += 2) {
            memcpy(name + i, "\xc3\xa9", 2);
        }
        memcpy(name + 80, "\xff\x1b.json", 8);
        snprintf(text, sizeof text, "%s",
                 temporary_text(&dir, name, "{\"marlinspike\": \"tuning/2\", \"filter\": \"kalman\"}"));
        ck_assert_msg(marl_tuning_read(&a, text, NULL, &error) == MARL_OK, "%s", error.text);
        survives_writing(&a, &dir);
    }
    temporary_remove(&dir);
}
END_TEST

/* A sheet sets the defaults of a filter, changes come on top; a file is as it is. */
START_TEST(a_sheet_comes_before_the_changes)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_error error = {0};
    marl_named_tuning plain, sheeted;
    ck_assert_int_eq(marl_tuning_read(&plain, "kalman", NULL, &error), MARL_OK);
    ck_assert_int_eq(marl_tuning_read(&sheeted, "kalman:mag_noise=2", &sheet, &error), MARL_OK);
    ck_assert(sheeted.tuning.value[MARL_PARAMETER_GYRO_WHITE] !=
              plain.tuning.value[MARL_PARAMETER_GYRO_WHITE]);
    ck_assert_float_eq(sheeted.tuning.value[MARL_PARAMETER_MAG_NOISE], 2);
}
END_TEST

MARL_SUITE_OF_CASES("tuning texts", cases, each_text_gives_a_tuning_or_a_message, files_take_changes,
                    every_value_in_range_survives_writing, any_name_of_a_file_can_be_written,
                    a_sheet_comes_before_the_changes)
