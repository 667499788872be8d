/* SPDX-License-Identifier: MIT
 * Target and unit from the name of a column. */
#include "lab/import/columns_guess.h"
#include "lab/log/log_format.h"
#include <ctype.h>
#include <stdio.h>
#include <string.h>

static const char heading[] = "heading";

/* Words of the trade for a reading; longer ones before their prefixes. */
static const struct {
    const char *word;
    marl_column first;
    int axes;
} words[] = {
    {"accelerometer", MARL_COLUMN_ACCEL_X, 3},
    {"acceleration", MARL_COLUMN_ACCEL_X, 3},
    {"accel", MARL_COLUMN_ACCEL_X, 3},
    {"acc", MARL_COLUMN_ACCEL_X, 3},
    {"gyroscope", MARL_COLUMN_GYRO_X, 3},
    {"gyro", MARL_COLUMN_GYRO_X, 3},
    {"gyr", MARL_COLUMN_GYRO_X, 3},
    {"omega", MARL_COLUMN_GYRO_X, 3},
    {"angularvelocity", MARL_COLUMN_GYRO_X, 3},
    {"angularrate", MARL_COLUMN_GYRO_X, 3},
    {"rate", MARL_COLUMN_GYRO_X, 3},
    {"magnetometer", MARL_COLUMN_MAG_X, 3},
    {"magnetic", MARL_COLUMN_MAG_X, 3},
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
    {"pitch", MARL_COLUMN_PITCH, 0},
    {"yaw", MARL_COLUMN_YAW, 0},
    {heading, MARL_COLUMN_YAW, 0},
    {"quaternion", MARL_COLUMN_Q_W, 4},
    {"quat", MARL_COLUMN_Q_W, 4},
    {"a", MARL_COLUMN_ACCEL_X, 3},
    {"g", MARL_COLUMN_GYRO_X, 3},
    {"w", MARL_COLUMN_GYRO_X, 3},
    {"m", MARL_COLUMN_MAG_X, 3},
    {"b", MARL_COLUMN_MAG_X, 3},
    {"q", MARL_COLUMN_Q_W, 4},
};

/* Spellings of units, without blanks and in small letters, and ours. */
static const struct {
    const char *spelling, *unit;
} spellings[] = {
    {"s", "s"},
    {"sec", "s"},
    {"seconds", "s"},
    {"ms", "ms"},
    {"msec", "ms"},
    {"milliseconds", "ms"},
    {"us", "us"},
    {"\xc2\xb5s", "us"},
    {"microseconds", "us"},
    {"ns", "ns"},
    {"m/s^2", "m/s^2"},
    {"m/s2", "m/s^2"},
    {"m/s/s", "m/s^2"},
    {"ms-2", "m/s^2"},
    {"m/s\xc2\xb2", "m/s^2"},
    {"g", "g"},
    {"mg", "mg"},
    {"rad/s", "rad/s"},
    {"rads", "rad/s"},
    {"rps", "rad/s"},
    {"deg/s", "deg/s"},
    {"dps", "deg/s"},
    {"\xc2\xb0/s", "deg/s"},
    {"mdps", "mdeg/s"},
    {"mdeg/s", "mdeg/s"},
    {"ut", "uT"},
    {"\xc2\xb5t", "uT"},
    {"nt", "nT"},
    {"mt", "mT"},
    {"gauss", "G"},
    {"mgauss", "mG"},
    {"degc", "degC"},
    {"c", "degC"},
    {"\xc2\xb0"
     "c",
     "degC"},
    {"k", "K"},
    {"degf", "degF"},
    {"m/s", "m/s"},
    {"mps", "m/s"},
    {"km/h", "km/h"},
    {"kmh", "km/h"},
    {"kph", "km/h"},
    {"kn", "kn"},
    {"kt", "kn"},
    {"kts", "kn"},
    {"knots", "kn"},
    {"mph", "mph"},
    {"deg", "deg"},
    {"rad", "rad"},
    {"count", "count"},
    {"counts", "count"},
    {"lsb", "count"},
    {"raw", "count"},
};

/* Parts of a name that say time, and the unit that each of them says, if any; those of small units before those of
 * which they are a part. */
static const struct {
    const char *part, *unit;
} times[] = {{"nanos", "ns"},   {"micros", "us"}, {"millis", "ms"}, {"elapsed", ""},
             {"timestamp", ""}, {"time", ""},     {"stamp", ""},    {"clock", ""},
             {"epoch", ""},     {"second", "s"},  {"uptime", ""}};
static const char *const whole_times[] = {"t", "ts", "sec", "secs", "s", "ms", "us", "ns", "utc"};

/* Accelerations without gravity, gravity alone, and what is no reading at all. */
static const char *const unwanted[] = {"linear",   "useraccel", "withoutg", "nogravity", "gravity",
                                       "accuracy", "status",    "sequence", "bearing"};

/* Of a receiver of satellites or of a rig: parts of names, and whole ones. */
static const char *const positions[] = {"latitude",  "longitude", "altitude", "elevation", "course",
                                        "satellite", "hdop",      "vdop",     "pdop",      "position",
                                        "posx",      "posy",      "posz"};
static const char *const whole_positions[] = {"lat", "lon",  "lng",  "long",  "alt",
                                              "cog", "sats", "nsat", "nsats", "fix"};

/* Small letters, without blanks and underlines. */
void lab_guess_simplify(const char *text, char *plain, size_t size)
{
    size_t n = 0;
    for (; *text != '\0' && n + 1 < size; text++) {
        if (strchr(" \t_.-:\"", *text) == NULL) {
            plain[n++] = (char)tolower((unsigned char)*text);
        }
    }
    plain[n] = '\0';
}

static const char *unit_spelt(const char *text)
{
    char plain[24];
    lab_guess_simplify(text, plain, sizeof plain);
    for (size_t i = 0; i < sizeof spellings / sizeof spellings[0]; i++) {
        if (strcmp(plain, spellings[i].spelling) == 0) {
            return spellings[i].unit;
        }
    }
    return NULL;
}

/* A unit that stands behind the last underline or blank, as in acc_x_mg; cut off where it is one. */
static const char *unit_at_end(char *name, lab_quantity quantity)
{
    char *last = strrchr(name, '_') != NULL ? strrchr(name, '_') : strrchr(name, ' ');
    const char *unit = last != NULL ? unit_spelt(last + 1) : NULL;
    if (unit == NULL || lab_unit_find(quantity, unit) == NULL) {
        return NULL;
    }
    *last = '\0';
    return unit;
}

/* The axis in the rest of a name: 0 x or w of four, ...; -1 when it is none. */
static int axis_of(const char *rest, int axes)
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
    int axis = axes > 0 ? axis_of(rest, axes) : rest[0] == '\0' || unit_spelt(rest) != NULL ? 0 : -1;
    if (axis < 0) {
        return 0;
    }
    column->target = (int)first + axis;
    if (axes == 0 && rest[0] != '\0') {
        snprintf(column->unit, sizeof column->unit, "%s", unit_spelt(rest));
    }
    return 1;
}

static int has_part(const char *plain, const char *const *part, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        if (strstr(plain, part[i]) != NULL) {
            return 1;
        }
    }
    return 0;
}

int lab_guess_is_unwanted(const char *plain)
{
    return has_part(plain, unwanted, sizeof unwanted / sizeof unwanted[0]);
}

static int is_position(const char *plain)
{
    for (size_t i = 0; i < sizeof whole_positions / sizeof whole_positions[0]; i++) {
        if (strcmp(plain, whole_positions[i]) == 0) {
            return 1;
        }
    }
    return has_part(plain, positions, sizeof positions / sizeof positions[0]);
}

/* The unit in the brackets of the name, or behind its last blank or underline; cut off where it is one. */
static const char *take_unit(char *name)
{
    char *open = strpbrk(name, "[(");
    const char *unit = NULL;
    if (open != NULL && open > name) {
        *open = '\0';
        open[1 + strcspn(open + 1, "])")] = '\0';
        unit = unit_spelt(open + 1);
    }
    for (int q = 0; q < LAB_QUANTITY_COUNT && unit == NULL; q++) {
        unit = unit_at_end(name, (lab_quantity)q);
    }
    return unit;
}

int lab_guess_is_time(const char *name, const char **unit)
{
    char plain[MARL_NAME_MAX], bare[MARL_NAME_MAX];
    snprintf(bare, sizeof bare, "%s", name);
    const char *given = take_unit(bare);
    lab_guess_simplify(bare, plain, sizeof plain);
    *unit = given != NULL && lab_unit_find(LAB_TIME, given) != NULL ? given : "";
    if (strcmp(*unit, "ms") == 0 || strcmp(*unit, "us") == 0 || strcmp(*unit, "ns") == 0) {
        return 1; /* nothing else has such a unit */
    }
    for (size_t i = 0; i < sizeof times / sizeof times[0]; i++) {
        if (strstr(plain, times[i].part) != NULL) {
            *unit = (*unit)[0] != '\0' ? *unit : times[i].unit;
            return 1;
        }
    }
    for (size_t i = 0; i < sizeof whole_times / sizeof whole_times[0]; i++) {
        if (strcmp(plain, whole_times[i]) == 0) {
            *unit = (*unit)[0] == '\0' && unit_spelt(plain) != NULL ? unit_spelt(plain) : *unit;
            return 1;
        }
    }
    return 0;
}

/* An axis alone, in a file whose name says of what. */
static int parse_axis(const char *name, const lab_file_hint *hint, marl_column_guess *column)
{
    char plain[MARL_NAME_MAX] = "";
    lab_guess_simplify(name, plain, sizeof plain);
    const char *axis = strncmp(plain, "axis", 4) == 0    ? plain + 4
                       : strncmp(plain, "value", 5) == 0 ? plain + 5
                                                         : plain;
    size_t n = strlen(axis);
    char one[2] = {n > 0 ? axis[0] : '\0', '\0'};
    int is_axis = n == 1 || strcmp(axis + (n > 0), "axis") == 0 || strcmp(axis + (n > 0), "value") == 0;
    int k = is_axis && hint->first >= 0 && one[0] >= 'w' ? axis_of(one, hint->axes) : -1;
    column->target = k >= 0 ? hint->first + k : column->target;
    return k >= 0;
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
    static const char *const origins[] = {"imu", "sensor", "raw", "device", "board", "phone", "body"};
    for (size_t i = 0; i < sizeof origins / sizeof origins[0]; i++) {
        size_t n = strlen(origins[i]);
        if (strncmp(plain, origins[i], n) == 0 && plain[n] != '\0') {
            return plain + n + strspn(plain + n, "0123456789/");
        }
    }
    return plain;
}

static int parse_word(const char *name, marl_column_guess *column)
{
    char text[MARL_NAME_MAX] = "";
    lab_guess_simplify(name, text, sizeof text);
    const char *plain = skip_origin(text);
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        if (parse_as(plain, words[i].word, words[i].first, words[i].axes, column)) {
            return 1;
        }
    }
    return 0;
}

/* A unit gives the quantity, an x, y or z at the end of the name the axis. */
static int parse_unit(const char *name, const char *unit, marl_column_guess *column)
{
    static const struct {
        lab_quantity quantity;
        marl_column first;
    } sensors[] = {
        {LAB_ACCEL, MARL_COLUMN_ACCEL_X}, {LAB_GYRO, MARL_COLUMN_GYRO_X}, {LAB_MAG, MARL_COLUMN_MAG_X}};
    char plain[MARL_NAME_MAX];
    lab_guess_simplify(name, plain, sizeof plain);
    size_t n = strlen(plain);
    for (size_t i = 0; i < sizeof sensors / sizeof sensors[0] && unit != NULL && n > 0; i++) {
        const char *axis = strchr("xyz", plain[n - 1]);
        if (axis != NULL && lab_unit_find(sensors[i].quantity, unit) != NULL) {
            column->target = (int)sensors[i].first + (int)(*axis - 'x');
            return 1;
        }
    }
    return 0;
}

static void name_time(marl_column_guess *column, const char *unit)
{
    column->target = MARL_COLUMN_T;
    snprintf(column->unit, sizeof column->unit, "%s", unit);
    snprintf(column->why, sizeof column->why, "by its name");
    column->named = 1;
    column->sure = unit[0] != '\0';
}

void lab_guess_by_name(marl_column_guess *column, const lab_file_hint *hint)
{
    char name[MARL_NAME_MAX], plain[MARL_NAME_MAX];
    const char *said;
    snprintf(name, sizeof name, "%s", column->name);
    if (lab_guess_is_time(name, &said)) {
        name_time(column, said);
        return;
    }
    const char *unit = take_unit(name);
    lab_guess_simplify(name, plain, sizeof plain);
    if (lab_guess_is_unwanted(plain) || is_position(plain)) {
        snprintf(column->why, sizeof column->why, "no reading of a sensor, by its name");
        return;
    }
    int by_file = hint->unwanted ? 0 : parse_axis(name, hint, column);
    if (hint->unwanted || (!by_file && !parse_word(name, column) && !parse_unit(name, unit, column))) {
        return;
    }
    lab_quantity quantity = lab_column_quantity((marl_column)column->target);
    if (unit != NULL && (lab_unit_find(quantity, unit) != NULL || strcmp(unit, "count") == 0)) {
        snprintf(column->unit, sizeof column->unit, "%s", unit);
    }
    column->is_heading = column->target == MARL_COLUMN_YAW && strncmp(plain, heading, strlen(heading)) == 0;
    snprintf(column->why, sizeof column->why, by_file ? "by its name and the file's" : "by its name");
    column->named = 1;
    column->sure = column->unit[0] != '\0' ||
                   (column->target >= MARL_COLUMN_Q_W && column->target < MARL_COLUMN_Q_W + 4);
}
