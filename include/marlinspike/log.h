/* SPDX-License-Identifier: MIT
 * Sensor logs and attitudes as CSV (RFC 4180), read and written row by row in flat memory, or loaded
 * whole. The format is described in docs/formats.md. Readings are converted to SI (m/s^2, rad/s, uT,
 * degC, m/s), times exactly to int64 ns. */
#ifndef MARLINSPIKE_LOG_H
#define MARLINSPIKE_LOG_H

#include "marlinspike/error.h"
#include "marlinspike/frame.h"
#include "marlinspike/sample.h"
#include "marlinspike/sheet.h"
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

#define MARL_DEGREE 0.017453292519943295 /* rad */

typedef enum marl_column {
    MARL_COLUMN_T = 0,
    MARL_COLUMN_ACCEL_X,
    MARL_COLUMN_ACCEL_Y,
    MARL_COLUMN_ACCEL_Z,
    MARL_COLUMN_GYRO_X,
    MARL_COLUMN_GYRO_Y,
    MARL_COLUMN_GYRO_Z,
    MARL_COLUMN_MAG_X,
    MARL_COLUMN_MAG_Y,
    MARL_COLUMN_MAG_Z,
    MARL_COLUMN_TEMP,
    MARL_COLUMN_SPEED,
    MARL_COLUMN_Q_W,
    MARL_COLUMN_Q_X,
    MARL_COLUMN_Q_Y,
    MARL_COLUMN_Q_Z,
    MARL_COLUMN_ROLL,
    MARL_COLUMN_PITCH,
    MARL_COLUMN_YAW,
    MARL_COLUMN_WEIGHT_ACCEL,
    MARL_COLUMN_WEIGHT_MAG,
    MARL_COLUMN_SIGMA_TILT,
    MARL_COLUMN_SIGMA_HEADING,
    MARL_COLUMN_COUNT
} marl_column;

/* Sets of columns: bit 1 << marl_column. */
#define MARL_COLUMNS_ACCEL (7u << MARL_COLUMN_ACCEL_X)
#define MARL_COLUMNS_GYRO (7u << MARL_COLUMN_GYRO_X)
#define MARL_COLUMNS_MAG (7u << MARL_COLUMN_MAG_X)
#define MARL_COLUMNS_TEMP (1u << MARL_COLUMN_TEMP)
#define MARL_COLUMNS_SPEED (1u << MARL_COLUMN_SPEED)
#define MARL_COLUMNS_Q (15u << MARL_COLUMN_Q_W)
#define MARL_COLUMNS_RPY (7u << MARL_COLUMN_ROLL)
#define MARL_COLUMNS_WEIGHT (3u << MARL_COLUMN_WEIGHT_ACCEL)
#define MARL_COLUMNS_SIGMA (3u << MARL_COLUMN_SIGMA_TILT)

const char *marl_column_name(marl_column column);

/* What the metadata line of a log holds. */
typedef struct marl_log_info {
    char device[64];      /* "" = not given */
    int corrected;        /* 1 = a calibration has been applied */
    marl_world world;     /* of an attitude in the log; enu when not given */
    int world_given;      /* 1 = the metadata line names the world */
    int smoothed;         /* 1 = the attitude was made by smoothing a log: it shares that log's sensors */
    int relative_heading; /* 1 = the heading of an attitude in the log is not magnetic */
    unsigned columns;     /* set of the columns present, without unknown ones */
} marl_log_info;

/* What was found wrong while reading; lines count from 1, 0 = none. */
typedef struct marl_log_report {
    unsigned long rows;                     /* usable */
    unsigned long rows_dropped;             /* all reasons */
    unsigned long time_repeated, time_back; /* of the dropped */
    unsigned long cells_missing; /* not a number, NaN, infinite, or one axis empty where others are filled */
    unsigned long clock_wraps;   /* of a 32-bit microsecond clock; unwrapped */
    long first_dropped_line, first_missing_line;
    unsigned long not_unit; /* rows whose quaternion's length is not 1 within 1 %; they are scaled to it */
    long first_not_unit_line;
    double first_not_unit_length;
    char first_dropped_why[80];
    int truncated;             /* the last line was cut off (counted in rows_dropped) */
    char assumed_units[160];   /* columns without unit, taken as SI; "" = none */
    int angles_assumed;        /* roll, pitch, yaw have no unit and are taken as degrees */
    char unknown_columns[160]; /* ignored; "" = none */
} marl_log_report;

typedef struct marl_log_row {
    marl_sample sample;
    marl_quat q; /* attitude the row holds (from q_... or roll, pitch, yaw), unit */
    int has_q;
    float sigma_deg[2]; /* standard deviations of the attitude's tilt and heading; negative: none */
    float weight[2];    /* of accelerometer and magnetometer in an estimate, 0 to 1; negative: none */
} marl_log_row;

/* A part of a log, by the log's own time; both ends belong to it. */
typedef struct marl_log_window {
    int has_from, has_to;
    int64_t from_ns, to_ns;
} marl_log_window;

typedef struct marl_log_options {
    char decimal;                          /* '.' or ','; 0 = '.' */
    const marl_sheet *sheet;               /* for columns in counts; NULL = such columns are an error */
    marl_log_window window;                /* rows outside are passed over */
    const struct marl_column_map *columns; /* of a file from elsewhere (columns.h); NULL = a log of ours */
} marl_log_options;

typedef struct marl_log_reader marl_log_reader;

/* Opens and reads the header. `options` may be NULL. MARL_ERR_INPUT when the file cannot be read or its
 * header has a fault. On failure *reader is NULL. */
MARL_CHECKED marl_status marl_log_open(marl_log_reader **reader, const char *path,
                                       const marl_log_options *options, marl_error *error);
const marl_log_info *marl_log_reader_info(const marl_log_reader *reader);
const marl_log_report *marl_log_reader_report(const marl_log_reader *reader);

/* The next usable row. MARL_END after the last; at the end MARL_ERR_INPUT when more than half of the
 * rows were bad and MARL_ERR_INSUFFICIENT when there was none at all. */
MARL_CHECKED marl_status marl_log_next(marl_log_reader *reader, marl_log_row *row, marl_error *error);
void marl_log_close(marl_log_reader *reader); /* NULL is allowed */

/* A whole log in memory. */
typedef struct marl_log {
    char *path;
    marl_log_info info;
    marl_log_report report;
    size_t n;
    marl_log_row *row;
} marl_log;

MARL_CHECKED marl_status marl_log_load(marl_log *log, const char *path, const marl_log_options *options,
                                       marl_error *error);
void marl_log_free(marl_log *log); /* NULL and a zeroed log are allowed */

/* MARL_ERR_INSUFFICIENT, naming the columns that are missing, unless the set `needed` is there. */
MARL_CHECKED marl_status marl_log_require(const marl_log_info *info, const char *path, unsigned needed,
                                          marl_error *error);

typedef struct marl_log_writer marl_log_writer;

/* info->columns selects the columns that are written (time always); readings that are not fresh are left
 * empty. 9 significant digits, times with 9 decimals. */
MARL_CHECKED marl_status marl_log_create(marl_log_writer **writer, const char *path,
                                         const marl_log_info *info, marl_error *error);
/* The same for a recording that grows for a long time (see marl_outfile_open_growing). */
MARL_CHECKED marl_status marl_log_create_growing(marl_log_writer **writer, const char *path,
                                                 const marl_log_info *info, marl_error *error);
void marl_log_write(marl_log_writer *writer, const marl_log_row *row);
/* Hands all rows so far to the system. MARL_ERR_SYSTEM when any write failed. */
MARL_CHECKED marl_status marl_log_flush(marl_log_writer *writer, marl_error *error);
/* Completes the file. MARL_ERR_SYSTEM when any write failed; then no file is left. */
MARL_CHECKED marl_status marl_log_commit(marl_log_writer *writer, marl_error *error);
void marl_log_abort(marl_log_writer *writer); /* NULL is allowed */
/* Gives up a recording that grows and leaves its PATH.part as it is. NULL is allowed. */
void marl_log_leave(marl_log_writer *writer);
/* The file that it leaves; NULL where the log is written directly. */
const char *marl_log_part(const marl_log_writer *writer);

/* Adds what a reader repaired, assumed or left out. */
void marl_log_warn(marl_warnings *warnings, const marl_log_report *report, const char *path);

#ifdef __cplusplus
}
#endif
#endif
