/* SPDX-License-Identifier: MIT
 * The accelerometer from still poses. */
#include "device/math/exact.h"
#include "device/math/vec_quat.h"
#include "device/renew/renewal_kinds.h"
#include "device/renew/surface.h"
#include <string.h>

#define WINDOW_S 0.25f
enum { POSE_WINDOWS = 6, MAX_WINDOWS = 200, FACES = 6, MIN_FULL = 10, MIN_FREE = 3 };
#define FACE_COSINE 0.8f   /* 37 degrees */
#define SAME_COSINE 0.99f  /* 8 degrees: the same pose as one before */
#define MISALIGNMENT 0.01f /* of axes of which nothing is stored */
#define MISALIGNMENT_STORED 0.001f
#define MAX_SIGMA 0.02f /* of gravity, and of 1 in the matrix */
#define MAX_REST 0.5f   /* m/s^2: that is no gravity */

static float cosine(marl_vec3 a, marl_vec3 b)
{
    return vec3_dot(a, b) / float_root(vec3_dot(a, a) * vec3_dot(b, b));
}

static int is_shown(const marl_renewal_poses *p, int face)
{
    for (int i = 0; i < p->n; i++) {
        if (cosine(p->pose[i], marlp_renewal_face(face)) > FACE_COSINE) {
            return 1;
        }
    }
    return 0;
}

static void list_faces(marl_renewal *job)
{
    int shown = 0;
    job->found.missing = FACES;
    for (int face = FACES - 1; face >= 0; face--) {
        int is = is_shown(&job->of.poses, face);
        shown += is;
        job->found.missing = is ? job->found.missing : (uint8_t)face;
    }
    job->found.points = job->of.poses.n;
    job->found.coverage = (float)shown / FACES;
}

void marlp_renewal_poses_start(marl_renewal *job)
{
    memset(&job->of.poses, 0, sizeof job->of.poses);
    marlp_renewal_watch_rest(&job->of.poses.still, WINDOW_S);
    list_faces(job);
    job->stage = MARL_RENEWAL_MOVE_ON;
}

/* Was this attitude there before, or is the hand still in the last one? */
static int is_known(const marl_renewal_poses *p, marl_vec3 v)
{
    for (int i = 0; i < p->n; i++) {
        if (cosine(p->pose[i], v) > SAME_COSINE) {
            return 1;
        }
    }
    return 0;
}

/* The hand has moved: what was held is over. */
static void begin_pose(marl_renewal_poses *p)
{
    p->windows = 0;
    p->sum = p->squares = (marl_vec3){0.0f, 0.0f, 0.0f};
}

/* The mean of the pose's windows, and the square of its standard error. */
static marl_vec3 mean_of(const marl_renewal_poses *p, float *noise2)
{
    float n = (float)p->windows;
    marl_vec3 mean = vec3_scale(p->sum, 1.0f / n);
    float scatter = p->squares.x + p->squares.y + p->squares.z - n * vec3_dot(mean, mean);
    *noise2 = float_max(scatter, 0.0f) / (3.0f * (n - 1.0f) * n);
    return vec3_add(p->before, mean);
}

/* A quiet window: the one before it was at rest, too. As soon as there are enough the pose is in, and as long as it lasts
 * the others make it better. */
static void add_window(marl_renewal *job, marl_vec3 v)
{
    marl_renewal_poses *p = &job->of.poses;
    p->before = p->windows == 0 ? v : p->before;
    if (p->windows >= MAX_WINDOWS) {
        return;
    }
    marl_vec3 off = vec3_sub(v, p->before); /* small numbers keep their digits */
    p->sum = vec3_add(p->sum, off);
    p->squares = vec3_add(p->squares, (marl_vec3){off.x * off.x, off.y * off.y, off.z * off.z});
    p->windows++;
    job->stage = MARL_RENEWAL_WAIT;
    if (p->windows >= POSE_WINDOWS) {
        p->n = (uint8_t)(p->n + (p->windows == POSE_WINDOWS));
        p->pose[p->n - 1] = mean_of(p, &p->noise2[p->n - 1]);
        job->stage = MARL_RENEWAL_MOVE_ON;
        list_faces(job);
    }
}

/* ---- the fit ---- */

static float residual_of(const marl_renewal_poses *p, const marl_surface_fit *fit, float gravity)
{
    float sum = 0.0f;
    for (int i = 0; i < p->n; i++) {
        float off = marlp_surface_distance(fit, vec3_scale(p->pose[i], 1.0f / gravity));
        sum += off * off;
    }
    return sum;
}

/* Standard errors of a fit that has settled; 0 when the poses do not determine it. */
static int find_errors(marl_renewal *job)
{
    marl_renewal_poses *p = &job->of.poses;
    float gravity = job->options.length, n = (float)p->n, noise2 = 0.0f;
    for (int i = 0; i < p->n; i++) {
        noise2 += p->noise2[i];
    }
    float free = n - (p->fit.model == MARL_SURFACE_FULL ? 9.0f : 6.0f),
          sum = residual_of(p, &p->fit, gravity);
    float residual = free > 0.0f ? float_root(sum / free) : 0.0f;
    /* few poses show their scatter badly: Student's variance, and without degrees of freedom their own noise */
    float few = free >= MIN_FREE ? float_root(free / (free - 2.0f)) : 1.7321f;
    float noise = float_root(noise2 / n) / gravity;
    float open = marlp_renewal_knows_axes(&job->stored) ? MISALIGNMENT_STORED : MISALIGNMENT;
    job->found.residual_rms =
        free > 0.0f ? gravity * float_root(sum / n) : 0.0f; /* else there is nothing to see */
    return marlp_surface_errors(&p->surface, &p->fit, float_max(residual * few, noise), open, 1);
}

static int is_sure(const marl_surface_fit *fit)
{
    return fit->bias_sigma[0] < MAX_SIGMA && fit->bias_sigma[1] < MAX_SIGMA &&
           fit->bias_sigma[2] < MAX_SIGMA && fit->matrix_sigma < MAX_SIGMA;
}

static void begin_fit(marl_renewal *job, marl_surface_model model)
{
    marl_renewal_poses *p = &job->of.poses;
    job->stage = MARL_RENEWAL_WAIT;
    p->fitting = 1;
    if (!marlp_surface_begin(&p->surface, model, &p->fit)) {
        marlp_renewal_refuse(job, MARL_RENEWAL_DIRECTIONS);
    }
}

static void decide(marl_renewal *job)
{
    marl_renewal_poses *p = &job->of.poses;
    marlp_renewal_compose(job, &p->fit, (marl_vec3){0.0f, 0.0f, 0.0f}, job->options.length, 1.0f);
    job->found.matrix_sigma = p->fit.matrix_sigma;
    if (!(job->found.residual_rms < MAX_REST)) { /* first, since it makes the errors large, too */
        marlp_renewal_refuse(job, MARL_RENEWAL_SCATTER);
    } else if (!is_sure(&p->fit)) {
        marlp_renewal_refuse(job, MARL_RENEWAL_DIRECTIONS);
    } else {
        job->stage = MARL_RENEWAL_DONE;
    }
}

/* All of the matrix where the poses show it better than the axes are known anyway; else their scales alone. */
static void go_on_fitting(marl_renewal *job)
{
    marl_renewal_poses *p = &job->of.poses;
    float axes = marlp_renewal_knows_axes(&job->stored) ? MISALIGNMENT_STORED : MISALIGNMENT;
    if (!p->fit.settled && !p->fit.lost) {
        marlp_surface_step(&p->surface, &p->fit);
        return;
    }
    int good = p->fit.settled && !p->fit.lost && find_errors(job);
    if (p->fit.model == MARL_SURFACE_FULL && !(good && p->fit.matrix_sigma < axes)) {
        begin_fit(job, MARL_SURFACE_DIAGONAL);
    } else if (good) {
        decide(job);
    } else {
        marlp_renewal_refuse(job, MARL_RENEWAL_DIRECTIONS);
    }
}

static void end(marl_renewal *job)
{
    marl_renewal_poses *p = &job->of.poses;
    if (p->n < FACES) {
        marlp_renewal_refuse(job, MARL_RENEWAL_FEW);
    } else if (job->found.missing < FACES && p->n < MIN_FULL) {
        marlp_renewal_refuse(job, MARL_RENEWAL_DIRECTIONS);
    } else {
        marlp_surface_init(&p->surface);
        for (int i = 0; i < p->n; i++) {
            marlp_surface_add(&p->surface, vec3_scale(p->pose[i], 1.0f / job->options.length));
        }
        begin_fit(job, p->n >= MIN_FULL ? MARL_SURFACE_FULL : MARL_SURFACE_DIAGONAL);
    }
}

void marlp_renewal_poses_feed(marl_renewal *job, const marl_sample *sample)
{
    marl_renewal_poses *p = &job->of.poses;
    if (p->fitting) {
        go_on_fitting(job);
        return;
    }
    marl_still_verdict verdict = marl_still_update(&p->still, sample);
    if (verdict == MARL_STILL_MOVING) {
        begin_pose(p);
        job->stage = MARL_RENEWAL_MOVE_ON;
    } else if (verdict == MARL_STILL_QUIET && job->of.poses.still.have_last_accel) {
        marl_vec3 v = marl_correction_apply(&job->stored, job->of.poses.still.last_accel, job->degC);
        if (p->windows >= POSE_WINDOWS || !is_known(p, v)) {
            add_window(job, v);
        } else {
            job->stage = MARL_RENEWAL_MOVE_ON; /* it is in already */
        }
    }
    int enough = p->n >= job->options.poses && job->found.missing == FACES;
    if (enough || p->n >= MARL_RENEWAL_POSES || job->ending) {
        end(job);
    }
}
