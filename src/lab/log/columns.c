/* SPDX-License-Identifier: MIT
 * Reading column maps. */
#include "lab/log/log_map.h"
#include "marlinspike/log.h"
#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Beyond it a reading would not fit into a float, or vanish. */
#define MAX_FACTOR 1e15

/* Words behind an entry. */
static const char changed[] = "changed", where[] = "where";

/* The yaw as a compass has it. */
static const char heading[] = "heading";

/* The place in a map, and where to write what is wrong. */
typedef struct cursor {
    const char *at;
    marl_status fault; /* MARL_ERR_USE on the command line, MARL_ERR_INPUT in a file */
    marl_error *error;
} cursor;

static const struct {
    const char *name;
    marl_column first;
    int columns;
} groups[] = {{"accel", MARL_COLUMN_ACCEL_X, 3},
              {"gyro", MARL_COLUMN_GYRO_X, 3},
              {"mag", MARL_COLUMN_MAG_X, 3},
              {"q", MARL_COLUMN_Q_W, 4}};

static void skip_blanks(cursor *c)
{
    while (*c->at == ' ' || *c->at == '\t' || *c->at == '\r') {
        c->at++;
    }
}

static marl_status wrong(const cursor *c, const char *what)
{
    return marl_fail(c->error, c->fault, "column map: %s at '%.40s'", what,
                     *c->at != '\0' ? c->at : "its end");
}

/* A word up to one of the characters in `stops`, blanks around it cut off; or what stands in quotes. */
static marl_status parse_word(cursor *c, const char *stops, char *word, size_t size)
{
    size_t n;
    skip_blanks(c);
    if (*c->at == '"') {
        n = strcspn(++c->at, "\"\n");
        if (c->at[n] != '"') {
            return wrong(c, "a quote is not closed");
        }
        snprintf(word, size, "%.*s", (int)n, c->at);
        c->at += n + 1;
        skip_blanks(c);
        return MARL_OK;
    }
    n = strcspn(c->at, stops);
    size_t kept = n;
    while (kept > 0 && isspace((unsigned char)c->at[kept - 1])) {
        kept--;
    }
    if (kept == 0 || kept >= size) {
        return wrong(c, kept == 0 ? "a word is missing" : "a word is too long");
    }
    snprintf(word, size, "%.*s", (int)kept, c->at);
    c->at += n;
    return MARL_OK;
}

/* angles_zyx: the letters of the turns, each of x, y and z once. */
static int parse_turns(const char *word, char turns[4])
{
    static const char prefix[] = "angles_";
    const char *axes = word + sizeof prefix - 1;
    if (strncmp(word, prefix, sizeof prefix - 1) != 0 || strlen(axes) != 3 || strspn(axes, "xyz") != 3 ||
        axes[0] == axes[1] || axes[1] == axes[2] || axes[0] == axes[2]) {
        return 0;
    }
    memcpy(turns, axes, 4);
    return 1;
}

static marl_status parse_target(cursor *c, marl_column_map *map, marl_column *first, int *columns)
{
    char word[MARL_NAME_MAX];
    MARL_TRY(parse_word(c, "=;\n", word, sizeof word));
    if (*c->at != '=') {
        return wrong(c, "a = is missing");
    }
    c->at++;
    *columns = 1;
    for (size_t i = 0; i < sizeof groups / sizeof groups[0]; i++) {
        if (strcmp(word, groups[i].name) == 0) {
            *first = groups[i].first;
            *columns = groups[i].columns;
            return MARL_OK;
        }
    }
    if (parse_turns(word, map->turns)) {
        *first = MARL_COLUMN_ROLL;
        *columns = 3;
        return MARL_OK;
    }
    if (strcmp(word, heading) == 0) {
        map->has_heading = 1;
        *first = MARL_COLUMN_YAW;
        return MARL_OK;
    }
    int found = lab_column_by_name(word);
    if (found < 0) {
        return marl_fail(c->error, c->fault,
                         "column map: '%s' is no column of a log; known: t, accel, gyro, mag, q, accel_x ... "
                         "q_z, temp, speed, roll, pitch, yaw, heading, angles_zyx",
                         word);
    }
    *first = (marl_column)found;
    return MARL_OK;
}

/* Where a word that may stand behind an entry begins in the name of a column without quotes; its length without one. */
static size_t name_ends_at(const char *name)
{
    static const char *const behind[] = {changed, where};
    for (size_t k = 0; name[k] != '\0'; k++) {
        int is_behind_blank = k > 0 && isspace((unsigned char)name[k - 1]);
        for (size_t i = 0; is_behind_blank && i < sizeof behind / sizeof behind[0]; i++) {
            size_t n = strlen(behind[i]);
            if (strncmp(name + k, behind[i], n) == 0 && !isalnum((unsigned char)name[k + n])) {
                return k;
            }
        }
    }
    return strlen(name);
}

/* A column of the file, up to one of the characters in `stops`: [-] number, name or "name". */
static marl_status parse_source(cursor *c, const char *stops, marl_column_source *source)
{
    skip_blanks(c);
    source->negative = *c->at == '-';
    c->at += *c->at == '-' || *c->at == '+';
    skip_blanks(c);
    int quoted = *c->at == '"';
    const char *start = c->at;
    char text[2 * MARL_NAME_MAX + MARL_LABEL_MAX + 16] = ""; /* with a label's column and label behind it */
    MARL_TRY(parse_word(c, stops, text, sizeof text));
    size_t n = quoted ? strlen(text) : name_ends_at(text);
    c->at = text[n] != '\0' ? start + n : c->at;
    while (!quoted && n > 0 && isspace((unsigned char)text[n - 1])) {
        n--;
    }
    text[n] = '\0';
    if (n >= sizeof source->name) {
        return wrong(c, "a word is too long");
    }
    snprintf(source->name, sizeof source->name, "%s", text);
    if (quoted) {
        return MARL_OK;
    }
    if (strspn(source->name, "0123456789") == strlen(source->name)) {
        long number = strtol(source->name, NULL, 10);
        if (number < 1 || number > LAB_LOG_MAX_COLUMNS) {
            return marl_fail(c->error, c->fault, "column map: columns are numbered from 1 to %d, not %s",
                             LAB_LOG_MAX_COLUMNS, source->name);
        }
        source->number = (int)number;
        source->name[0] = '\0';
    }
    return MARL_OK;
}

/* "[0.061 mg]": factor and unit, which may be missing. */
static marl_status parse_unit(cursor *c, double *factor, char *unit, size_t size)
{
    *factor = 1;
    unit[0] = '\0';
    skip_blanks(c);
    if (*c->at != '[') {
        return MARL_OK;
    }
    char *end;
    double value = strtod(++c->at, &end);
    if (end != c->at) {
        if (!(value >= 1 / MAX_FACTOR && value <= MAX_FACTOR)) {
            return wrong(c, "a factor that lies outside 1e-15 to 1e15");
        }
        *factor = value;
        c->at = end;
    }
    MARL_TRY(parse_word(c, "];\n", unit, size));
    if (*c->at != ']') {
        return wrong(c, "a ] is missing");
    }
    c->at++;
    return MARL_OK;
}

/* 1 when the word comes next, which is skipped then. */
static int takes_word(cursor *c, const char *word)
{
    size_t n = strlen(word);
    skip_blanks(c);
    if (strncmp(c->at, word, n) != 0 || isalnum((unsigned char)c->at[n])) {
        return 0;
    }
    c->at += n;
    skip_blanks(c);
    return 1;
}

/* "COLUMN=LABEL": which rows the entry is of. The column is the same in the whole map. */
static marl_status parse_label(cursor *c, marl_column_map *map, marl_column first, int columns)
{
    marl_column_source column = {.target = first};
    char label[MARL_LABEL_MAX];
    if (first == MARL_COLUMN_T) {
        return wrong(c, "t is of all rows, a label cannot choose some");
    }
    MARL_TRY(parse_source(c, "=;\n", &column));
    if (*c->at++ != '=') {
        c->at--;
        return wrong(c, "where COLUMN=LABEL: a = is missing");
    }
    MARL_TRY(parse_word(c, ";\n", label, sizeof label));
    if (map->has_labels &&
        (map->label.number != column.number || strcmp(map->label.name, column.name) != 0)) {
        return wrong(c, "labels in two columns before");
    }
    map->has_labels = 1;
    map->label = column;
    for (size_t k = 0; k < map->n; k++) {
        if ((int)map->source[k].target >= (int)first && (int)map->source[k].target < (int)first + columns) {
            memcpy(map->source[k].label, label, sizeof label);
        }
    }
    return MARL_OK;
}

/* The words that may stand behind an entry. */
static marl_status parse_behind(cursor *c, marl_column_map *map, marl_column first, int columns)
{
    if (takes_word(c, changed)) {
        map->changed |= ((1u << columns) - 1) << first;
    }
    if (takes_word(c, where)) {
        MARL_TRY(parse_label(c, map, first, columns));
    }
    return *c->at == '\0' || *c->at == ';' || *c->at == '\n' ? MARL_OK
                                                             : wrong(c, "; is missing between entries");
}

static marl_status parse_rate(cursor *c, marl_column_map *map)
{
    char *end;
    map->rate_hz = strtod(++c->at, &end);
    if (end == c->at || !(map->rate_hz >= 1e-3 && map->rate_hz <= 1e6)) {
        return wrong(c, "a rate in Hz is missing");
    }
    c->at = end;
    return parse_behind(c, map, MARL_COLUMN_T, 1);
}

static marl_status check_new(const cursor *c, const marl_column_map *map, marl_column first, int columns)
{
    for (size_t k = 0; k < map->n; k++) {
        if (map->source[k].target >= first && (int)map->source[k].target < (int)first + columns) {
            return marl_fail(c->error, c->fault, "column map: %s stands there twice",
                             marl_column_name(map->source[k].target));
        }
    }
    return MARL_OK;
}

static marl_status add_sources(cursor *c, marl_column_map *map, const marl_column_source *found,
                               marl_column first, int columns)
{
    double factor;
    char unit[sizeof found->unit];
    marl_status status = parse_unit(c, &factor, unit, sizeof unit);
    for (int i = 0; i < columns && status == MARL_OK; i++) {
        marl_column_source *source = &map->source[map->n];
        *source = found[i];
        source->target = (marl_column)((int)first + i);
        source->factor = factor;
        memcpy(source->unit, unit, sizeof unit);
        map->n++;
    }
    return status;
}

/* "sec[s]+nsec[ns]": a time in several columns. */
static marl_status parse_times(cursor *c, marl_column_map *map)
{
    for (int parts = 0; parts == 0 || *c->at == '+'; parts++) {
        marl_column_source found = {.target = MARL_COLUMN_T};
        if (parts == MARL_TIME_PARTS) {
            return wrong(c, "a time has at most five parts");
        }
        c->at += parts > 0;
        MARL_TRY(parse_source(c, "+,;[\n", &found));
        MARL_TRY(add_sources(c, map, &found, MARL_COLUMN_T, 1));
        skip_blanks(c);
    }
    return parse_behind(c, map, MARL_COLUMN_T, 1);
}

static marl_status parse_entry(cursor *c, marl_column_map *map)
{
    marl_column_source found[4] = {{0}};
    marl_column first = MARL_COLUMN_T;
    int columns = 1;
    MARL_TRY(parse_target(c, map, &first, &columns));
    skip_blanks(c);
    if (first == MARL_COLUMN_T && *c->at == '@') {
        return parse_rate(c, map);
    }
    MARL_TRY(check_new(c, map, first, columns));
    if (first == MARL_COLUMN_T) {
        return parse_times(c, map);
    }
    for (int i = 0; i < columns; i++) {
        MARL_TRY(parse_source(c, ",;[\n", &found[i]));
        if (i + 1 < columns && *c->at++ != ',') {
            c->at--;
            MARL_TRY(wrong(c, columns == 4 ? "four columns are needed" : "three columns are needed"));
        }
    }
    MARL_TRY(add_sources(c, map, found, first, columns));
    return parse_behind(c, map, first, columns);
}

/* Roll, pitch and heading as navigation has them, of a body forward, right, down against north, east, down, are those of
 * the same body forward, left, up against east, north, up with another sign of the pitch and yaw = 90 - heading. */
static void turn_heading(marl_column_map *map)
{
    for (size_t i = 0; i < map->n && map->has_heading; i++) {
        marl_column_source *source = &map->source[i];
        if (source->target == MARL_COLUMN_YAW || source->target == MARL_COLUMN_PITCH) {
            source->negative = !source->negative;
        }
        if (source->target == MARL_COLUMN_YAW) {
            source->offset = 90;
        }
    }
}

static marl_status parse(marl_column_map *map, cursor *c)
{
    memset(map, 0, sizeof *map);
    int timed = 0;
    for (;;) {
        c->at += strspn(c->at, "; \t\r\n");
        if (*c->at == '#') {
            c->at += strcspn(c->at, "\n");
            continue;
        }
        if (*c->at == '\0') {
            break;
        }
        MARL_TRY(parse_entry(c, map));
    }
    turn_heading(map);
    for (size_t i = 0; i < map->n; i++) {
        timed |= map->source[i].target == MARL_COLUMN_T;
    }
    if (timed + (map->rate_hz > 0) != 1) {
        return marl_fail(c->error, c->fault,
                         timed ? "column map: t is a column or a rate, not both"
                               : "column map: no t; write t=COLUMN[UNIT], or t=@RATE in Hz");
    }
    if (map->has_labels && !timed) {
        return marl_fail(c->error, c->fault,
                         "column map: rows with labels need a column of times, not a rate");
    }
    return MARL_OK;
}

marl_status lab_column_map_parse(marl_column_map *map, const char *text, marl_status fault, marl_error *error)
{
    cursor c = {text, fault, error};
    return parse(map, &c);
}
