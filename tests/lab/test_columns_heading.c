/* SPDX-License-Identifier: MIT
 * Attitudes as navigation writes them: roll, pitch and compass heading; and the names of speeds. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>

enum { ROWS = 40 };

/* By where the body's axes point: forward for heading and pitch, left and up for roll. */
typedef struct navigation {
    double roll, pitch, heading; /* degrees */
} navigation;

static navigation of_attitude(marl_quat q)
{
    marl_vec3 forward = marl_quat_rotate(q, (marl_vec3){1, 0, 0}),
              left = marl_quat_rotate(q, (marl_vec3){0, 1, 0}),
              up = marl_quat_rotate(q, (marl_vec3){0, 0, 1});
    double heading = atan2((double)forward.x, (double)forward.y) / MARL_DEGREE;
    return (navigation){atan2((double)left.z, (double)up.z) / MARL_DEGREE,
                        asin((double)forward.z) / MARL_DEGREE, heading < 0 ? heading + 360 : heading};
}

/* The attitudes behind each row, and a file of them; `factor`: 1 for degrees. */
static const char *write_rows(temporary *dir, const char *header, double factor, marl_quat q[ROWS])
{
    static char text[ROWS * 120];
    dice d = {31};
    size_t n = (size_t)snprintf(text, sizeof text, "%s", header);
    for (int i = 0; i < ROWS; i++) {
        q[i] = dice_attitude(&d);
        navigation a = of_attitude(q[i]);
        n += (size_t)snprintf(text + n, sizeof text - n, "%d,%.9f,%.9f,%.9f\n", 1000 + 20 * i,
                              factor * a.heading, factor * a.pitch, factor * a.roll);
    }
    return temporary_text(dir, "navigation.csv", text);
}

static void is_read_back(const char *path, const char *map_text, const marl_quat q[ROWS])
{
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    const marl_log_options options = {.columns = &map};
    ck_assert_int_eq(marl_column_map_read(&map, map_text, NULL), MARL_OK);
    ck_assert_msg(marl_log_load(&log, path, &options, &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_eq(log.n, ROWS);
    for (int i = 0; i < ROWS; i++) {
        marl_quat is = log.row[i].q;
        double same = fabs((double)(is.w * q[i].w + is.x * q[i].x + is.y * q[i].y + is.z * q[i].z));
        ck_assert_msg(log.row[i].has_q && same > 1 - 1e-6, "row %d: %g", i, same);
    }
    marl_log_free(&log);
}

START_TEST(a_heading_is_clockwise_from_north)
{
    temporary dir = temporary_make();
    marl_quat q[ROWS];
    const char *path = write_rows(&dir, "", 1, q);
    is_read_back(path, "t=1[ms]; heading=2[deg]; pitch=3[deg]; roll=4[deg]", q);
    is_read_back(path, "t=1[ms]; roll=4[deg]; pitch=3[deg]; heading=2[deg]", q);
    path = write_rows(&dir, "", MARL_DEGREE, q);
    is_read_back(path, "t=1[ms]; heading=2[rad]; pitch=3[rad]; roll=4[rad]", q);
    temporary_remove(&dir);
}
END_TEST

/* Names say the same. */
START_TEST(a_heading_is_found_by_its_name)
{
    static const char *const headers[] = {
        "time (ms),Heading (deg),Pitch (deg),Roll (deg)\n",
        "millis,heading_deg,pitch_deg,roll_deg\n",
        "millis,heading,pitch,roll\n",
    };
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof headers / sizeof headers[0]; k++) {
        marl_quat q[ROWS];
        marl_columns_guess guess;
        const char *path = write_rows(&dir, headers[k], 1, q);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_str_eq(marl_column_guess_name(&guess.column[1]), "heading");
        is_read_back(path, guess.map, q);
    }
    temporary_remove(&dir);
}
END_TEST

/* The way that a receiver goes is no attitude, and of a yaw and a heading the yaw counts, in whichever order. */
START_TEST(a_heading_that_is_no_attitude)
{
    static const struct {
        const char *text, *heading, *yaw;
    } files[] = {
        {"t_ms,heading,speed\n0,10,1\n1,11,1\n2,12,1\n", "", NULL},
        {"t_ms,heading,roll\n0,10,1\n1,11,1\n2,12,1\n", "", NULL},
        {"t_ms,heading,yaw,pitch,roll\n0,10,80,1,1\n1,11,79,1,2\n2,12,78,1,3\n", "", "yaw"},
        {"t_ms,roll,yaw,heading,pitch\n0,10,80,1,1\n1,11,79,1,2\n2,12,78,1,3\n", NULL, "yaw"},
    };
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof files / sizeof files[0]; k++) {
        marl_columns_guess guess;
        const char *path = temporary_text(&dir, "a.csv", files[k].text);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_ptr_null(strstr(guess.map, "heading"));
        ck_assert_int_eq(strstr(guess.map, "yaw=") != NULL, files[k].yaw != NULL);
        if (files[k].heading != NULL) {
            ck_assert_str_eq(marl_column_guess_name(&guess.column[1]), files[k].heading);
        }
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(a_speed_is_found_by_its_name)
{
    static const struct {
        const char *name, *map;
    } speeds[] = {{"Speed (km/h)", "speed=2[km/h]"},
                  {"WheelSpeed (km/h)", "speed=2[km/h]"},
                  {"wheel_speed_mps", "[m/s]"},
                  {"Vehicle Speed [km/h]", "[km/h]"},
                  {"GPS Speed (m/s)", "speed=2[m/s]"},
                  {"velocity_kmh", "[km/h]"},
                  {"ground speed [kph]", "speed=2[km/h]"},
                  {"SOG (kn)", "speed=2[kn]"},
                  {"speed_kts", "[kn]"},
                  {"speed [mph]", "speed=2[mph]"}};
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof speeds / sizeof speeds[0]; k++) {
        char text[200];
        marl_columns_guess guess;
        snprintf(text, sizeof text, "t_ms,%s\n0,1\n1,2\n2,3\n", speeds[k].name);
        const char *path = temporary_text(&dir, "a.csv", text);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_msg(strstr(guess.map, "speed=") != NULL && strstr(guess.map, speeds[k].map) != NULL,
                      "%s: %s", speeds[k].name, guess.map);
    }
    temporary_remove(&dir);
}
END_TEST

/* A receiver of satellites, once a second: degrees of latitude and longitude are as long as a field, and are none. The speed
 * alone is read: 10 knots are 10 nautical miles of 1852 m an hour. */
START_TEST(positions_are_no_readings)
{
    temporary dir = temporary_make();
    char text[ROWS * 60];
    size_t n = (size_t)snprintf(text, sizeof text, "time,lat,lon,alt,speed_kn,course_deg,sats\n");
    static marl_columns_guess guess;
    marl_column_map map;
    marl_log log;
    const marl_log_options options = {.columns = &map};
    for (int i = 0; i < ROWS; i++) {
        n += (size_t)snprintf(text + n, sizeof text - n, "%d,%.5f,%.5f,%d,10.0,%d,9\n", i, 54.1 + 1e-5 * i,
                              10.8 + 2e-5 * i, 12 + i % 3, (7 * i) % 360);
    }
    const char *path = temporary_text(&dir, "track.csv", text);
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
    ck_assert_str_eq(guess.map, "t=time[s]; speed=speed_kn[kn]");
    ck_assert_int_eq(marl_column_map_read(&map, guess.map, NULL), MARL_OK);
    ck_assert_int_eq(marl_log_load(&log, path, &options, NULL), MARL_OK);
    ck_assert_uint_eq(log.n, ROWS);
    ck_assert_int_eq(log.row[ROWS - 1].sample.t_ns - log.row[0].sample.t_ns,
                     INT64_C(1000000000) * (ROWS - 1));
    ck_assert_double_eq_tol((double)log.row[5].sample.speed, 10 * 1852 / 3600.0, 1e-5);
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* A rig writes where a body is beside its attitude: within a metre, as a rate is within a radian a second. */
START_TEST(a_place_is_no_rate)
{
    static const char *const names[] = {"pos_x,pos_y,pos_z", "Position X,Position Y,Position Z",
                                        "body1 PosX,body1 PosY,body1 PosZ"};
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof names / sizeof names[0]; k++) {
        static marl_columns_guess guess;
        char text[ROWS * 80];
        size_t n = (size_t)snprintf(text, sizeof text, "time,%s,rot_x,rot_y,rot_z,rot_w\n", names[k]);
        for (int i = 0; i < ROWS; i++) {
            double t = 0.01 * i, half = 0.4 * sin(t);
            n += (size_t)snprintf(text + n, sizeof text - n, "%.3f,%.4f,%.4f,%.4f,%.6f,%.6f,%.6f,%.6f\n", t,
                                  0.3 * sin(3 * t), 0.2 * cos(2 * t), 0.4 * sin(t), 0.48 * sin(half),
                                  0.36 * sin(half), 0.8 * sin(half), cos(half));
        }
        ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "rig.csv", text), '.', NULL),
                         MARL_OK);
        ck_assert_str_eq(guess.map, "t=time[s]; q=rot_w,rot_x,rot_y,rot_z");
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("columns_heading", positions_are_no_readings, a_place_is_no_rate,
           a_heading_is_clockwise_from_north, a_heading_is_found_by_its_name, a_heading_that_is_no_attitude,
           a_speed_is_found_by_its_name)
