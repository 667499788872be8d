/* SPDX-License-Identifier: MIT
 * How programs print numbers: in brackets, in UTF-16; and what they call what they print. */
#include "check_main.h"
#include "marlinspike/log.h"
#include "random_values.h"
#include "temporary.h"
#include <stdio.h>
#include <string.h>

static char text[200000];

/* A row of a time and two vectors as people print them. */
static const char *const rows_as[] = {
    "%.3f (%.4f, %.4f, %.4f) (%.4f, %.4f, %.4f)\n",   "%.3f: [%.4f, %.4f, %.4f] [%.4f, %.4f, %.4f]\n",
    "%.3f, (%.4f, %.4f, %.4f), (%.4f, %.4f, %.4f)\n", "[%.3f] [ %.4f  %.4f  %.4f] [%.4f %.4f %.4f ]\n",
    "(%.3f, %.4f, %.4f, %.4f, %.4f, %.4f, %.4f)\n",   "%.3f;[%.4f,%.4f,%.4f];[%.4f,%.4f,%.4f]\n",
    "[%.3f,[%.4f,%.4f,%.4f],[%.4f,%.4f,%.4f]]\n",     " [%.3f, %.4f, %.4f, %.4f, %.4f, %.4f, %.4f],\n",
    "%.3f,%.4f,%.4f,%.4f,%.4f,%.4f,%.4f\n",
};

static marl_log read_by(const char *path, const char *map_text, char decimal)
{
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    const marl_log_options options = {.columns = &map, .decimal = decimal};
    ck_assert_int_eq(marl_column_map_read(&map, map_text, &error), MARL_OK);
    ck_assert_msg(marl_log_load(&log, path, &options, &error) == MARL_OK, "%s: %s", text, error.text);
    return log;
}

START_TEST(vectors_in_brackets)
{
    for (size_t k = 0; k < sizeof rows_as / sizeof rows_as[0]; k++) {
        temporary dir = temporary_make();
        dice d = {k + 1};
        double v[50][6];
        size_t at = 0;
        for (int i = 0; i < 50; i++) {
            for (int j = 0; j < 6; j++) {
                v[i][j] = round(1e4 * dice_between(&d, -20, 20)) / 1e4;
            }
            at += (size_t)snprintf(text + at, sizeof text - at, rows_as[k], 0.01 * i, v[i][0], v[i][1],
                                   v[i][2], v[i][3], v[i][4], v[i][5]);
        }
        const char *path = temporary_text(&dir, "a.txt", text);
        marl_log log = read_by(path, "t=1[s]; accel=2,3,4[m/s^2]; gyro=5,6,7[rad/s]", '.');
        ck_assert_msg(log.n == 50, "%s: %zu rows", rows_as[k], log.n);
        for (size_t i = 0; i < log.n; i++) {
            ck_assert_int_eq(log.row[i].sample.t_ns, (int64_t)i * 10000000);
            ck_assert_float_eq(log.row[i].sample.accel.x, (float)v[i][0]);
            ck_assert_float_eq(log.row[i].sample.gyro.z, (float)v[i][5]);
        }
        marl_log_free(&log);
        temporary_remove(&dir);
    }
}
END_TEST

/* Brackets behind a name hold its index or its unit, and commas may be decimal. */
START_TEST(other_brackets_stay)
{
    temporary dir = temporary_make();
    const char *path = temporary_text(
        &dir, "a.txt", "t[s];acc[0] [g];acc[1] [g];acc[2] [g]\n0,01;0,5;0,25;1,5\n0,02;0,5;0,25;1,5\n");
    marl_log log = read_by(path, "t=1[s]; accel=2,3,4[g]", ',');
    ck_assert_uint_eq(log.n, 2);
    ck_assert_float_eq_tol(log.row[1].sample.accel.z, 1.5f * 9.80665f, 1e-5f);
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* The same file in both orders of UTF-16, cut at any byte. */
START_TEST(utf16_is_read)
{
    static const char rows[] =
        "t [us],\xc2\xb5 acc x [g],acc y [g],acc z [g]\n1000,1,2,3\n2000,4,5,6\n3000,7,8,9\n";
    temporary dir = temporary_make();
    for (int is_big = 0; is_big < 2; is_big++) {
        unsigned char bytes[400];
        size_t n = 0;
        bytes[n++] = is_big ? 0xfe : 0xff;
        bytes[n++] = is_big ? 0xff : 0xfe;
        for (const char *p = rows; *p != '\0'; p++) {
            unsigned char low = (unsigned char)*p == 0xc2 ? (unsigned char)*++p : (unsigned char)*p;
            bytes[n++] = is_big ? 0 : low;
            bytes[n++] = is_big ? low : 0;
        }
        for (size_t cut = 0; cut < 16; cut++) {
            const char *path = temporary_write(&dir, "a.txt", (const char *)bytes, n - cut);
            marl_log log = read_by(path, "t=1; accel=2,3,4", '.');
            ck_assert_uint_eq(log.n, cut < 5 ? 3 : 2); /* the last comma, 9, the line end */
            ck_assert_int_eq(log.row[1].sample.t_ns, 2000000);
            ck_assert_float_eq_tol(log.row[1].sample.accel.y, 5 * 9.80665f, 1e-5f);
            marl_log_free(&log);
        }
    }
    temporary_remove(&dir);
}
END_TEST

static const struct {
    const char *header;
    marl_column second;
    const char *unit; /* of the second column; "" = the numbers decide */
} names[] = {
    {"time,gyro_rad[0],gyro_rad[1],gyro_rad[2]", MARL_COLUMN_GYRO_X, ""},
    {"time,accel_mps2_x,accel_mps2_y,accel_mps2_z", MARL_COLUMN_ACCEL_X, "m/s^2"},
    {"time,acc_m_s2[0],acc_m_s2[1],acc_m_s2[2]", MARL_COLUMN_ACCEL_X, "m/s^2"},
    {"time,w_b_x [rad s^-1],w_b_y [rad s^-1],w_b_z [rad s^-1]", MARL_COLUMN_GYRO_X, "rad/s"},
    {"time,a_b_x [m s^-2],a_b_y [m s^-2],a_b_z [m s^-2]", MARL_COLUMN_ACCEL_X, "m/s^2"},
    {"time,specific_force_x,specific_force_y,specific_force_z", MARL_COLUMN_ACCEL_X, ""},
    {"time,rotation_rate_x,rotation_rate_y,rotation_rate_z", MARL_COLUMN_GYRO_X, ""},
    {"time,acc0,acc1,acc2", MARL_COLUMN_ACCEL_X, ""},
    {"time,acc1,acc2,acc3", MARL_COLUMN_ACCEL_X, ""},
};

START_TEST(units_within_names)
{
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof names / sizeof names[0]; k++) {
        marl_columns_guess guess;
        snprintf(text, sizeof text, "%s\n0,1,2,3\n0.01,1,2,3\n0.02,1,2,3\n", names[k].header);
        ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "a.csv", text), '.', NULL),
                         MARL_OK);
        ck_assert_msg(guess.column[1].target == (int)names[k].second && guess.column[1].named, "%s",
                      names[k].header);
        ck_assert_msg(names[k].unit[0] == '\0' || strcmp(guess.column[1].unit, names[k].unit) == 0, "%s: %s",
                      names[k].header, guess.column[1].unit);
    }
    temporary_remove(&dir);
}
END_TEST

/* Motors, velocities and places are no readings, whatever their size. */
START_TEST(what_is_no_reading)
{
    static const char *const others[] = {"m1,m2,m3,m4", "vx,vy,vz", "vel_x,vel_y,vel_z", "tx,ty,tz",
                                         "lin_acc_x,lin_acc_y,lin_acc_z"};
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof others / sizeof others[0]; k++) {
        marl_columns_guess guess;
        size_t at = (size_t)snprintf(text, sizeof text, "time,%s,ax,ay,az,gx,gy,gz\n", others[k]);
        for (int i = 0; i < 100; i++) {
            at += (size_t)snprintf(
                text + at, sizeof text - at, "%.2f,%s%.3f,%.3f,0.2,0.1,0.2,%.2f,0.5,%.2f,0.7\n", 0.01 * i,
                k == 0 ? "0.1," : "", 0.3 + 0.001 * (i % 7), 0.4, 9.8 + 0.01 * (i % 3), 0.1 * (i % 5));
        }
        ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "a.csv", text), '.', NULL),
                         MARL_OK);
        ck_assert_msg(strncmp(guess.map, "t=time[s]; accel=ax,ay,az[m/s^2]; gyro=gx,gy,gz[", 48) == 0 &&
                          strstr(guess.map, "mag") == NULL,
                      "%s: %s", others[k], guess.map);
    }
    temporary_remove(&dir);
}
END_TEST

/* A quaternion that is numbered from 1 is found by its numbers, with the question which part is w. */
START_TEST(a_quaternion_from_one_on)
{
    marl_columns_guess guess;
    temporary dir = temporary_make();
    size_t at = (size_t)snprintf(text, sizeof text, "time,q1,q2,q3,q4\n");
    for (int i = 0; i < 100; i++) {
        double a = 0.01 * i;
        at += (size_t)snprintf(text + at, sizeof text - at, "%.2f,%.6f,%.6f,%.6f,%.6f\n", 0.01 * i,
                               cos(a) * cos(2 * a), cos(a) * sin(2 * a), sin(a) * cos(a), sin(a) * sin(a));
    }
    ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "a.csv", text), '.', NULL),
                     MARL_OK);
    ck_assert_msg(strcmp(guess.map, "t=time[s]; q=q1,q2,q3,q4") == 0, "%s", guess.map);
    ck_assert_ptr_nonnull(strstr(guess.remark, "w may stand first"));
    temporary_remove(&dir);
}
END_TEST

/* A counter of rows is no time, whatever comes with it; one that goes on by more is. */
START_TEST(a_counter_is_no_time)
{
    static const char *const counters[] = {"Sample", "packet_counter", "index", "frame no", "n"};
    temporary dir = temporary_make();
    for (size_t k = 0; k < 2 * sizeof counters / sizeof counters[0]; k++) {
        marl_columns_guess guess;
        int step = k % 2 ? 10 : 1;
        size_t at = (size_t)snprintf(text, sizeof text, "%s,acc_x,acc_y,acc_z\n", counters[k / 2]);
        for (int i = 0; i < 100; i++) {
            at += (size_t)snprintf(text + at, sizeof text - at, "%d,0.1,0.2,%.2f\n", step * i,
                                   9.8 + 0.01 * (i % 3));
        }
        ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "a.csv", text), '.', NULL),
                         MARL_OK);
        ck_assert_msg((strncmp(guess.map, "t=@RATE; ", 9) == 0) == (step == 1), "%s: %s", counters[k / 2],
                      guess.map);
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("texts of others", vectors_in_brackets, other_brackets_stay, utf16_is_read, units_within_names,
           what_is_no_reading, a_quaternion_from_one_on, a_counter_is_no_time)
