/* SPDX-License-Identifier: MIT
 * Logs from elsewhere: which column of a delimited text is which reading. A map is a text of entries with ;
 * or line ends between:
 *
 *     t=1[ms]; accel=ax,-az,ay[g]; gyro=5,6,7[deg/s]; mag="field x","field y","field z"[uT] changed; temp=T
 *     t=@200
 *
 * Left stands a column of a log (t, accel_x, ..., temp, speed, roll) or all of a reading (accel, gyro, mag:
 * x,y,z; q: w,x,y,z); right the file's columns, by number from 1 or by name as in its header, with - where
 * the sign is the other one, and the unit. The unit may have a factor: [0.061 mg] for a column in steps of
 * 0.061 mg, [10 us] for ticks of 10 us. Without a unit the one in the header's brackets holds, else SI.
 * `changed` behind an entry: a reading that repeats the one before is not a fresh one (for a slow sensor
 * whose last reading is written again and again). t=@RATE: rows come at a constant rate in Hz and hold no
 * time. */
#ifndef MARLINSPIKE_COLUMNS_H
#define MARLINSPIKE_COLUMNS_H

#include "marlinspike/error.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { MARL_NAME_MAX = 64, MARL_GUESS_MAX = 64, MARL_MAP_TEXT = 800 };

/* Where one column of a log comes from. */
typedef struct marl_column_source {
    marl_column target;
    int number;               /* of the file's column, from 1; 0 = by name */
    char name[MARL_NAME_MAX]; /* as in the file's header, "" by number */
    int negative;
    double factor; /* the column counts so many of `unit` */
    char unit[16]; /* "" = as in the header */
} marl_column_source;

typedef struct marl_column_map {
    double rate_hz;   /* of rows without time; 0 = a column holds it */
    unsigned changed; /* set of columns that are fresh only where one of their group changes */
    size_t n;
    marl_column_source source[MARL_COLUMN_COUNT];
} marl_column_map;

/* `text` is the map itself (it holds a =) or the name of a file with it. MARL_ERR_USE for a map that cannot
 * be understood, MARL_ERR_INPUT when the file cannot be read or its map cannot be understood. */
MARL_CHECKED marl_status marl_column_map_read(marl_column_map *map, const char *text, marl_error *error);

/* What one column of a file seems to be. */
typedef struct marl_column_guess {
    char name[MARL_NAME_MAX]; /* in the header; "" = none */
    int target;               /* marl_column, or -1: not known */
    char unit[24];
    double min, max; /* of its numbers, NaN without any */
    double repeats;  /* share of the rows in which it is as in the row before */
    char why[80];
} marl_column_guess;

typedef struct marl_columns_guess {
    char delimiter; /* ' ' = any blanks */
    long header;    /* its line; 0 = there is none */
    size_t rows;    /* that were looked at */
    size_t n;       /* columns */
    marl_column_guess column[MARL_GUESS_MAX];
    char map[MARL_MAP_TEXT]; /* to be used; "" when nothing was understood */
    char remark[400];        /* what the user should check; "" = nothing */
} marl_columns_guess;

/* Reads the names and the first rows of a file. MARL_ERR_INPUT when it holds no rows of numbers. */
MARL_CHECKED marl_status marl_columns_guess_file(marl_columns_guess *guess, const char *path, char decimal,
                                                 marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
