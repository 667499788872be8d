/* SPDX-License-Identifier: MIT
 * Words of the trade in the names of columns. */
#include "lab/import/columns_guess.h"
#include "lab/log/log_format.h"
#include <stdio.h>
#include <string.h>

/* Words of the trade for a reading; longer ones before their prefixes. */
static const struct {
    const char *word;
    marl_column first;
    int axes;
} words[] = {
    {"accelerometer", MARL_COLUMN_ACCEL_X, 3},
    {"acceleration", MARL_COLUMN_ACCEL_X, 3},
    {"specificforce", MARL_COLUMN_ACCEL_X, 3},
    {"accel", MARL_COLUMN_ACCEL_X, 3},
    {"acc", MARL_COLUMN_ACCEL_X, 3},
    {"gyroscope", MARL_COLUMN_GYRO_X, 3},
    {"gyro", MARL_COLUMN_GYRO_X, 3},
    {"gyr", MARL_COLUMN_GYRO_X, 3},
    {"omega", MARL_COLUMN_GYRO_X, 3},
    {"angularvelocity", MARL_COLUMN_GYRO_X, 3},
    {"angularrate", MARL_COLUMN_GYRO_X, 3},
    {"angularvel", MARL_COLUMN_GYRO_X, 3},
    {"angvel", MARL_COLUMN_GYRO_X, 3},
    {"rotationrate", MARL_COLUMN_GYRO_X, 3},
    {"rate", MARL_COLUMN_GYRO_X, 3},
    {"magnetometer", MARL_COLUMN_MAG_X, 3},
    {"magneticfield", MARL_COLUMN_MAG_X, 3},
    {"magnetic", MARL_COLUMN_MAG_X, 3},
    {"magfield", MARL_COLUMN_MAG_X, 3},
    {"field", MARL_COLUMN_MAG_X, 3},
    {"compass", MARL_COLUMN_MAG_X, 3},
    {"magn", MARL_COLUMN_MAG_X, 3},
    {"mag", MARL_COLUMN_MAG_X, 3},
    {"temperature", MARL_COLUMN_TEMP, 0},
    {"temp", MARL_COLUMN_TEMP, 0},
    {"speed", MARL_COLUMN_SPEED, 0},
    {"wheelspeed", MARL_COLUMN_SPEED, 0},
    {"vehiclespeed", MARL_COLUMN_SPEED, 0},
    {"groundspeed", MARL_COLUMN_SPEED, 0},
    {"gpsspeed", MARL_COLUMN_SPEED, 0},
    {"forwardspeed", MARL_COLUMN_SPEED, 0},
    {"speedoverground", MARL_COLUMN_SPEED, 0},
    {"sog", MARL_COLUMN_SPEED, 0},
    {"velocity", MARL_COLUMN_SPEED, 0},
    {"roll", MARL_COLUMN_ROLL, 0},
    {"phi", MARL_COLUMN_ROLL, 0},
    {"theta", MARL_COLUMN_PITCH, 0},
    {"psi", MARL_COLUMN_YAW, 0},
    {"pitch", MARL_COLUMN_PITCH, 0},
    {"yaw", MARL_COLUMN_YAW, 0},
    {"heading", MARL_COLUMN_YAW, 0},
    {"quaternion", MARL_COLUMN_Q_W, 4},
    {"quatq", MARL_COLUMN_Q_W, 4},
    {"quat", MARL_COLUMN_Q_W, 4},
    {"a", MARL_COLUMN_ACCEL_X, 3},
    {"g", MARL_COLUMN_GYRO_X, 3},
    {"w", MARL_COLUMN_GYRO_X, 3},
    {"m", MARL_COLUMN_MAG_X, 3},
    {"b", MARL_COLUMN_MAG_X, 3},
    {"q", MARL_COLUMN_Q_W, 4},
};

int lab_guess_axis(const char *rest, int axes)
{
    static const char *const of_three[] = {"x", "y", "z"}, *const of_four[] = {"w", "x", "y", "z"};
    static const char *const numbers[] = {"0", "1", "2", "3"};
    for (int k = 0; k < axes; k++) {
        if (strcmp(rest, axes == 3 ? of_three[k] : of_four[k]) == 0 || strcmp(rest, numbers[k]) == 0) {
            return k;
        }
    }
    return -1;
}

/* The axis in the rest of a name, and the unit of such readings that may stand before it (gyro_dps_x). */
static int axis_behind_unit(char *rest, marl_column first, int axes, marl_column_guess *column)
{
    size_t n = strlen(rest);
    int axis = n > 1 ? lab_guess_axis(rest + n - 1, axes) : -1;
    if (axis < 0) {
        return lab_guess_axis(rest, axes);
    }
    rest[n - 1] = '\0';
    const char *unit = lab_guess_unit(rest);
    if (unit != NULL && lab_unit_find(lab_column_quantity(first), unit) != NULL) {
        snprintf(column->unit, sizeof column->unit, "%s", unit);
    }
    return unit != NULL ? axis : -1;
}

/* 1 when the simplified name is the word (and an axis, before or behind it). */
static int parse_as(const char *plain, const char *word, marl_column first, int axes,
                    marl_column_guess *column)
{
    size_t n = strlen(word);
    char rest[MARL_NAME_MAX];
    if (strncmp(plain, word, n) == 0) {
        snprintf(rest, sizeof rest, "%s", plain + n);
    } else if (axes > 0 && plain[0] != '\0' && strcmp(plain + 1, word) == 0) {
        snprintf(rest, sizeof rest, "%c", plain[0]);
    } else {
        return 0;
    }
    if (axes > 0) {
        int axis = axis_behind_unit(rest, first, axes, column);
        column->target = axis >= 0 ? (int)first + axis : column->target;
        return axis >= 0;
    }
    const char *unit = lab_guess_unit(rest);
    if (rest[0] != '\0' && unit == NULL) {
        return 0;
    }
    column->target = (int)first;
    if (unit != NULL) {
        snprintf(column->unit, sizeof column->unit, "%s", unit);
    }
    return 1;
}

int lab_guess_word(const char *plain, int *axes)
{
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        if (words[i].axes > 0 && strcmp(plain, words[i].word) == 0) {
            *axes = words[i].axes;
            return (int)words[i].first;
        }
    }
    return -1;
}

/* Behind what says only where a reading is from: "imu1", "raw". */
static const char *skip_origin(const char *plain)
{
    static const char *const origins[] = {"imu",   "sensor", "raw",    "device",   "board",
                                          "phone", "body",   "motion", "attitude", "euler"};
    for (size_t i = 0; i < sizeof origins / sizeof origins[0]; i++) {
        size_t n = strlen(origins[i]);
        if (strncmp(plain, origins[i], n) == 0 && plain[n] != '\0') {
            return plain + n + strspn(plain + n, "0123456789");
        }
    }
    return plain;
}

static int parse_whole(const char *name, int axes_min, marl_column_guess *column)
{
    char text[MARL_NAME_MAX] = "";
    size_t n = 0;
    lab_guess_simplify(name, text, sizeof text);
    for (const char *p = text; *p != '\0'; p++) {
        text[n] = *p;
        n += *p != '/';
    }
    text[n] = '\0';
    const char *plain = skip_origin(text);
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        if (words[i].axes >= axes_min &&
            parse_as(plain, words[i].word, words[i].first, words[i].axes, column)) {
            return 1;
        }
    }
    return 0;
}

int lab_guess_parse_word(const char *name, marl_column_guess *column)
{
    if (parse_whole(name, 0, column)) {
        return 1;
    }
    for (const char *part = strpbrk(name, "./"); part != NULL; part = strpbrk(part + 1, "./")) {
        if (parse_whole(part + 1, 3, column)) { /* a message's field: state.imu.angular_velocity.x */
            return 1;
        }
    }
    return 0;
}
