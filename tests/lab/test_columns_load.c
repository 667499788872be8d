/* SPDX-License-Identifier: MIT
 * Files that are read by their names. Those may be partly those of a log of ours: many call their time t. */
#include "check_main.h"
#include "marlinspike/log.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

static char text[200000];

/* 400 rows of a body that turns about x, at rest else: `holds` is a letter for each reading of the header, a force, l the
 * same without gravity, g a rate, m a field in uT, T one in T. */
static const char *rows_under(const char *header, const char *holds, double t_unit, double force_unit)
{
    size_t at = (size_t)snprintf(text, sizeof text, "%s\n", header);
    for (int i = 0; i < 400; i++) {
        const double s = sin(0.02 * i), c = cos(0.02 * i);
        const double force[3] = {0.1, 9.8 * s, 9.8 * c}, moved[3] = {0.1 * c, 0.05 * s, 0.2 * s},
                     turn[3] = {2, 0.01, 0.02}, field[3] = {20, -40 * s, -40 * c};
        at += (size_t)snprintf(text + at, sizeof text - at, "%.6g", 0.01 * i / t_unit);
        for (const char *p = holds; *p != '\0'; p++) {
            const double *of = *p == 'a' ? force : *p == 'l' ? moved : *p == 'g' ? turn : field;
            const double unit = *p == 'a' ? force_unit : *p == 'T' ? 1e6 : 1;
            for (int k = 0; k < 3; k++) {
                at += (size_t)snprintf(text + at, sizeof text - at, ",%.7g", of[k] / unit);
            }
        }
        at += (size_t)snprintf(text + at, sizeof text - at, "\n");
    }
    return text;
}

static const struct {
    const char *header, *holds;
    int is_ours;
    unsigned readings; /* by its names */
} files[] = {
    {"t,ax,ay,az,gx,gy,gz", "ag", 0, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO},
    {"t[s],acc_x,acc_y,acc_z,gyr_x,gyr_y,gyr_z", "ag", 0, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO},
    {"t,accel_x,accel_y,accel_z,gx,gy,gz", "ag", 0, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO},
    {"t,accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z,mx,my,mz", "agm", 0,
     MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG},
    {"t,accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z", "ag", 1, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO},
    {"t,accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z,lux,rain,depth", "agm", 1,
     MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO},
    {"time,linear_acceleration_x,linear_acceleration_y,linear_acceleration_z,angular_velocity_x,"
     "angular_velocity_y,angular_velocity_z",
     "ag", 0, MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO},
    {"time,linear_acceleration_x,linear_acceleration_y,linear_acceleration_z,angular_velocity_x,"
     "angular_velocity_y,angular_velocity_z",
     "lg", 0, MARL_COLUMNS_GYRO},
    {"time,pod/imu/accel/x,pod/imu/accel/y,pod/imu/accel/z,pod.compass.magnetic_field.x,"
     "pod.compass.magnetic_field.y,pod.compass.magnetic_field.z",
     "aT", 0, MARL_COLUMNS_ACCEL | MARL_COLUMNS_MAG},
    {"# marlinspike log/1\nt,accel_x,accel_y,accel_z,gx,gy,gz", "ag", 1, MARL_COLUMNS_ACCEL},
};

START_TEST(readings_by_their_names)
{
    temporary dir = temporary_make();
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        const marl_log_options none = {0};
        const char *path = temporary_text(&dir, "a.csv", rows_under(files[i].header, files[i].holds, 1, 1));
        marl_log log;
        marl_error error = {0};
        int guessed;
        marl_status status = marl_log_load_ours(&log, path, &none, &error);
        ck_assert_msg(status == (files[i].is_ours ? MARL_OK : MARL_ERR_INPUT), "%s", files[i].header);
        ck_assert(status == MARL_OK || strstr(error.text, "no name of ours") != NULL ||
                  strstr(error.text, "no column t") != NULL);
        if (status == MARL_OK) {
            marl_log_free(&log);
        }
        error = (marl_error){0};
        ck_assert_msg(marl_log_load_named(&log, path, &none, &guessed, &error) == MARL_OK, "%s: %s",
                      files[i].header, error.text);
        ck_assert_uint_eq(log.info.columns & MARL_COLUMNS_READINGS, files[i].readings);
        ck_assert_uint_eq(log.n, 400);
        if (log.info.columns & MARL_COLUMNS_MAG) {
            ck_assert_double_eq_tol((double)marl_vec3_norm(log.row[7].sample.mag), sqrt(2000), 0.1);
        }
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* The attitudes of rigs, beside a place: of a body that turns about z. */
START_TEST(poses_by_their_names)
{
    static const struct {
        const char *header, *holds; /* t, p place, w x y z, a angle in rad, 0 */
    } rigs[] = {
        {"timestamp,tx,ty,tz,qx,qy,qz,qw", "tpppxyzw"},
        {"# timestamp tx ty tz qx qy qz qw", "tpppxyzw"},
        {"t,px,py,pz,qw,qx,qy,qz", "tpppwxyz"},
        {"time [s],p_RM_x [m],p_RM_y [m],p_RM_z [m],q_RM_w [],q_RM_x [],q_RM_y [],q_RM_z []", "tpppwxyz"},
        {"time,Quat_q0,Quat_q1,Quat_q2,Quat_q3", "twxyz"},
        {"time,motionQuaternionX(R),motionQuaternionY(R),motionQuaternionZ(R),motionQuaternionW(R)", "txyzw"},
        {"time,phi [rad],theta [rad],psi [rad],x,y,z", "t00appp"}};
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof rigs / sizeof rigs[0]; k++) {
        const marl_log_options none = {0};
        const char *divider = strchr(rigs[k].header, ',') != NULL ? "," : " ";
        marl_log log;
        marl_error error = {0};
        int guessed;
        size_t at = (size_t)snprintf(text, sizeof text, "%s\n", rigs[k].header);
        for (int i = 0; i < 400; i++) {
            const double angle = 0.005 * i;
            for (const char *p = rigs[k].holds; *p != '\0'; p++) {
                double value = *p == 't'   ? 0.02 * i
                               : *p == 'p' ? 0.6 + 0.05 * cos(angle)
                               : *p == 'w' ? cos(angle / 2)
                               : *p == 'z' ? sin(angle / 2)
                               : *p == 'a' ? angle
                                           : 0;
                at += (size_t)snprintf(text + at, sizeof text - at, "%s%.7f",
                                       p > rigs[k].holds ? divider : "", value);
            }
            at += (size_t)snprintf(text + at, sizeof text - at, "\n");
        }
        marl_status status =
            marl_log_load_named(&log, temporary_text(&dir, "rig.csv", text), &none, &guessed, &error);
        ck_assert_msg(status == MARL_OK, "%s: %s", rigs[k].header, error.text);
        ck_assert_uint_eq(log.info.columns & (MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG), 0);
        for (size_t i = 0; i < log.n; i++) {
            ck_assert(log.row[i].has_q);
            ck_assert_float_eq_tol(log.row[i].q.z, sinf(0.0025f * (float)i), 1e-6f);
        }
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* Units that nobody wrote down, by the numbers. */
START_TEST(numbers_show_units)
{
    static const char plain[] = "t,accel_x,accel_y,accel_z",
                      named[] = "t[ms],accel_x[g],accel_y[g],accel_z[g]";
    static const struct {
        const char *header;
        double t_unit, force_unit;
        int others;
    } units[] = {{plain, 1, 1, 0}, {plain, 1e-3, 1, 1}, {plain, 1, 9.8, 1}, {named, 1e-3, 9.8, 0}};
    temporary dir = temporary_make();
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        marl_columns_guess guess;
        const char *path = temporary_text(
            &dir, "a.csv", rows_under(units[i].header, "a", units[i].t_unit, units[i].force_unit));
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_msg(marl_columns_need_units(&guess) == units[i].others, "%zu: %s", i, guess.map);
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("columns load", readings_by_their_names, poses_by_their_names, numbers_show_units)
