/* SPDX-License-Identifier: MIT
 * Logs made in memory, for tests. */
#ifndef MEMORY_LOG_H
#define MEMORY_LOG_H

#include "lab/simulate/simulator.h"
#include "marlinspike/compare.h"
#include "marlinspike/log.h"
#include "marlinspike/simulate.h"
#include <check.h>
#include <stdlib.h>
#include <string.h>

#define MEMORY_LOG_ALL (MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG | MARL_COLUMNS_TEMP)

static inline marl_log memory_log_simulated(marl_scene_kind scene, const marl_sheet *sheet, double rate,
                                            double seconds, uint64_t seed)
{
    marl_log log = {.n = (size_t)(seconds * rate)};
    marl_simulator simulator;
    log.path = strdup("made.csv");
    log.row = calloc(log.n, sizeof *log.row);
    log.info.columns = MEMORY_LOG_ALL;
    log.report.rows = log.n;
    ck_assert_int_eq(lab_simulator_init(&simulator, scene, sheet, rate, seed), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        marl_simulator_next(&simulator, &log.row[i].sample, &log.row[i].q);
        log.row[i].has_q = 1; /* the truth */
    }
    return log;
}

#endif
