/* SPDX-License-Identifier: MIT
 * Runs of readings without a gap. */
#include "lab/noise/still_runs.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"

static uint8_t flag_of(marl_sensor sensor)
{
    return (uint8_t)(1u << sensor);
}

lab_run lab_longest_run(const marl_log *log, const marl_inspection *inspection, marl_sensor sensor,
                        int at_rest)
{
    lab_run best = {0, 0, 0}, open = {0, 0, 0};
    size_t at = 0;
    double longest = 1.5 / inspection->sensor[sensor].rate_hz;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & flag_of(sensor))) {
            continue;
        }
        int rests = !at_rest || marl_spans_hold(&inspection->still, s->t_ns, &at);
        double step = open.readings > 0 ? 1e-9 * (double)(s->t_ns - log->row[open.last].sample.t_ns) : 0;
        if (!rests || step > longest) {
            open.readings = 0;
        }
        if (rests) {
            open.first = open.readings == 0 ? i : open.first;
            open.last = i;
            open.readings++;
            best = open.readings > best.readings ? open : best;
        }
    }
    return best;
}

void lab_run_values(const marl_log *log, const lab_run *r, marl_sensor sensor, int axis, double *value)
{
    size_t n = 0;
    for (size_t i = r->first; i <= r->last; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (s->fresh & flag_of(sensor)) {
            const marl_vec3 *v = lab_reading(s, sensor);
            value[n++] = (double)(axis == 0 ? v->x : axis == 1 ? v->y : v->z);
        }
    }
}
