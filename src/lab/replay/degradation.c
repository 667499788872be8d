/* SPDX-License-Identifier: MIT
 * Decimation, dropout, jitter and a gap. */
#include "lab/maths/random.h"
#include "marlinspike/replay.h"
#include <math.h>
#include <string.h>

#define EARLY 0.01 /* of a period: a row so little before its time is taken, since clocks round */
#define MIN_STEP_NS 1000

marl_status marl_degrader_init(marl_degrader *degrader, const marl_degradation *degradation)
{
    memset(degrader, 0, sizeof *degrader);
    degrader->degradation = *degradation;
    degrader->random = lab_random_seeded(degradation->seed, 0).state;
    int right = degradation->drop >= 0 && degradation->drop < 1 && degradation->jitter_s >= 0 &&
                degradation->jitter_s < 1e6 && degradation->rate_hz >= 0 && degradation->rate_hz < 1e9 &&
                (degradation->every == 0 || degradation->rate_hz <= 0) &&
                degradation->gap.from_ns <= degradation->gap.to_ns;
    return right ? MARL_OK : MARL_ERR_ARGUMENT;
}

static void hold(marl_sample *held, const marl_sample *s)
{
    held->t_ns = s->t_ns;
    held->accel = s->fresh & MARL_FRESH_ACCEL ? s->accel : held->accel;
    held->gyro = s->fresh & MARL_FRESH_GYRO ? s->gyro : held->gyro;
    held->mag = s->fresh & MARL_FRESH_MAG ? s->mag : held->mag;
    held->temp = s->fresh & MARL_FRESH_TEMP ? s->temp : held->temp;
    held->speed = s->fresh & MARL_FRESH_SPEED ? s->speed : held->speed;
    held->fresh = (uint8_t)(held->fresh | s->fresh);
}

/* The grid of times starts at the first row, and again behind a gap. */
static int is_due(marl_degrader *l, int64_t t_ns)
{
    double period = l->degradation.rate_hz > 0 ? 1e9 / l->degradation.rate_hz : 0;
    if (l->degradation.every > 1) {
        return (l->rows - 1) % l->degradation.every == 0;
    }
    if (l->rows == 1) {
        l->next_ns = t_ns;
    }
    if (period <= 0 || (double)(t_ns - l->next_ns) < -EARLY * period) {
        return period <= 0;
    }
    int64_t next = l->next_ns + llround(period);
    l->next_ns = next > t_ns ? next : t_ns + llround(period);
    return 1;
}

static int leaves_all(const marl_degradation *d)
{
    return d->every <= 1 && d->rate_hz <= 0 && d->drop <= 0 && d->jitter_s <= 0 &&
           d->gap.from_ns >= d->gap.to_ns;
}

int marl_degrader_feed(marl_degrader *l, const marl_sample *recorded, marl_sample *seen)
{
    const marl_span *gap = &l->degradation.gap;
    if (leaves_all(&l->degradation)) {
        *seen = *recorded;
        return 1;
    }
    if (recorded->t_ns >= gap->from_ns && recorded->t_ns < gap->to_ns) {
        return 0;
    }
    l->rows++;
    hold(&l->held, recorded);
    if (!is_due(l, recorded->t_ns)) {
        return 0;
    }
    *seen = l->held;
    l->held.fresh = 0;
    lab_random random = {l->random};
    int lost = l->degradation.drop > 0 && lab_random_uniform(&random) < l->degradation.drop;
    int moved = !lost && l->degradation.jitter_s > 0;
    double off = moved ? l->degradation.jitter_s * lab_random_normal(&random) : 0;
    l->random = random.state;
    if (lost) {
        return 0;
    }
    if (moved) {
        seen->t_ns += llround(1e9 * off);
        if (l->started && seen->t_ns < l->last_ns + MIN_STEP_NS) {
            seen->t_ns = l->last_ns + MIN_STEP_NS;
        }
    }
    l->last_ns = seen->t_ns;
    l->started = 1;
    return 1;
}
