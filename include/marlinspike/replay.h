/* SPDX-License-Identifier: MIT
 * Replay through the device's code. The usual order of calls for a log in memory:
 *
 *   const marl_replay_options options = {0};
 *   marl_replay_log(&pipeline, &log, &tuning, &options, &estimate, &error);
 *   ... estimate.at[i] ...
 *   marl_series_free(&estimate);
 *
 * row by row: marl_replay_init, then marl_pipeline_step for each row; some rows of a log in memory at a time:
 * marl_row_replay_begin and marl_row_replay_advance. */
#ifndef MARLINSPIKE_REPLAY_H
#define MARLINSPIKE_REPLAY_H

#include "marlinspike/estimator.h"
#include "marlinspike/files.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- replay ---- */

/* Replay of recorded samples through the code that runs on the device, as they are or degraded: decimation,
 * dropout, jitter of the time stamps, a gap. */

/* Zeroed: nothing is lost. In this order: the rows of the gap are lost, the others are thinned, of those that
 * are left some are lost, and the stamps of the rest are off. */
typedef struct marl_degradation {
    marl_span gap;   /* rows from gap.from_ns to before gap.to_ns are lost; both 0 = none */
    unsigned every;  /* one row in so many is taken; 0 = all */
    double rate_hz;  /* rows are taken as they come at this rate; 0 = all. Not with `every` */
    double drop;     /* probability that a row is lost, [0, 1) */
    double jitter_s; /* deviation of the stamps, normal; they still rise */
    uint64_t seed;   /* of what is lost and how stamps are off */
} marl_degradation;

typedef struct marl_degrader {
    marl_degradation degradation;
    uint64_t random;  /* state of the random numbers */
    marl_sample held; /* the newest readings since the row before, which a thinned row takes along */
    uint64_t rows;
    int64_t next_ns, last_ns;
    int started;
} marl_degrader;

/* MARL_ERR_ARGUMENT unless drop is in [0, 1), jitter_s and rate_hz are finite and not negative, the gap is not
 * upside down, and not both of every and rate_hz are given. */
MARL_CHECKED marl_status marl_degrader_init(marl_degrader *degrader, const marl_degradation *degradation);

/* Feeds a row as recorded. Returns 1 and the degraded row, or 0 when it is dropped. Rows skipped by
 * decimation leave their newest readings to the next row, as a sensor's registers do; the readings of
 * dropped rows are lost. */
int marl_degrader_feed(marl_degrader *degrader, const marl_sample *recorded, marl_sample *seen);

/* The sensors whose columns a log has: a set of MARL_FRESH_... */
uint8_t marl_replay_sensors(const marl_log_info *info);
/* What of it comes corrected, as the pipeline wants it. */
uint8_t marl_replay_corrected(const marl_log_info *info);

/* Names the sensors that neither `record` (may be NULL) nor the log itself has calibrated. */
void marl_replay_warn(marl_warnings *warnings, const marl_calibration_record *record,
                      const marl_log_info *info, const char *log_path);

/* What marl_replay_init sets up, with its checks. */
MARL_CHECKED marl_status marl_replay_config(marl_pipeline_config *config, const marl_tuning *tuning,
                                            const marl_calibration_record *record, const char *record_path,
                                            const marl_log_info *info, const char *log_path,
                                            marl_error *error);

/* A pipeline for this log, tuning and calibration, as a board with the log's sensors has it; then
 * marl_pipeline_step for every row. MARL_ERR_INSUFFICIENT when a sensor that the filter needs is missing,
 * MARL_ERR_INPUT when the log is corrected already or of another device. Without magnetometer columns the
 * heading is relative. `record` may be NULL. */
MARL_CHECKED marl_status marl_replay_init(marl_pipeline *pipeline, const marl_tuning *tuning,
                                          const marl_calibration_record *record, const char *record_path,
                                          const marl_log_info *info, const char *log_path, marl_error *error);

/* The attitude to start with, in enu, set before the first row; without, it starts with the first vectors.
 * MARL_ERR_USE when q cannot be brought to length one. */
MARL_CHECKED marl_status marl_replay_start(marl_pipeline *pipeline, marl_quat q, marl_error *error);

/* Called for every attitude of a replay, with the row it came from and the attitude in enu. */
typedef void marl_replay_watch(void *context, const marl_pipeline *pipeline, const marl_sample *sample,
                               marl_quat q);

/* Whether a log began while the body drove, by the speeds that kalman finds later: what it had before the first sample
 * looks like a tilt, and no standard deviation holds it. */
typedef struct marl_start_watch {
    marl_still still;
    int64_t first_ns;
    float speed2; /* the largest mean square of the speed, (m/s)^2 */
    int begun, rested, knows_speed;
} marl_start_watch;

void marl_start_watch_init(marl_start_watch *watch);
/* A marl_replay_watch, for every attitude; `context` is the marl_start_watch. */
marl_replay_watch marl_start_watch_add;
/* In m/s where over 4, the log did not begin at rest (a gyroscope that is off by over 5 deg/s looks like a turn), and no
 * speed is recorded; else 0. Always 0 of other filters than kalman. */
double marl_start_watch_speed(const marl_start_watch *watch);

/* Rows of a log in memory through a pipeline, in one go or some at a time. */

/* A replay under way. The pipeline is initialised, the start set; all that it points to belongs to the caller. */
typedef struct marl_row_replay {
    marl_pipeline *pipeline;
    const marl_log *log;
    marl_degrader degrader;
    marl_replay_watch *watch; /* NULL: no callback */
    void *watch_context;
    size_t row;           /* the next one of the log */
    marl_series estimate; /* room for log->n + 1 attitudes; each at the time of its row as recorded */
} marl_row_replay;

/* Takes memory for the estimate, to be freed by marl_series_free. MARL_ERR_USE for a degradation out of range,
 * MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_row_replay_begin(marl_row_replay *replay, const marl_degradation *degradation,
                                               marl_error *error);
/* At most so many rows; returns how many are left. */
size_t marl_row_replay_advance(marl_row_replay *replay, size_t rows);

/* How a whole log is replayed; zeroed: readings as they are, start from vectors, nothing lost. */
typedef struct marl_replay_options {
    const marl_calibration_record *record; /* may be NULL */
    const char *record_path;
    const marl_quat *start; /* in enu; NULL = from vectors */
    marl_degradation degradation;
    marl_replay_watch *watch; /* NULL: no callback */
    void *watch_context;
} marl_replay_options;

/* A whole log in memory: *estimate gets the attitudes, in enu whatever the tuning gives out, each at the
 * time of its row as recorded, also where the jitter moves its stamp. It is to be freed by the caller.
 * MARL_ERR_USE when the degradation is out of range, MARL_ERR_INSUFFICIENT when no attitude came out of
 * it. */
MARL_CHECKED marl_status marl_replay_log(marl_pipeline *pipeline, const marl_log *log,
                                         const marl_tuning *tuning, const marl_replay_options *options,
                                         marl_series *estimate, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
