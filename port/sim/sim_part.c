/* SPDX-License-Identifier: MIT
 * Chips with the settings that a sheet or a log asks for. */
#include "sim.h"
#include <math.h>

marl_part marl_sim_part(const marl_chip *chip, marl_place at, const marl_sheet *sheet, double rate_hz)
{
    const marl_sensor_sheet *of[MARL_SENSOR_COUNT] = {&sheet->accel, &sheet->gyro, &sheet->mag};
    marl_part part = {.chip = chip, .at = at};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &chip->sensor[i];
        double own = of[i]->present ? of[i]->rate_hz : 100;
        double rate = rate_hz == 0 ? own : i == MARL_MAG ? fmin(own, rate_hz) : rate_hz;
        if (!s->present) {
            continue;
        }
        part.range[i] =
            marl_chip_choose(&s->range, of[i]->present ? (float)(of[i]->full_scale * (1 - 1e-4)) : 0.0f);
        part.rate[i] = marl_chip_choose(&s->rate, (float)rate);
        part.filter[i] =
            marl_chip_choose(&s->filter, of[i]->low_pass_hz > 0 ? (float)of[i]->low_pass_hz : 1e29f);
    }
    return part;
}

static void widen(double *max, marl_vec3 v)
{
    *max = fmax(*max, fmax(fabs((double)v.x), fmax(fabs((double)v.y), fabs((double)v.z))));
}

marl_sheet marl_sim_sheet_of_log(const marl_log *log)
{
    marl_sheet sheet = {.name = "log"};
    marl_sensor_sheet *of[MARL_SENSOR_COUNT] = {&sheet.accel, &sheet.gyro, &sheet.mag};
    double seconds =
        log->n > 1 ? 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns) : 1;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        double n = 0;
        for (size_t k = 0; k < log->n; k++) {
            const marl_sample *s = &log->row[k].sample;
            if (s->fresh & (1u << i)) {
                widen(&of[i]->full_scale, i == MARL_ACCEL ? s->accel : i == MARL_GYRO ? s->gyro : s->mag);
                n++;
            }
        }
        of[i]->present = n > 0;
        of[i]->rate_hz = n / seconds;
    }
    return sheet;
}
