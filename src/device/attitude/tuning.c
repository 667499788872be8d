/* SPDX-License-Identifier: MIT
 * The table of filters and parameters. */
#include "marlinspike/tuning.h"
#include "device/math/exact.h"
#include <math.h>
#include <stddef.h>
#include <string.h>

#define GYRO (1u << MARL_FILTER_GYRO)
#define VECTORS (1u << MARL_FILTER_VECTORS)
#define COMPLEMENTARY (1u << MARL_FILTER_COMPLEMENTARY)
#define GRADIENT (1u << MARL_FILTER_GRADIENT_DESCENT)
#define KALMAN (1u << MARL_FILTER_KALMAN)
#define SIMPLE (COMPLEMENTARY | GRADIENT)
#define CORRECTED (SIMPLE | KALMAN)
#define ALL (GYRO | VECTORS | CORRECTED)
#define PLAIN MARL_GROUP_PARAMETERS
#define WEIGHTING MARL_GROUP_WEIGHTING

static const char *const filter_names[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = "gyro",
    [MARL_FILTER_VECTORS] = "vectors",
    [MARL_FILTER_COMPLEMENTARY] = "complementary",
    [MARL_FILTER_GRADIENT_DESCENT] = "gradient-descent",
    [MARL_FILTER_KALMAN] = "kalman",
};

/* clang-format off */
static const marl_parameter parameters[MARL_PARAMETER_COUNT] = {
    [MARL_PARAMETER_USE_MAG] = {"use_mag", "", MARL_KIND_SWITCH, PLAIN, 1.0f, 0.0f, 1.0f, ALL,
        "use the magnetometer for the heading; without it the heading is relative to the start"},
    [MARL_PARAMETER_WEIGHTING] = {"weighting", "", MARL_KIND_SWITCH, PLAIN, 1.0f, 0.0f, 1.0f, CORRECTED,
        "readings that disagree lose weight; off: the published filter with constant noise or gains"},
    [MARL_PARAMETER_RUN_DOWN] = {"run_down", "", MARL_KIND_SWITCH, PLAIN, 1.0f, 0.0f, 1.0f, SIMPLE,
        "after a start the gains run down from those of a mean of all readings so far"},
    [MARL_PARAMETER_TILT_TIME] = {"tilt_time", "s", MARL_KIND_NUMBER, PLAIN, 1.0f, 0.01f, 1000.0f, COMPLEMENTARY,
        "time constant of the tilt correction, 1 / proportional gain"},
    [MARL_PARAMETER_HEADING_TIME] = {"heading_time", "s", MARL_KIND_NUMBER, PLAIN, 10.0f, 0.01f, 1000.0f, COMPLEMENTARY,
        "time constant of the heading correction"},
    [MARL_PARAMETER_DAMPING] = {"damping", "1", MARL_KIND_NUMBER, PLAIN, 0.91f, 0.1f, 100.0f, COMPLEMENTARY,
        "damping ratio of both loops; integral gain = 1 / (2 damping time)^2"},
    [MARL_PARAMETER_BETA] = {"beta", "rad/s", MARL_KIND_NUMBER, PLAIN, 0.05f, 0.0001f, 10.0f, GRADIENT,
        "speed of the tilt correction down the gradient"},
    [MARL_PARAMETER_ZETA] = {"zeta", "rad/s^2", MARL_KIND_NUMBER, PLAIN, 0.004f, 0.0f, 10.0f, GRADIENT,
        "rate at which the tilt error changes the gyroscope bias"},
    [MARL_PARAMETER_HEADING_BETA] = {"heading_beta", "rad/s", MARL_KIND_NUMBER, PLAIN, 0.006f, 0.0001f, 10.0f, GRADIENT,
        "speed of the heading correction down the gradient"},
    [MARL_PARAMETER_HEADING_ZETA] = {"heading_zeta", "rad/s^2", MARL_KIND_NUMBER, PLAIN, 0.0003f, 0.0f, 10.0f, GRADIENT,
        "rate at which the heading error changes the gyroscope bias"},
    [MARL_PARAMETER_GYRO_WHITE] = {"gyro_white", "rad/s/sqrt(Hz)", MARL_KIND_NUMBER, PLAIN, 0.00015f, 0.0000001f, 1.0f, KALMAN,
        "noise density of the gyroscope (angle random walk)"},
    [MARL_PARAMETER_GYRO_SCALE] = {"gyro_scale", "1", MARL_KIND_NUMBER, PLAIN, 0.0005f, 0.0f, 0.5f, KALMAN,
        "scale factor uncertainty of the gyroscope; 0.002 where nothing is calibrated"},
    [MARL_PARAMETER_GYRO_WALK] = {"gyro_walk", "rad/s/sqrt(s)", MARL_KIND_NUMBER, PLAIN, 0.000005f, 0.0f, 1.0f, KALMAN,
        "rate random walk of the gyroscope bias"},
    [MARL_PARAMETER_BIAS_SPREAD] = {"bias_spread", "rad/s", MARL_KIND_NUMBER, PLAIN, 0.04f, 0.0f, 1.0f, CORRECTED,
        "standard deviation of the gyroscope bias at the start, per axis; 0.01 where a calibration holds it"},
    [MARL_PARAMETER_ATTITUDE_SPREAD] = {"attitude_spread", "rad", MARL_KIND_NUMBER, PLAIN, 0.5f, 0.001f, 3.0f, KALMAN,
        "standard deviation of the attitude at the start, per axis"},
    [MARL_PARAMETER_ACCEL_FLOOR] = {"accel_floor", "m/s^2", MARL_KIND_NUMBER, PLAIN, 0.002f, 0.00001f, 10.0f, KALMAN,
        "slow noise of the accelerometer at rest"},
    [MARL_PARAMETER_ACCEL_NOISE] = {"accel_noise", "m/s^2", MARL_KIND_NUMBER, PLAIN, 0.5f, 0.0f, 100.0f, KALMAN,
        "accelerations of the body, rms per axis, counted as constant noise while the weighting is off"},
    [MARL_PARAMETER_ACCEL_BIAS_SPREAD] = {"accel_bias_spread", "m/s^2", MARL_KIND_NUMBER, PLAIN, 0.0f, 0.0f, 10.0f, KALMAN,
        "standard deviation of the accelerometer's bias, per axis: widens the stated sigma; 0.2 where it is not calibrated"},
    [MARL_PARAMETER_SPEED_FLOOR] = {"speed_floor", "m/s", MARL_KIND_NUMBER, PLAIN, 0.6f, 0.001f, 1000.0f, KALMAN,
        "rms horizontal speed of a body that stays about where it is"},
    [MARL_PARAMETER_MAG_NOISE] = {"mag_noise", "uT", MARL_KIND_NUMBER, PLAIN, 0.3f, 0.001f, 1000.0f, CORRECTED,
        "magnetometer error per reading: noise and what calibration leaves"},
    [MARL_PARAMETER_MAG_BIAS_SPREAD] = {"mag_bias_spread", "uT", MARL_KIND_NUMBER, PLAIN, 0.0f, 0.0f, 1000.0f, KALMAN,
        "the same of the magnetometer; 3 where it is not calibrated"},
    [MARL_PARAMETER_DISTURBANCE_TIME] = {"disturbance_time", "s", MARL_KIND_NUMBER, PLAIN, 0.8f, 0.1f, 100.0f, KALMAN,
        "correlation time of accelerations, speed and field disturbances"},
    [MARL_PARAMETER_VELOCITY_TIME] = {"velocity_time", "s", MARL_KIND_NUMBER, PLAIN, 10.0f, 0.5f, 1000.0f, KALMAN,
        "time constant with which the velocity state leaks away"},
    [MARL_PARAMETER_BIAS_LIMIT] = {"bias_limit", "rad/s", MARL_KIND_NUMBER, PLAIN, 0.15f, 0.0f, 1.0f, CORRECTED,
        "largest gyroscope bias per axis; 0 turns the bias estimate off"},
    [MARL_PARAMETER_GAP_LIMIT] = {"gap_limit", "s", MARL_KIND_NUMBER, PLAIN, 1.0f, 0.001f, 60.0f, ALL,
        "longest gap between samples that is bridged; after a longer one the estimator restarts"},
    [MARL_PARAMETER_LEVER_X] = {"lever_x", "m", MARL_KIND_NUMBER, PLAIN, 0.0f, -1000.0f, 1000.0f, CORRECTED,
        "position of the accelerometer from the centre of rotation, along body x"},
    [MARL_PARAMETER_LEVER_Y] = {"lever_y", "m", MARL_KIND_NUMBER, PLAIN, 0.0f, -1000.0f, 1000.0f, CORRECTED,
        "the same along body y"},
    [MARL_PARAMETER_LEVER_Z] = {"lever_z", "m", MARL_KIND_NUMBER, PLAIN, 0.0f, -1000.0f, 1000.0f, CORRECTED,
        "the same along body z"},
    [MARL_PARAMETER_ACCEL_THRESHOLD] = {"accel_threshold", "m/s^2", MARL_KIND_NUMBER, WEIGHTING, 0.12f, 0.001f, 1000000.0f, SIMPLE,
        "acceleration at which the accelerometer has half its weight"},
    [MARL_PARAMETER_FORCE_TIME] = {"force_time", "s", MARL_KIND_NUMBER, WEIGHTING, 2.5f, 0.1f, 1000.0f, SIMPLE,
        "time over which the down-weighted force is averaged"},
    [MARL_PARAMETER_BIAS_SHARE] = {"bias_share", "1", MARL_KIND_NUMBER, WEIGHTING, 0.06f, 0.0f, 1.0f, SIMPLE,
        "share of that averaged force that may change the gyroscope bias"},
    [MARL_PARAMETER_MAG_THRESHOLD] = {"mag_threshold", "uT", MARL_KIND_NUMBER, WEIGHTING, 1.0f, 0.001f, 1000000.0f, SIMPLE,
        "change of the field at which the magnetometer has half its weight; 3 where nothing is calibrated"},
    [MARL_PARAMETER_SPEED_TIME] = {"speed_time", "s", MARL_KIND_NUMBER, WEIGHTING, 60.0f, 1.0f, 10000.0f, KALMAN,
        "how long a fast motion is remembered"},
    [MARL_PARAMETER_START_SPEED] = {"start_speed", "m/s", MARL_KIND_NUMBER, WEIGHTING, 0.0084f, 0.0f, 100.0f, KALMAN,
        "speed change of a body at rest that the mean acceleration since the start may hold"},
    [MARL_PARAMETER_START_ARM] = {"start_arm", "m", MARL_KIND_NUMBER, WEIGHTING, 10.0f, 0.0f, 1000.0f, KALMAN,
        "the same in motion, for each rad/s of the scatter of the rate"},
    [MARL_PARAMETER_RESET_SPEED] = {"reset_speed", "m/s", MARL_KIND_NUMBER, WEIGHTING, 20.0f, 0.1f, 10000.0f, KALMAN,
        "a mean acceleration over 30 s that needs more than this shows a wrong tilt: restart"},
};
/* clang-format on */

const char *marl_filter_name(marl_filter filter)
{
    return (unsigned)filter < MARL_FILTER_COUNT ? filter_names[filter] : "?";
}

marl_status marl_filter_from_name(const char *name, marl_filter *filter)
{
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        if (strcmp(name, filter_names[i]) == 0) {
            *filter = (marl_filter)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}

const marl_parameter *marl_parameter_row(marl_parameter_id id)
{
    return (unsigned)id < MARL_PARAMETER_COUNT ? &parameters[id] : NULL;
}

marl_status marl_parameter_find(marl_filter filter, const char *name, marl_parameter_id *id)
{
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if ((parameters[i].filters & (1u << filter)) && strcmp(name, parameters[i].name) == 0) {
            *id = (marl_parameter_id)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}

const char *marl_parameter_group_name(marl_parameter_group group)
{
    static const char *const group_names[MARL_GROUP_COUNT] = {
        [MARL_GROUP_PARAMETERS] = "parameters", [MARL_GROUP_WEIGHTING] = "weighting"};
    return (unsigned)group < MARL_GROUP_COUNT ? group_names[group] : "?";
}

marl_tuning marl_tuning_default(marl_filter filter)
{
    marl_tuning tuning = {.filter = filter, .world = MARL_WORLD_ENU};
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        tuning.value[i] = parameters[i].standard;
    }
    return tuning;
}

static int allowed(const marl_parameter *row, float value)
{
    int in_range = isfinite(value) && value >= row->low && value <= row->high;
    return in_range && (row->kind != MARL_KIND_SWITCH || value == 0.0f || value == 1.0f);
}

marl_status marl_tuning_check(const marl_tuning *tuning)
{
    if ((unsigned)tuning->filter >= MARL_FILTER_COUNT ||
        (tuning->world != MARL_WORLD_ENU && tuning->world != MARL_WORLD_NED)) {
        return MARL_ERR_ARGUMENT;
    }
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (!allowed(&parameters[i], tuning->value[i])) {
            return MARL_ERR_ARGUMENT;
        }
    }
    return MARL_OK;
}
