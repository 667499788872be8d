/* SPDX-License-Identifier: MIT
 * The offset of two clocks, from turning that both recordings show. The gyroscope sees the rate w; a
 * direction u that is fixed in the world, seen from the body, changes by u' = u x Bw, where B brings the
 * gyroscope's axes and scale to the other sensor's. At each shift B is fitted; the right shift explains most
 * of the change.
 */
#include "lab/clock/clock_rates.h"
#include "lab/inspect/arrangement.h"
#include "lab/maths/correlate.h"
#include "lab/maths/statistics.h"
#include "marlinspike/merge.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MIN_STEP_S 0.02
#define MIN_OVERLAP_S 10.0
#define MIN_SHARE 0.3 /* of the change that must be explained */
#define WIDEST_S 2.0  /* the shifts that fit about as well may lie so far apart */
#define MAX_SIGMA 0.05
enum { PARTS = 10 };

static int has_sensor(const marl_log *log, int sensor)
{
    static const unsigned columns[MARL_SENSOR_COUNT] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO,
                                                        MARL_COLUMNS_MAG};
    return log->n > 1 && (log->info.columns & columns[sensor]) == columns[sensor];
}

/* The slower sensor's step, so that no step of the grid is empty. */
static double grid_step(const marl_log *a, int sa, const marl_log *b, int sb)
{
    const marl_log *log[2] = {a, b};
    const int sensor[2] = {sa, sb};
    double step = MIN_STEP_S;
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

/* Normal equations of the fit of B at one shift. */
typedef struct normal {
    double square[LAB_PAIRS][LAB_PAIRS]; /* sums of regressor.square[i] response.square[j] */
    double product[3][3];                /* sums of regressor.rate[i] response.product[j] */
    double length;                       /* sum of response.length */
} normal;

static int pair_of(int i, int j)
{
    return i == j ? i : i + j + 2; /* 01 -> 3, 02 -> 4, 12 -> 5 */
}

/* R^2 of the response under B if it stands for this arrangement, with its scale fitted. */
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
static double r_squared_of(const normal *m)
{
    double best = 0;
    for (int i = 0; i < LAB_ARRANGEMENTS / 2; i++) {
        marl_arrangement how = lab_arrangement(i);
        best = fmax(best, share_of(m, &how));
    }
    return m->length > 0 ? best : NAN;
}

/* The share explained at every lag. */
static void shares(const lab_regressor *a, const lab_response *b, const float *squares, const float *products,
                   const double *length, size_t min, double *share)
{
    size_t lags = a->n + b->n - 1;
    for (size_t i = 0; i < lags; i++) {
        size_t fb = i + 1 < b->n ? b->n - 1 - i : 0, fa = i + 1 < b->n ? 0 : i + 1 - b->n;
        size_t n = a->n - fa < b->n - fb ? a->n - fa : b->n - fb;
        normal m = {.length = length[fb + n] - length[fb]};
        for (int k = 0; k < LAB_PAIRS * LAB_PAIRS; k++) {
            m.square[k / LAB_PAIRS][k % LAB_PAIRS] = (double)squares[(size_t)k * lags + i];
        }
        for (int k = 0; k < 9; k++) {
            m.product[k / 3][k % 3] = (double)products[(size_t)k * lags + i];
        }
        share[i] = n >= min ? r_squared_of(&m) : NAN;
    }
}

static marl_status shares_at_all_lags(const lab_regressor *a, const lab_response *b, size_t min,
                                      double *share, marl_error *error)
{
    const lab_series_set rates = {3, a->n, (const double *const *)a->rate};
    const lab_series_set rate_squares = {LAB_PAIRS, a->n, (const double *const *)a->square};
    const lab_series_set effects = {3, b->n, (const double *const *)b->product};
    const lab_series_set response_squares = {LAB_PAIRS, b->n, (const double *const *)b->square};
    float *squares = NULL, *products = NULL;
    double *length = malloc((b->n + 1) * sizeof *length);
    marl_status status = length != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    status = status != MARL_OK ? status : lab_cross_sums(&rate_squares, &response_squares, &squares, error);
    status = status != MARL_OK ? status : lab_cross_sums(&rates, &effects, &products, error);
    if (status == MARL_OK && length != NULL) {
        length[0] = 0;
        for (size_t k = 0; k < b->n; k++) {
            length[k + 1] = length[k] + b->length[k];
        }
        shares(a, b, squares, products, length, min, share);
    }
    free(squares);
    free(products);
    free(length);
    return status;
}

static void add_normal(normal *m, const lab_regressor *a, size_t i, const lab_response *b, size_t k)
{
    for (int p = 0; p < LAB_PAIRS * LAB_PAIRS; p++) {
        m->square[p / LAB_PAIRS][p % LAB_PAIRS] += a->square[p / LAB_PAIRS][i] * b->square[p % LAB_PAIRS][k];
    }
    for (int p = 0; p < 9; p++) {
        m->product[p / 3][p % 3] += a->rate[p / 3][i] * b->product[p % 3][k];
    }
    m->length += b->length[k];
}

/* The shares one step earlier, at the lag, and one step later, with one part of the overlap left out (PARTS =
 * none), as the peak's place within a step. */
static double place_without(const lab_regressor *a, const lab_response *b, long lag, size_t part)
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
    return lab_peak_place(r_squared_of(&m[0]), r_squared_of(&m[1]), r_squared_of(&m[2]));
}

/* Delete-one jackknife over the parts ("Notes on bias in estimation", 1956). */
static double place_sigma(const lab_regressor *a, const lab_response *b, long lag)
{
    lab_moments places = {0};
    for (size_t k = 0; k < PARTS; k++) {
        lab_moments_add(&places, place_without(a, b, lag, k));
    }
    return sqrt(places.squares * (PARTS - 1) / PARTS);
}

static void decide(const lab_regressor *a, const lab_response *b, double step_s, const double *share,
                   marl_clock_offset *offset)
{
    size_t n = a->n + b->n - 1, best = lab_greatest(share, 0, n);
    if (best == SIZE_MAX || best == 0 || best + 1 == n) {
        return;
    }
    long lag = (long)best - (long)(b->n - 1);
    offset->r_squared = share[best];
    offset->sigma_s = step_s * place_sigma(a, b, lag);
    offset->offset_s =
        1e-9 * (double)(a->from_ns - b->from_ns) + step_s * ((double)lag + place_without(a, b, lag, PARTS));
    offset->found = share[best] > MIN_SHARE && offset->sigma_s < MAX_SIGMA &&
                    lab_stands_alone(share, n, best, (size_t)(WIDEST_S / step_s));
}

/* The time to be added to the response's clock. */
static marl_status find_shift(const lab_regressor *a, const lab_response *b, double step_s,
                              marl_clock_offset *offset, marl_error *error)
{
    size_t min = (size_t)(MIN_OVERLAP_S / step_s), shorter = a->n < b->n ? a->n : b->n;
    min = shorter / 2 > min ? shorter / 2 : min;
    double *share = calloc(a->n + b->n + 1, sizeof *share);
    if (share == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = shares_at_all_lags(a, b, min, share, error);
    if (status == MARL_OK) {
        decide(a, b, step_s, share, offset);
    }
    if (!offset->found) {
        offset->offset_s = offset->sigma_s = NAN;
    }
    free(share);
    return status;
}

/* By one sensor of each: `regressor_log` and its sensor explain what the other saw. */
static marl_status find_by(const marl_log *regressor_log, int regressor_sensor, const marl_log *response_log,
                           int response_sensor, marl_clock_offset *offset, marl_error *error)
{
    double step = grid_step(regressor_log, regressor_sensor, response_log, response_sensor);
    lab_regressor a = {0};
    lab_response b = {0};
    *offset = (marl_clock_offset){0, NAN, NAN, 0};
    marl_status status = lab_find_regressor(regressor_log, regressor_sensor, step, &a, error);
    status = status != MARL_OK ? status : lab_find_response(response_log, response_sensor, step, &b, error);
    status = status != MARL_OK ? status : find_shift(&a, &b, step, offset, error);
    free(a.scratch);
    free(b.scratch);
    return status;
}

/* The gyroscope sees all of the turning; without one, the field's direction, which nothing shakes. */
static int regressor_sensor_of(const marl_log *log)
{
    return has_sensor(log, MARL_GYRO)    ? MARL_GYRO
           : has_sensor(log, MARL_MAG)   ? MARL_MAG
           : has_sensor(log, MARL_ACCEL) ? MARL_ACCEL
                                         : -1;
}

marl_status marl_clock_offset_find(const marl_log *first, const marl_log *second, marl_clock_offset *offset,
                                   marl_error *error)
{
    int s1 = regressor_sensor_of(first), s2 = regressor_sensor_of(second);
    *offset = (marl_clock_offset){0, NAN, NAN, 0};
    if (s1 < 0 || s2 < 0) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: no sensor with three axes in it that shows turning",
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
        int better = by.found != offset->found ? by.found : by.r_squared > offset->r_squared;
        *offset = better ? by : *offset;
    }
    offset->offset_s = turned ? -offset->offset_s : offset->offset_s;
    return MARL_OK;
}
