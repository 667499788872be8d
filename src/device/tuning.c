/* SPDX-License-Identifier: MIT
 * The table of filters and parameters. */
#include "marlinspike/tuning.h"
#include <math.h>
#include <stddef.h>
#include <string.h>

#define GYRO (1u << MARL_FILTER_GYRO)
#define VECTORS (1u << MARL_FILTER_VECTORS)
#define COMPLEMENTARY (1u << MARL_FILTER_COMPLEMENTARY)
#define ALL (GYRO | VECTORS | COMPLEMENTARY)

static const char *const filter_names[MARL_FILTER_COUNT] = {"gyro", "vectors", "complementary"};

/* clang-format off */
static const marl_parameter parameters[MARL_PARAMETER_COUNT] = {
    [MARL_PARAMETER_USE_MAG] = {"use_mag", "", MARL_KIND_SWITCH, 1.0f, 0.0f, 1.0f, ALL,
        "take the heading from the magnetometer; without, it is relative to the start"},
    [MARL_PARAMETER_TILT_TIME] = {"tilt_time", "s", MARL_KIND_NUMBER, 8.0f, 0.01f, 1000.0f, COMPLEMENTARY,
        "time constant with which the tilt follows the accelerometer"},
    [MARL_PARAMETER_HEADING_TIME] = {"heading_time", "s", MARL_KIND_NUMBER, 6.0f, 0.01f, 1000.0f, COMPLEMENTARY,
        "time constant with which the heading follows the magnetometer"},
    [MARL_PARAMETER_BIAS_TIME] = {"bias_time", "s", MARL_KIND_NUMBER, 30.0f, 0.1f, 100000.0f, COMPLEMENTARY,
        "time constant of the bias estimate; at 4 times tilt_time it does not overshoot"},
    [MARL_PARAMETER_BIAS_LIMIT] = {"bias_limit", "rad/s", MARL_KIND_NUMBER, 0.05f, 0.0f, 1.0f, COMPLEMENTARY,
        "largest bias that is believed, per axis; 0 turns the estimate off"},
    [MARL_PARAMETER_GAP_LIMIT] = {"gap_limit", "s", MARL_KIND_NUMBER, 1.0f, 0.001f, 60.0f, ALL,
        "longest gap between samples that is bridged; after a longer one it starts anew"},
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
