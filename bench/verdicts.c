/* SPDX-License-Identifier: MIT
 * Logs and counts for the verdict benchmarks. */
#include "verdicts.h"
#include "lab/simulate/simulator.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

marl_log verdict_log_of(const marl_sheet *sheet, marl_scene_kind scene, double rate_hz, double seconds,
                        double skip_s, uint64_t seed)
{
    static char path[] = "made.csv";
    marl_simulator simulator;
    marl_log log = {.path = path, .n = (size_t)(seconds * rate_hz)};
    log.info.columns =
        MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG | MARL_COLUMNS_TEMP | MARL_COLUMNS_Q;
    log.row = calloc(log.n, sizeof *log.row);
    if (log.row == NULL || lab_simulator_init(&simulator, scene, sheet, rate_hz, seed) != MARL_OK ||
        marl_simulator_set(&simulator, skip_s, 0) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < log.n; i++) {
        marl_simulator_next(&simulator, &log.row[i].sample, &log.row[i].q);
        log.row[i].has_q = 1;
    }
    return log;
}

marl_log verdict_log(marl_scene_kind scene, double rate_hz, double seconds, double skip_s, uint64_t seed)
{
    const marl_sheet sheet = marl_sheet_grommet();
    return verdict_log_of(&sheet, scene, rate_hz, seconds, skip_s, seed);
}

marl_log verdict_part(const marl_log *log, unsigned columns, unsigned fresh, double late_s)
{
    marl_log part = {.path = log->path};
    part.row = calloc(log->n, sizeof *part.row);
    part.info.columns = columns | 1u << MARL_COLUMN_T;
    if (part.row == NULL) {
        exit(1);
    }
    for (size_t i = 0; i < log->n; i++) {
        if (log->row[i].sample.fresh & fresh) {
            marl_log_row *row = &part.row[part.n++];
            *row = log->row[i];
            row->sample.fresh = (uint8_t)(row->sample.fresh & fresh);
            row->sample.t_ns += (int64_t)(1e9 * late_s);
        }
    }
    return part;
}

void verdict_add(verdict_count *count, double error, double sigma)
{
    double z = error / sigma;
    count->values++;
    count->squares += z * z;
    count->wrong += !(fabs(z) <= 5);
}

void verdict_print(const char *name, const verdict_count *count)
{
    printf("  %-44s accepted %3d of %3d, NSE %7.2f, beyond 5 sigma %d of %d\n", name, count->accepted,
           count->runs, count->values > 0 ? count->squares / count->values : (double)NAN, count->wrong,
           count->values);
}
