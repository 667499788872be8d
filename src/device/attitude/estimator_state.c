/* SPDX-License-Identifier: MIT
 * What a user may read of an estimator besides the attitude. */
#include "device/attitude/estimator_parts.h"

int marl_estimator_heading_is_magnetic(const marl_estimator *estimator)
{
    return estimator->started && estimator->heading_known;
}

/* Is there a covariance to read? */
static marl_status check_covariance(const marl_estimator *e)
{
    if (e->tuning.filter != MARL_FILTER_KALMAN) {
        return MARL_ERR_ARGUMENT;
    }
    return e->started ? MARL_OK : MARL_ERR_NOT_READY;
}

/* (3.9) What the biases of the sensors that define the level and north add to the variance, rad^2: of the tilt, both
 * axes together, and of the heading, which a tilt about north moves by the slope of the field. */
static void add_sensor_bias(const marl_estimator *e, float *tilt, float *heading)
{
    float accel = PARAMETER(e, ACCEL_BIAS_SPREAD) / MARL_GRAVITY, mag = PARAMETER(e, MAG_BIAS_SPREAD);
    *tilt += 2.0f * accel * accel;
    if (e->heading_known) {
        float level2 = e->field.strength * e->field.strength - e->field.vertical * e->field.vertical;
        float slope = e->field.vertical * accel;
        *heading += (mag * mag + slope * slope) / float_max(level2, MIN_LEVEL_FIELD * MIN_LEVEL_FIELD);
    }
}

marl_status marl_estimator_sigma(const marl_estimator *estimator, float *tilt, float *heading)
{
    const float(*p)[MARL_KALMAN_STATES] = estimator->kalman.p;
    marl_status status = check_covariance(estimator);
    *tilt = *heading = 0.0f;
    if (status == MARL_OK) {
        float tilt2 = p[0][0] + p[1][1], heading2 = p[2][2];
        add_sensor_bias(estimator, &tilt2, &heading2);
        *tilt = float_root(tilt2);
        *heading = float_root(heading2);
    }
    return status;
}

marl_vec3 marl_estimator_bias(const marl_estimator *estimator)
{
    return estimator->bias;
}

marl_status marl_estimator_bias_sigma(const marl_estimator *estimator, marl_vec3 *sigma)
{
    const float(*p)[MARL_KALMAN_STATES] = estimator->kalman.p;
    marl_status status = check_covariance(estimator);
    *sigma = (marl_vec3){0.0f, 0.0f, 0.0f};
    if (status == MARL_OK) {
        *sigma = (marl_vec3){float_root(p[3][3]), float_root(p[4][4]), float_root(p[5][5])};
    }
    return status;
}

uint8_t marl_estimator_invalid(const marl_estimator *estimator)
{
    return estimator->invalid;
}

float marl_estimator_speed_evidence(const marl_estimator *estimator)
{
    return estimator->tuning.filter == MARL_FILTER_KALMAN ? estimator->kalman.speed_evidence : 0.0f;
}

const marl_tuning *marl_estimator_tuning(const marl_estimator *estimator)
{
    return &estimator->tuning;
}

void marl_estimator_weights(const marl_estimator *estimator, float *accel, float *mag)
{
    *accel = estimator->weight_accel;
    *mag = estimator->weight_mag;
}

marl_estimator_counts marl_estimator_count(const marl_estimator *estimator)
{
    return estimator->counts;
}
