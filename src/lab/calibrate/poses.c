/* SPDX-License-Identifier: MIT
 * Still poses inside one recording. The recording is cut into windows; windows in a row whose mean force
 * keeps its direction are an attitude that somebody held; it is a pose when its windows are as quiet as the
 * quietest ones of the recording. */
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include "marlinspike/calibrate.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define WINDOW_S 0.2
#define SAME_DEG 2.0
#define MIN_S 1.0
#define QUIET_QUANTILE 0.1  /* of the windows; a recording of poses rests longer than that */
#define MAX_QUIET_RATIO 4.0 /* times the quiet variance; noise of a window reaches that in one of thousands */
#define MAX_QUIET_ACCEL 0.5 /* m/s^2, deviation: the quietest windows of a recording that never rests */
#define MAX_QUIET_GYRO 0.1  /* rad/s, the same */
#define MAX_REST_RATE 0.35  /* rad/s: no bias is so large */
/* Held, though not still: slower than 12 deg/s over this many windows before and after, and not the end of another pose. */
#define HELD_DEG 7.2
#define OTHER_DEG 15.0
enum { MIN_READINGS = 8, PARTS = 5, HELD_WINDOWS = 3 };

typedef struct window {
    marl_span span;
    size_t n;
    double accel[3], rate[3], temp;
    double accel_variance, gyro_variance; /* summed over the axes; 0 without a gyroscope */
    int quiet;
} window;

typedef struct windows {
    size_t n;
    window *at;
    double rounding[2]; /* variance of toggling between two counts, over all axes: of accel, of gyro */
} windows;

static void close_window(windows *all, const lab_moments accel[3], const lab_moments gyro[3],
                         const lab_moments *temp, marl_span span)
{
    if (accel[0].n < MIN_READINGS) {
        return;
    }
    window *w = &all->at[all->n++];
    *w = (window){.span = span, .n = accel[0].n, .temp = temp->n > 0 ? temp->mean : NAN};
    for (int k = 0; k < 3; k++) {
        w->accel[k] = accel[k].mean;
        w->rate[k] = gyro[k].mean;
        w->accel_variance += accel[k].squares / (double)(accel[k].n - 1);
        w->gyro_variance += gyro[k].n > 1 ? gyro[k].squares / (double)(gyro[k].n - 1) : 0;
    }
}

static marl_status cut_windows(const marl_log *log, windows *all, marl_error *error)
{
    lab_moments accel[3] = {{0}}, gyro[3] = {{0}}, temp = {0};
    marl_span span = {0, 0};
    all->at = malloc((log->n / MIN_READINGS + 1) * sizeof *all->at);
    if (all->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        int full = accel[0].n >= MIN_READINGS && s->t_ns - span.from_ns >= (int64_t)(WINDOW_S * 1e9);
        if (full || s->t_ns - span.to_ns > (int64_t)(WINDOW_S * 1e9)) { /* full, or behind a gap */
            close_window(all, accel, gyro, &temp, span);
            memset(accel, 0, sizeof accel);
            memset(gyro, 0, sizeof gyro);
            temp = (lab_moments){0};
            span.from_ns = s->t_ns;
        }
        span.to_ns = s->t_ns;
        if (s->fresh & MARL_FRESH_ACCEL) {
            lab_moments_add_vector(accel, s->accel);
        }
        if (s->fresh & MARL_FRESH_GYRO) {
            lab_moments_add_vector(gyro, s->gyro);
        }
        if (s->fresh & MARL_FRESH_TEMP) {
            lab_moments_add(&temp, (double)s->temp);
        }
    }
    close_window(all, accel, gyro, &temp, span);
    return MARL_OK;
}

/* The least step between readings is a count, where the log is one of counts; a sensor that is quieter than
 * its counts toggles between two. */
static double rounding_of(const marl_log *log, marl_sensor sensor)
{
    const marl_vec3 *before = NULL;
    float step[3] = {INFINITY, INFINITY, INFINITY};
    double sum = 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        const marl_vec3 *now = lab_reading(s, sensor);
        if (before != NULL) {
            const float d[3] = {fabsf(now->x - before->x), fabsf(now->y - before->y),
                                fabsf(now->z - before->z)};
            for (int k = 0; k < 3; k++) {
                step[k] = d[k] > 0 ? fminf(step[k], d[k]) : step[k];
            }
        }
        before = now;
    }
    for (int k = 0; k < 3; k++) {
        sum += isfinite(step[k]) ? 0.25 * (double)step[k] * (double)step[k] : 0;
    }
    return sum;
}

/* The variance of the quietest windows, over all axes. */
static double quiet_variance(const windows *all, int of_gyro, double *scratch)
{
    for (size_t i = 0; i < all->n; i++) {
        scratch[i] = of_gyro ? all->at[i].gyro_variance : all->at[i].accel_variance;
    }
    return lab_quantile(scratch, all->n, QUIET_QUANTILE) + all->rounding[of_gyro];
}

/* Returns 0 when the recording never rests. */
static int mark_quiet(windows *all, double *scratch)
{
    double accel = quiet_variance(all, 0, scratch), gyro = quiet_variance(all, 1, scratch);
    if (accel > MAX_QUIET_ACCEL * MAX_QUIET_ACCEL || gyro > MAX_QUIET_GYRO * MAX_QUIET_GYRO) {
        return 0;
    }
    for (size_t i = 0; i < all->n; i++) {
        window *w = &all->at[i];
        double rate = sqrt(w->rate[0] * w->rate[0] + w->rate[1] * w->rate[1] + w->rate[2] * w->rate[2]);
        w->quiet = w->accel_variance <= MAX_QUIET_RATIO * accel &&
                   w->gyro_variance <= MAX_QUIET_RATIO * gyro && rate < MAX_REST_RATE;
    }
    return 1;
}

static double angle_deg(const double a[3], const double b[3])
{
    double x = a[1] * b[2] - a[2] * b[1], y = a[2] * b[0] - a[0] * b[2], z = a[0] * b[1] - a[1] * b[0];
    return atan2(sqrt(x * x + y * y + z * z), a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / MARL_DEGREE;
}

/* Standard error of the mean of an axis, from the means of parts: what is slower than a window is in it. */
static double noise_of_mean(const window *w, size_t n)
{
    double squares = 0;
    size_t parts = n < PARTS ? n : PARTS;
    for (int k = 0; k < 3; k++) {
        lab_moments means = {0};
        for (size_t p = 0; p < parts; p++) {
            lab_moments part = {0};
            for (size_t i = p * n / parts; i < (p + 1) * n / parts; i++) {
                lab_moments_add(&part, w[i].accel[k]);
            }
            lab_moments_add(&means, part.mean);
        }
        squares += means.squares / (double)(parts > 1 ? parts - 1 : 1) / (double)parts;
    }
    return sqrt(squares / 3);
}

static void mean_force(const window *w, size_t n, double mean[3])
{
    for (int k = 0; k < 3; k++) {
        mean[k] = 0;
        for (size_t i = 0; i < n; i++) {
            mean[k] += w[i].accel[k] / (double)n;
        }
    }
}

/* One held attitude: windows [from, to) of one direction. Its ends, in which the hand lets go, are left out.
 */
static void add_pose(const windows *all, size_t from, size_t to, marl_pose_list *poses)
{
    const window *w = all->at;
    marl_span held = {w[from].span.from_ns, w[to - 1].span.to_ns};
    size_t at = from, n = to - from;
    while (from < to && !w[from].quiet) {
        from++;
    }
    while (to > from && !w[to - 1].quiet) {
        to--;
    }
    marl_pose *p = &poses->pose[poses->n];
    *p = (marl_pose){.span = held, .noise = NAN, .temp = NAN, .distance = NAN, .why = ""};
    if (from == to) {
        p->why = "never at rest";
        mean_force(all->at + at, n, p->accel);
        poses->n++;
        return;
    }
    from += to - from > 4;
    to -= to - from > 4;
    lab_moments mean[3] = {{0}}, temp = {0};
    int disturbed = 0;
    for (size_t i = from; i < to; i++) {
        disturbed |= !w[i].quiet;
        for (int k = 0; k < 3; k++) {
            lab_moments_add(&mean[k], w[i].accel[k]);
        }
        if (isfinite(w[i].temp)) {
            lab_moments_add(&temp, w[i].temp);
        }
    }
    p->span = (marl_span){w[from].span.from_ns, w[to - 1].span.to_ns};
    p->temp = temp.n > 0 ? temp.mean : NAN;
    p->noise = noise_of_mean(&w[from], to - from);
    for (int k = 0; k < 3; k++) {
        p->accel[k] = mean[k].mean;
    }
    int brief = (double)(p->span.to_ns - p->span.from_ns) * 1e-9 < MIN_S - 2 * WINDOW_S;
    p->why = disturbed ? "disturbed" : brief ? "at rest too briefly" : "";
    p->used = !disturbed && !brief;
    poses->n++;
}

static void collect(const windows *all, marl_pose_list *poses)
{
    size_t from = 0;
    for (size_t i = 1; i <= all->n; i++) {
        const window *w = all->at;
        int same = i < all->n && angle_deg(w[from].accel, w[i].accel) < SAME_DEG &&
                   angle_deg(w[i - 1].accel, w[i].accel) < SAME_DEG &&
                   w[i].span.from_ns - w[i - 1].span.to_ns < (int64_t)(WINDOW_S * 1e9);
        if (same) {
            continue;
        }
        if ((double)(w[i - 1].span.to_ns - w[from].span.from_ns) * 1e-9 >= MIN_S) {
            add_pose(all, from, i, poses);
        }
        from = i;
    }
}

/* Is the attitude before window i that behind it, but for a slow turn? */
static int is_held(const window *w, size_t i)
{
    double before[3], after[3];
    mean_force(w + i - HELD_WINDOWS, HELD_WINDOWS, before);
    mean_force(w + i, HELD_WINDOWS, after);
    return angle_deg(before, after) < HELD_DEG;
}

/* Windows [from, to) in which the board was held, but not as a pose is: by what it is none. Nothing where they are the
 * end of a pose that is listed, by the direction of its force. */
static void add_held(const window *w, size_t from, size_t to, const double ends[2][3], marl_pose_list *poses)
{
    double mean[3], first[3], last[3];
    size_t half = (to - from) / 2, quiet = 0;
    mean_force(w + from, to - from, mean);
    mean_force(w + from, half, first);
    mean_force(w + to - half, half, last);
    if (angle_deg(mean, ends[0]) < OTHER_DEG || angle_deg(mean, ends[1]) < OTHER_DEG) {
        return;
    }
    for (size_t i = from; i < to; i++) {
        quiet += (size_t)w[i].quiet;
    }
    marl_pose *p = &poses->pose[poses->n++];
    *p = (marl_pose){
        .span = {w[from].span.from_ns, w[to - 1].span.to_ns}, .noise = NAN, .temp = NAN, .distance = NAN};
    p->why = angle_deg(first, last) > SAME_DEG ? "turned while it was held"
             : 2 * quiet < to - from           ? "disturbed"
                                               : "at rest too briefly";
    memcpy(p->accel, mean, sizeof mean);
}

/* Between two poses that are listed, windows [from, to). */
static void collect_held(const windows *all, size_t from, size_t to, const double ends[2][3],
                         marl_pose_list *poses)
{
    size_t start = to;
    for (size_t i = from; i <= to; i++) { /* `from` goes on behind what is named */
        int held = i >= from + HELD_WINDOWS && i + HELD_WINDOWS <= to && is_held(all->at, i);
        if (held && start == to) {
            start = i - HELD_WINDOWS;
        } else if (!held && start < to) {
            add_held(all->at, start, i + HELD_WINDOWS - 1, ends, poses);
            from = i + HELD_WINDOWS - 1;
            start = to;
        }
    }
}

static int is_earlier(const void *a, const void *b)
{
    const marl_pose *first = a, *second = b;
    return (first->span.from_ns > second->span.from_ns) - (first->span.from_ns < second->span.from_ns);
}

/* What was held between the poses, and is none, is named: nobody else would miss it. */
static void name_the_rest(const windows *all, marl_pose_list *poses)
{
    const marl_pose *pose = poses->pose;
    size_t listed = poses->n, at = 0;
    for (size_t i = 0; i <= listed; i++) {
        size_t before = i > 0 ? i - 1 : 0, next = i < listed ? i : listed - 1;
        double ends[2][3];
        while (i > 0 && at < all->n && all->at[at].span.from_ns < pose[before].span.to_ns) {
            at++;
        }
        size_t to = at;
        while (to < all->n && (i == listed || all->at[to].span.to_ns <= pose[next].span.from_ns)) {
            to++;
        }
        memcpy(ends[0], pose[before].accel, sizeof ends[0]);
        memcpy(ends[1], pose[next].accel, sizeof ends[1]);
        collect_held(all, at, to, (const double(*)[3])ends, poses);
    }
    qsort(poses->pose, poses->n, sizeof *poses->pose, is_earlier);
}

/* Finds the poses in the windows; `scratch` holds a number for each. */
static void find_in(const marl_log *log, windows *all, double *scratch, marl_pose_list *poses)
{
    all->rounding[0] = rounding_of(log, MARL_ACCEL);
    all->rounding[1] = rounding_of(log, MARL_GYRO);
    if (all->n > 0 && mark_quiet(all, scratch)) {
        collect(all, poses);
        if (poses->n > 0) {
            name_the_rest(all, poses);
        }
    }
}

marl_status marl_poses_find(const marl_log *log, marl_pose_list *poses, marl_error *error)
{
    windows all = {0};
    memset(poses, 0, sizeof *poses);
    marl_status status = cut_windows(log, &all, error);
    double *scratch = calloc(all.n + 1, sizeof *scratch);
    poses->pose = calloc(all.n + 1, sizeof *poses->pose);
    if (scratch != NULL && poses->pose != NULL && all.at != NULL) {
        find_in(log, &all, scratch, poses);
    } else if (status == MARL_OK) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    size_t used = 0;
    for (size_t i = 0; poses->pose != NULL && i < poses->n; i++) {
        used += poses->pose[i].used != 0;
    }
    if (status == MARL_OK && used == 0) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                           "%s: never at rest in one attitude for as long as a second", log->path);
    }
    free(all.at);
    free(scratch);
    return status;
}

void marl_poses_free(marl_pose_list *poses)
{
    free(poses->pose);
    *poses = (marl_pose_list){0};
}
