/* SPDX-License-Identifier: MIT
 * Watch of the magnetic field against the calibration. */
#include "device/math/exact.h"
#include "device/math/vec_quat.h"
#include "device/renew/normal.h"
#include "marlinspike/renew.h"
#include <string.h>

enum { UNKNOWNS = 4 }; /* off x y z, and the length */
#define MEMORY_S 300.0f
#define TICK_S 10.0f
#define LONGEST_STEP_S 5.0f /* a gap stands for no more */
#define TOGETHER_S 5.0f     /* readings so near each other err alike: steel that passes by */
#define MIN_SECONDS 60.0f
#define HOLDS_S 60.0f
#define SHARE 0.05f /* of the field: three degrees of heading */
#define SEEN 4.0f   /* standard errors */
#define RIDGE 0.01f /* of a direction: what has not been shown counts as right */

void marl_field_watch_init(marl_field_watch *watch)
{
    memset(watch, 0, sizeof *watch);
}

static void fade(marl_field_watch *w, float seconds)
{
    float keep = 1.0f - seconds / MEMORY_S;
    for (int i = 0; i < 10; i++) {
        w->normal[i] *= keep;
    }
    for (int i = 0; i < UNKNOWNS; i++) {
        w->right[i] *= keep;
    }
    w->squares *= keep;
    w->readings *= keep;
    w->seconds *= keep;
}

static void add(marl_field_watch *w, marl_vec3 direction, float length)
{
    const float row[UNKNOWNS] = {direction.x, direction.y, direction.z, 1.0f};
    for (int i = 0, at = 0; i < UNKNOWNS; i++) {
        w->right[i] += row[i] * length;
        for (int j = 0; j <= i; j++) {
            w->normal[at++] += row[i] * row[j];
        }
    }
    w->squares += length * length;
    w->readings += 1.0f;
}

/* The root of the equations; 0 when there is too little. */
static int find_root(const marl_field_watch *w, float root[UNKNOWNS * UNKNOWNS])
{
    for (int i = 0, at = 0; i < UNKNOWNS; i++) {
        for (int j = 0; j <= i; j++) {
            root[i * UNKNOWNS + j] = w->normal[at++] / w->readings + (i == j && i < 3 ? RIDGE : 0.0f);
        }
    }
    return marlp_normal_factor(UNKNOWNS, root);
}

/* Sets off, sigma and length. */
static void solve(marl_field_watch *w, const float root[UNKNOWNS * UNKNOWNS])
{
    float x[UNKNOWNS], sigma[3], rest = w->squares / w->readings;
    for (int i = 0; i < UNKNOWNS; i++) {
        x[i] = w->right[i] / w->readings;
    }
    marlp_normal_solve(UNKNOWNS, root, x);
    for (int i = 0; i < UNKNOWNS; i++) {
        rest -= x[i] * w->right[i] / w->readings;
    }
    for (int k = 0; k < 3; k++) {
        float e[UNKNOWNS] = {0.0f}, square = 0.0f;
        e[k] = 1.0f;
        marlp_normal_forward(UNKNOWNS, root, e);
        for (int i = 0; i < UNKNOWNS; i++) {
            square += e[i] * e[i];
        }
        sigma[k] = float_root(float_max(rest, 0.0f) * square * TOGETHER_S / w->seconds);
    }
    w->off = (marl_vec3){x[0], x[1], x[2]};
    w->sigma = (marl_vec3){sigma[0], sigma[1], sigma[2]};
    w->length = x[3];
}

static int contradicts(const marl_field_watch *w)
{
    float off2 = vec3_dot(w->off, w->off), limit = SHARE * w->length;
    return off2 > limit * limit && off2 > SEEN * SEEN * vec3_dot(w->sigma, w->sigma);
}

static int tick(marl_field_watch *w)
{
    float root[UNKNOWNS * UNKNOWNS], since = w->since_tick_s;
    w->since_tick_s = 0.0f;
    fade(w, since);
    if (w->seconds < MIN_SECONDS || !find_root(w, root)) {
        return 0;
    }
    solve(w, root);
    w->contradicted_s = contradicts(w) ? w->contradicted_s + since : 0.0f;
    int is_new = w->contradicted_s > HOLDS_S && !w->again;
    w->again = w->contradicted_s > HOLDS_S;
    return is_new;
}

int marl_field_watch_feed(marl_field_watch *w, int64_t t_ns, marl_vec3 mag)
{
    float step, length2 = vec3_dot(mag, mag);
    int has_step = w->last_ns != 0 && marl_time_step(w->last_ns, t_ns, &step) == MARL_OK;
    w->last_ns = t_ns;
    if (!(length2 > 1.0f && length2 < 1e6f) || !has_step) {
        return 0;
    }
    float length = float_root(length2);
    add(w, vec3_scale(mag, 1.0f / length), length);
    w->seconds += float_min(step, LONGEST_STEP_S);
    w->since_tick_s += float_min(step, LONGEST_STEP_S);
    return w->since_tick_s >= TICK_S ? tick(w) : 0;
}
