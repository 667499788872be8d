/* SPDX-License-Identifier: MIT
 * Guides for recordings that nobody touches: still and soak. */
#include "lab/guide/guide_kinds.h"
#include <math.h>
#include <stdio.h>

#define STILL_SECONDS 30.0
#define SOAK_SPAN 20.0f
#define SOAK_CHANGE 0.2f /* degC that count as new */
#define SOAK_SETTLED 30.0

static void still_feed(marl_guide *g, const marl_sample *sample)
{
    (void)sample;
    if (g->watch.verdict == MARL_STILL_QUIET && g->watch.still.still) {
        g->of.still.seconds += (double)g->watch.still.limits.window_s;
    }
}

static double still_progress(const marl_guide *g)
{
    return g->of.still.seconds / STILL_SECONDS;
}

static void still_show(const marl_guide *g, char *state, char *now)
{
    snprintf(state, MARL_GUIDE_WIDTH, "at rest for %.1f of %.0f s", g->of.still.seconds, STILL_SECONDS);
    snprintf(now, MARL_GUIDE_WIDTH, "%s",
             g->watch.still.still ? "leave it alone" : "put it down and do not touch it");
}

const lab_guide_kind lab_guide_still = {"still", NULL, still_feed, still_progress, still_show};

static void soak_feed(marl_guide *g, const marl_sample *sample)
{
    lab_soak *s = &g->of.soak;
    s->moved += g->watch.verdict == MARL_STILL_MOVING && marl_guide_seconds(g) > 1;
    if (!(sample->fresh & MARL_FRESH_TEMP)) {
        return;
    }
    s->now = sample->temp;
    s->low = s->heard ? fminf(s->low, s->now) : s->now;
    s->high = s->heard ? fmaxf(s->high, s->now) : s->now;
    if (!s->heard || s->reported_low - s->low > SOAK_CHANGE || s->high - s->reported_high > SOAK_CHANGE) {
        s->reported_low = s->low;
        s->reported_high = s->high;
        s->changed_ns = sample->t_ns;
    }
    s->heard = 1;
}

static double settled(const marl_guide *g)
{
    return 1e-9 * (double)(g->watch.last_ns - g->of.soak.changed_ns);
}

static double soak_progress(const marl_guide *g)
{
    const lab_soak *s = &g->of.soak;
    double span = (double)((s->high - s->low) / SOAK_SPAN);
    return s->heard ? 0.9 * fmin(1, span) + (span >= 1 ? 0.1 * settled(g) / SOAK_SETTLED : 0) : 0;
}

static void soak_show(const marl_guide *g, char *state, char *now)
{
    const lab_soak *s = &g->of.soak;
    if (!s->heard) {
        snprintf(state, MARL_GUIDE_WIDTH, "no temperature yet");
        snprintf(now, MARL_GUIDE_WIDTH, "the board must send its temperature");
        return;
    }
    int used = snprintf(state, MARL_GUIDE_WIDTH, "%.1f degC now; %.1f to %.1f degC: %.1f of %.0f degC",
                        (double)s->now, (double)s->low, (double)s->high, (double)(s->high - s->low),
                        (double)SOAK_SPAN);
    if (s->moved > 0) {
        snprintf(state + used, (size_t)(MARL_GUIDE_WIDTH - used), "; moved for %.1f s",
                 (double)s->moved * (double)g->watch.still.limits.window_s);
    }
    snprintf(now, MARL_GUIDE_WIDTH, "%s",
             !g->watch.still.still             ? "it must not be touched while it warms"
             : s->high - s->low < SOAK_SPAN    ? "let it warm (or cool) on, untouched"
             : settled(g) < SOAK_SETTLED * 0.3 ? "enough; it goes on while the temperature still changes"
                                               : "enough; waiting for the end of the change");
}

const lab_guide_kind lab_guide_soak = {"soak", NULL, soak_feed, soak_progress, soak_show};
