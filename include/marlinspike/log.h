/* SPDX-License-Identifier: MIT
 * Logs and attitudes as CSV files and in memory. The usual order of calls for a whole log:
 *
 *   marl_log_load(&log, path, NULL, &error);
 *   ... log.row[i].sample ...
 *   marl_log_free(&log);
 *
 * and row by row: marl_log_open, marl_log_next until MARL_END, marl_log_close. */
#ifndef MARLINSPIKE_LOG_H
#define MARLINSPIKE_LOG_H

#include "marlinspike/error.h"
#include "marlinspike/sample.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- spans ---- */

typedef struct marl_span {
    int64_t from_ns, to_ns;
} marl_span;

typedef struct marl_spans {
    size_t n;
    marl_span *span;
} marl_spans;

void marl_spans_free(marl_spans *spans);
double marl_spans_seconds(const marl_spans *spans);
/* 1 when t lies in one of the spans; *at is a place to go on from, start with 0. */
int marl_spans_hold(const marl_spans *spans, int64_t t_ns, size_t *at);

typedef struct marl_sheet marl_sheet; /* simulate.h */

/* ---- log ---- */

/* Sensor logs and attitudes as CSV (RFC 4180), read and written row by row in flat memory, or loaded
 * whole. The format is described in docs/formats.md. Readings are converted to SI (m/s^2, rad/s, uT,
 * degC, m/s), times exactly to int64 ns. */

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
#define MARL_COLUMNS_READINGS                                                                                \
    (MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG | MARL_COLUMNS_Q | MARL_COLUMNS_RPY)
#define MARL_COLUMNS_SIGMA (3u << MARL_COLUMN_SIGMA_TILT)

const char *marl_column_name(marl_column column);

/* What the metadata line of a log holds. */
typedef struct marl_log_info {
    char device[64]; /* "" = not given */
    int corrected;   /* 1 = a calibration has been applied */
    /* Of a corrected log: MARL_FRESH_... of the sensors that were left as they were, and MARL_GYRO_SCALE_OPEN of
     * estimator.h where the calibration had the gyroscope's bias alone. */
    unsigned raw;
    marl_world world;     /* of an attitude in the log; enu when not given */
    int world_given;      /* 1 = the metadata line names the world */
    int smoothed;         /* 1 = the attitude was made by smoothing a log: it shares that log's sensors */
    int relative_heading; /* 1 = the heading of an attitude in the log is not magnetic */
    int has_metadata; /* 1 = the file has our metadata line; in one without, `t` may be anybody's column */
    unsigned columns; /* set of the columns present, without unknown ones */
} marl_log_info;

/* How a sensor's readings differ from the one before. How often they repeat it, over whole blocks of 64: */
typedef struct marl_repeats {
    unsigned long readings, all, some; /* of them, equal to the one before in all axes; in one or two */
    double some_expected; /* in one or two, did each axis repeat for itself, as coarse steps do */
    double changes, change_sum, least_change; /* of single axes: how many, in SI */
} marl_repeats;

/* What was found wrong while reading; lines count from 1, 0 = none. */
typedef struct marl_log_report {
    unsigned long rows;                     /* usable */
    unsigned long rows_dropped;             /* all reasons */
    unsigned long time_repeated, time_back; /* of the dropped */
    unsigned long repeated_kept;            /* rows whose time stood still, kept as 1 ns later */
    unsigned long cells_missing; /* not a number, NaN, infinite, or one axis empty where others are filled */
    unsigned long clock_wraps;   /* of a 32-bit microsecond clock, or midnights of a time of day; unwrapped */
    unsigned long restarts;      /* of the board, and of its clock: the next row is put 2 s after the last */
    int64_t first_restart_ns;    /* time of the last row before the first of them */
    unsigned long nuls_at_end;   /* NUL bytes behind the last row: of a card that lost its power; left out */
    long first_dropped_line, first_missing_line, first_not_unit_line, first_lost_line;
    unsigned long not_unit; /* rows whose quaternion's length is not 1 within 1 %; they are scaled to it */
    double first_not_unit_length;
    unsigned long lost; /* rows whose quaternion is 0, 0, 0, 0: a rig that lost the body; no attitude */
    char first_dropped_why[80];
    int truncated;                                 /* the last line was cut off (counted in rows_dropped) */
    char assumed_units[160], unknown_columns[160]; /* no unit, taken as SI; ignored; "" = none */
    int angles_assumed;              /* roll, pitch, yaw have no unit and are taken as degrees */
    float axis_low[9], axis_high[9]; /* of accelerometer, gyroscope, magnetometer, SI; low > high: none */
    marl_repeats repeats[3];
} marl_log_report;

/* Bit 3 sensor + axis: always the same while another axis moves (by over 2 m/s^2, 0.2 rad/s, 10 uT). */
unsigned marl_log_dead_axes(const marl_log_report *report);
/* 1 where a slow sensor's last reading is written again with each row, for at least a fifth of its readings. */
int marl_log_is_held(const marl_log_report *report, marl_sensor sensor);
/* The step in which a sensor reads, SI, where it is coarse: from 0.2 m/s^2, 0.005 rad/s, 2 uT on; 0 = it is not. */
double marl_log_coarse_step(const marl_log_report *report, marl_sensor sensor);

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
    char decimal;            /* '.' or ','; 0 = '.' */
    const marl_sheet *sheet; /* for columns in counts; NULL = such columns are an error */
    marl_log_window window;  /* rows outside are passed over */
    const struct marl_column_map
        *columns;   /* of a file from elsewhere (marl_column_map_read); NULL = a log of ours */
    int calibrated; /* the readings are calibrated, whatever the header says */
    int keep_repeated; /* a row whose time stands still counts as 1 ns later, and is not dropped: for marl_row_times_set_even */
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
/* From now on rows are read on a thread of their own, some thousand ahead: for a file that is read to its end as fast as it
 * goes. Rows and errors are the same. Does nothing where the log comes through a pipe. marl_log_reader_report ends it. */
void marl_log_read_ahead(marl_log_reader *reader);

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
/* The same for a recording that grows for a long time (see lab_outfile_open_growing). */
MARL_CHECKED marl_status marl_log_create_growing(marl_log_writer **writer, const char *path,
                                                 const marl_log_info *info, marl_error *error);
void marl_log_write(marl_log_writer *writer, const marl_log_row *row);
/* A line of text between the rows, which readers of logs pass over: "# TEXT". Not behind marl_log_write_behind. */
void marl_log_write_note(marl_log_writer *writer, const char *text);
/* From now on rows are written on a thread of their own, some thousand behind: not for a recording that grows. Does
 * nothing where a FIFO takes the rows. */
void marl_log_write_behind(marl_log_writer *writer);
/* Hands all rows so far to the system. MARL_ERR_SYSTEM when any write failed. */
MARL_CHECKED marl_status marl_log_flush(marl_log_writer *writer, marl_error *error);
/* Completes the file. MARL_ERR_SYSTEM when any write failed; then no file is left. */
MARL_CHECKED marl_status marl_log_commit(marl_log_writer *writer, marl_error *error);
void marl_log_abort(marl_log_writer *writer); /* NULL is allowed */
/* Gives up a recording that grows and leaves its PATH.part as it is. NULL is allowed. */
void marl_log_leave(marl_log_writer *writer);
/* The file that it leaves; NULL where a FIFO takes the rows. */
const char *marl_log_part(const marl_log_writer *writer);

/* Adds what a reader repaired, assumed or left out. */
void marl_log_warn(marl_warnings *warnings, const marl_log_report *report, const char *path);

/* ---- series ---- */

/* Attitudes over time. */

typedef struct marl_attitude {
    int64_t t_ns;
    marl_quat q; /* unit, body to enu */
} marl_attitude;

typedef struct marl_series {
    size_t n;
    marl_attitude *at; /* times rise */
} marl_series;

/* The attitudes of a log that holds q or roll, pitch, yaw columns, expressed in enu.
 * MARL_ERR_INSUFFICIENT when it has none. */
MARL_CHECKED marl_status marl_series_from_log(marl_series *series, const marl_log *log, marl_error *error);
void marl_series_free(marl_series *series);

/* Spherical linear interpolation; u from 0 (a) to 1 (b), along the shorter way. */
marl_quat marl_slerp(marl_quat a, marl_quat b, double u);

/* ---- columns ---- */

/* Logs from elsewhere: which column of a delimited text is which reading. A map is a text of entries with ;
 * or line ends between:
 *
 *     t=1[ms]; accel=ax,-az,ay[g]; gyro=5,6,7[deg/s]; mag="field x","field y","field z"[uT] changed; temp=T
 *     t=@200
 *
 * Left stands a column of a log (t, accel_x, ..., temp, speed, roll) or all of a reading (accel, gyro, mag:
 * x,y,z; q: w,x,y,z); right the file's columns, by number from 1 or by name as in its header, with - where
 * the sign is the other one, and the unit. The unit may have a factor: [0.061 mg] for a column in steps of
 * 0.061 mg, [10 us] for ticks of 10 us. Without a unit the one in the header's brackets holds, else SI.
 * angles_zyx=yaw,pitch,roll[deg] (and xyz, xzy, yxz, yzx, zxy): an attitude by three turns, each about an axis of the body
 * as the turn before left it, from the world to the body. `changed` behind an entry: a reading that repeats the one before is not a fresh one (for a slow sensor
 * whose last reading is written again and again). t=@RATE: rows come at a constant rate in Hz and hold no
 * time. */

enum { MARL_NAME_MAX = 64, MARL_GUESS_MAX = 64, MARL_MAP_TEXT = 800, MARL_LABEL_MAX = 32 };

/* Where one column of a log comes from. */
enum { MARL_TIME_PARTS = 5 }; /* hours, minutes, seconds and what is less, and a day */

typedef struct marl_column_source {
    marl_column target;
    int number;               /* of the file's column, from 1; 0 = by name */
    char name[MARL_NAME_MAX]; /* as in the file's header, "" by number */
    int negative;
    double factor;              /* the column counts so many of `unit` */
    double offset;              /* to be added then, in the log's unit (degrees of an angle) */
    char unit[16];              /* "" = as in the header */
    char label[MARL_LABEL_MAX]; /* only of rows that have this label; "" = of all */
} marl_column_source;

typedef struct marl_column_map {
    double rate_hz;   /* of rows without time; 0 = a column holds it */
    unsigned changed; /* set of columns that are fresh only where one of their group changes */
    char turns[4];    /* of angles_xyz and so on: the axes in the order of the turns; "" without */
    int has_heading; /* yaw came as a compass heading; its sources and those of pitch are as a log has them */
    int has_labels;  /* rows of several sensors, and the column that labels them: number or name are set */
    marl_column_source label;
    size_t n;
    marl_column_source
        source[MARL_COLUMN_COUNT + MARL_TIME_PARTS - 1]; /* t may have several: their sum is the time */
} marl_column_map;

/* `text` is the map itself (it holds a =) or the name of a file with it. MARL_ERR_USE for a map that cannot
 * be understood, MARL_ERR_INPUT when the file cannot be read or its map cannot be understood. */
MARL_CHECKED marl_status marl_column_map_read(marl_column_map *map, const char *text, marl_error *error);

/* FILE:MAP: the colon behind which a map stands, where no file has the whole name; else NULL. */
const char *marl_column_map_in(const char *text);

/* What one column of a file seems to be. */
typedef struct marl_column_guess {
    char name[MARL_NAME_MAX]; /* in the header; "" = none */
    int target;               /* marl_column, or -1: not known */
    int is_heading; /* of the yaw: clockwise from north, beside a pitch that is positive with the nose up */
    char unit[24];
    double min, max; /* of its numbers, NaN without any */
    double repeats;  /* share of the rows in which it is as in the row before */
    int named;       /* target is in the names of column and file */
    int sure; /* target and unit are in the names of column and file; else they are a guess by the numbers */
    char why[80];
} marl_column_guess;

enum { MARL_LABELS_MAX = 24 };

/* What the rows with one label seem to hold, in a file of rows of several sensors. */
typedef struct marl_label_guess {
    char text[MARL_LABEL_MAX];
    size_t rows;        /* of those that were looked at */
    unsigned targets;   /* set of marl_column; 0: not known */
    int named, sure;    /* as above, by the label in place of the file's name, for all of them */
    int rate_unit_open; /* of a gyroscope whose unit no name gives */
    char why[80];
} marl_label_guess;

typedef struct marl_columns_guess {
    char delimiter; /* ' ' = any blanks */
    int is_json;    /* its rows are JSON objects, and the columns their keys */
    long header;    /* its line; 0 = there is none */
    size_t rows;    /* that were looked at */
    size_t n;       /* columns */
    marl_column_guess column[MARL_GUESS_MAX];
    double rate_hz;      /* of rows whose time stands still, by its average; 0: it goes on, or is not known */
    size_t label_column; /* from 1: it says which sensor a row is of, and `label` what it holds; 0: none */
    size_t labels;
    marl_label_guess label[MARL_LABELS_MAX];
    char map[MARL_MAP_TEXT]; /* to be used; "" when nothing was understood */
    char remark[400];        /* what the user should check; "" = nothing */
} marl_columns_guess;

/* Reads the names and the first rows of a file. MARL_ERR_INPUT when it holds no rows of numbers. */
MARL_CHECKED marl_status marl_columns_guess_file(marl_columns_guess *guess, const char *path, char decimal,
                                                 marl_error *error);

/* As it stands in a map: marl_column_name of the target, or "heading"; "" where it is not known. */
const char *marl_column_guess_name(const marl_column_guess *column);

/* Is a column called t, and no reading otherwise than in a log of ours? Then a fault of its header is no reason for a guess. */
int marl_columns_are_ours(const marl_columns_guess *guess);

/* Do the numbers of columns that are called as in a log of ours, without a unit, show another unit than SI? */
int marl_columns_need_units(const marl_columns_guess *guess);

/* As marl_log_load, but MARL_ERR_INPUT for a file without a map and our metadata line that seems to hold readings which a
 * log of ours would leave out (`t,accel_x,accel_y,accel_z,gx,gy,gz`). */
MARL_CHECKED marl_status marl_log_load_ours(marl_log *log, const char *path, const marl_log_options *options,
                                            marl_error *error);

/* A log of ours, or a file from elsewhere whose columns are all known by their names and the file's (see
 * marl_columns_guess); *unit_guessed is 1 when no name gives the unit of its gyroscope. Errors as of marl_log_load. */
MARL_CHECKED marl_status marl_log_load_named(marl_log *log, const char *path, const marl_log_options *options,
                                             int *unit_guessed, marl_error *error);

/* ---- merge ---- */

/* Two recordings of one board into one log: sensors that were written to separate files, by clocks that need
 * not agree. */

typedef struct marl_clock_offset {
    int found;
    double offset_s; /* to be added to the second log's times, NaN when it was not found */
    double sigma_s;  /* its standard error, by leaving out a tenth of the recording at a time, and 0.12 of the
                        slower sensor's step */
    double r_squared; /* share of one recording's turning that the other explains there, 0 to 1 */
    /* Where two shifts fit about as well, so that none was found: both, and their shares; else NaN. */
    double candidate_s[2], candidate_r_squared[2];
} marl_clock_offset;

/* From the turning that both logs show (the gyroscope, else the change of the accelerometer's or the
 * magnetometer's direction): the shift at which one explains most of the other. Axes need not agree, and a
 * magnetometer may have any constant bias. Not found when the motion is too little or repeats itself so that
 * another shift fits nearly as well. A delay of a sensor's low-pass is in it. MARL_ERR_INSUFFICIENT when a
 * log has no such sensor, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_clock_offset_find(const marl_log *first, const marl_log *second,
                                                marl_clock_offset *offset, marl_error *error);

/* The rows of both by time, on the first one's clock; rows of the same time become one. Reports are added up.
 * MARL_ERR_INPUT when both have the same sensor, name different devices or disagree about being corrected, or when the
 * clock of one begins anew; MARL_ERR_INSUFFICIENT when they do not overlap in time; MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_log_merge(const marl_log *first, const marl_log *second, int64_t offset_ns,
                                        marl_log *merged, marl_error *error);

/* Another recording of the same board behind this one, as if it had started `gap_ns` after its end.
 * Reports are added up. MARL_ERR_INPUT when the columns, the device or being corrected differ;
 * MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_log_append(marl_log *log, const marl_log *next, int64_t gap_ns,
                                         marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
