/* SPDX-License-Identifier: MIT
 * Everything about the parameters, with the texts: for the desk. A firmware that does not ask for a row does not carry
 * them. */
#include "device/attitude/parameter_list.h"
#include <stddef.h>

#define ROW(id, name, unit, kind, group, standard, low, high, filters, about)                                \
    [MARL_PARAMETER_##id] = {name, unit, kind, group, standard, low, high, filters, about},

static const marl_parameter rows[MARL_PARAMETER_COUNT] = {PARAMETER_LIST(ROW)};

const marl_parameter *marl_parameter_row(marl_parameter_id id)
{
    return (unsigned)id < MARL_PARAMETER_COUNT ? &rows[id] : NULL;
}

const char *marl_parameter_group_name(marl_parameter_group group)
{
    static const char *const group_names[MARL_GROUP_COUNT] = {
        [MARL_GROUP_PARAMETERS] = "parameters", [MARL_GROUP_WEIGHTING] = "weighting"};
    return (unsigned)group < MARL_GROUP_COUNT ? group_names[group] : "?";
}
