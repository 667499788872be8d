/* SPDX-License-Identifier: MIT
 * The numbers of the parameters, without names and texts. */
#ifndef MARL_PARAMETER_LIMITS_H
#define MARL_PARAMETER_LIMITS_H

#include "marlinspike/tuning.h"
#include <stdint.h>

typedef struct parameter_limits {
    float standard, low, high;
    uint8_t filters, is_switch; /* bit 1 << marl_filter for each filter that uses it */
} parameter_limits;

/* NULL for a number that is no parameter. */
const parameter_limits *marlp_parameter_limits(marl_parameter_id id);

#endif
