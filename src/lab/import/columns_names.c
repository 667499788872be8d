/* SPDX-License-Identifier: MIT
 * Target and unit from the name of a column. */
#include "lab/import/columns_guess.h"
#include "lab/log/log_format.h"
#include <ctype.h>
#include <stdio.h>
#include <string.h>

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
    {"ms^2", "m/s^2"}, /* m s^-2: simplified, it has no minus */
    {"ms2", "m/s^2"},
    {"mps2", "m/s^2"},
    {"m/s\xc2\xb2", "m/s^2"},
    {"g", "g"},
    {"mg", "mg"},
    {"rad/s", "rad/s"},
    {"rads", "rad/s"},
    {"rads^1", "rad/s"},
    {"radps", "rad/s"},
    {"rps", "rad/s"},
    {"deg/s", "deg/s"},
    {"dps", "deg/s"},
    {"degs^1", "deg/s"},
    {"degps", "deg/s"},
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
static const char *const unwanted[] = {"linear",  "linacc",   "useraccel", "withoutg", "nogravity",
                                       "gravity", "accuracy", "status",    "sequence", "bearing"};

/* Of a receiver of satellites or of a rig, places and velocities: parts of names, and whole ones. */
static const char *const positions[] = {"latitude",  "longitude", "altitude", "elevation", "course",
                                        "satellite", "hdop",      "vdop",     "pdop",      "position",
                                        "posx",      "posy",      "posz"};
static const char *const whole_positions[] = {
    "lat",       "lon",       "lng", "long", "alt", "cog", "sats", "nsat", "nsats", "fix",
    "vx",        "vy",        "vz",  "vn",   "ve",  "vd",  "velx", "vely", "velz",  "velocityx",
    "velocityy", "velocityz", "tx",  "ty",   "tz",  "px",  "py",   "pz"};

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

const char *lab_guess_unit(const char *text)
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
    const char *unit = last != NULL ? lab_guess_unit(last + 1) : NULL;
    if (unit == NULL || lab_unit_find(quantity, unit) == NULL) {
        return NULL;
    }
    *last = '\0';
    return unit;
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

/* acc[0] is acc0: what stands in these brackets is no unit. */
static void open_index(char *name)
{
    char *open = strchr(name, '[');
    if (open != NULL && isdigit((unsigned char)open[1]) && open[2] == ']') {
        open[0] = open[1];
        memmove(open + 1, open + 3, strlen(open + 3) + 1);
    }
}

/* The unit in the brackets of the name, or behind its last blank or underline; cut off where it is one. */
static const char *take_unit(char *name)
{
    char *open = strpbrk(name, "[(");
    const char *unit = NULL;
    if (open != NULL && open > name) {
        *open = '\0';
        open[1 + strcspn(open + 1, "])")] = '\0';
        unit = lab_guess_unit(open + 1);
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
            *unit = (*unit)[0] == '\0' && lab_guess_unit(plain) != NULL ? lab_guess_unit(plain) : *unit;
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
    int k = is_axis && hint->first >= 0 && one[0] >= 'w' ? lab_guess_axis(one, hint->axes) : -1;
    column->target = k >= 0 ? hint->first + k : column->target;
    return k >= 0;
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
    open_index(name);
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
    if (hint->unwanted ||
        (!by_file && !lab_guess_parse_word(name, column) && !parse_unit(name, unit, column))) {
        return;
    }
    lab_quantity quantity = lab_column_quantity((marl_column)column->target);
    if (unit != NULL && (lab_unit_find(quantity, unit) != NULL || strcmp(unit, "count") == 0)) {
        snprintf(column->unit, sizeof column->unit, "%s", unit);
    }
    column->is_heading = column->target == MARL_COLUMN_YAW && strncmp(plain, "heading", 7) == 0;
    snprintf(column->why, sizeof column->why, by_file ? "by its name and the file's" : "by its name");
    column->named = 1;
    column->sure = column->unit[0] != '\0' ||
                   (column->target >= MARL_COLUMN_Q_W && column->target < MARL_COLUMN_Q_W + 4);
}

void lab_guess_forget(marl_column_guess *c, const char *why)
{
    c->target = -1;
    c->named = c->sure = c->is_heading = 0;
    c->unit[0] = '\0';
    snprintf(c->why, sizeof c->why, "%s", why);
}

/* The number at the end of a column's name; -1 without. */
static int number_of(const marl_column_guess *c)
{
    size_t n = strcspn(c->name, "[( ");
    return n > 0 && isdigit((unsigned char)c->name[n - 1]) ? c->name[n - 1] - '0' : -1;
}

static void check_numbered(marl_columns_guess *guess, int first)
{
    int y = lab_guess_column(guess, first + 1), z = lab_guess_column(guess, first + 2);
    if (lab_guess_has(guess, first) || y < 0 || z != y + 1 || number_of(&guess->column[y]) != 1) {
        return;
    }
    marl_column_guess *c = &guess->column[y], last = c[1];
    int numbered = 2; /* as many in a row, from 1 */
    while ((size_t)y + (size_t)numbered < guess->n && number_of(c + numbered) == numbered + 1) {
        numbered++;
    }
    if (numbered != 3) {
        for (int k = 0; k < numbered; k++) {
            lab_guess_forget(c + k, "one of several, and no axis");
        }
        return;
    }
    for (int k = 0; k < 3; k++) {
        memcpy(c[k].unit, last.unit, sizeof last.unit);
        memcpy(c[k].why, last.why, sizeof last.why);
        c[k].target = first + k;
        c[k].named = 1;
        c[k].sure = last.sure;
    }
}

/* q1 to q4: which of them is w, no name says. */
static void check_numbered_quaternion(marl_columns_guess *guess)
{
    int x = lab_guess_column(guess, MARL_COLUMN_Q_W + 1);
    if (x >= 0 && !lab_guess_has(guess, MARL_COLUMN_Q_W) && number_of(&guess->column[x]) == 1) {
        for (int k = MARL_COLUMN_Q_W + 1; k < MARL_COLUMN_Q_W + 4; k++) {
            int at = lab_guess_column(guess, k);
            if (at >= 0) {
                lab_guess_forget(&guess->column[at], "");
            }
        }
    }
}

void lab_guess_check_numbered(marl_columns_guess *guess)
{
    check_numbered_quaternion(guess);
    check_numbered(guess, MARL_COLUMN_ACCEL_X);
    check_numbered(guess, MARL_COLUMN_GYRO_X);
    check_numbered(guess, MARL_COLUMN_MAG_X);
}
