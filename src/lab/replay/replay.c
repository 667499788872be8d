/* SPDX-License-Identifier: MIT
 * Replay through the device code. */
#include "marlinspike/replay.h"
#include "marlinspike/digest.h"
#include <math.h>
#include <stdlib.h>

static unsigned needed_columns(marl_filter filter)
{
    return filter == MARL_FILTER_VECTORS ? MARL_COLUMNS_ACCEL : MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
}

static marl_status check_calibration(const marl_calibration_record *record, const char *record_path,
                                     const marl_log_info *info, const char *log_path, marl_error *error)
{
    if (record == NULL) {
        return MARL_OK;
    }
    if (info->corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; leave --calibration out",
                         log_path);
    }
    return marl_device_match(info->device, log_path, record->device, record_path, error);
}

marl_status marl_replay_init(marl_replay *replay, const marl_tuning *tuning,
                             const marl_calibration_record *record, const char *record_path,
                             const marl_log_info *info, const char *log_path, marl_error *error)
{
    marl_tuning used = *tuning;
    *replay = (marl_replay){.degC = NAN, .calibration = marl_calibration_none()};
    marl_status status = check_calibration(record, record_path, info, log_path, error);
    if (status == MARL_OK) {
        status = marl_log_require(info, log_path, needed_columns(tuning->filter), error);
    }
    if (status != MARL_OK) {
        return status;
    }
    if (record != NULL) {
        replay->calibration = marl_calibration_for_device(record);
    }
    if ((info->columns & MARL_COLUMNS_MAG) != MARL_COLUMNS_MAG) {
        used.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    }
    if (marl_estimator_init(&replay->estimator, &used) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "%s: a parameter is out of its range",
                         marl_filter_name(tuning->filter));
    }
    return MARL_OK;
}

marl_status marl_replay_start(marl_replay *replay, marl_quat q, marl_error *error)
{
    if (marl_estimator_tuning(&replay->estimator)->world == MARL_WORLD_NED) {
        q = marl_frame_swap_world(q);
    }
    if (marl_estimator_set_attitude(&replay->estimator, q) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "the attitude to start with is no rotation");
    }
    return MARL_OK;
}

static float weight_of(float weight, int fresh, uint32_t invalid_now, uint32_t invalid_before)
{
    return invalid_now != invalid_before ? 0.0f : fresh ? weight : -1.0f;
}

void marl_replay_weights(const marl_replay *replay, const marl_sample *sample, float weight[2])
{
    const marl_estimator *e = &replay->estimator;
    const marl_estimator_counts now = marl_estimator_count(e), *before = &replay->before;
    float accel, mag;
    weight[0] = weight[1] = -1.0f;
    marl_filter filter = marl_estimator_tuning(e)->filter;
    if (filter == MARL_FILTER_GYRO || filter == MARL_FILTER_VECTORS) {
        return;
    }
    int used = marl_estimator_heading_is_magnetic(e) && (sample->fresh & MARL_FRESH_MAG);
    marl_estimator_weights(e, &accel, &mag);
    weight[0] = weight_of(accel, sample->fresh & MARL_FRESH_ACCEL, now.invalid_accel, before->invalid_accel);
    weight[1] = weight_of(mag, used, now.invalid_mag, before->invalid_mag);
}

int marl_replay_step(marl_replay *replay, const marl_sample *sample, marl_quat *q)
{
    marl_sample s = *sample;
    if (s.fresh & MARL_FRESH_TEMP) {
        replay->degC = s.temp;
    }
    marl_calibration_apply(&replay->calibration, replay->degC, &s);
    replay->before = marl_estimator_count(&replay->estimator);
    if (marl_estimator_update(&replay->estimator, &s) != MARL_OK ||
        marl_estimator_attitude(&replay->estimator, q) != MARL_OK) {
        return 0;
    }
    replay->digest = marl_digest_add(replay->digest, s.t_ns, *q);
    replay->attitudes++;
    return 1;
}

marl_status marl_replay_log(marl_replay *replay, const marl_log *log, const marl_tuning *tuning,
                            const marl_replay_options *options, marl_series *estimate, marl_error *error)
{
    marl_tuning used = *tuning;
    marl_degrader degrader;
    used.world = MARL_WORLD_ENU;
    *estimate = (marl_series){0, NULL};
    if (marl_degrader_init(&degrader, &options->degradation) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "degradation out of range");
    }
    marl_status status =
        marl_replay_init(replay, &used, options->record, options->record_path, &log->info, log->path, error);
    if (status == MARL_OK && options->start != NULL) {
        status = marl_replay_start(replay, *options->start, error);
    }
    if (status != MARL_OK) {
        return status;
    }
    estimate->at = malloc((log->n + 1) * sizeof *estimate->at);
    if (estimate->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        marl_attitude *next = &estimate->at[estimate->n];
        marl_sample seen;
        if (marl_degrader_feed(&degrader, &log->row[i].sample, &seen) &&
            marl_replay_step(replay, &seen, &next->q)) {
            next->t_ns = log->row[i].sample.t_ns;
            estimate->n++;
            if (options->watch != NULL) {
                options->watch(options->watch_context, replay, &seen, next->q);
            }
        }
    }
    if (estimate->n == 0) {
        marl_series_free(estimate);
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: no attitude: no good accelerometer reading to start from", log->path);
    }
    return MARL_OK;
}
