/* SPDX-License-Identifier: MIT
 * The gyroscope's bias from ten seconds at rest. */
#include "device/math/attitude_math.h"
#include "device/math/exact.h"
#include "device/math/stats.h"
#include "device/renew/renewal_kinds.h"
#include <string.h>

enum { HALF = 10, WINDOWS = 2 * HALF };
#define TURN_SEEN 4.0f       /* standard errors */
#define TURN_ALLOWED 3.5e-4f /* rad/s, 0.02 deg/s */
#define STUDENT 1.2f         /* few half seconds, and a bias that wanders for longer than they do */

void marlp_renewal_rest_start(marl_renewal *job)
{
    memset(&job->of.rest, 0, sizeof job->of.rest);
    marlp_renewal_watch_rest(&job->of.rest.still, 0.5f);
    job->stage = MARL_RENEWAL_WAIT;
}

static float sum_of(marl_vec3 v)
{
    return v.x + v.y + v.z;
}

/* Is the mean direction of the second half another one than that of the first? The halves' middles are half the time
 * apart. */
static int has_turned(const marl_stats half[2], float seconds)
{
    marl_vec3 first = half[0].mean, off = vec3_sub(half[1].mean, first);
    float length2 = vec3_dot(first, first);
    if (half[0].n < HALF || half[1].n < HALF || !(length2 > 0.0f)) {
        return 0;
    }
    float noise2 = (sum_of(marlp_stats_variance(&half[0])) + sum_of(marlp_stats_variance(&half[1]))) / HALF;
    float allowed2 = TURN_ALLOWED * TURN_ALLOWED * 0.25f * seconds * seconds * length2;
    return vec3_dot(off, off) > float_max(TURN_SEEN * TURN_SEEN * noise2, allowed2);
}

/* By the scatter of the half seconds, and by how far the halves lie apart: a bias that wanders has a mean that is less
 * sure than white noise would make it. */
static float standard_error2(float variance, float apart, float apart_all)
{
    float white = variance / WINDOWS, wander = 0.25f * float_max(apart * apart, apart_all / 3.0f);
    return STUDENT * STUDENT * float_max(white, wander);
}

static void state(marl_renewal *job)
{
    marl_renewal_rest *r = &job->of.rest;
    marl_renewed *f = &job->found;
    marl_vec3 a = r->gyro[0].mean, b = r->gyro[1].mean, apart = vec3_sub(b, a);
    marl_vec3 v =
        vec3_scale(vec3_add(marlp_stats_variance(&r->gyro[0]), marlp_stats_variance(&r->gyro[1])), 0.5f);
    float all = vec3_dot(apart, apart);
    marl_vec3 curve = vec3_sub(marl_correction_bias(&job->stored, job->degC), job->stored.bias);
    f->correction = job->stored;
    f->correction.present = 1;
    f->correction.bias = vec3_sub(vec3_scale(vec3_add(a, b), 0.5f), curve);
    f->change = vec3_sub(f->correction.bias, job->stored.bias);
    f->bias_sigma = (marl_vec3){float_root(standard_error2(v.x, apart.x, all)),
                                float_root(standard_error2(v.y, apart.y, all)),
                                float_root(standard_error2(v.z, apart.z, all))};
    f->residual_rms = float_root(sum_of(v) / 3.0f);
    job->stage = MARL_RENEWAL_DONE;
}

static void forget(marl_renewal_rest *r)
{
    for (int half = 0; half < 2; half++) {
        marlp_stats_init(&r->gyro[half]);
        marlp_stats_init(&r->accel[half]);
        marlp_stats_init(&r->mag[half]);
    }
}

static void add_window(marl_renewal *job)
{
    marl_renewal_rest *r = &job->of.rest;
    int half = r->gyro[0].n >= HALF;
    marlp_stats_add(&r->gyro[half], job->of.rest.still.last_gyro);
    if (job->of.rest.still.have_last_accel) {
        marlp_stats_add(&r->accel[half], job->of.rest.still.last_accel);
    }
    if (job->of.rest.still.have_last_mag) {
        marlp_stats_add(&r->mag[half], job->of.rest.still.last_mag);
    }
}

void marlp_renewal_rest_feed(marl_renewal *job, const marl_sample *sample)
{
    marl_renewal_rest *r = &job->of.rest;
    marl_still_verdict verdict = marl_still_update(&r->still, sample);
    if (verdict == MARL_STILL_MOVING) {
        forget(r);
    } else if (verdict == MARL_STILL_QUIET && job->of.rest.still.still && job->of.rest.still.have_last_gyro) {
        add_window(job);
    }
    job->found.points = (uint32_t)(r->gyro[0].n + r->gyro[1].n);
    job->found.coverage = (float)job->found.points / WINDOWS;
    if (r->gyro[1].n >= HALF) {
        float seconds = WINDOWS * job->of.rest.still.limits.window_s;
        if (has_turned(r->accel, seconds) || has_turned(r->mag, seconds)) {
            marlp_renewal_refuse(job, MARL_RENEWAL_TURNS);
        } else {
            state(job);
        }
    } else if (job->ending) {
        marlp_renewal_refuse(job, MARL_RENEWAL_MOVES);
    }
}
