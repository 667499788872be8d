/* SPDX-License-Identifier: MIT
 * Everything between a raw sample and an attitude. */
#include "device/attitude/estimator_parts.h"
#include "device/attitude/parameter_limits.h"
#include "device/math/exact.h"
#include "marlinspike/estimator.h"
#include "marlinspike/quat.h"
#include <math.h>

enum { VECTORS = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG };

marl_pipeline_config marl_pipeline_default(marl_filter filter)
{
    return (marl_pipeline_config){
        .tuning = marl_tuning_default(filter), .calibration = marl_calibration_none(), .sensors = VECTORS};
}

/* A value in the tuning that is not the default goes before what follows from the calibration. */
static void assume(marl_tuning *tuning, marl_parameter_id id, float value)
{
    tuning->value[id] = tuning->value[id] == marlp_parameter_limits(id)->standard ? value : tuning->value[id];
}

/* A bias alone, as of a rest, says nothing of the scale. */
static int knows_scale(const marl_pipeline_config *config)
{
    const marl_correction *c = &config->calibration.gyro;
    int comes_known = (config->corrected & MARL_FRESH_GYRO) && !(config->corrected & MARL_GYRO_SCALE_OPEN);
    return comes_known || (c->present && !marl_correction_is_bias_alone(c));
}

static void assume_sensors(marl_tuning *tuning, const marl_pipeline_config *config)
{
    const marl_calibration *c = &config->calibration;
    if (c->gyro.present || (config->corrected & MARL_FRESH_GYRO)) {
        assume(tuning, MARL_PARAMETER_BIAS_SPREAD, MARL_BIAS_SPREAD_CALIBRATED);
    }
    if (!c->accel.present && !(config->corrected & MARL_FRESH_ACCEL)) {
        assume(tuning, MARL_PARAMETER_ACCEL_BIAS_SPREAD, MARL_ACCEL_BIAS_SPREAD_RAW);
    }
    if (!c->mag.present && !(config->corrected & MARL_FRESH_MAG)) {
        assume(tuning, MARL_PARAMETER_MAG_BIAS_SPREAD, MARL_MAG_BIAS_SPREAD_RAW);
        assume(tuning, MARL_PARAMETER_MAG_THRESHOLD, MARL_MAG_THRESHOLD_RAW);
    }
    if (!knows_scale(config)) {
        assume(tuning, MARL_PARAMETER_GYRO_SCALE, MARL_GYRO_SCALE_RAW);
    }
}

static marl_tuning used_tuning(const marl_pipeline_config *config)
{
    marl_tuning tuning = config->tuning;
    if (!(config->sensors & MARL_FRESH_MAG)) {
        tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    }
    assume_sensors(&tuning, config);
    return tuning;
}

marl_status marl_pipeline_configure(marl_pipeline *p, const marl_pipeline_config *config)
{
    const marl_tuning tuning = used_tuning(config);
    marl_calibration calibration = config->calibration;
    MARL_TRY(marl_calibration_check(&calibration));
    p->corrector.calibration = calibration;
    p->sample = (marl_sample){.fresh = 0};
    p->sensors = config->sensors;
    p->watches_still = config->watch_still;
    p->no_digest = config->no_digest;
    p->attitudes = p->digest = 0;
    return marl_estimator_init_with(&p->estimator, &tuning, p->estimator.choice);
}

marl_status marl_pipeline_retune(marl_pipeline *p, const marl_pipeline_config *config)
{
    const marl_tuning tuning = used_tuning(config);
    return marl_estimator_retune(&p->estimator, &tuning);
}

static int is_same_vector(marl_vec3 a, marl_vec3 b)
{
    return a.x == b.x && a.y == b.y && a.z == b.z;
}

static int is_same_curve(const marl_bias_curve *a, const marl_bias_curve *b)
{
    return a->reference_degC == b->reference_degC && a->low_degC == b->low_degC &&
           a->high_degC == b->high_degC && is_same_vector(a->per_degC, b->per_degC) &&
           is_same_vector(a->per_degC2, b->per_degC2);
}

static int is_same_correction(const marl_correction *a, const marl_correction *b)
{
    int same = a->present == b->present && a->has_curve == b->has_curve;
    for (int i = 0; i < 3 && same && a->present; i++) {
        for (int j = 0; j < 3; j++) {
            same &= a->matrix.m[i][j] == b->matrix.m[i][j];
        }
    }
    same = same && (!a->present || is_same_vector(a->bias, b->bias));
    return same && (!a->present || !a->has_curve || is_same_curve(&a->curve, &b->curve));
}

static marl_quat mount_of(const marl_calibration *c)
{
    return c->has_mount ? c->mount : marl_quat_identity();
}

marl_status marl_pipeline_recalibrate(marl_pipeline *p, const marl_pipeline_config *config)
{
    const marl_tuning tuning = used_tuning(config);
    marl_calibration calibration = config->calibration, *before = &p->corrector.calibration;
    marl_estimator *e = &p->estimator;
    MARL_TRY(marl_calibration_check(&calibration));
    MARL_TRY(marlp_estimator_choose(e, &tuning));
    /* q turns the body into the world, the mount the sensors into the body: their product stays as it is */
    marl_quat change = marl_quat_product(mount_of(before), marl_quat_conjugate(mount_of(&calibration)));
    int has_mount = before->has_mount || calibration.has_mount;
    int same_gyro = is_same_correction(&before->gyro, &calibration.gyro);
    p->corrector.calibration = calibration;
    if (!same_gyro) {
        e->bias = (marl_vec3){0.0f, 0.0f, 0.0f};
    }
    if (has_mount) {
        e->q = marl_quat_product(e->q, change);
        e->bias = marl_quat_rotate_back(change, e->bias);
    }
    if (e->started) {
        marlp_estimator_go_on(e);
    }
    return MARL_OK;
}

marl_status marl_pipeline_init_with(marl_pipeline *pipeline, const marl_pipeline_config *config,
                                    marl_filter_choice choice)
{
    marl_still_limits limits = marl_still_default_limits();
    marl_corrector_init(&pipeline->corrector, &config->calibration);
    MARL_TRY(marl_still_init(&pipeline->still, &limits));
    pipeline->estimator.choice = choice;
    return marl_pipeline_configure(pipeline, config);
}

void marl_pipeline_restart(marl_pipeline *p)
{
    const marl_tuning tuning = p->estimator.tuning;
    const marl_estimator_counts counts = p->estimator.counts;
    (void)!marl_estimator_init_with(&p->estimator, &tuning,
                                    p->estimator.choice); /* it has passed its check before */
    p->estimator.counts = counts;
}

uint8_t marl_pipeline_correct(marl_pipeline *p, const marl_sample *raw)
{
    p->sample = *raw;
    p->sample.fresh = (uint8_t)(raw->fresh & (p->sensors | ~VECTORS));
    uint8_t invalid = marl_corrector_step(&p->corrector, &p->sample);
    if (p->watches_still) {
        (void)marl_still_update(&p->still, &p->sample);
    }
    return invalid;
}

/* An invalid reading goes on as NaN, so that the estimator counts it and knows of it. */
static void pass_on_invalid(marl_sample *sample, uint8_t invalid)
{
    const marl_vec3 none = {NAN, NAN, NAN};
    if (invalid & MARL_FRESH_ACCEL) {
        sample->accel = none;
    }
    if (invalid & MARL_FRESH_GYRO) {
        sample->gyro = none;
    }
    if (invalid & MARL_FRESH_MAG) {
        sample->mag = none;
    }
    sample->fresh = (uint8_t)(sample->fresh | (invalid & VECTORS));
}

marl_status marl_pipeline_step(marl_pipeline *p, const marl_sample *raw, marl_quat *q)
{
    uint8_t invalid = marl_pipeline_correct(p, raw);
    marl_calibration_mount(&p->corrector.calibration, &p->sample);
    if (invalid != 0) {
        pass_on_invalid(&p->sample, invalid);
    }
    marl_status status = marl_estimator_update(&p->estimator, &p->sample);
    p->sample.fresh = (uint8_t)(p->sample.fresh & ~(invalid | marl_estimator_invalid(&p->estimator)));
    if (status != MARL_OK) {
        *q = marl_quat_identity();
        return status;
    }
    MARL_TRY(marl_estimator_attitude(&p->estimator, q));
    if (!p->no_digest) {
        p->digest = marl_digest_add(p->digest, raw->t_ns, *q);
    }
    p->attitudes++;
    return MARL_OK;
}

static float weight_of(const marl_pipeline *p, float weight, int used, uint8_t sensor)
{
    if (marl_estimator_invalid(&p->estimator) & sensor) {
        return 0.0f;
    }
    return used && (p->sample.fresh & sensor) ? weight : -1.0f;
}

void marl_pipeline_weights(const marl_pipeline *p, float weight[2])
{
    float accel, mag;
    marl_filter filter = marl_estimator_tuning(&p->estimator)->filter;
    weight[0] = weight[1] = -1.0f;
    if (filter == MARL_FILTER_GYRO || filter == MARL_FILTER_VECTORS) {
        return;
    }
    marl_estimator_weights(&p->estimator, &accel, &mag);
    weight[0] = weight_of(p, accel, 1, MARL_FRESH_ACCEL);
    weight[1] = weight_of(p, mag, marl_estimator_heading_is_magnetic(&p->estimator), MARL_FRESH_MAG);
}
