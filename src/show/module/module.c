/* SPDX-License-Identifier: MIT
 * The device's pipeline and the lab's measures as a WebAssembly module: see docs/module.md. All numbers that go in or
 * come out are double, in arrays whose addresses these functions return. */
#include "marlinspike/replay.h"
#include "marlinspike/trace.h"
#include "show/module/memory.h"
#include <math.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#define EXPORT(name) __attribute__((export_name(name)))

/* Places in the settings. */
enum {
    FILTER,
    SENSORS,   /* set of 1 accelerometer, 2 gyroscope, 4 magnetometer: what the board has */
    CORRECTED, /* the same: which readings are calibrated already */
    HAS_START,
    START, /* four: w, x, y, z in enu */
    EVERY = START + 4,
    RATE_HZ,
    DROP,
    JITTER_S,
    SEED,
    GAP_FROM_S,
    GAP_TO_S,
    VALUES, /* the tuning, in the order of the parameters */
    CALIBRATION = VALUES + MARL_PARAMETER_COUNT,
    /* for each sensor: present, matrix by rows, bias, has_curve, T0, low, high, per_degC, per_degC2 */
    CORRECTION_NUMBERS = 1 + 9 + 3 + 1 + 3 + 3 + 3,
    MOUNT = CALIBRATION + 3 * CORRECTION_NUMBERS, /* has_mount, w, x, y, z */
    SETTINGS = MOUNT + 5
};

/* Places in the outcome. */
enum {
    STATUS,
    ATTITUDES,
    DIGEST,
    UPDATES,
    RESTARTS,
    LIMITED_BIAS,
    HEADING_IS_MAGNETIC,
    COMPARED,
    LOST_S,
    SCALARS, /* in the order of marl_scalar_id */
    MEASURES = SCALARS + MARL_SCALAR_COUNT,
    /* for the whole log and each condition: n, share, rms, mean, p95 and max of total, tilt, heading */
    MEASURE_NUMBERS = 2 + 3 * 4,
    OUTCOME = MEASURES + (1 + MARL_CONDITION_COUNT) * MEASURE_NUMBERS
};

enum { ROW_NUMBERS = 12 }; /* of a plain row: t, accel, gyro, mag, temp, speed */

static double settings[SETTINGS], outcome[OUTCOME];
static marl_packed_case loaded;
static size_t loaded_mark;
static marl_pipeline pipeline;
static marl_row_replay rows;
static marl_trace trace;

/* The library's own has a text; here the status is enough. */
marl_status marl_fail(marl_error *error, marl_status status, const char *format, ...)
{
    (void)format;
    error->status = error->status == MARL_OK ? status : error->status;
    return status;
}

EXPORT("selftest") int module_selftest(void)
{
    unsigned findings;
    return (int)marl_selftest(&findings);
}

EXPORT("parameter") const marl_parameter *module_parameter(int id)
{
    return marl_parameter_row((marl_parameter_id)id);
}

EXPORT("reserve") void *module_reserve(size_t bytes)
{
    module_memory_return_to(0);
    loaded = (marl_packed_case){.log.n = 0};
    return malloc(bytes);
}

EXPORT("unpack") int module_unpack(const uint8_t *bytes, size_t n)
{
    marl_status status = marl_packed_read(&loaded, bytes, n);
    loaded_mark = module_memory_mark();
    return (int)status;
}

static marl_vec3 vector_at(const double *at)
{
    return (marl_vec3){(float)at[0], (float)at[1], (float)at[2]};
}

static uint8_t fresh_at(const double *row)
{
    static const struct {
        int place;
        uint8_t flag;
    } readings[] = {{1, MARL_FRESH_ACCEL},
                    {4, MARL_FRESH_GYRO},
                    {7, MARL_FRESH_MAG},
                    {10, MARL_FRESH_TEMP},
                    {11, MARL_FRESH_SPEED}};
    uint8_t fresh = 0;
    for (size_t i = 0; i < sizeof readings / sizeof readings[0]; i++) {
        fresh = (uint8_t)(fresh | (isnan(row[readings[i].place]) ? 0 : readings[i].flag));
    }
    return fresh;
}

EXPORT("fill") int module_fill(const double *plain, size_t n)
{
    loaded.log.row = calloc(n + 1, sizeof *loaded.log.row);
    if (loaded.log.row == NULL) {
        return MARL_ERR_SYSTEM;
    }
    for (loaded.log.n = 0; loaded.log.n < n; loaded.log.n++, plain += ROW_NUMBERS) {
        loaded.log.row[loaded.log.n].sample = (marl_sample){.t_ns = llround(1e9 * plain[0]),
                                                            .accel = vector_at(plain + 1),
                                                            .gyro = vector_at(plain + 4),
                                                            .mag = vector_at(plain + 7),
                                                            .temp = (float)plain[10],
                                                            .speed = (float)plain[11],
                                                            .fresh = fresh_at(plain)};
    }
    loaded_mark = module_memory_mark();
    return MARL_OK;
}

EXPORT("settings") double *module_settings(int filter)
{
    const marl_tuning tuning = marl_tuning_default((marl_filter)filter);
    memset(settings, 0, sizeof settings);
    settings[FILTER] = filter;
    settings[SENSORS] = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG;
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        settings[VALUES + i] = (double)tuning.value[i];
    }
    return settings;
}

static marl_correction correction_at(const double *at)
{
    marl_correction c = {
        .present = at[0] != 0,
        .bias = vector_at(at + 10),
        .has_curve = at[13] != 0,
        .curve = {(float)at[14], (float)at[15], (float)at[16], vector_at(at + 17), vector_at(at + 20)}};
    for (int i = 0; i < 9; i++) {
        c.matrix.m[i / 3][i % 3] = (float)at[1 + i];
    }
    return c;
}

EXPORT("correct") void module_correct(double *points, size_t n, int sensor)
{
    const marl_correction c = correction_at(settings + CALIBRATION + sensor * CORRECTION_NUMBERS);
    for (size_t i = 0; i < n; i++, points += 3) {
        marl_vec3 v = marl_correction_apply(&c, vector_at(points), NAN);
        points[0] = (double)v.x;
        points[1] = (double)v.y;
        points[2] = (double)v.z;
    }
}

static marl_quat quat_at(const double *at)
{
    return (marl_quat){(float)at[0], (float)at[1], (float)at[2], (float)at[3]};
}

static marl_pipeline_config configured(void)
{
    const double *calibration = settings + CALIBRATION;
    marl_pipeline_config config = {
        .tuning = {.filter = (marl_filter)settings[FILTER], .world = MARL_WORLD_ENU},
        .calibration = {.accel = correction_at(calibration),
                        .gyro = correction_at(calibration + CORRECTION_NUMBERS),
                        .mag = correction_at(calibration + 2 * CORRECTION_NUMBERS),
                        .has_mount = settings[MOUNT] != 0,
                        .mount = quat_at(settings + MOUNT + 1)},
        .sensors = (uint8_t)settings[SENSORS],
        .corrected = (uint8_t)settings[CORRECTED]};
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        config.tuning.value[i] = (float)settings[VALUES + i];
    }
    return config;
}

static marl_degradation degradation(void)
{
    return (marl_degradation){.gap = {llround(1e9 * settings[GAP_FROM_S]), llround(1e9 * settings[GAP_TO_S])},
                              .every = (unsigned)settings[EVERY],
                              .rate_hz = settings[RATE_HZ],
                              .drop = settings[DROP],
                              .jitter_s = settings[JITTER_S],
                              .seed = (uint64_t)settings[SEED]};
}

EXPORT("begin") int module_begin(void)
{
    const marl_pipeline_config config = configured();
    const marl_degradation lost = degradation();
    marl_error error = {.status = MARL_OK};
    module_memory_return_to(loaded_mark);
    memset(outcome, 0, sizeof outcome);
    for (int i = LOST_S; i < OUTCOME; i++) {
        outcome[i] = NAN; /* until there is something to compare with */
    }
    rows = (marl_row_replay){
        .pipeline = &pipeline, .log = &loaded.log, .watch = marl_trace_watch, .watch_context = &trace};
    if (!marl_trace_make(&trace, loaded.log.n)) {
        return MARL_ERR_SYSTEM;
    }
    MARL_TRY(marl_pipeline_init(&pipeline, &config));
    if (settings[HAS_START] != 0) {
        MARL_TRY(marl_estimator_set_attitude(&pipeline.estimator, quat_at(settings + START)));
    }
    return (int)marl_row_replay_begin(&rows, &lost, &error);
}

EXPORT("advance") size_t module_advance(size_t n)
{
    return marl_row_replay_advance(&rows, n);
}

static double *put_measure(double *to, const marl_measure *m)
{
    to[0] = m->rms;
    to[1] = m->mean;
    to[2] = m->p95;
    to[3] = m->max;
    return to + 4;
}

static double *put_measures(double *to, const marl_measures *m)
{
    to[0] = (double)m->n;
    to[1] = m->share;
    return put_measure(put_measure(put_measure(to + 2, &m->total), &m->tilt), &m->heading);
}

static marl_status compare(void)
{
    marl_comparison c;
    marl_error error = {.status = MARL_OK};
    MARL_TRY(marl_compare(&rows.estimate, &loaded.reference, &loaded.conditions, &c, &error));
    outcome[COMPARED] = (double)c.n;
    outcome[LOST_S] = c.lost_s;
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        outcome[SCALARS + i] = marl_scalar_value(&c, (marl_scalar_id)i);
    }
    double *to = put_measures(outcome + MEASURES, &c.all);
    for (int i = 0; i < MARL_CONDITION_COUNT; i++) {
        to = put_measures(to, &c.by_condition[i]);
    }
    marl_trace_add_errors(&trace, &c);
    return MARL_OK;
}

EXPORT("outcome") const double *module_outcome(void)
{
    const marl_estimator_counts counts = marl_estimator_count(&pipeline.estimator);
    outcome[ATTITUDES] = (double)rows.estimate.n;
    outcome[DIGEST] = (double)pipeline.digest;
    outcome[UPDATES] = (double)counts.updates;
    outcome[RESTARTS] = (double)counts.restarts;
    outcome[LIMITED_BIAS] = (double)counts.limited_bias;
    outcome[HEADING_IS_MAGNETIC] = marl_estimator_heading_is_magnetic(&pipeline.estimator);
    outcome[STATUS] = rows.estimate.n == 0 ? MARL_ERR_INSUFFICIENT : MARL_OK;
    if (rows.estimate.n > 0 && loaded.reference.n > 0 && outcome[COMPARED] == 0) {
        outcome[STATUS] = (double)compare();
    }
    return outcome;
}

EXPORT("attitudes") const marl_attitude *module_attitudes(void)
{
    return rows.estimate.at;
}

EXPORT("curves") const double *module_curves(double from_s, double width_s, size_t buckets)
{
    const marl_trace_grid grid = {from_s, width_s, buckets};
    double *values = malloc(MARL_TRACE_VALUES * 2 * buckets * sizeof *values);
    for (size_t v = 0; values != NULL && v < MARL_TRACE_VALUES; v++) {
        marl_trace_thin(&grid, trace.t, trace.value[v], trace.n, values + v * 2 * buckets);
    }
    return values;
}

EXPORT("frames") const double *module_frames(double from_s, double step_s, size_t n)
{
    const marl_frames frames = {from_s, step_s, n};
    double *all = malloc(n * (5 * sizeof *all + sizeof(marl_quat)));
    if (all == NULL) {
        return NULL;
    }
    marl_quat *q = (marl_quat *)(void *)(all + 5 * n);
    marl_frames_attitudes(&frames, &rows.estimate, q);
    marl_frames_errors(&frames, &trace, all + 4 * n);
    for (size_t i = 0; i < n; i++) {
        const double part[4] = {(double)q[i].w, (double)q[i].x, (double)q[i].y, (double)q[i].z};
        memcpy(all + 4 * i, part, sizeof part);
    }
    return all;
}
