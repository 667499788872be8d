/* SPDX-License-Identifier: MIT
 * Replay of recorded samples through the code that runs on the device. */
#ifndef MARLINSPIKE_REPLAY_H
#define MARLINSPIKE_REPLAY_H

#include "marlinspike/calibration.h"
#include "marlinspike/degradation.h"
#include "marlinspike/estimator.h"
#include "marlinspike/log.h"
#include "marlinspike/series.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_replay {
    marl_calibration calibration;
    marl_estimator estimator;
    marl_estimator_counts before; /* the last row */
    float degC;                   /* last known temperature, NaN before the first */
    uint32_t digest;
    unsigned long attitudes;
} marl_replay;

/* Is this log fit for this tuning and calibration? MARL_ERR_INSUFFICIENT when a sensor that the filter
 * needs is missing, MARL_ERR_INPUT when the log is corrected already or of another device. A log
 * without magnetometer turns use_mag off in the replay; the heading is then relative.
 * `record` may be NULL. */
MARL_CHECKED marl_status marl_replay_init(marl_replay *replay, const marl_tuning *tuning,
                                          const marl_calibration_record *record, const char *record_path,
                                          const marl_log_info *info, const char *log_path, marl_error *error);

/* The attitude to start with, in enu, set before the first row; without, it starts with the first vectors.
 * MARL_ERR_USE when q cannot be brought to length one. */
MARL_CHECKED marl_status marl_replay_start(marl_replay *replay, marl_quat q, marl_error *error);

/* Weights of accelerometer and magnetometer in the last correction, for the sensors of the row just taken: 0
 * to 1, 0 for an invalid reading, negative where there was no reading or the filter does not correct. */
void marl_replay_weights(const marl_replay *replay, const marl_sample *sample, float weight[2]);

/* Feeds one row. Returns 1 and the attitude, or 0 when there is none: before the start, or when the
 * sample's time was invalid. */
int marl_replay_step(marl_replay *replay, const marl_sample *sample, marl_quat *q);

/* Called for every attitude of a replay, with the row it came from and the attitude in enu. */
typedef void marl_replay_watch(void *context, const marl_replay *replay, const marl_sample *sample,
                               marl_quat q);

/* How a whole log is replayed; zeroed: readings as they are, start from vectors, nothing lost. */
typedef struct marl_replay_options {
    const marl_calibration_record *record; /* may be NULL */
    const char *record_path;
    const marl_quat *start; /* in enu; NULL = from vectors */
    marl_degradation degradation;
    marl_replay_watch *watch; /* NULL: nobody watches */
    void *watch_context;
} marl_replay_options;

/* A whole log in memory: *estimate gets the attitudes, in enu whatever the tuning gives out, each at the
 * time of its row as recorded, also where the jitter moves its stamp. It is to be freed by the caller.
 * MARL_ERR_USE when the degradation is out of range, MARL_ERR_INSUFFICIENT when no attitude came out of
 * it. */
MARL_CHECKED marl_status marl_replay_log(marl_replay *replay, const marl_log *log, const marl_tuning *tuning,
                                         const marl_replay_options *options, marl_series *estimate,
                                         marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
