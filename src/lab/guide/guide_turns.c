/* SPDX-License-Identifier: MIT
 * Guide for turns: through a known angle about each axis, both ways, at rest between. */
#include "lab/guide/guide_kinds.h"
#include "marlinspike/log.h"
#include <math.h>
#include <stdio.h>

#define NEAR_SHARE 0.2 /* of the angle */
#define ABOUT_AXIS 0.9 /* share of the turn that must be about one axis */
#define MIN_TURN 20.0  /* degrees: less is no turn */

static void start(marl_guide *g)
{
    g->of.turns.angle = g->amount;
    g->of.turns.last_axis = -1;
}

static int largest(const double v[3])
{
    int axis = fabs(v[1]) > fabs(v[0]) ? 1 : 0;
    return fabs(v[2]) > fabs(v[axis]) ? 2 : axis;
}

/* At rest again: what was the turn? */
static void end_turn(lab_turns *t)
{
    int axis = largest(t->sum);
    double all = sqrt(t->sum[0] * t->sum[0] + t->sum[1] * t->sum[1] + t->sum[2] * t->sum[2]);
    double angle = t->sum[axis] / MARL_DEGREE;
    if (t->rested && fabs(angle) > MIN_TURN && fabs(t->sum[axis]) > ABOUT_AXIS * all) {
        t->last_axis = axis;
        t->last_angle = angle;
        t->n[axis][angle < 0] += fabs(fabs(angle) - t->angle) < NEAR_SHARE * t->angle;
    }
    t->rested = 1;
    t->sum[0] = t->sum[1] = t->sum[2] = 0;
}

static void feed(marl_guide *g, const marl_sample *s)
{
    lab_turns *t = &g->of.turns;
    const marl_still *still = &g->watch.still;
    if (s->fresh & MARL_FRESH_GYRO) {
        const double rate[3] = {(double)s->gyro.x, (double)s->gyro.y, (double)s->gyro.z};
        double dt =
            t->rated ? 1e-9 * (double)(s->t_ns - t->rate_ns) : 0; /* other sensors have rows of their own */
        for (int i = 0; i < 3; i++) {
            t->sum[i] += dt * (0.5 * (rate[i] + t->rate[i]) - t->bias[i]);
            t->rate[i] = rate[i];
        }
        t->rate_ns = s->t_ns;
        t->rated = 1;
    }
    if (still->still && !t->was_still) {
        end_turn(t);
    }
    /* at every window that ended at rest: a turn may begin within the next, which is then all in the sum */
    if (g->watch.verdict == MARL_STILL_QUIET && still->still && still->have_last_gyro) {
        t->bias[0] = (double)still->last_gyro.x;
        t->bias[1] = (double)still->last_gyro.y;
        t->bias[2] = (double)still->last_gyro.z;
        t->sum[0] = t->sum[1] = t->sum[2] = 0;
    }
    t->was_still = still->still;
}

static double progress(const marl_guide *g)
{
    int have = 0;
    for (int i = 0; i < 6; i++) {
        have += g->of.turns.n[i / 2][i % 2] > 0;
    }
    return have / 6.0;
}

static void print_next(const marl_guide *g, char *now)
{
    const lab_turns *t = &g->of.turns;
    int axis = largest(t->sum);
    if (!t->rested) {
        snprintf(now, MARL_GUIDE_WIDTH, "let it rest for a second first");
        return;
    }
    if (!g->watch.still.still && fabs(t->sum[axis]) > MIN_TURN * MARL_DEGREE) {
        snprintf(now, MARL_GUIDE_WIDTH, "%+.0f of %.0f deg about %c, then let it rest",
                 t->sum[axis] / MARL_DEGREE, t->angle, 'x' + axis);
        return;
    }
    for (int i = 0; i < 6; i++) {
        if (t->n[i / 2][i % 2] == 0) {
            snprintf(now, MARL_GUIDE_WIDTH,
                     "turn it %c%.0f deg about %c (%s seen from the tip of that axis), then rest",
                     i % 2 ? '-' : '+', t->angle, 'x' + i / 2, i % 2 ? "clockwise" : "counter-clockwise");
            return;
        }
    }
    snprintf(now, MARL_GUIDE_WIDTH, "enough");
}

static void show(const marl_guide *g, char *state, char *now)
{
    const lab_turns *t = &g->of.turns;
    if (g->watch.pace[MARL_GYRO].n == 0) {
        snprintf(state, MARL_GUIDE_WIDTH, "no gyroscope yet");
        snprintf(now, MARL_GUIDE_WIDTH, "the board must send its gyroscope");
        return;
    }
    int used = snprintf(state, MARL_GUIDE_WIDTH, "turns about x +%d -%d, y +%d -%d, z +%d -%d", t->n[0][0],
                        t->n[0][1], t->n[1][0], t->n[1][1], t->n[2][0], t->n[2][1]);
    if (t->last_axis >= 0) {
        snprintf(state + used, (size_t)(MARL_GUIDE_WIDTH - used), "; the last: %+.1f deg about %c",
                 t->last_angle, 'x' + t->last_axis);
    }
    print_next(g, now);
}

const lab_guide_kind lab_guide_turns = {"turns", start, feed, progress, show};
