/* SPDX-License-Identifier: MIT
 * Guide for a tumble: which directions the magnetometer has been turned through. */
#include "lab/guide/guide_kinds.h"
#include "lab/maths/sphere_grid.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define ENOUGH 0.8
/* The least of the three ranges as share of the greatest: before, their middle means nothing. */
#define ROUND 0.6f
#define MIN_RANGE 20.0f /* uT: the Earth's field is nowhere so weak that a turn gives less */
#define COVERAGE_NS INT64_C(500000000)
#define KEEP_NS INT64_C(20000000)

static void start(marl_guide *g)
{
    for (int i = 0; i < 3; i++) {
        g->of.tumble.low[i] = INFINITY;
        g->of.tumble.high[i] = -INFINITY;
    }
}

static int is_round(const lab_tumble *t)
{
    float min = INFINITY, max = 0;
    for (int i = 0; i < 3; i++) {
        min = fminf(min, t->high[i] - t->low[i]);
        max = fmaxf(max, t->high[i] - t->low[i]);
    }
    return t->n > 0 && min > MIN_RANGE && min > ROUND * max;
}

/* Hard iron moves the sphere: directions count from the middle of the extremes. The middle moves while they
 * grow, so the coverage is computed again. */
static void update_coverage(lab_tumble *t)
{
    char *in = t->in;
    double missing[3] = {0, 0, 0};
    t->covered = 0;
    memset(t->in, 0, sizeof t->in);
    for (int i = 0; i < t->n; i++) {
        const marl_vec3 p = t->point[i];
        const double v[3] = {(double)(p.x - 0.5f * (t->low[0] + t->high[0])),
                             (double)(p.y - 0.5f * (t->low[1] + t->high[1])),
                             (double)(p.z - 0.5f * (t->low[2] + t->high[2]))};
        if (v[0] != 0 || v[1] != 0 || v[2] != 0) {
            in[lab_grid_cell(LAB_GRID_60, v)] = 1;
        }
    }
    for (int i = 0; i < lab_grid_cells(LAB_GRID_60); i++) {
        double v[3];
        lab_grid_middle(LAB_GRID_60, i, v);
        t->covered += in[i];
        for (int k = 0; k < 3; k++) {
            missing[k] += in[i] ? 0 : v[k];
        }
    }
    t->missing = (marl_vec3){(float)missing[0], (float)missing[1], (float)missing[2]};
}

static void feed(marl_guide *g, const marl_sample *s)
{
    lab_tumble *t = &g->of.tumble;
    if (!(s->fresh & MARL_FRESH_MAG)) {
        return;
    }
    const float value[3] = {s->mag.x, s->mag.y, s->mag.z};
    for (int i = 0; i < 3; i++) {
        t->low[i] = fminf(t->low[i], value[i]);
        t->high[i] = fmaxf(t->high[i], value[i]);
    }
    if (t->n < LAB_TUMBLE_POINTS && (t->n == 0 || s->t_ns - t->kept_ns >= KEEP_NS)) {
        t->point[t->n++] = s->mag;
        t->kept_ns = s->t_ns;
    }
    if (s->t_ns - t->covered_ns >= COVERAGE_NS) {
        t->covered_ns = s->t_ns;
        update_coverage(t);
    }
}

static double share(const lab_tumble *t)
{
    return is_round(t) ? (double)t->covered / lab_grid_cells(LAB_GRID_60) : 0;
}

size_t marl_guide_missing(const marl_guide *g, double direction[MARL_GUIDE_CELLS][3])
{
    size_t n = 0;
    for (int i = 0; g->kind == MARL_GUIDE_TUMBLE && i < LAB_TUMBLE_CELLS; i++) {
        if (!g->of.tumble.in[i]) {
            lab_grid_middle(LAB_GRID_60, i, direction[n++]);
        }
    }
    return n;
}

static double progress(const marl_guide *g)
{
    /* a few readings about their own middle look as if spread everywhere */
    return g->of.tumble.n < 100 ? 0 : share(&g->of.tumble) / ENOUGH;
}

static void show(const marl_guide *g, char *state, char *now)
{
    const lab_tumble *t = &g->of.tumble;
    double cosine;
    if (t->n == 0) {
        snprintf(state, MARL_GUIDE_WIDTH, "no magnetometer yet");
        snprintf(now, MARL_GUIDE_WIDTH, "the board must send its magnetometer");
        return;
    }
    snprintf(state, MARL_GUIDE_WIDTH, "directions covered: %.0f of %.0f %%", 100 * share(t), 100 * ENOUGH);
    if (!is_round(t)) {
        snprintf(now, MARL_GUIDE_WIDTH, "turn it once about every axis");
    } else if (share(t) >= ENOUGH) {
        snprintf(now, MARL_GUIDE_WIDTH, "enough");
    } else {
        snprintf(now, MARL_GUIDE_WIDTH, "turn it on slowly, %s along the field, too",
                 lab_face_name(lab_nearest_face(t->missing, &cosine)));
    }
}

const lab_guide_kind lab_guide_tumble = {"tumble", start, feed, progress, show};
