/* SPDX-License-Identifier: MIT
 * The offset of two clocks, from turning that both recordings show. The gyroscope sees the rate w; a
 * direction u that is fixed in the world, seen from the body, changes by u' = u x Bw, where B brings the
 * gyroscope's axes and scale to the other sensor's. At each shift B is fitted; the right shift explains most
 * of the change.
 */
#include "lab/clock/lag_grid.h"
#include "lab/clock/turn_sums.h"
#include "lab/log/reading.h"
#include "lab/maths/correlate.h"
#include "lab/maths/statistics.h"
#include "marlinspike/log.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MIN_STEP_S 0.02
#define MAX_STEP_S 0.25
#define LONGER 2.0
#define GRID_MARGIN 1.05 /* mean steps in a step of the grid, so that jitter leaves none empty */
#define MIN_SHARE 0.5    /* of the change that is explained; two motions of a hand may have less in common */
#define MAX_SIGMA 0.05
#define MAX_SIGMA_WITHOUT_GYRO 0.15
/* As LAB_RIVAL: the part of the rate that one direction shows explains less, so that chance comes closer. */
#define RIVAL_WITHOUT_GYRO 1.5
#define RIVAL_OF_LONGER 1.2 /* times that, for longer steps than the readings need: there are fewer of them */
/* Accelerations turn the direction that an accelerometer shows, and with the motion: what is left unexplained, as a share,
 * moves the peak by as much as this times its root, s. */
#define FORCE_S 0.15
#define REACH_S 0.5     /* around the best shift that leaving out a part may move it */
#define GRID_SIGMA 0.05 /* of a step: what the means over steps cost at best, by `bench verdicts` */
enum {
    PARTS = 10,
    MAX_REACH = 25 /* REACH_S of the shortest steps */
};

static marl_clock_offset nothing_found(void)
{
    return (marl_clock_offset){0, NAN, NAN, 0, {NAN, NAN}, {0}};
}

static int has_sensor(const marl_log *log, int sensor)
{
    static const unsigned columns[MARL_SENSOR_COUNT] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO,
                                                        MARL_COLUMNS_MAG};
    return log->n > 1 && (log->info.columns & columns[sensor]) == columns[sensor];
}

/* One sensor of a log. */
typedef struct source {
    const marl_log *log;
    int sensor;
} source;

/* The slower sensor's step, so that no step of the grid is empty. */
static double grid_step(source a, source b)
{
    const source pair[2] = {a, b};
    double step = MIN_STEP_S;
    for (size_t k = 0; k < 2; k++) {
        const marl_log *log = pair[k].log;
        size_t n = 0;
        for (size_t i = 0; i < log->n; i++) {
            n += ((unsigned)log->row[i].sample.fresh >> pair[k].sensor) & 1u;
        }
        double seconds = lab_log_seconds(log);
        step = n > 1 ? fmax(step, GRID_MARGIN * seconds / (double)(n - 1)) : step;
    }
    return step;
}

/* The two recordings on one grid. */
typedef struct grids {
    lab_regressor a;
    lab_response b;
    lab_lag_grid grid;
    double rival; /* see LAB_RIVAL */
    double force_s;
} grids;

/* The share explained at every lag, from the sums at every lag; length: the response's, summed up. */
static void put_shares(const grids *g, const float *second, const float *first, const double *length,
                       double *share)
{
    for (size_t i = 0; i < g->grid.lags; i++) {
        lab_overlap o = lab_overlap_at(&g->grid, i);
        lab_turn_sums m = {.length = length[o.in_b + o.n] - length[o.in_b]};
        for (size_t k = 0; k < LAB_PAIRS * LAB_SECOND_ORDER; k++) {
            m.second[k / LAB_SECOND_ORDER][k % LAB_SECOND_ORDER] = (double)second[k * g->grid.lags + i];
        }
        for (size_t k = 0; k < 3 * LAB_FIRST_ORDER; k++) {
            m.first[k / LAB_FIRST_ORDER][k % LAB_FIRST_ORDER] = (double)first[k * g->grid.lags + i];
        }
        share[i] = o.n >= g->grid.min ? lab_turn_share(&m, g->b.may_be_off) : NAN;
    }
}

static marl_status shares_at_all_lags(const grids *g, double *share, marl_error *error)
{
    const lab_series_set rates = {3, g->a.n, (const double *const *)g->a.rate};
    const lab_series_set squares = {LAB_PAIRS, g->a.n, (const double *const *)g->a.square};
    const lab_series_set by_rate = {LAB_FIRST_ORDER, g->b.n, (const double *const *)g->b.first};
    const lab_series_set by_square = {LAB_SECOND_ORDER, g->b.n, (const double *const *)g->b.second};
    float *second = NULL, *first = NULL;
    double *length = malloc((g->b.n + 1) * sizeof *length);
    marl_status status = length != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    status = status != MARL_OK ? status : lab_cross_sums(&squares, &by_square, &second, error);
    status = status != MARL_OK ? status : lab_cross_sums(&rates, &by_rate, &first, error);
    if (status == MARL_OK && length != NULL) {
        length[0] = 0;
        for (size_t k = 0; k < g->b.n; k++) {
            length[k + 1] = length[k] + g->b.length[k];
        }
        put_shares(g, second, first, length, share);
    }
    free(second);
    free(first);
    free(length);
    return status;
}

/* Sums at the lags around the best, by parts of the overlap. */
typedef struct nearby {
    long reach; /* lags to either side */
    lab_turn_sums (*sums)[PARTS];
} nearby;

static void add_sums(lab_turn_sums *to, const lab_turn_sums *more)
{
    for (size_t p = 0; p < LAB_PAIRS; p++) {
        for (size_t q = 0; q < LAB_SECOND_ORDER; q++) {
            to->second[p][q] += more->second[p][q];
        }
    }
    for (size_t p = 0; p < 3; p++) {
        for (size_t q = 0; q < LAB_FIRST_ORDER; q++) {
            to->first[p][q] += more->first[p][q];
        }
    }
    to->length += more->length;
}

/* The overlap is the same at all of these lags: parts of the response that all of them cover. */
static marl_status sum_nearby(nearby *near, const grids *g, long lag, marl_error *error)
{
    near->reach = (long)ceil(REACH_S / g->grid.step_s);
    near->sums = calloc((size_t)(2 * near->reach + 1), sizeof *near->sums);
    if (near->sums == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    long from = lag < near->reach ? near->reach - lag : 0, to = (long)g->a.n - lag - near->reach;
    to = to < (long)g->b.n ? to : (long)g->b.n;
    for (long d = -near->reach; d <= near->reach; d++) {
        for (long k = from; k < to; k++) {
            lab_turn_sums_add(&near->sums[d + near->reach][(k - from) * PARTS / (to - from)], &g->a,
                              (size_t)(k + lag + d), &g->b, (size_t)k);
        }
    }
    return MARL_OK;
}

/* The peak's place in lags about the best lag, with one part left out (PARTS = none). NaN at the edge. */
static double place_without(const nearby *near, const grids *g, size_t part)
{
    long best = 0, last = 2 * near->reach;
    double share[2 * MAX_REACH + 1];
    for (long i = 0; i <= last; i++) {
        lab_turn_sums m = {.length = 0};
        for (size_t k = 0; k < PARTS; k++) {
            if (k != part) {
                add_sums(&m, &near->sums[i][k]);
            }
        }
        share[i] = lab_turn_share(&m, g->b.may_be_off);
        best = share[i] > share[best] ? i : best;
    }
    return best > 0 && best < last
               ? (double)(best - near->reach) + lab_peak_place(share[best - 1], share[best], share[best + 1])
               : NAN;
}

/* Delete-one jackknife over the parts ("Notes on bias in estimation", 1956). */
static double place_sigma(const nearby *near, const grids *g)
{
    lab_moments places = {0};
    for (size_t k = 0; k < PARTS; k++) {
        lab_moments_add(&places, place_without(near, g, k));
    }
    return hypot(sqrt(places.squares * (PARTS - 1) / PARTS), GRID_SIGMA);
}

static double shift_at(const grids *g, double lag)
{
    return 1e-9 * (double)(g->a.from_ns - g->b.from_ns) + g->grid.step_s * lag;
}

/* Not found because other shifts fit nearly as well: the best, and of the others the one where both have most
 * in common. */
static void report_rival(const grids *g, const double *share, const lab_peak *peak, marl_clock_offset *offset)
{
    const lab_lag_range itself = {peak->low, peak->high};
    double enough = 1 - g->rival * (1 - share[peak->best]);
    size_t other = lab_longest_fit(&g->grid, share, enough, itself, peak->other);
    offset->candidate_s[0] = shift_at(g, (double)lab_lag_of(&g->grid, peak->best));
    offset->candidate_s[1] = shift_at(g, (double)lab_lag_of(&g->grid, other));
    offset->candidate_r_squared[0] = share[peak->best];
    offset->candidate_r_squared[1] = share[other];
}

static marl_status decide(const grids *g, const double *share, marl_clock_offset *offset, marl_error *error)
{
    size_t best = lab_greatest(share, 0, g->grid.lags);
    nearby near = {0};
    if (best == SIZE_MAX || !(share[best] > MIN_SHARE)) {
        return MARL_OK;
    }
    lab_peak peak = lab_peak_of(share, g->grid.lags, best, g->rival);
    long lag = lab_lag_of(&g->grid, best);
    marl_status status = sum_nearby(&near, g, lag, error);
    if (status == MARL_OK) {
        offset->r_squared = share[best];
        offset->sigma_s = hypot(g->grid.step_s * place_sigma(&near, g), g->force_s * sqrt(1 - share[best]));
        offset->offset_s = shift_at(g, (double)lag + place_without(&near, g, PARTS));
        offset->found = offset->sigma_s < (g->force_s > 0 ? MAX_SIGMA_WITHOUT_GYRO : MAX_SIGMA) &&
                        isfinite(offset->offset_s) && peak.alone &&
                        (double)(peak.high - peak.low) * g->grid.step_s <= LAB_WIDEST_S;
    }
    if (!peak.alone) {
        report_rival(g, share, &peak, offset);
    }
    free(near.sums);
    return status;
}

/* The time to be added to the response's clock. */
static marl_status find_shift(grids *g, marl_clock_offset *offset, marl_error *error)
{
    g->grid = lab_lag_grid_of(g->a.n, g->b.n, g->grid.step_s);
    double *share = calloc(g->grid.lags + 2, sizeof *share);
    if (share == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = shares_at_all_lags(g, share, error);
    status = status != MARL_OK ? status : decide(g, share, offset, error);
    if (!offset->found) {
        offset->offset_s = offset->sigma_s = NAN;
    }
    free(share);
    return status;
}

/* `rival`: times the least factor. */
static marl_status find_on(source regressor, source response, double step_s, double rival,
                           marl_clock_offset *offset, marl_error *error)
{
    int with_gyro = regressor.sensor == MARL_GYRO;
    grids g = {.grid.step_s = step_s,
               .rival = rival * (with_gyro ? LAB_RIVAL : RIVAL_WITHOUT_GYRO),
               .force_s = with_gyro ? 0 : FORCE_S};
    *offset = nothing_found();
    marl_status status = lab_find_regressor(regressor.log, regressor.sensor, g.grid.step_s, &g.a, error);
    status = status != MARL_OK ? status
                               : lab_find_response(response.log, response.sensor, g.grid.step_s, &g.b, error);
    status = status != MARL_OK ? status : find_shift(&g, offset, error);
    free(g.a.memory);
    free(g.b.memory);
    return status;
}

static int is_better(const marl_clock_offset *a, const marl_clock_offset *b)
{
    return a->found != b->found ? a->found : a->found ? a->sigma_s < b->sigma_s : a->r_squared > b->r_squared;
}

/* By one sensor of each: the regressor explains the response. The change of a direction from step to step drowns in noise
 * where steps are short, so longer ones are tried, too. */
static marl_status find_by(source regressor, source response, marl_clock_offset *offset, marl_error *error)
{
    double step_s = grid_step(regressor, response);
    MARL_TRY(find_on(regressor, response, step_s, 1, offset, error));
    for (step_s *= LONGER; step_s < MAX_STEP_S && response.sensor != MARL_GYRO; step_s *= LONGER) {
        marl_clock_offset longer;
        MARL_TRY(find_on(regressor, response, step_s, RIVAL_OF_LONGER, &longer, error));
        *offset = is_better(&longer, offset) ? longer : *offset;
    }
    return MARL_OK;
}

/* Use the gyroscope, else the magnetometer, which vibration does not disturb. */
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
    *offset = nothing_found();
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
        MARL_TRY(find_by((source){causes, turned ? s2 : s1}, (source){effects, sensor}, &by, error));
        *offset = is_better(&by, offset) ? by : *offset;
    }
    for (int i = 0; i < 2 && turned; i++) {
        offset->candidate_s[i] = -offset->candidate_s[i];
    }
    offset->offset_s = turned ? -offset->offset_s : offset->offset_s;
    return MARL_OK;
}
