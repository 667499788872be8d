/* SPDX-License-Identifier: MIT
 * The table of filters and parameters. */
#include "marlinspike/tuning.h"
#include <math.h>
#include <stddef.h>
#include <string.h>

#define GYRO (1u << MARL_FILTER_GYRO)
#define VECTORS (1u << MARL_FILTER_VECTORS)
#define COMPLEMENTARY (1u << MARL_FILTER_COMPLEMENTARY)
#define GRADIENT (1u << MARL_FILTER_GRADIENT_DESCENT)
#define KALMAN (1u << MARL_FILTER_KALMAN)
#define FUSED (COMPLEMENTARY | GRADIENT | KALMAN)
#define ALL (GYRO | VECTORS | FUSED)

static const char *const filter_names[MARL_FILTER_COUNT] = {"gyro", "vectors", "complementary",
                                                            "gradient-descent", "kalman"};

/* clang-format off */
static const marl_parameter parameters[MARL_PARAMETER_COUNT] = {
    [MARL_PARAMETER_USE_MAG] = {"use_mag", "", MARL_KIND_SWITCH, 1.0f, 0.0f, 1.0f, ALL,
        "take the heading from the magnetometer; without, it is relative to the start"},
    [MARL_PARAMETER_TILT_TIME] = {"tilt_time", "s", MARL_KIND_NUMBER, 2.0f, 0.01f, 1000.0f, COMPLEMENTARY | GRADIENT,
        "time constant with which the tilt follows a trusted accelerometer"},
    [MARL_PARAMETER_HEADING_TIME] = {"heading_time", "s", MARL_KIND_NUMBER, 60.0f, 0.01f, 1000.0f, COMPLEMENTARY | GRADIENT,
        "time constant with which the heading follows a trusted magnetometer"},
    [MARL_PARAMETER_TILT_SPEED] = {"tilt_speed", "rad/s", MARL_KIND_NUMBER, 0.01f, 0.0001f, 10.0f, GRADIENT,
        "speed at which the tilt goes to where a trusted accelerometer points"},
    [MARL_PARAMETER_HEADING_SPEED] = {"heading_speed", "rad/s", MARL_KIND_NUMBER, 0.1f, 0.0001f, 10.0f, GRADIENT,
        "speed at which the heading goes to where a trusted magnetometer points"},
    [MARL_PARAMETER_BIAS_TIME] = {"bias_time", "s", MARL_KIND_NUMBER, 60.0f, 0.1f, 100000.0f, COMPLEMENTARY | GRADIENT,
        "the bias is fitted to the trusted readings of so long"},
    [MARL_PARAMETER_GYRO_WHITE] = {"gyro_white", "rad/s/sqrt(Hz)", MARL_KIND_NUMBER, 0.0001f, 0.0000001f, 1.0f, KALMAN,
        "white noise of the gyroscope, as inspect measures it"},
    [MARL_PARAMETER_GYRO_FLICKER] = {"gyro_flicker", "rad/s", MARL_KIND_NUMBER, 0.00004f, 0.0f, 1.0f, KALMAN,
        "flicker noise of the gyroscope's bias, as inspect measures it"},
    [MARL_PARAMETER_GYRO_WALK] = {"gyro_walk", "rad/s/sqrt(s)", MARL_KIND_NUMBER, 0.000002f, 0.0f, 1.0f, KALMAN,
        "walk of the gyroscope's bias, as inspect measures it"},
    [MARL_PARAMETER_ACCEL_WHITE] = {"accel_white", "m/s^2/sqrt(Hz)", MARL_KIND_NUMBER, 0.0015f, 0.000001f, 100.0f, KALMAN,
        "white noise of the accelerometer, as inspect measures it"},
    [MARL_PARAMETER_MAG_WHITE] = {"mag_white", "uT/sqrt(Hz)", MARL_KIND_NUMBER, 0.1f, 0.0001f, 1000.0f, KALMAN,
        "white noise of the magnetometer, as inspect measures it"},
    [MARL_PARAMETER_MAG_ERROR] = {"mag_error", "uT", MARL_KIND_NUMBER, 0.3f, 0.0f, 1000.0f, KALMAN,
        "error that calibration leaves in the magnetometer, per axis"},
    [MARL_PARAMETER_GYRO_SCALE] = {"gyro_scale", "1", MARL_KIND_NUMBER, 0.001f, 0.0f, 0.5f, FUSED,
        "scale and cross-axis error of the gyroscope that does not cancel on the way back, as a share of the rate"},
    [MARL_PARAMETER_BIAS_SPREAD] = {"bias_spread", "rad/s", MARL_KIND_NUMBER, 0.01f, 0.0f, 1.0f, FUSED,
        "bias that may be left in the gyroscope at the start, per axis"},
    [MARL_PARAMETER_BIAS_LIMIT] = {"bias_limit", "rad/s", MARL_KIND_NUMBER, 0.05f, 0.0f, 1.0f, FUSED,
        "largest bias that is believed, per axis; 0 turns the estimate off"},
    [MARL_PARAMETER_GAP_LIMIT] = {"gap_limit", "s", MARL_KIND_NUMBER, 1.0f, 0.001f, 60.0f, ALL,
        "longest gap between samples that is bridged; after a longer one it starts anew"},
    [MARL_PARAMETER_ACCEL_SLACK] = {"accel_slack", "m/s^2", MARL_KIND_NUMBER, 0.1f, 0.001f, 1000000.0f, FUSED,
        "an accelerometer that is longer or shorter than gravity by this counts half"},
    [MARL_PARAMETER_RATE_SLACK] = {"rate_slack", "rad/s", MARL_KIND_NUMBER, 0.005f, 0.0001f, 1000000.0f, FUSED,
        "while it turns at this rate the accelerometer counts half"},
    [MARL_PARAMETER_TILT_SLACK] = {"tilt_slack", "rad", MARL_KIND_NUMBER, 0.01f, 0.0001f, 1000000.0f, FUSED,
        "an accelerometer that disagrees with the tilt by this counts half"},
    [MARL_PARAMETER_FIELD_SLACK] = {"field_slack", "1", MARL_KIND_NUMBER, 0.04f, 0.001f, 1000000.0f, FUSED,
        "a magnetic field that is stronger or weaker than before by this share counts half"},
    [MARL_PARAMETER_DIP_SLACK] = {"dip_slack", "1", MARL_KIND_NUMBER, 0.04f, 0.001f, 1000000.0f, FUSED,
        "a magnetic field whose sine of the dip differs from before by this counts half"},
    [MARL_PARAMETER_HEADING_SLACK] = {"heading_slack", "rad", MARL_KIND_NUMBER, 0.07f, 0.0001f, 1000000.0f, FUSED,
        "a magnetometer that disagrees with the heading by this counts half"},
    [MARL_PARAMETER_LINGER] = {"linger", "s", MARL_KIND_NUMBER, 3.0f, 0.01f, 1000.0f, FUSED,
        "evidence against a sensor fades by 1/e within this time, and is gone after three, however strong"},
    [MARL_PARAMETER_HOLD_LIMIT] = {"hold_limit", "s", MARL_KIND_NUMBER, 120.0f, 0.1f, 100000.0f, FUSED,
        "a sensor that was left out for so long is let in again, at a tenth"},
    [MARL_PARAMETER_LEVER_X] = {"lever_x", "m", MARL_KIND_NUMBER, 0.0f, -1000.0f, 1000.0f, FUSED,
        "place of the accelerometer, from the axis about which everything turns, along body x"},
    [MARL_PARAMETER_LEVER_Y] = {"lever_y", "m", MARL_KIND_NUMBER, 0.0f, -1000.0f, 1000.0f, FUSED,
        "the same along body y"},
    [MARL_PARAMETER_LEVER_Z] = {"lever_z", "m", MARL_KIND_NUMBER, 0.0f, -1000.0f, 1000.0f, FUSED,
        "the same along body z"},
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

int marl_parameter_is_trust(marl_parameter_id id)
{
    return id >= MARL_PARAMETER_ACCEL_SLACK && id < MARL_PARAMETER_COUNT;
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
