/* SPDX-License-Identifier: MIT
 * What one run shows over time. */
#include "marlinspike/trace.h"
#include <math.h>
#include <stdlib.h>

#define SAME_TIME_S 1e-6

const marl_trace_row *marl_trace_row_of(marl_trace_value value)
{
    static const marl_trace_row rows[MARL_TRACE_VALUES] = {
        [MARL_TRACE_TOTAL] = {"total error", "deg", 0, 1},
        [MARL_TRACE_TILT] = {"tilt error", "deg", 0, 1},
        [MARL_TRACE_HEADING_OFF] = {"heading error", "deg", 0, 0},
        [MARL_TRACE_ROLL] = {"roll", "deg", 1, 0},
        [MARL_TRACE_PITCH] = {"pitch", "deg", 1, 0},
        [MARL_TRACE_HEADING] = {"compass heading", "deg", 1, 0},
        [MARL_TRACE_BIAS] = {"gyroscope bias estimate, its length", "deg/s", 0, 1},
        [MARL_TRACE_WEIGHT_ACCEL] = {"weight of the accelerometer; 0: left out", "0 to 1", 0, 1},
        [MARL_TRACE_WEIGHT_MAG] = {"weight of the magnetometer; 0: left out", "0 to 1", 0, 1},
    };
    return &rows[value];
}

int marl_trace_make(marl_trace *trace, size_t capacity)
{
    double *all = malloc(((MARL_TRACE_VALUES + 1) * capacity + 1) * sizeof *all);
    *trace = (marl_trace){.capacity = capacity, .t = all};
    for (size_t i = 0; i < MARL_TRACE_VALUES && all != NULL; i++) {
        trace->value[i] = all + (i + 1) * capacity;
    }
    return all != NULL;
}

void marl_trace_free(marl_trace *trace)
{
    free(trace->t);
    *trace = (marl_trace){.n = 0};
}

void marl_trace_add_attitude(marl_trace *trace, int64_t t_ns, marl_quat q)
{
    float heading = NAN;
    marl_rpy angles = marl_quat_to_rpy(q);
    size_t i = trace->n;
    if (i == trace->capacity) {
        return;
    }
    for (size_t v = 0; v < MARL_TRACE_VALUES; v++) {
        trace->value[v][i] = NAN;
    }
    trace->t[i] = 1e-9 * (double)t_ns;
    trace->value[MARL_TRACE_ROLL][i] = (double)angles.roll / MARL_DEGREE;
    trace->value[MARL_TRACE_PITCH][i] = (double)angles.pitch / MARL_DEGREE;
    if (marl_frame_heading(q, MARL_WORLD_ENU, &heading) == MARL_OK) {
        trace->value[MARL_TRACE_HEADING][i] = (double)heading / MARL_DEGREE;
    }
    trace->n++;
}

void marl_trace_watch(void *context, const marl_pipeline *pipeline, const marl_sample *sample, marl_quat q)
{
    marl_trace *trace = context;
    size_t i = trace->n;
    marl_trace_add_attitude(trace, sample->t_ns, q);
    marl_filter filter = marl_estimator_tuning(&pipeline->estimator)->filter;
    if (trace->n == i || filter == MARL_FILTER_GYRO || filter == MARL_FILTER_VECTORS) {
        return;
    }
    float weight[2];
    marl_vec3 bias = marl_estimator_bias(&pipeline->estimator);
    marl_pipeline_weights(pipeline, weight);
    trace->value[MARL_TRACE_BIAS][i] = (double)marl_vec3_norm(bias) / MARL_DEGREE;
    trace->value[MARL_TRACE_WEIGHT_ACCEL][i] = weight[0] >= 0 ? (double)weight[0] : (double)NAN;
    trace->value[MARL_TRACE_WEIGHT_MAG][i] = weight[1] >= 0 ? (double)weight[1] : (double)NAN;
}

void marl_trace_add_errors(marl_trace *trace, const marl_comparison *comparison)
{
    size_t at = 0;
    for (size_t i = 0; i < comparison->n; i++) {
        double t = 1e-9 * (double)comparison->t_ns[i];
        while (at < trace->n && trace->t[at] < t - SAME_TIME_S) {
            at++;
        }
        if (at < trace->n && fabs(trace->t[at] - t) < SAME_TIME_S) {
            trace->value[MARL_TRACE_TOTAL][at] = comparison->error[i].total_deg;
            trace->value[MARL_TRACE_TILT][at] = comparison->error[i].tilt_deg;
            trace->value[MARL_TRACE_HEADING_OFF][at] = comparison->error[i].heading_deg;
        }
    }
}

int marl_trace_has(const marl_trace *trace, marl_trace_value value)
{
    for (size_t i = 0; i < trace->n; i++) {
        if (isfinite(trace->value[value][i])) {
            return 1;
        }
    }
    return 0;
}
