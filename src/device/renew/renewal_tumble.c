/* SPDX-License-Identifier: MIT
 * The magnetometer from a tumble. */
#include "device/math/attitude_math.h"
#include "device/math/exact.h"
#include "device/renew/directions.h"
#include "device/renew/renewal_kinds.h"
#include "device/renew/surface.h"
#include "device/renew/symmetric.h"
#include <string.h>

#define SIZE 50.0f        /* uT: the Earth's field has 25 to 65 */
#define MIN_COVERAGE 0.4f /* the moments err where the surface is flat; more than the desk wants */
#define MAX_SIGMA 0.05f   /* of the field, and of 1 in the matrix: more, and the axes are guessed */
#define MAX_REST 0.1f     /* of the field; larger: the surface is fitted to noise */
#define MIN_FIELD 5.0f    /* uT */
#define MAX_PLACE 0.02f   /* of the field: a degree of heading */
#define MIN_SLOW 0.5f     /* of the noise: less may be chance */
#define BLOCK_S 0.6f
#define MIN_BLOCKS 10.0f
#define FORGET 0.5f
#define AXES 0.05f /* soft iron of which nothing is stored; it is in the errors of a bias found alone */
#define AXES_STORED 0.01f
#define MIN_F 4.2f       /* of an F with 5 and many degrees of freedom: one in a thousand */
#define F_ROUNDING 4e-7f /* of the mean square: moments do not show less */
#define NEAR 0.05f       /* a centre that moved by less of the field sees the same directions */
enum { MIN_READINGS = 50, FIRST_FIT = 100, IN_HALF = 3 };

/* What runs: nothing, the fit of what there is so far, and the last ones. */
enum { GATHERING, ON_THE_WAY, LAST_FULL, LAST_SPHERE };
/* What a call of it does. */
enum { STEPS, ERRORS, REPORT, COVERAGE, MISSING, VERDICT };

void marlp_renewal_tumble_start(marl_renewal *job)
{
    marl_renewal_tumble *t = &job->of.tumble;
    memset(t, 0, sizeof *t);
    marlp_surface_init(&t->surface);
    marlp_directions_init(t);
    t->next_fit = FIRST_FIT;
    job->stage = MARL_RENEWAL_MOVE_ON;
}

static float longest3(const float v[3])
{
    return float_max(v[0], float_max(v[1], v[2]));
}

/* In units of the surface, whose radius is 1 / A. */
static int is_sure(const marl_surface_fit *fit)
{
    return longest3(fit->bias_sigma) * fit->unknown[3] < MAX_SIGMA;
}

static int is_determined(const marl_surface_fit *fit)
{
    return fit->settled && !fit->lost && is_sure(fit) && fit->matrix_sigma < MAX_SIGMA;
}

static void close_block(marl_renewal_tumble *t, float now_s)
{
    float first = t->blocks.sum[0] / (float)t->blocks.in[0],
          second = t->blocks.sum[1] / (float)t->blocks.in[1];
    t->blocks.means += 0.25f * (first + second) * (first + second);
    t->blocks.differences += 0.25f * (first - second) * (first - second);
    t->blocks.n += 1.0f;
    t->blocks.sum[0] = t->blocks.sum[1] = 0.0f;
    t->blocks.in[0] = t->blocks.in[1] = 0;
    t->blocks.begin_s = now_s;
}

/* Noise changes from reading to reading; lengths that are off for longer than a second go with the place. */
static void add_to_block(marl_renewal *job, float distance)
{
    marl_renewal_tumble *t = &job->of.tumble;
    float since = job->seconds - t->blocks.begin_s, step = distance - t->distance;
    t->steps2 += t->distance != 0.0f ? step * step : 0.0f;
    t->steps += t->distance != 0.0f ? 1.0f : 0.0f;
    t->distance = distance;
    int second = since >= 0.5f * BLOCK_S && t->blocks.in[0] >= IN_HALF;
    if (since >= BLOCK_S && t->blocks.in[1] >= IN_HALF) {
        close_block(t, job->seconds);
        second = 0;
    }
    if (t->blocks.in[second] < UINT16_MAX) {
        t->blocks.sum[second] += distance;
        t->blocks.in[second]++;
    }
}

static void take_reading(marl_renewal *job, marl_vec3 v)
{
    marl_renewal_tumble *t = &job->of.tumble;
    int first = t->surface.n == 0;
    if (!first && v.x == t->before.x && v.y == t->before.y && v.z == t->before.z) {
        return; /* of a sensor that is slower than the samples: no reading of its own */
    }
    t->before = v;
    if (first && job->stored.bias.x == 0.0f && job->stored.bias.y == 0.0f && job->stored.bias.z == 0.0f) {
        t->middle = v; /* nothing is stored: the surface is where the readings are */
    }
    marl_vec3 unit = vec3_scale(vec3_sub(v, t->middle), 1.0f / SIZE);
    if (!(vec3_dot(unit, unit) < 1e4f)) {
        return;
    }
    marlp_surface_add(&t->surface, unit);
    marlp_directions_add(t, unit);
    if (t->seen_by.settled) {
        add_to_block(job, marlp_surface_distance(&t->seen_by, unit));
    }
}

/* ---- the fits ---- */

static void begin(marl_renewal *job, uint8_t what, marl_surface_model model)
{
    marl_renewal_tumble *t = &job->of.tumble;
    t->fitting = what;
    t->phase = STEPS;
    if (!marlp_surface_begin(&t->surface, model, &t->fit)) {
        t->fit.lost = 1;
    }
}

static void use_for_directions(marl_renewal_tumble *t, const marl_surface_fit *fit)
{
    float off = 0.0f;
    for (int k = 0; k < 3; k++) {
        float d = (fit->unknown[k] - t->seen_by.unknown[k]) * fit->unknown[3];
        off += d * d;
    }
    int is_near = t->seen_by.settled && off < NEAR * NEAR;
    t->seen_by = *fit;
    t->seen_by.settled = 1;
    if (!is_near) {
        marlp_directions_recount(t);
        t->steps = t->steps2 = t->distance = 0.0f;
    }
    float keep = is_near ? FORGET : 0.0f; /* of blocks by a surface that was less sure */
    t->blocks.means *= keep;
    t->blocks.differences *= keep;
    t->blocks.n *= keep;
}

/* The noise of one reading shows in the steps from each to the next. */
static float noise2_of(const marl_renewal_tumble *t, float residual)
{
    return t->steps > (float)MIN_READINGS ? 0.5f * t->steps2 / t->steps : residual * residual;
}

/* Square of what the field changes with the place, also as much as chance can make: by the blocks, or, without enough
 * of them, by what the distances have beyond their steps from reading to reading. */
static float place2_of(const marl_renewal_tumble *t, float residual)
{
    float slow = t->blocks.n >= MIN_BLOCKS ? (t->blocks.means - t->blocks.differences) / t->blocks.n
                                           : residual * residual - noise2_of(t, residual);
    return float_max(slow, 0.0f);
}

static float cube_root(float x)
{
    float root = 1.0f;
    for (int i = 0; i < 40; i++) {
        root = (2.0f * root + x / (root * root)) / 3.0f;
    }
    return root;
}

static void find_errors(marl_renewal *job)
{
    marl_renewal_tumble *t = &job->of.tumble;
    float axes = marlp_renewal_knows_axes(&job->stored) ? AXES_STORED : AXES;
    t->residual = marlp_surface_residual(&t->surface, &t->fit);
    t->fit.lost = !marlp_surface_errors(&t->surface, &t->fit, t->residual, axes, 0);
}

/* What the place adds to the errors; the correction; the numbers that the verdict goes by. */
static void report(marl_renewal *job)
{
    marl_renewal_tumble *t = &job->of.tumble;
    marl_renewed *f = &job->found;
    marl_surface_fit *fit = &t->fit;
    float place2 = place2_of(t, t->residual), share2 = place2 * fit->unknown[3] * fit->unknown[3];
    for (int k = 0; k < 3; k++) {
        fit->bias_sigma[k] = float_root(fit->bias_sigma[k] * fit->bias_sigma[k] + place2);
    }
    float radius = 1.0f / cube_root(marlp_symmetric_determinant(fit->unknown + 3));
    int full = fit->model == MARL_SURFACE_FULL;
    f->matrix_sigma = full ? float_root(fit->matrix_sigma * fit->matrix_sigma + share2) : 0.0f;
    f->length = SIZE * radius;
    f->residual_rms = SIZE * t->residual;
    marlp_renewal_compose(job, fit, t->middle, SIZE,
                          job->options.length > 0.0f ? job->options.length / SIZE : radius);
}

/* The distances change by more than the noise does, and by so much that the heading would suffer. */
static int steel_shows(const marl_renewal *job)
{
    const marl_renewed *f = &job->found;
    float residual = f->residual_rms / SIZE, limit = MAX_PLACE * f->length / SIZE;
    float noise2 = noise2_of(&job->of.tumble, residual), slow2 = residual * residual - noise2;
    return slow2 > limit * limit && slow2 > MIN_SLOW * noise2;
}

static void decide(marl_renewal *job)
{
    const marl_renewed *f = &job->found;
    int is_shown = f->coverage >= MIN_COVERAGE;
    if (is_shown && steel_shows(job)) {
        marlp_renewal_refuse(job, MARL_RENEWAL_STEEL);
    } else if (is_shown && (f->length < MIN_FIELD || !(f->residual_rms < MAX_REST * f->length))) {
        marlp_renewal_refuse(job, MARL_RENEWAL_SCATTER);
    } else if (!is_shown || !is_sure(&job->of.tumble.fit)) {
        marlp_renewal_refuse(job, MARL_RENEWAL_DIRECTIONS);
    } else {
        job->stage = MARL_RENEWAL_DONE;
    }
}

/* Does the matrix show, though these directions do not determine it? Then the bias is not known either. */
static int is_torn(const marl_renewal_tumble *t)
{
    float n = (float)t->surface.n, sphere = marlp_surface_residual(&t->surface, &t->fit);
    float left = t->full_residual * t->full_residual * (n - 9.0f), more = sphere * sphere * (n - 4.0f) - left;
    return t->full_residual > 0.0f && more / 5.0f > MIN_F * left / (n - 9.0f) + F_ROUNDING * n;
}

/* The fit has ended: well, or lost. */
static void end_fit(marl_renewal *job)
{
    marl_renewal_tumble *t = &job->of.tumble;
    uint8_t what = t->fitting;
    int good = !t->fit.lost;
    t->fitting = GATHERING;
    if (what == ON_THE_WAY) {
        int known = good && t->steps > (float)MIN_READINGS && (is_determined(&t->fit) || steel_shows(job));
        job->ending = job->ending || (known && job->found.coverage >= job->options.coverage);
    } else if (what == LAST_FULL && !(good && is_determined(&t->fit))) {
        t->full_residual = good ? t->residual : 0.0f;
        begin(job, LAST_SPHERE, MARL_SURFACE_SPHERE);
    } else if (!good || (what == LAST_SPHERE && (!marlp_renewal_knows_axes(&job->stored) || is_torn(t)))) {
        marlp_renewal_refuse(job, MARL_RENEWAL_DIRECTIONS);
    } else {
        decide(job);
    }
}

/* A little of it in each call. */
static void go_on_fitting(marl_renewal *job)
{
    marl_renewal_tumble *t = &job->of.tumble;
    if (t->phase == STEPS && !t->fit.settled && !t->fit.lost) {
        marlp_surface_step(&t->surface, &t->fit);
        return;
    }
    t->phase = t->fit.lost ? VERDICT : t->phase + 1;
    if (t->phase == ERRORS) {
        find_errors(job);
    } else if (t->phase == REPORT) {
        report(job);
    } else if (t->phase == COVERAGE) {
        use_for_directions(t, &t->fit);
        job->found.coverage = marlp_directions_coverage(t);
    } else if (t->phase == MISSING) {
        job->found.missing = marlp_directions_missing(t);
    } else {
        end_fit(job);
    }
}

static void go_on(marl_renewal *job)
{
    marl_renewal_tumble *t = &job->of.tumble;
    if (t->fitting != GATHERING) {
        go_on_fitting(job);
    } else if (job->ending) {
        job->stage = MARL_RENEWAL_WAIT;
        if (t->surface.n < MIN_READINGS) {
            marlp_renewal_refuse(job, MARL_RENEWAL_FEW);
        } else {
            begin(job, LAST_FULL, MARL_SURFACE_FULL);
        }
    } else if (t->surface.n >= t->next_fit) {
        t->next_fit = t->surface.n + t->surface.n / 4;
        begin(job, ON_THE_WAY, MARL_SURFACE_FULL);
    }
}

void marlp_renewal_tumble_feed(marl_renewal *job, const marl_sample *sample)
{
    marl_renewal_tumble *t = &job->of.tumble;
    if ((sample->fresh & MARL_FRESH_MAG) && t->fitting < LAST_FULL) {
        take_reading(job, marl_correction_apply(&job->stored, sample->mag, job->degC));
    }
    job->found.points = t->surface.n;
    go_on(job);
}
