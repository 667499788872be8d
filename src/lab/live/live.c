/* SPDX-License-Identifier: MIT
 * Filters side by side on samples as they come. */
#include "marlinspike/live.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The names with which a run is looked for must differ. */
static void name_apart(marl_live *live, size_t i)
{
    marl_named_tuning *t = &live->run[i].tuning;
    char name[200];
    snprintf(name, sizeof name, "%.180s", t->name);
    for (int k = 2; k <= MARL_LIVE_RUNS && marl_live_find(live, t->name) != (int)i; k++) {
        snprintf(t->name, sizeof t->name, "%.180s (%d)", name, k);
    }
}

static const marl_calibration_record *record_of(const marl_live *live)
{
    const marl_calibration_record *r = &live->record;
    int used = r->has_mount;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        used |= r->fit[i].present;
    }
    return used ? r : NULL;
}

static marl_status config_of(const marl_live *live, const marl_tuning *tuning, marl_pipeline_config *config,
                             marl_error *error)
{
    marl_tuning in_enu = *tuning;
    in_enu.world = MARL_WORLD_ENU;
    return marl_replay_config(config, &in_enu, record_of(live), "the calibration", &live->info, live->name,
                              error);
}

/* A missing sensor fails this run alone. */
static marl_status start_run(marl_live *live, marl_live_run *run, marl_error *error)
{
    marl_error own = {0};
    run->q = marl_quat_identity();
    run->failure[0] = '\0';
    marl_status status = config_of(live, &run->tuning.tuning, &run->config, &own);
    if (status == MARL_OK && marl_pipeline_init(&run->pipeline, &run->config) != MARL_OK) {
        status = marl_fail(&own, MARL_ERR_USE, "%s: a value is out of its range", run->tuning.name);
    }
    if (status == MARL_ERR_INSUFFICIENT) {
        snprintf(run->failure, sizeof run->failure, "%.199s", own.text);
        return MARL_OK;
    }
    return status == MARL_OK ? MARL_OK : marl_fail(error, status, "%s", own.text);
}

marl_status marl_live_create(marl_live **live, const marl_named_tuning *tunings, size_t n,
                             const marl_calibration_record *record, const marl_log_info *info,
                             const char *name, marl_error *error)
{
    const marl_degradation nothing = {0};
    *live = NULL;
    if (n == 0 || n > MARL_LIVE_RUNS) {
        return marl_fail(error, MARL_ERR_USE, "%zu tunings: from 1 to %d can run at once", n, MARL_LIVE_RUNS);
    }
    marl_live *l = calloc(1, sizeof *l);
    if (l == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    l->info = *info;
    l->record = record != NULL ? *record : marl_calibration_record_empty();
    snprintf(l->name, sizeof l->name, "%.199s", name);
    const marl_calibration calibration =
        record != NULL ? marl_calibration_for_device(record) : marl_calibration_none();
    marl_corrector_init(&l->corrector, &calibration);
    marl_status status = marl_degrader_init(&l->degrader, &nothing);
    for (size_t i = 0; i < n && status == MARL_OK; i++) {
        l->n++;
        l->run[i].tuning = tunings[i];
        name_apart(l, i);
        status = start_run(l, &l->run[i], error);
    }
    if (status != MARL_OK) {
        marl_live_free(l);
        return status;
    }
    *live = l;
    return MARL_OK;
}

void marl_live_free(marl_live *live)
{
    free(live);
}

int marl_live_find(const marl_live *live, const char *name)
{
    for (size_t i = 0; i < live->n; i++) {
        if (strcmp(live->run[i].tuning.name, name) == 0) {
            return (int)i;
        }
    }
    return -1;
}

static int is_finite(marl_vec3 v)
{
    return isfinite(v.x) && isfinite(v.y) && isfinite(v.z);
}

/* What the log will hold of it. */
static marl_sample as_logged(const marl_live *live, const marl_sample *sample)
{
    marl_sample s = *sample;
    unsigned columns = live->info.columns;
    unsigned lost = (is_finite(s.accel) ? 0u : MARL_FRESH_ACCEL) |
                    (is_finite(s.gyro) ? 0u : MARL_FRESH_GYRO) | (is_finite(s.mag) ? 0u : MARL_FRESH_MAG) |
                    (isfinite(s.temp) ? 0u : MARL_FRESH_TEMP) | (isfinite(s.speed) ? 0u : MARL_FRESH_SPEED) |
                    (columns & MARL_COLUMNS_TEMP ? 0u : MARL_FRESH_TEMP) |
                    (columns & MARL_COLUMNS_SPEED ? 0u : MARL_FRESH_SPEED);
    s.fresh = (uint8_t)(s.fresh & ~lost);
    return s;
}

void marl_live_feed(marl_live *live, const marl_sample *sample)
{
    marl_sample seen;
    const marl_sample raw = as_logged(live, sample);
    live->rows++;
    live->t_ns = raw.t_ns;
    live->corrected = raw;
    (void)marl_corrector_step(&live->corrector, &live->corrected);
    if (!marl_degrader_feed(&live->degrader, &raw, &seen)) {
        return;
    }
    for (size_t i = 0; i < live->n; i++) {
        marl_live_run *run = &live->run[i];
        marl_quat q;
        if (run->failure[0] == '\0' && marl_pipeline_step(&run->pipeline, &seen, &q) == MARL_OK) {
            run->q = q;
            run->has_q = 1;
        }
    }
}

static marl_status change_tuning(marl_live *live, const marl_change *c, marl_error *error)
{
    marl_pipeline_config config;
    marl_error own = {0};
    if (c->run >= live->n) {
        return marl_fail(error, MARL_ERR_USE, "there is no run %zu", c->run);
    }
    if (marl_tuning_check(&c->tuning.tuning) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "%s: a value is out of its range", c->tuning.name);
    }
    marl_live_run *run = &live->run[c->run];
    const marl_named_tuning before = run->tuning;
    run->tuning = c->tuning;
    snprintf(run->tuning.name, sizeof run->tuning.name, "%s", before.name); /* by which it is found */
    if (run->failure[0] != '\0') {
        return start_run(live, run, error);
    }
    marl_status status = config_of(live, &run->tuning.tuning, &config, &own);
    if (status == MARL_OK && marl_pipeline_retune(&run->pipeline, &config) != MARL_OK) {
        status = marl_fail(&own, MARL_ERR_USE, "%s: a value is out of its range", run->tuning.name);
    }
    if (status != MARL_OK) {
        run->tuning = before;
        return marl_fail(error, status, "%s", own.text);
    }
    run->config = config;
    return MARL_OK;
}

static marl_status change_calibration(marl_live *live, const marl_change *c, marl_error *error)
{
    const marl_calibration_record before = live->record;
    marl_pipeline_config config[MARL_LIVE_RUNS];
    marl_status status = MARL_OK;
    live->record = c->record;
    for (size_t i = 0; i < live->n && status == MARL_OK; i++) {
        if (live->run[i].failure[0] == '\0') {
            status = config_of(live, &live->run[i].tuning.tuning, &config[i], error);
        }
    }
    marl_calibration calibration = marl_calibration_for_device(&c->record);
    if (status == MARL_OK && marl_calibration_check(&calibration) != MARL_OK) {
        status = marl_fail(error, MARL_ERR_USE, "the calibration is impossible");
    }
    if (status != MARL_OK) {
        live->record = before;
        return status;
    }
    for (size_t i = 0; i < live->n; i++) {
        if (live->run[i].failure[0] == '\0') {
            live->run[i].config = config[i];
            (void)!marl_pipeline_recalibrate(&live->run[i].pipeline,
                                             &config[i]); /* tuning and calibration are checked */
        }
    }
    live->corrector.calibration = calibration;
    return MARL_OK;
}

static void for_all(marl_live *live, marl_change_kind kind)
{
    for (size_t i = 0; i < live->n; i++) {
        marl_live_run *run = &live->run[i];
        if (run->failure[0] != '\0') {
            continue;
        }
        if (kind == MARL_CHANGE_START) {
            marl_pipeline_restart(&run->pipeline);
            run->has_q = 0;
            run->q = marl_quat_identity();
        } else {
            (void)!marl_estimator_set_zero(&run->pipeline.estimator); /* one that has not started has none */
        }
    }
}

marl_status marl_live_apply(marl_live *live, const marl_change *change, marl_error *error)
{
    const marl_degradation degradation = {.every = change->every};
    switch (change->kind) {
    case MARL_CHANGE_TUNING:
        return change_tuning(live, change, error);
    case MARL_CHANGE_CALIBRATION:
        return change_calibration(live, change, error);
    case MARL_CHANGE_EVERY:
        if (change->every < 1 || change->every > 100000) {
            return marl_fail(error, MARL_ERR_USE, "one row in %u: from 1 to 100000", change->every);
        }
        return marl_degrader_init(&live->degrader, &degradation);
    default:
        for_all(live, change->kind);
        return MARL_OK;
    }
}

marl_status marl_live_of_changes(marl_live **live, marl_changes *changes, const marl_log_info *info,
                                 const char *name, marl_error *error)
{
    marl_named_tuning tunings[MARL_LIVE_RUNS];
    const marl_calibration_record *record = NULL;
    size_t n = 0, i = 0;
    for (; i < changes->n && changes->change[i].after_ns == INT64_MIN; i++) {
        const marl_change *c = &changes->change[i];
        if (c->kind == MARL_CHANGE_TUNING && c->run == n && n < MARL_LIVE_RUNS) {
            tunings[n++] = c->tuning;
        } else if (c->kind == MARL_CHANGE_CALIBRATION) {
            record = &c->record;
        } else {
            break;
        }
    }
    *live = NULL;
    changes->next = i;
    if (n == 0) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: its changes do not begin with the tunings", name);
    }
    return marl_live_create(live, tunings, n, record, info, name, error);
}

marl_status marl_live_follow(marl_live *live, marl_changes *changes, const marl_sample *sample,
                             marl_error *error)
{
    while (changes->next < changes->n && changes->change[changes->next].after_ns < sample->t_ns) {
        MARL_TRY(marl_live_apply(live, &changes->change[changes->next++], error));
    }
    marl_live_feed(live, sample);
    return MARL_OK;
}
