/* SPDX-License-Identifier: MIT
 * The spectra of a recording. */
#include "lab/noise/noise_parts.h"
#include "lab/noise/still_runs.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

marl_status marl_spectrum_of_log(const marl_log *log, const marl_inspection *inspection, marl_sensor sensor,
                                 int at_rest, marl_sensor_spectrum *spectrum, marl_error *error)
{
    memset(spectrum, 0, sizeof *spectrum);
    lab_run r = lab_longest_run(log, inspection, sensor, at_rest);
    spectrum->at_rest = at_rest;
    if (r.readings < MARL_SPECTRUM_MIN) {
        return MARL_OK;
    }
    double *value = malloc(r.readings * sizeof *value);
    marl_status status = value != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    spectrum->from_ns = log->row[r.first].sample.t_ns;
    spectrum->seconds = 1e-9 * (double)(log->row[r.last].sample.t_ns - spectrum->from_ns);
    double step = spectrum->seconds / (double)(r.readings - 1);
    for (int axis = 0; axis < 3 && status == MARL_OK; axis++) {
        if (inspection->sensor[sensor].axes & (1u << axis)) {
            marl_spectrum *s = &spectrum->spectrum[axis];
            lab_run_values(log, &r, sensor, axis, value);
            status = lab_spectrum_of(value, r.readings, step, s, error);
            if (!at_rest) { /* motion has a shape of its own */
                s->low_pass_hz = s->low_pass_sigma = NAN;
            }
            spectrum->axes |= 1u << axis;
        }
    }
    free(value);
    return status;
}
