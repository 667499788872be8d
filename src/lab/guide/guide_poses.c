/* SPDX-License-Identifier: MIT
 * Guide for poses: six faces and more attitudes, at rest in each. */
#include "lab/guide/guide_kinds.h"
#include <math.h>
#include <stdio.h>

#define FACE_COSINE 0.906  /* 25 deg */
#define SAME_COSINE 0.9659 /* 15 deg */
enum { ENOUGH_WINDOWS = 3, MORE_POSES = 6, MAX_POSES = 64 };

static void start(marl_guide *g)
{
    g->of.poses.current = -1;
}

static double cosine(marl_vec3 a, marl_vec3 b)
{
    return (double)(marl_vec3_dot(a, b) / (marl_vec3_norm(a) * marl_vec3_norm(b)));
}

/* The pose of this direction, a new one where it is far from all others. */
static int find(lab_poses *p, marl_vec3 direction)
{
    int nearest = -1;
    double best = SAME_COSINE;
    for (int i = 0; i < p->n; i++) {
        double c = cosine(direction, p->pose[i].direction);
        if (c > best) {
            best = c;
            nearest = i;
        }
    }
    if (nearest < 0 && p->n < MAX_POSES) {
        nearest = p->n++;
        p->pose[nearest].direction = direction;
        p->pose[nearest].windows = 0;
    }
    return nearest;
}

static void feed(marl_guide *g, const marl_sample *sample)
{
    lab_poses *p = &g->of.poses;
    const marl_still *still = &g->watch.still;
    (void)sample;
    if (g->watch.verdict == MARL_STILL_OPEN) {
        return;
    }
    p->current = -1;
    if (still->still && still->have_last_accel && marl_vec3_norm(still->last_accel) > 1.0f) {
        p->current = find(p, still->last_accel);
        p->pose[p->current < 0 ? 0 : p->current].windows += p->current >= 0;
    }
}

/* Which faces are in; returns how many, and the number of all attitudes in *attitudes. */
static int count(const lab_poses *p, int faces[6], int *attitudes)
{
    int n = 0;
    *attitudes = 0;
    for (int i = 0; i < 6; i++) {
        faces[i] = 0;
    }
    for (int i = 0; i < p->n; i++) {
        double c;
        int face = lab_nearest_face(p->pose[i].direction, &c);
        if (p->pose[i].windows >= ENOUGH_WINDOWS) {
            ++*attitudes;
            n += c > FACE_COSINE && !faces[face];
            faces[face] |= c > FACE_COSINE;
        }
    }
    return n;
}

static double progress(const marl_guide *g)
{
    int faces[6], attitudes;
    int n = count(&g->of.poses, faces, &attitudes), more = attitudes - n;
    return (n + (more < MORE_POSES ? more : MORE_POSES)) / (6.0 + MORE_POSES);
}

static void print_next(const lab_poses *p, const int faces[6], int in, int more, char *now)
{
    if (p->current >= 0 && p->pose[p->current].windows < ENOUGH_WINDOWS) {
        snprintf(now, MARL_GUIDE_WIDTH, "keep it so");
        return;
    }
    for (int i = 0; i < 6 && in < 6; i++) {
        if (!faces[i]) {
            snprintf(now, MARL_GUIDE_WIDTH, "turn %s up, and let it rest for 2 s", lab_face_name(i));
            return;
        }
    }
    if (more >= MORE_POSES) {
        snprintf(now, MARL_GUIDE_WIDTH, "enough");
        return;
    }
    snprintf(now, MARL_GUIDE_WIDTH, "lean it on %d more edge%s or corner%s", MORE_POSES - more,
             more == MORE_POSES - 1 ? "" : "s", more == MORE_POSES - 1 ? "" : "s");
}

static void show(const marl_guide *g, char *state, char *now)
{
    int faces[6], attitudes, used = 0;
    if (g->watch.pace[MARL_ACCEL].n == 0) {
        snprintf(state, MARL_GUIDE_WIDTH, "no accelerometer yet");
        snprintf(now, MARL_GUIDE_WIDTH, "the board must send its accelerometer");
        return;
    }
    int n = count(&g->of.poses, faces, &attitudes);
    used = snprintf(state, MARL_GUIDE_WIDTH, "up:");
    for (int i = 0; i < 6; i++) {
        used += snprintf(state + used, (size_t)(MARL_GUIDE_WIDTH - used), " %s",
                         faces[i] ? lab_face_name(i) : "..");
    }
    snprintf(state + used, (size_t)(MARL_GUIDE_WIDTH - used), ", other attitudes %d of %d", attitudes - n,
             MORE_POSES);
    print_next(&g->of.poses, faces, n, attitudes - n, now);
}

const lab_guide_kind lab_guide_poses = {"poses", start, feed, progress, show};
