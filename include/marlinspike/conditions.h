/* SPDX-License-Identifier: MIT
 * What the board was doing at each moment, so that errors can be split by it. */
#ifndef MARLINSPIKE_CONDITIONS_H
#define MARLINSPIKE_CONDITIONS_H

#include "marlinspike/calibration.h"
#include "marlinspike/inspect.h"
#include "marlinspike/series.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Each holds or does not over windows of half a second; a moment may have several, or none. */
typedef enum marl_condition {
    MARL_CONDITION_STILL,     /* as marl_inspect_still finds it */
    MARL_CONDITION_TURNING,   /* the reference turns by more than 5 deg/s from end to end of a window */
    MARL_CONDITION_SHAKING,   /* acceleration in the world scatters by more than 0.5 m/s^2 within a window */
    MARL_CONDITION_DISTURBED, /* the field, as the reference turns it into the world, is off its median over
                                 the log by more than a tenth of it: 6 degrees, or 10 % of strength */
    MARL_CONDITION_COUNT
} marl_condition;

/* "still", "turning", "shaking", "disturbed" */
const char *marl_condition_name(marl_condition condition);

typedef struct marl_conditions {
    marl_spans spans[MARL_CONDITION_COUNT];
} marl_conditions;

/* The reference must be on the log's clock and in its body frame. What it does not cover is only ever still.
 * `record` corrects the readings first, NULL: as they are. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_conditions_find(const marl_log *log, const marl_calibration_record *record,
                                              const marl_series *reference, marl_conditions *conditions,
                                              marl_error *error);
void marl_conditions_free(marl_conditions *conditions);

#ifdef __cplusplus
}
#endif
#endif
