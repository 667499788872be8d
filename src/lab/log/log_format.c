/* SPDX-License-Identifier: MIT
 * The header of a log. */
#include "lab/log/log_format.h"
#include "marlinspike/estimator.h"
#include "marlinspike/simulate.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const struct {
    const char *name;
    lab_quantity quantity;
} columns[MARL_COLUMN_COUNT] = {
    [MARL_COLUMN_T] = {"t", LAB_TIME},
    [MARL_COLUMN_ACCEL_X] = {"accel_x", LAB_ACCEL},
    [MARL_COLUMN_ACCEL_Y] = {"accel_y", LAB_ACCEL},
    [MARL_COLUMN_ACCEL_Z] = {"accel_z", LAB_ACCEL},
    [MARL_COLUMN_GYRO_X] = {"gyro_x", LAB_GYRO},
    [MARL_COLUMN_GYRO_Y] = {"gyro_y", LAB_GYRO},
    [MARL_COLUMN_GYRO_Z] = {"gyro_z", LAB_GYRO},
    [MARL_COLUMN_MAG_X] = {"mag_x", LAB_MAG},
    [MARL_COLUMN_MAG_Y] = {"mag_y", LAB_MAG},
    [MARL_COLUMN_MAG_Z] = {"mag_z", LAB_MAG},
    [MARL_COLUMN_TEMP] = {"temp", LAB_TEMP},
    [MARL_COLUMN_SPEED] = {"speed", LAB_SPEED},
    [MARL_COLUMN_Q_W] = {"q_w", LAB_PURE},
    [MARL_COLUMN_Q_X] = {"q_x", LAB_PURE},
    [MARL_COLUMN_Q_Y] = {"q_y", LAB_PURE},
    [MARL_COLUMN_Q_Z] = {"q_z", LAB_PURE},
    [MARL_COLUMN_ROLL] = {"roll", LAB_ANGLE},
    [MARL_COLUMN_PITCH] = {"pitch", LAB_ANGLE},
    [MARL_COLUMN_YAW] = {"yaw", LAB_ANGLE},
    [MARL_COLUMN_WEIGHT_ACCEL] = {"weight_accel", LAB_PURE},
    [MARL_COLUMN_WEIGHT_MAG] = {"weight_mag", LAB_PURE},
    [MARL_COLUMN_SIGMA_TILT] = {"sigma_tilt", LAB_ANGLE},
    [MARL_COLUMN_SIGMA_HEADING] = {"sigma_heading", LAB_ANGLE},
};

const char *marl_column_name(marl_column column)
{
    return (unsigned)column < MARL_COLUMN_COUNT ? columns[column].name : "?";
}

lab_quantity lab_column_quantity(marl_column column)
{
    return columns[column].quantity;
}

static const struct {
    const char *name;
    unsigned raw;
} raw_names[] = {{"accel", MARL_FRESH_ACCEL},
                 {"gyro", MARL_FRESH_GYRO},
                 {"mag", MARL_FRESH_MAG},
                 {"gyro_scale", MARL_GYRO_SCALE_OPEN}};
enum { RAW_NAMES = sizeof raw_names / sizeof raw_names[0] };

void lab_metadata_raw(unsigned raw, char text[40])
{
    text[0] = '\0';
    for (size_t k = 0; k < RAW_NAMES; k++) {
        if (raw & raw_names[k].raw) {
            size_t used = strlen(text);
            snprintf(text + used, 40 - used, "%s%s", used > 0 ? "," : " raw=", raw_names[k].name);
        }
    }
}

/* Names apart by commas. */
static unsigned parse_raw(const char *list)
{
    unsigned raw = 0;
    while (*list != '\0') {
        size_t n = strcspn(list, ",");
        for (size_t k = 0; k < RAW_NAMES; k++) {
            raw |= strlen(raw_names[k].name) == n && strncmp(list, raw_names[k].name, n) == 0
                       ? raw_names[k].raw
                       : 0;
        }
        list += n + (list[n] == ',');
    }
    return raw;
}

static void parse_metadata(const char *word, marl_log_info *info)
{
    if (strncmp(word, "device=", 7) == 0) {
        snprintf(info->device, sizeof info->device, "%s", word + 7);
        marl_text_clean(info->device);
    } else if (strcmp(word, "corrected=yes") == 0) {
        info->corrected = 1;
    } else if (strncmp(word, "raw=", 4) == 0) {
        info->raw = parse_raw(word + 4);
    } else if (strcmp(word, "world=ned") == 0 || strcmp(word, "world=enu") == 0) {
        info->world = word[6] == 'n' ? MARL_WORLD_NED : MARL_WORLD_ENU;
        info->world_given = 1;
    } else if (strcmp(word, "heading=relative") == 0) {
        info->relative_heading = 1;
    } else if (strcmp(word, "reference=smooth") == 0) {
        info->smoothed = 1;
    }
}

void lab_metadata_read(const char *line, size_t n, marl_log_info *info)
{
    char copy[512];
    char *rest = NULL;
    snprintf(copy, sizeof copy, "%.*s", (int)(n < sizeof copy ? n : sizeof copy - 1), line);
    char *word = strtok_r(copy, "# \t\r\n", &rest);
    if (word == NULL || strcmp(word, "marlinspike") != 0) {
        return;
    }
    info->has_metadata = 1;
    while ((word = strtok_r(NULL, " \t\r\n", &rest)) != NULL) {
        parse_metadata(word, info);
    }
}

char lab_delimiter(const char *line, size_t n)
{
    const char candidate[] = {',', ';', '\t'};
    size_t count[3] = {0};
    int quoted = 0;
    for (size_t i = 0; i < n; i++) {
        quoted ^= line[i] == '"';
        for (int k = 0; k < 3 && !quoted; k++) {
            count[k] += line[i] == candidate[k];
        }
    }
    int best = count[1] > count[0] ? 1 : 0;
    return candidate[count[2] > count[best] ? 2 : best];
}

char *lab_split_name(char *cell, char **unit)
{
    char *name = cell + strspn(cell, " \t");
    char *open = strchr(name, '[');
    *unit = NULL;
    if (open != NULL) {
        *open = '\0';
        *unit = open + 1;
        (*unit)[strcspn(*unit, "]")] = '\0';
    }
    for (size_t n = strlen(name); n > 0 && strchr(" \t", name[n - 1]) != NULL; n--) {
        name[n - 1] = '\0';
    }
    return name;
}

int lab_column_by_name(const char *name)
{
    for (int i = 0; i < MARL_COLUMN_COUNT; i++) {
        if (strcmp(name, columns[i].name) == 0) {
            return i;
        }
    }
    return -1;
}

/* One count of a sensor in SI, from its sheet; 0 when the sheet gives none. */
static double count_size(lab_quantity quantity, const marl_sheet *sheet)
{
    const marl_sensor_sheet *sensor = quantity == LAB_ACCEL  ? &sheet->accel
                                      : quantity == LAB_GYRO ? &sheet->gyro
                                                             : &sheet->mag;
    return sensor->present ? sensor->full_scale / ldexp(1.0, sensor->bits - 1) : 0.0;
}

static marl_status unit_in_counts(lab_column *column, const char *name, lab_quantity quantity,
                                  const lab_header *h)
{
    const marl_sheet *sheet = h->sheet;
    if (sheet == NULL) {
        return marl_fail(h->error, MARL_ERR_INPUT,
                         "%s: %s is in counts: give the value of a count with --sheet", h->where, name);
    }
    column->factor = count_size(quantity, sheet);
    if (column->factor <= 0.0) {
        return marl_fail(h->error, MARL_ERR_INPUT, "%s: %s is in counts, but sheet '%s' has no such sensor",
                         h->where, name, sheet->name);
    }
    return MARL_OK;
}

marl_status lab_column_unit(lab_column *column, const char *name, const char *unit, const lab_header *h)
{
    lab_quantity quantity = columns[column->target].quantity;
    const lab_unit *found = unit != NULL ? lab_unit_find(quantity, unit) : lab_unit_si(quantity);
    if (unit != NULL && strcmp(unit, "count") == 0 &&
        (quantity == LAB_ACCEL || quantity == LAB_GYRO || quantity == LAB_MAG)) {
        return unit_in_counts(column, name, quantity, h);
    }
    if (found == NULL) {
        char known[120];
        lab_unit_list(quantity, known, sizeof known);
        return marl_fail(h->error, MARL_ERR_INPUT, "%s: %s has the unknown unit '%s'; known: %s", h->where,
                         name, unit, known);
    }
    if (unit == NULL && quantity != LAB_PURE) {
        char assumed[64];
        snprintf(assumed, sizeof assumed, "%s in %s", name, found->name);
        marl_list_append(h->report->assumed_units, sizeof h->report->assumed_units, assumed);
        h->report->angles_assumed |= quantity == LAB_ANGLE;
    }
    column->is_date = quantity == LAB_TIME && strcmp(found->name, "date") == 0;
    column->factor = quantity == LAB_TIME ? 1.0 : found->factor;
    column->offset = found->offset;
    column->decimals = found->decimals;
    return MARL_OK;
}

void lab_column_place(lab_column *column, marl_log_info *info)
{
    column->bit = 1u << column->target;
    column->plain = column->target != MARL_COLUMN_T;
    info->columns |= column->bit;
}

static marl_status read_column(lab_layout *layout, const char *text, const lab_header *h)
{
    char cell[128];
    char *unit;
    snprintf(cell, sizeof cell, "%s", text);
    const char *name = lab_split_name(cell, &unit);
    lab_column *column = &layout->column[layout->n++];
    *column = (lab_column){.target = lab_column_by_name(name), .factor = 1.0};
    if (column->target < 0) {
        marl_list_append(h->report->unknown_columns, sizeof h->report->unknown_columns,
                         *name ? name : "(no name)");
        return MARL_OK;
    }
    if (h->info->columns & (1u << column->target)) {
        return marl_fail(h->error, MARL_ERR_INPUT, "%s: column %s stands there twice", h->where, name);
    }
    lab_column_place(column, h->info);
    return lab_column_unit(column, name, unit, h);
}

static int has_time(const lab_csv_row *header)
{
    int has = 0;
    for (size_t i = 0; i < header->cells; i++) {
        char cell[128], *unit;
        snprintf(cell, sizeof cell, "%s", lab_csv_cell(header, i));
        has |= lab_column_by_name(lab_split_name(cell, &unit)) == MARL_COLUMN_T;
    }
    return has;
}

marl_status lab_layout_read(lab_layout *layout, const lab_csv_row *header, const lab_header *h)
{
    layout->n = 0;
    if (header->cells > LAB_LOG_MAX_COLUMNS) {
        return marl_fail(h->error, MARL_ERR_INPUT, "%s: more than %d columns", h->where, LAB_LOG_MAX_COLUMNS);
    }
    if (!has_time(header)) {
        return marl_fail(
            h->error, MARL_ERR_INPUT,
            "%s: no column t; a log's header is t[s],accel_x[m/s^2],...; other files are read by --columns, "
            "with the map that `inspect` prints",
            h->where);
    }
    for (size_t i = 0; i < header->cells; i++) {
        MARL_TRY(read_column(layout, lab_csv_cell(header, i), h));
    }
    return MARL_OK;
}
