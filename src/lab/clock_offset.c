/* SPDX-License-Identifier: MIT
 * The offset of two clocks, from turning that both recordings show. The gyroscope sees the rate w; a
 * direction u that is fixed in the world, seen from the body, changes by u' = u x Bw, where B brings the
 * gyroscope's axes and scale to the other sensor's. At each shift B is fitted; the right shift explains most
 * of the change.
 */
#include "arrangement.h"
#include "correlate.h"
#include "marlinspike/merge.h"
#include "statistics.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define LEAST_STEP_S 0.02
#define LEAST_OVERLAP_S 10.0
#define LEAST_SHARE 0.3 /* of the change that must be explained */
#define RIVAL 1.12      /* any other shift must leave so many times as much unexplained ... */
#define WIDEST_S 2.0    /* ... but those next to the best, within so much in all */
#define MOST_SIGMA 0.05
enum { PARTS = 10, PAIRS = 6 };

static const int pair[PAIRS][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {0, 2}, {1, 2}};

/* The rate that explains, on a grid of times, and the products of its components. */
typedef struct cause {
    int64_t from_ns;
    size_t n;
    double *room, *rate[3], *square[PAIRS];
} cause;

/* What is explained: y = P Bw with P the cross product with u, or 1 where y is itself a rate. P'P and P'y. */
typedef struct effect {
    int64_t from_ns;
    size_t n;
    double *room, *square[PAIRS], *product[3], *length; /* y'y */
} effect;

static int has_sensor(const marl_log *log, int sensor)
{
    static const unsigned columns[MARL_SENSOR_COUNT] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO,
                                                        MARL_COLUMNS_MAG};
    return log->n > 1 && (log->info.columns & columns[sensor]) == columns[sensor];
}

/* Means of a sensor's vectors over the steps of the grid; a step without a reading repeats the one before. */
static size_t grid_means(const marl_log *log, int sensor, double step_s, double (*mean)[3], size_t room)
{
    size_t count = 0, at = 0;
    int64_t from = log->row[0].sample.t_ns;
    memset(mean, 0, room * sizeof *mean);
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        size_t k = (size_t)((double)(s->t_ns - from) * 1e-9 / step_s);
        for (; at < k && at + 1 < room; at++) {
            memcpy(mean[at + 1], mean[at], sizeof *mean);
            count = 0;
        }
        const marl_vec3 *v = lab_reading(s, (marl_sensor)sensor);
        const double value[3] = {(double)v->x, (double)v->y, (double)v->z};
        count++;
        for (int j = 0; j < 3; j++) {
            double old = count == 1 ? value[j] : mean[at][j];
            mean[at][j] = old + (value[j] - old) / (double)count;
        }
    }
    return at + 1;
}

/* The slower sensor's step, so that no step of the grid is empty. */
static double grid_step(const marl_log *a, int sa, const marl_log *b, int sb)
{
    const marl_log *log[2] = {a, b};
    const int sensor[2] = {sa, sb};
    double step = LEAST_STEP_S;
    for (size_t k = 0; k < 2; k++) {
        size_t n = 0;
        for (size_t i = 0; i < log[k]->n; i++) {
            n += ((unsigned)log[k]->row[i].sample.fresh >> sensor[k]) & 1u;
        }
        double seconds = 1e-9 * (double)(log[k]->row[log[k]->n - 1].sample.t_ns - log[k]->row[0].sample.t_ns);
        step = n > 1 ? fmax(step, 1.05 * seconds / (double)(n - 1)) : step;
    }
    return step;
}

static size_t greatest(const double *r, size_t from, size_t to)
{
    size_t best = SIZE_MAX;
    for (size_t i = from; i < to; i++) {
        if (isfinite(r[i]) && (best == SIZE_MAX || r[i] > r[best])) {
            best = i;
        }
    }
    return best;
}

/* Is this the only neighbourhood of shifts that fit about as well? */
static int stands_alone(const double *share, size_t n, size_t best, size_t widest)
{
    size_t low = best, high = best;
    double enough = 1 - RIVAL * (1 - share[best]);
    while (low > 0 && share[low - 1] >= enough) {
        low--;
    }
    while (high + 1 < n && share[high + 1] >= enough) {
        high++;
    }
    size_t before = greatest(share, 0, low), after = greatest(share, high + 1, n);
    return high - low <= widest && (before == SIZE_MAX || share[before] < enough) &&
           (after == SIZE_MAX || share[after] < enough);
}

/* Room for `count` series. */
static marl_status make_series(double **room, double **series, size_t count, size_t n, marl_error *error)
{
    *room = n > 0 ? calloc(count * n, sizeof **room) : NULL;
    for (size_t i = 0; i < count; i++) {
        series[i] = *room != NULL ? *room + i * n : NULL;
    }
    return *room != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static marl_status make_means(const marl_log *log, int sensor, double step_s, double (**mean)[3], size_t *n,
                              marl_error *error)
{
    double seconds = 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns);
    size_t room = seconds / step_s < 1e8 ? (size_t)(seconds / step_s) + 2 : 0;
    *mean = room > 0 ? malloc(room * sizeof **mean) : NULL;
    if (*mean == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: no memory for a recording of %.4g s", log->path,
                         seconds);
    }
    *n = grid_means(log, sensor, step_s, *mean, room);
    return MARL_OK;
}

static void cross(const double a[3], const double b[3], double out[3])
{
    for (int i = 0; i < 3; i++) {
        int j = (i + 1) % 3, k = (i + 2) % 3;
        out[i] = a[j] * b[k] - a[k] * b[j];
    }
}

/* u and u' at a place of the grid. */
static void direction(double (*mean)[3], size_t k, size_t n, double step_s, double u[3], double change[3])
{
    double length = sqrt(mean[k][0] * mean[k][0] + mean[k][1] * mean[k][1] + mean[k][2] * mean[k][2]);
    int inside = k > 0 && k + 1 < n && length > 0;
    for (int i = 0; i < 3; i++) {
        u[i] = inside ? mean[k][i] / length : 0;
        change[i] = inside ? (mean[k + 1][i] - mean[k - 1][i]) / (2 * step_s * length) : 0;
    }
}

/* Without a gyroscope the part of the rate across the direction must do: u x u'. */
static marl_status find_cause(const marl_log *log, int sensor, double step_s, cause *c, marl_error *error)
{
    double(*mean)[3] = NULL, *all[3 + PAIRS];
    marl_status status = make_means(log, sensor, step_s, &mean, &c->n, error);
    if (status != MARL_OK || mean == NULL) {
        return status;
    }
    status = make_series(&c->room, all, 3 + PAIRS, c->n, error);
    memcpy(c->rate, all, sizeof c->rate);
    memcpy(c->square, all + 3, sizeof c->square);
    c->from_ns = log->row[0].sample.t_ns;
    for (size_t k = 0; k < c->n && c->room != NULL; k++) {
        double w[3], u[3], change[3];
        direction(mean, k, c->n, step_s, u, change);
        cross(u, change, w);
        for (int i = 0; i < 3; i++) {
            c->rate[i][k] = sensor == MARL_GYRO ? mean[k][i] : w[i];
        }
        for (int p = 0; p < PAIRS; p++) {
            c->square[p][k] = c->rate[pair[p][0]][k] * c->rate[pair[p][1]][k];
        }
    }
    free(mean);
    return status;
}

/* With P = [u]x, P'P = 1 - u u' and P'y = y x u. */
static marl_status find_effect(const marl_log *log, int sensor, double step_s, effect *e, marl_error *error)
{
    double(*mean)[3] = NULL, *all[PAIRS + 4];
    marl_status status = make_means(log, sensor, step_s, &mean, &e->n, error);
    if (status != MARL_OK || mean == NULL) {
        return status;
    }
    status = make_series(&e->room, all, PAIRS + 4, e->n, error);
    memcpy(e->square, all, sizeof e->square);
    memcpy(e->product, all + PAIRS, sizeof e->product);
    e->length = all[PAIRS + 3];
    e->from_ns = log->row[0].sample.t_ns;
    for (size_t k = 0; k < e->n && e->room != NULL; k++) {
        double u[3] = {0}, y[3], back[3];
        if (sensor == MARL_GYRO) {
            memcpy(y, mean[k], sizeof y);
            memcpy(back, y, sizeof back);
        } else {
            direction(mean, k, e->n, step_s, u, y);
            cross(y, u, back);
        }
        for (int p = 0; p < PAIRS; p++) {
            e->square[p][k] = (pair[p][0] == pair[p][1]) - u[pair[p][0]] * u[pair[p][1]];
        }
        for (int i = 0; i < 3; i++) {
            e->product[i][k] = back[i];
            e->length[k] += y[i] * y[i];
        }
    }
    free(mean);
    return status;
}

/* Normal equations of the fit of B at one shift. */
typedef struct normal {
    double square[PAIRS][PAIRS]; /* sums of cause.square[i] effect.square[j] */
    double product[3][3];        /* sums of cause.rate[i] effect.product[j] */
    double length;               /* sum of effect.length */
} normal;

static int pair_of(int i, int j)
{
    return i == j ? i : i + j + 2; /* 01 -> 3, 02 -> 4, 12 -> 5 */
}

/* Share of the effect that B explains if it stands for this arrangement, with its scale fitted. */
static double share_of(const normal *m, const marl_arrangement *how)
{
    double product = 0, square = 0;
    for (int i = 0; i < 3; i++) {
        int at = abs(how->axis[i]) - 1, sign = how->axis[i] < 0 ? -1 : 1;
        product += sign * m->product[at][i];
        for (int k = 0; k < 3; k++) {
            int other = abs(how->axis[k]) - 1;
            square += (how->axis[k] < 0 ? -sign : sign) * m->square[pair_of(at, other)][pair_of(i, k)];
        }
    }
    return square > 0 ? product * product / square / m->length : 0;
}

/* The same of the best arrangement; half of them do, since the scale may be negative. NaN when nothing
 * happens. */
static double share_explained(const normal *m)
{
    double best = 0;
    for (int i = 0; i < LAB_ARRANGEMENTS / 2; i++) {
        marl_arrangement how = lab_arrangement(i);
        best = fmax(best, share_of(m, &how));
    }
    return m->length > 0 ? best : NAN;
}

/* The share explained at every lag. */
static void shares(const cause *a, const effect *b, const float *squares, const float *products,
                   const double *length, size_t least, double *share)
{
    size_t lags = a->n + b->n - 1;
    for (size_t i = 0; i < lags; i++) {
        size_t fb = i + 1 < b->n ? b->n - 1 - i : 0, fa = i + 1 < b->n ? 0 : i + 1 - b->n;
        size_t n = a->n - fa < b->n - fb ? a->n - fa : b->n - fb;
        normal m = {.length = length[fb + n] - length[fb]};
        for (int k = 0; k < PAIRS * PAIRS; k++) {
            m.square[k / PAIRS][k % PAIRS] = (double)squares[(size_t)k * lags + i];
        }
        for (int k = 0; k < 9; k++) {
            m.product[k / 3][k % 3] = (double)products[(size_t)k * lags + i];
        }
        share[i] = n >= least ? share_explained(&m) : NAN;
    }
}

static marl_status shares_at_all_lags(const cause *a, const effect *b, size_t least, double *share,
                                      marl_error *error)
{
    const lab_series_set rates = {3, a->n, (const double *const *)a->rate};
    const lab_series_set rate_squares = {PAIRS, a->n, (const double *const *)a->square};
    const lab_series_set effects = {3, b->n, (const double *const *)b->product};
    const lab_series_set effect_squares = {PAIRS, b->n, (const double *const *)b->square};
    float *squares = NULL, *products = NULL;
    double *length = malloc((b->n + 1) * sizeof *length);
    marl_status status = length != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    status = status != MARL_OK ? status : lab_cross_sums(&rate_squares, &effect_squares, &squares, error);
    status = status != MARL_OK ? status : lab_cross_sums(&rates, &effects, &products, error);
    if (status == MARL_OK && length != NULL) {
        length[0] = 0;
        for (size_t k = 0; k < b->n; k++) {
            length[k + 1] = length[k] + b->length[k];
        }
        shares(a, b, squares, products, length, least, share);
    }
    free(squares);
    free(products);
    free(length);
    return status;
}

static void add_normal(normal *m, const cause *a, size_t i, const effect *b, size_t k)
{
    for (int p = 0; p < PAIRS * PAIRS; p++) {
        m->square[p / PAIRS][p % PAIRS] += a->square[p / PAIRS][i] * b->square[p % PAIRS][k];
    }
    for (int p = 0; p < 9; p++) {
        m->product[p / 3][p % 3] += a->rate[p / 3][i] * b->product[p % 3][k];
    }
    m->length += b->length[k];
}

/* The shares one step earlier, at the lag, and one step later, with one part of the overlap left out (PARTS =
 * none), as the peak's place within a step. */
static double place_without(const cause *a, const effect *b, long lag, size_t part)
{
    size_t fa = lag > 0 ? (size_t)lag : 0, fb = lag < 0 ? (size_t)-lag : 0;
    size_t n = a->n - fa < b->n - fb ? a->n - fa : b->n - fb;
    normal m[3];
    memset(m, 0, sizeof m);
    for (size_t k = 1; k + 1 < n; k++) {
        for (size_t d = 0; d < 3 && k * PARTS / n != part; d++) {
            add_normal(&m[d], a, fa + k + d - 1, b, fb + k);
        }
    }
    return lab_peak_place(share_explained(&m[0]), share_explained(&m[1]), share_explained(&m[2]));
}

/* Delete-one jackknife over the parts ("Notes on bias in estimation", 1956). */
static double place_sigma(const cause *a, const effect *b, long lag)
{
    lab_moments places = {0};
    for (size_t k = 0; k < PARTS; k++) {
        lab_moments_add(&places, place_without(a, b, lag, k));
    }
    return sqrt(places.squares * (PARTS - 1) / PARTS);
}

static void judge(const cause *a, const effect *b, double step_s, const double *share,
                  marl_clock_offset *offset)
{
    size_t n = a->n + b->n - 1, best = greatest(share, 0, n);
    if (best == SIZE_MAX || best == 0 || best + 1 == n) {
        return;
    }
    long lag = (long)best - (long)(b->n - 1);
    offset->explained = share[best];
    offset->sigma_s = step_s * place_sigma(a, b, lag);
    offset->offset_s =
        1e-9 * (double)(a->from_ns - b->from_ns) + step_s * ((double)lag + place_without(a, b, lag, PARTS));
    offset->found = share[best] > LEAST_SHARE && offset->sigma_s < MOST_SIGMA &&
                    stands_alone(share, n, best, (size_t)(WIDEST_S / step_s));
}

/* The time to be added to the effect's clock. */
static marl_status find_shift(const cause *a, const effect *b, double step_s, marl_clock_offset *offset,
                              marl_error *error)
{
    size_t least = (size_t)(LEAST_OVERLAP_S / step_s), shorter = a->n < b->n ? a->n : b->n;
    least = shorter / 2 > least ? shorter / 2 : least;
    double *share = calloc(a->n + b->n + 1, sizeof *share);
    if (share == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = shares_at_all_lags(a, b, least, share, error);
    if (status == MARL_OK) {
        judge(a, b, step_s, share, offset);
    }
    if (!offset->found) {
        offset->offset_s = offset->sigma_s = NAN;
    }
    free(share);
    return status;
}

/* By one sensor of each: `cause_log` and its sensor explain what the other saw. */
static marl_status find_by(const marl_log *cause_log, int cause_sensor, const marl_log *effect_log,
                           int effect_sensor, marl_clock_offset *offset, marl_error *error)
{
    double step = grid_step(cause_log, cause_sensor, effect_log, effect_sensor);
    cause a = {0};
    effect b = {0};
    *offset = (marl_clock_offset){0, NAN, NAN, 0};
    marl_status status = find_cause(cause_log, cause_sensor, step, &a, error);
    status = status != MARL_OK ? status : find_effect(effect_log, effect_sensor, step, &b, error);
    status = status != MARL_OK ? status : find_shift(&a, &b, step, offset, error);
    free(a.room);
    free(b.room);
    return status;
}

/* The gyroscope sees all of the turning; without one, the field's direction, which nothing shakes. */
static int cause_sensor_of(const marl_log *log)
{
    return has_sensor(log, MARL_GYRO)    ? MARL_GYRO
           : has_sensor(log, MARL_MAG)   ? MARL_MAG
           : has_sensor(log, MARL_ACCEL) ? MARL_ACCEL
                                         : -1;
}

marl_status marl_clock_offset_find(const marl_log *first, const marl_log *second, marl_clock_offset *offset,
                                   marl_error *error)
{
    int s1 = cause_sensor_of(first), s2 = cause_sensor_of(second);
    *offset = (marl_clock_offset){0, NAN, NAN, 0};
    if (s1 < 0 || s2 < 0) {
        return marl_fail(error, MARL_ERR_EVIDENCE, "%s: no sensor with three axes in it that shows turning",
                         s1 < 0 ? first->path : second->path);
    }
    int turned = s1 != MARL_GYRO && s2 == MARL_GYRO;
    const marl_log *causes = turned ? second : first, *effects = turned ? first : second;
    for (int sensor = 0; sensor < MARL_SENSOR_COUNT; sensor++) {
        marl_clock_offset by;
        if (!has_sensor(effects, sensor)) {
            continue;
        }
        marl_status status = find_by(causes, turned ? s2 : s1, effects, sensor, &by, error);
        if (status != MARL_OK) {
            return status;
        }
        int better = by.found != offset->found ? by.found : by.explained > offset->explained;
        *offset = better ? by : *offset;
    }
    offset->offset_s = turned ? -offset->offset_s : offset->offset_s;
    return MARL_OK;
}
