/* SPDX-License-Identifier: MIT
 * The noise of a sensor at rest. */
#include "lab/noise/noise_parts.h"
#include "lab/noise/still_runs.h"
#include "marlinspike/inspect.h"
#include <stdlib.h>
#include <string.h>

marl_status marl_noise_of_log(const marl_log *log, const marl_inspection *inspection, marl_sensor sensor,
                              marl_sensor_noise *noise, marl_error *error)
{
    marl_status status = MARL_OK;
    memset(noise, 0, sizeof *noise);
    lab_run r = lab_longest_run(log, inspection, sensor, 1);
    if (r.readings < 16) {
        return MARL_OK;
    }
    double *value = malloc(r.readings * sizeof *value);
    if (value == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    noise->from_ns = log->row[r.first].sample.t_ns;
    noise->seconds = 1e-9 * (double)(log->row[r.last].sample.t_ns - noise->from_ns);
    double step = noise->seconds / (double)(r.readings - 1);
    for (int axis = 0; axis < 3 && status == MARL_OK; axis++) {
        if (inspection->sensor[sensor].axes & (1u << axis)) {
            lab_run_values(log, &r, sensor, axis, value);
            status = lab_allan_of(value, r.readings, step, &noise->allan[axis], error);
            if (status == MARL_OK) {
                lab_noise_fit(&noise->allan[axis], &noise->noise[axis]);
            }
            noise->axes |= 1u << axis;
        }
    }
    free(value);
    return status;
}
