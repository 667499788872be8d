/* SPDX-License-Identifier: MIT
 * Defaults and ranges of the parameters. */
#include "device/attitude/parameter_list.h"
#include "device/math/exact.h"
#include <math.h>
#include <stddef.h>

#define LIMITS(id, name, unit, kind, group, standard, low, high, filters, about)                             \
    [MARL_PARAMETER_##id] = {standard, low, high, filters, (kind) == MARL_KIND_SWITCH},

static const parameter_limits limits[MARL_PARAMETER_COUNT] = {PARAMETER_LIST(LIMITS)};

const parameter_limits *marlp_parameter_limits(marl_parameter_id id)
{
    return (unsigned)id < MARL_PARAMETER_COUNT ? &limits[id] : NULL;
}

marl_tuning marl_tuning_default(marl_filter filter)
{
    marl_tuning tuning = {.filter = filter, .world = MARL_WORLD_ENU};
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        tuning.value[i] = limits[i].standard;
    }
    return tuning;
}

static int allowed(const parameter_limits *row, float value)
{
    int in_range = isfinite(value) && value >= row->low && value <= row->high;
    return in_range && (!row->is_switch || value == 0.0f || value == 1.0f);
}

marl_status marl_tuning_check(const marl_tuning *tuning)
{
    if ((unsigned)tuning->filter >= MARL_FILTER_COUNT ||
        (tuning->world != MARL_WORLD_ENU && tuning->world != MARL_WORLD_NED)) {
        return MARL_ERR_ARGUMENT;
    }
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (!allowed(&limits[i], tuning->value[i])) {
            return MARL_ERR_ARGUMENT;
        }
    }
    return MARL_OK;
}
