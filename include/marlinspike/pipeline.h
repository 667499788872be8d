/* SPDX-License-Identifier: MIT
 * Everything between a raw sample and an attitude, as a firmware calls it and as the desk replays it: check,
 * temperature, correction, stillness, mount, estimator, counts, digest. The usual order of calls:
 *
 *   marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
 *   marl_pipeline_init(&pipeline, &config);         once, and again for other settings
 *   marl_pipeline_step(&pipeline, &sample, &q);     for every sample
 *   marl_estimator_bias(&pipeline.estimator);       and the other getters of estimator.h, at any time
 *
 * What it decides:
 *   - A sensor that is not in config.sensors does not exist: its readings are ignored, and without a
 *     magnetometer the heading is relative from the first attitude on.
 *   - A raw reading that is not finite or implausible (sample.h) counts as invalid, is not corrected and
 * takes part in nothing; the estimator restarts after too many of them (estimator.h).
 *   - The temperature of a sample holds until the next one; before the first, biases are those at T0.
 *   - A sample whose time stands still or goes back gives no attitude; its temperature is used. */
#ifndef MARLINSPIKE_PIPELINE_H
#define MARLINSPIKE_PIPELINE_H

#include "marlinspike/correction.h"
#include "marlinspike/estimator.h"
#include "marlinspike/still.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_pipeline_config {
    marl_tuning tuning;
    marl_calibration calibration;
    uint8_t sensors;     /* MARL_FRESH_...: which of accel, gyro and mag there are */
    uint8_t watch_still; /* keep `still` up to date: costs about as much as a simple filter */
} marl_pipeline_config;

/* Reading it is welcome; only the calls change it. */
typedef struct marl_pipeline {
    marl_corrector corrector;
    marl_estimator estimator;
    marl_still still;   /* of corrected readings before the mount; with watch_still */
    marl_sample sample; /* the last one, corrected, in the body frame; invalid readings are not fresh */
    uint8_t sensors;    /* as configured */
    uint8_t watches_still;
    uint32_t attitudes; /* how many were given out */
    uint32_t digest;    /* of all of them (digest.h): equal digests, equal bits */
} marl_pipeline;

/* Default tuning of this filter, no calibration, all three sensors, stillness not watched. */
marl_pipeline_config marl_pipeline_default(marl_filter filter);

/* Starts anew with nothing known. MARL_ERR_ARGUMENT when tuning or calibration do not pass their checks. */
MARL_CHECKED marl_status marl_pipeline_init(marl_pipeline *pipeline, const marl_pipeline_config *config);

/* The same with other settings while running: the last temperature and the stillness stay known. */
MARL_CHECKED marl_status marl_pipeline_configure(marl_pipeline *pipeline, const marl_pipeline_config *config);

/* The first half of a step, for whoever needs no attitude: `pipeline->sample` is then corrected, in the
 * sensors' frame. Returns the MARL_FRESH_... flags of raw readings that were invalid. */
uint8_t marl_pipeline_correct(marl_pipeline *pipeline, const marl_sample *raw);

/* Takes one raw sample; any mixture of fresh readings. MARL_OK: *q is the attitude at its time, body to
 * world, unit, canonical. MARL_ERR_TIME: the sample was left out, as its time stood still or went back.
 * MARL_ERR_NOT_READY: no attitude yet. In both cases *q is the identity. */
MARL_CHECKED marl_status marl_pipeline_step(marl_pipeline *pipeline, const marl_sample *raw, marl_quat *q);

/* Weights of accelerometer and magnetometer in the last correction, for the sensors of the last sample: 0 to
 * 1, 0 for an invalid reading, negative where there was no reading or the filter does not correct. */
void marl_pipeline_weights(const marl_pipeline *pipeline, float weight[2]);

#ifdef __cplusplus
}
#endif
#endif
