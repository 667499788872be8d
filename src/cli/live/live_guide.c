/* SPDX-License-Identifier: MIT
 * A guided recording inside live, its fit, and the calibration that comes of it. */
#include "cli/live/live_job.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MAX_ROWS = 1000000 };

/* What is fitted from which guide. */
static marl_recording recording_of(marl_guide_kind kind)
{
    switch (kind) {
    case MARL_GUIDE_TURNS:
        return MARL_RECORDING_TURNS;
    case MARL_GUIDE_POSES:
        return MARL_RECORDING_POSES;
    case MARL_GUIDE_TUMBLE:
        return MARL_RECORDING_TUMBLE;
    default:
        return MARL_RECORDING_STILL;
    }
}

static void drop_log(live_guide *g)
{
    marl_guide_free(g->guide);
    g->guide = NULL;
    marl_log_free(&g->log);
    g->log = (marl_log){0};
    g->capacity = 0;
    g->too_long = 0;
}

marl_status live_guide_start(live_job *job, marl_guide_kind kind, marl_error *error)
{
    live_guide *g = &job->guide;
    if (g->fitting) {
        return marl_fail(error, MARL_ERR_USE, "the fit before is still under way");
    }
    drop_log(g);
    MARL_TRY(marl_guide_create(&g->guide, kind, job->options->turn_angle, error));
    g->kind = kind;
    g->log.path = strdup("this recording");
    g->log.info = job->live->info;
    live_show_state(job);
    return g->log.path != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static int has_room(live_guide *g)
{
    if (g->log.n < g->capacity) {
        return 1;
    }
    size_t capacity = g->capacity > 0 ? 2 * g->capacity : 4096;
    marl_log_row *larger = g->log.n < MAX_ROWS ? realloc(g->log.row, capacity * sizeof *larger) : NULL;
    if (larger == NULL) {
        g->too_long = 1;
        return 0;
    }
    g->log.row = larger;
    g->capacity = capacity;
    return 1;
}

void live_guide_feed(live_job *job, const marl_log_row *row)
{
    live_guide *g = &job->guide;
    marl_error ignored = {0};
    if (g->guide == NULL || g->too_long || !has_room(g)) {
        return;
    }
    g->log.row[g->log.n++] = *row;
    g->log.report.rows++;
    marl_guide_feed(g->guide, &row->sample);
    if (marl_guide_done(g->guide)) {
        (void)!live_guide_fit(job, &ignored); /* what it says stands in the state */
    }
}

static void *fit(void *context)
{
    live_guide *g = context;
    (void)!marl_session_fit(g->session, &g->error);
    atomic_store(&g->fitted, 1);
    return NULL;
}

/* On a thread of its own: no sample waits for it. */
marl_status live_guide_fit(live_job *job, marl_error *error)
{
    live_guide *g = &job->guide;
    if (g->guide == NULL || g->log.n == 0) {
        return marl_fail(error, MARL_ERR_USE, "no guided recording is under way");
    }
    marl_session_free(g->session);
    g->session = marl_session_create(recording_of(g->kind));
    g->error = (marl_error){0};
    if (g->session == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    g->session->options.turn_angle = job->options->turn_angle * MARL_DEGREE;
    g->session->record = job->live->record;
    g->session->log = g->log;
    g->log = (marl_log){0};
    drop_log(g);
    MARL_TRY(marl_session_start_record(g->session, NULL, error));
    atomic_store(&g->fitted, 0);
    g->fitting = pthread_create(&g->thread, NULL, fit, g) == 0;
    live_show_state(job);
    return g->fitting ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no thread for the fit");
}

void live_guide_follow(live_job *job)
{
    live_guide *g = &job->guide;
    marl_error error = {0};
    if (!g->fitting || !atomic_load(&g->fitted)) {
        return;
    }
    pthread_join(g->thread, NULL);
    g->fitting = 0;
    if (g->session->outcome->accepted) {
        marl_change change = {.kind = MARL_CHANGE_CALIBRATION, .record = g->session->record};
        if (live_change(job, &change, &error) != MARL_OK) {
            g->error = error;
        }
    }
    live_show_state(job);
}

void live_guide_free(live_guide *g)
{
    if (g->fitting) {
        pthread_join(g->thread, NULL);
    }
    drop_log(g);
    marl_session_free(g->session);
}

json_t *live_guide_json(const live_job *job)
{
    const live_guide *g = &job->guide;
    marl_guide_view view;
    if (g->guide == NULL) {
        return json_null();
    }
    marl_guide_show(g->guide, &view);
    json_t *one = json_object(), *lines = json_array();
    for (int i = 0; i < MARL_GUIDE_LINES; i++) {
        json_array_append_new(lines, cli_text(view.line[i]));
    }
    double direction[MARL_GUIDE_CELLS][3];
    size_t n = marl_guide_missing(g->guide, direction);
    json_t *missing = json_array();
    for (size_t i = 0; i < n; i++) {
        json_array_append_new(missing, cli_numbers(direction[i], 3));
    }
    json_object_set_new(one, "kind", json_string(marl_guide_name(g->kind)));
    json_object_set_new(one, "missing", missing);
    json_object_set_new(one, "lines", lines);
    json_object_set_new(one, "progress", cli_number(fmin(1, marl_guide_progress(g->guide))));
    json_object_set_new(one, "too_long", json_boolean(g->too_long));
    return one;
}

/* What was found, in one line. */
static void say_found(const marl_session *s, char *text, size_t size)
{
    static const marl_sensor of[] = {[MARL_RECORDING_STILL] = MARL_GYRO,
                                     [MARL_RECORDING_TURNS] = MARL_GYRO,
                                     [MARL_RECORDING_POSES] = MARL_ACCEL,
                                     [MARL_RECORDING_TUMBLE] = MARL_MAG};
    marl_sensor sensor = of[s->recording];
    const marl_fit *fit = &s->record.fit[sensor];
    double unit = cli_unit_of(sensor);
    int n = snprintf(text, size, "bias %.3f %.3f %.3f %s", fit->bias[0] / unit, fit->bias[1] / unit,
                     fit->bias[2] / unit, cli_unit_name(sensor));
    if (sensor == MARL_MAG && n > 0 && (size_t)n < size) {
        snprintf(text + n, size - (size_t)n, "; field %.2f uT, coverage %.0f %%, residual %.2f uT rms",
                 fit->field, 100 * fit->coverage, fit->residual_rms);
    }
}

json_t *live_fit_json(const live_job *job)
{
    const live_guide *g = &job->guide;
    char found[300] = "";
    if (g->session == NULL) {
        return json_null();
    }
    json_t *one = json_object();
    int accepted = !g->fitting && g->session->outcome->accepted;
    if (accepted) {
        say_found(g->session, found, sizeof found);
    }
    json_object_set_new(one, "kind", json_string(marl_recording_name(g->session->recording)));
    json_object_set_new(one, "running", json_boolean(g->fitting));
    json_object_set_new(one, "accepted", json_boolean(accepted));
    json_object_set_new(one, "found", cli_text(found));
    if (!g->fitting) {
        json_object_set_new(one, "next", cli_text(accepted ? "" : g->session->outcome->next));
        json_object_set_new(one, "error", cli_text(g->error.text));
        json_object_set_new(one, "warnings", cli_warnings_json(&g->session->warnings));
    }
    return one;
}
