/* SPDX-License-Identifier: MIT
 * The header of a log: metadata line, column names, units. Private to the log modules. */
#ifndef LAB_LOG_FORMAT_H
#define LAB_LOG_FORMAT_H

#include "lab/log/csv_row.h"
#include "lab/log/units.h"
#include "marlinspike/log.h"

#define LAB_LOG_MAX_COLUMNS 256

/* What one column of the file is. */
typedef struct lab_column {
    int target;            /* marl_column, or -1: ignored */
    unsigned bit;          /* 1 << target */
    int plain;             /* holds plain numbers: neither ignored nor times */
    int is_date;           /* the time column, with dates in it */
    double factor, offset; /* of the time column: how many of its unit a tick is */
    int decimals;          /* of the time column's unit */
} lab_column;

typedef struct lab_layout {
    lab_column column[LAB_LOG_MAX_COLUMNS];
    size_t n;
} lab_layout;

lab_quantity lab_column_quantity(marl_column column);
/* -1 when there is none. */
int lab_column_by_name(const char *name);
/* Splits "name[unit]" in place; *unit is NULL without brackets. Returns the name, spaces trimmed. */
char *lab_split_name(char *cell, char **unit);

/* What is read about a file's columns, and where faults go. */
typedef struct lab_header {
    const char *where; /* "file:line" */
    const marl_sheet *sheet;
    marl_log_info *info;
    marl_log_report *report;
    marl_error *error;
} lab_header;

/* Sets the factor of a column whose target is set by its unit; NULL = SI, which is noted. */
MARL_CHECKED marl_status lab_column_unit(lab_column *column, const char *name, const char *unit,
                                         const lab_header *h);
/* Enters a column whose target is set. */
void lab_column_place(lab_column *column, marl_log_info *info);

/* Takes `# marlinspike log/1 key=value ...`; any other comment is skipped. */
void lab_metadata_read(const char *line, size_t n, marl_log_info *info);
/* " raw=accel,gyro_scale" of info->raw, "" of none. */
void lab_metadata_raw(unsigned raw, char text[40]);

/* The delimiter that the header line uses: comma, semicolon or tab. */
char lab_delimiter(const char *line, size_t n);

/* Understands the header's cells. */
MARL_CHECKED marl_status lab_layout_read(lab_layout *layout, const lab_csv_row *cells, const lab_header *h);

#endif
