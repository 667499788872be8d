/* SPDX-License-Identifier: MIT
 * Filters that run on samples as they come, and are changed while they run. The usual order of calls:
 *
 *   marl_live_create(&live, tunings, n, NULL, &info, "pod-07", &error);
 *   marl_live_feed(live, &sample);                       for every sample
 *   marl_live_apply(live, &change, &error);              between two samples
 *   ... live->run[i].q ...
 *   marl_live_free(live);
 *
 * Changes can be written into the log between its rows (marl_change_text, marl_log_write_note); the log, fed with its
 * changes (marl_changes_load, marl_live_follow), gives the same attitudes bit for bit. */
#ifndef MARLINSPIKE_LIVE_H
#define MARLINSPIKE_LIVE_H

#include "marlinspike/estimator.h"
#include "marlinspike/files.h"
#include "marlinspike/log.h"
#include "marlinspike/replay.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- change ---- */

typedef enum marl_change_kind {
    MARL_CHANGE_TUNING,      /* of one run */
    MARL_CHANGE_CALIBRATION, /* of all */
    MARL_CHANGE_START,       /* all start again, from the next readings */
    MARL_CHANGE_ZERO,        /* of each the attitude of now is level, facing the world's x axis */
    MARL_CHANGE_EVERY,       /* all see one row in so many */
    MARL_CHANGE_KIND_COUNT
} marl_change_kind;

typedef struct marl_change {
    marl_change_kind kind;
    int64_t after_ns; /* it acts behind the row of this time; INT64_MIN: before the first row */
    size_t run;       /* of a TUNING */
    marl_named_tuning tuning;
    marl_calibration_record record; /* of a CALIBRATION */
    unsigned every;
} marl_change;

/* One line of JSON without an end of line, to be freed by the caller; NULL without memory. */
char *marl_change_text(const marl_change *change);
/* `where` stands in messages. MARL_ERR_INPUT when the text is no change. */
MARL_CHECKED marl_status marl_change_read(marl_change *change, const char *text, const char *where,
                                          marl_error *error);

/* All changes of a log, in the order of time. */
typedef struct marl_changes {
    size_t n, next; /* next: for marl_live_follow */
    marl_change *change;
} marl_changes;

/* Those that stand in the log's notes. MARL_ERR_INPUT when the file cannot be read or a change in it cannot, with file
 * and line; MARL_ERR_INSUFFICIENT when it holds none. */
MARL_CHECKED marl_status marl_changes_load(marl_changes *changes, const char *path, marl_error *error);
void marl_changes_free(marl_changes *changes);

/* ---- live ---- */

enum { MARL_LIVE_RUNS = 8 };

typedef struct marl_live_run {
    marl_named_tuning tuning;
    marl_pipeline_config config;
    marl_pipeline pipeline;
    marl_quat q;       /* attitude after the last row, in enu; identity before the first */
    int has_q;         /* there is one */
    char failure[200]; /* it cannot run, with the reason; "" = it can */
} marl_live_run;

typedef struct marl_live {
    size_t n;
    marl_live_run run[MARL_LIVE_RUNS];
    marl_calibration_record record; /* in use; empty without */
    marl_corrector corrector;       /* the same calibration, for what is shown */
    marl_sample corrected;          /* the last sample, corrected, in the sensors' frame */
    marl_degrader degrader;
    marl_log_info info;
    char name[200];
    uint64_t rows;
    int64_t t_ns; /* of the last row */
} marl_live;

/* `info` has the sensors' columns, whether they come corrected, and the device; `record` may be NULL; `name` stands in
 * messages. Attitudes are in enu. A run whose sensors are missing has failed from the start, the others run.
 * MARL_ERR_USE for no tuning or more than MARL_LIVE_RUNS, MARL_ERR_INPUT when the calibration is of another device or the readings are
 * corrected already, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_live_create(marl_live **live, const marl_named_tuning *tunings, size_t n,
                                          const marl_calibration_record *record, const marl_log_info *info,
                                          const char *name, marl_error *error);
void marl_live_free(marl_live *live); /* NULL is allowed */

/* A row as it came, in the order of time. A reading that is not finite counts as missing, as it does in a log. */
void marl_live_feed(marl_live *live, const marl_sample *sample);

/* Between two rows. Tunings keep all state where filter and use of the magnetometer stay the same, else the attitude
 * alone (marl_pipeline_retune); so do calibrations (marl_pipeline_recalibrate). MARL_ERR_USE, and nothing is changed,
 * for a run that does not exist or a value out of its range; MARL_ERR_INPUT as of marl_live_create. */
MARL_CHECKED marl_status marl_live_apply(marl_live *live, const marl_change *change, marl_error *error);

/* The runs as a log's changes begin, before its first row. MARL_ERR_INPUT when they do not begin with tunings. */
MARL_CHECKED marl_status marl_live_of_changes(marl_live **live, marl_changes *changes,
                                              const marl_log_info *info, const char *name, marl_error *error);
/* Feeds a row of the log after the changes that come before it. */
MARL_CHECKED marl_status marl_live_follow(marl_live *live, marl_changes *changes, const marl_sample *sample,
                                          marl_error *error);

/* The run of this name; -1: there is none. */
int marl_live_find(const marl_live *live, const char *name);

#ifdef __cplusplus
}
#endif
#endif
