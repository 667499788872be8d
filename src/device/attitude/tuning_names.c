/* SPDX-License-Identifier: MIT
 * Names of filters and parameters, for boards that are configured by name. */
#include "device/attitude/parameter_list.h"
#include <stddef.h>
#include <string.h>

#define NAME(id, name, unit, kind, group, standard, low, high, filters, about) [MARL_PARAMETER_##id] = (name),

static const char *const names[MARL_PARAMETER_COUNT] = {PARAMETER_LIST(NAME)};

static const char *const filter_names[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = "gyro",
    [MARL_FILTER_VECTORS] = "vectors",
    [MARL_FILTER_COMPLEMENTARY] = "complementary",
    [MARL_FILTER_GRADIENT_DESCENT] = "gradient-descent",
    [MARL_FILTER_KALMAN] = "kalman",
};

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

const char *marl_parameter_name(marl_parameter_id id)
{
    return (unsigned)id < MARL_PARAMETER_COUNT ? names[id] : "?";
}

int marl_parameter_is_of(marl_parameter_id id, marl_filter filter)
{
    const parameter_limits *limits = marlp_parameter_limits(id);
    return limits != NULL && (unsigned)filter < MARL_FILTER_COUNT && (limits->filters >> filter & 1u);
}

marl_status marl_parameter_find(marl_filter filter, const char *name, marl_parameter_id *id)
{
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (marl_parameter_is_of((marl_parameter_id)i, filter) && strcmp(name, names[i]) == 0) {
            *id = (marl_parameter_id)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}
