/* SPDX-License-Identifier: MIT
 * Guides: what they have in common. */
#include "lab/guide/guide_kinds.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define USUAL_SHARE 0.05 /* of each step in the usual step */
#define GAP_STEPS 1.5
enum { USUAL_AFTER = 8 }; /* readings until the usual step is known */

static double seconds_progress(const marl_guide *guide)
{
    return marl_guide_seconds(guide) / guide->amount;
}

static void seconds_show(const marl_guide *guide, char *state, char *now)
{
    if (isinf(guide->amount)) {
        snprintf(state, MARL_GUIDE_WIDTH, "recording until Ctrl-C");
    } else {
        snprintf(state, MARL_GUIDE_WIDTH, "%.1f of %.1f s", marl_guide_seconds(guide), guide->amount);
    }
    now[0] = '\0';
}

static const lab_guide_kind guide_seconds = {"seconds", NULL, NULL, seconds_progress, seconds_show};

static const lab_guide_kind *kind_of(marl_guide_kind kind)
{
    static const lab_guide_kind *const kinds[MARL_GUIDE_KIND_COUNT] = {&lab_guide_still, &lab_guide_turns,
                                                                       &lab_guide_poses, &lab_guide_tumble,
                                                                       &lab_guide_soak,  &guide_seconds};
    return kinds[kind];
}

const char *marl_guide_name(marl_guide_kind kind)
{
    return (unsigned)kind < MARL_GUIDE_KIND_COUNT ? kind_of(kind)->name : "?";
}

marl_status marl_guide_from_name(const char *name, marl_guide_kind *kind)
{
    for (int i = 0; i < MARL_GUIDE_SECONDS; i++) {
        if (strcmp(name, marl_guide_name((marl_guide_kind)i)) == 0) {
            *kind = (marl_guide_kind)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}

const char *lab_face_name(int face)
{
    static const char *const name[6] = {"+x", "-x", "+y", "-y", "+z", "-z"};
    return name[face];
}

int lab_nearest_face(marl_vec3 v, double *cosine)
{
    const double value[3] = {(double)v.x, (double)v.y, (double)v.z};
    double n = sqrt(value[0] * value[0] + value[1] * value[1] + value[2] * value[2]);
    int axis = 0;
    for (int i = 1; i < 3; i++) {
        axis = fabs(value[i]) > fabs(value[axis]) ? i : axis;
    }
    *cosine = n > 0 ? fabs(value[axis]) / n : 0;
    return 2 * axis + (value[axis] < 0);
}

marl_status marl_guide_create(marl_guide **guide, marl_guide_kind kind, double amount, marl_error *error)
{
    marl_still_limits limits = marl_still_default_limits();
    marl_guide *g = calloc(1, sizeof *g);
    *guide = g;
    if (g == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    g->kind = kind;
    g->amount = amount;
    marl_status status = marl_still_init(&g->watch.still, &limits);
    if (status == MARL_OK && kind_of(kind)->start != NULL) {
        kind_of(kind)->start(g);
    }
    return status;
}

void marl_guide_free(marl_guide *guide)
{
    free(guide);
}

static void watch_pace(lab_pace *p, int64_t t_ns)
{
    double step = 1e-9 * (double)(t_ns - p->last_ns);
    if (p->n == 0) {
        p->first_ns = t_ns;
    } else if (p->n < USUAL_AFTER) {
        p->step_s = p->n == 1 || step < p->step_s ? step : p->step_s;
    } else if (step > GAP_STEPS * p->step_s) {
        p->gaps++;
    } else {
        p->step_s += USUAL_SHARE * (step - p->step_s);
    }
    p->last_ns = t_ns;
    p->n++;
}

void marl_guide_feed(marl_guide *g, const marl_sample *sample)
{
    lab_watch *w = &g->watch;
    marl_sample s = *sample;
    (void)!marl_sample_check(&s, NULL);
    w->first_ns = w->started ? w->first_ns : s.t_ns;
    w->started = 1;
    w->last_ns = s.t_ns;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (s.fresh & (1u << i)) {
            watch_pace(&w->pace[i], s.t_ns);
        }
    }
    w->verdict = marl_still_update(&w->still, &s);
    if (kind_of(g->kind)->feed != NULL) {
        kind_of(g->kind)->feed(g, &s);
    }
}

int marl_guide_done(const marl_guide *g)
{
    return kind_of(g->kind)->progress(g) >= 1;
}

double marl_guide_progress(const marl_guide *g)
{
    return fmin(1, kind_of(g->kind)->progress(g));
}

double marl_guide_seconds(const marl_guide *g)
{
    return 1e-9 * (double)(g->watch.last_ns - g->watch.first_ns);
}

unsigned long marl_guide_gaps(const marl_guide *g)
{
    unsigned long gaps = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        gaps = g->watch.pace[i].gaps > gaps ? g->watch.pace[i].gaps : gaps;
    }
    return gaps;
}

double marl_guide_rate(const marl_guide *g, marl_sensor sensor)
{
    const lab_pace *p = &g->watch.pace[sensor];
    return p->n > 1 ? (double)(p->n - 1) * 1e9 / (double)(p->last_ns - p->first_ns) : NAN;
}

void marl_guide_show(const marl_guide *g, marl_guide_view *view)
{
    char *line = view->line[0];
    size_t used = (size_t)snprintf(line, MARL_GUIDE_WIDTH, "%.1f s", marl_guide_seconds(g));
    for (int i = 0; i < MARL_SENSOR_COUNT && used < MARL_GUIDE_WIDTH; i++) {
        double rate = marl_guide_rate(g, (marl_sensor)i);
        if (isfinite(rate)) {
            used += (size_t)snprintf(line + used, MARL_GUIDE_WIDTH - used, "   %s %.1f Hz",
                                     marl_sensor_name((marl_sensor)i), rate);
        }
    }
    if (used < MARL_GUIDE_WIDTH) {
        snprintf(line + used, MARL_GUIDE_WIDTH - used, "   gaps %lu   %s", marl_guide_gaps(g),
                 g->watch.still.still ? "at rest" : "moving");
    }
    kind_of(g->kind)->show(g, view->line[1], view->line[2]);
}
