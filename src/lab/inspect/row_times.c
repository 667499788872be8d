/* SPDX-License-Identifier: MIT
 * Rows of a board that reads at an even rate, whose stamps are of reception or of a coarse clock: found, named, and set
 * evenly. */
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define ROWS_MIN 40
#define SPAN_ROWS 2000 /* over which the usual step is found; an eighth of a shorter log */
#define LEVEL_S 2.0    /* stamps are late by less than this for so long at most; a few rows at least */
#define LEVEL_ROWS_MIN 20
#define MISSING 0.75     /* of a step: so much later for good, and rows are missing */
#define NAMED 1.05       /* so many times better readings fit even times, and by more than chance ... */
#define CHANCE 3.0       /* standard deviations of a mean square */
#define HARMFUL_S 5e-4   /* ... and the times are off by more */
#define OF_ROWS 0.9      /* have a reading of the sensor by which this is seen */
#define CONTRADICTED 0.8 /* they fit their stamps better */
#define CLUMPED 0.5      /* the median step is less than so much of the usual one */
#define SHORTEST_S 1e-6  /* step between rows */
#define LONGEST_S 300.0  /* of the log, before a warning */

/* Times and what is found from them, for each row, s since the first. */
typedef struct work {
    size_t n;
    double step;
    double *stamp, *late; /* late: the stamp less what an even rate from the first row on gives */
    double *level;        /* the level below `late` that holds for at least so many rows */
    double *even;
    double *sum;
    size_t *queue;
} work;

static void work_free(work *w)
{
    free(w->stamp);
    free(w->queue);
}

/* To be freed in any case; 0 without memory. */
static int work_init(work *w, const marl_log *log)
{
    const size_t n = log->n;
    *w = (work){.n = n};
    w->stamp = malloc((5 * n + 1) * sizeof *w->stamp);
    w->queue = malloc(n * sizeof *w->queue);
    if (w->stamp == NULL || w->queue == NULL) {
        return 0;
    }
    w->late = w->stamp + n;
    w->level = w->late + n;
    w->even = w->level + n;
    w->sum = w->even + n;
    for (size_t i = 0; i < n; i++) {
        w->stamp[i] = 1e-9 * (double)(log->row[i].sample.t_ns - log->row[0].sample.t_ns);
    }
    return 1;
}

static double mean_stamp(const work *w, size_t from, size_t rows)
{
    double sum = 0;
    for (size_t i = from; i < from + rows; i++) {
        sum += w->stamp[i];
    }
    return sum / (double)rows;
}

/* The step between rows: the median over spans of many, from the mean of some rows to that of others, so that neither gaps nor
 * clumps count. */
static double usual_step(work *w)
{
    size_t span = w->n / 8 < SPAN_ROWS ? w->n / 8 : SPAN_ROWS, some = span / 2, spans = 0;
    for (size_t i = 0; i + span + some <= w->n; i += some / 2) {
        w->sum[spans++] = (mean_stamp(w, i + span, some) - mean_stamp(w, i, some)) / (double)span;
    }
    return lab_quantile(w->sum, spans, 0.5);
}

/* Where a window slides to; from the end to the start it takes the greatest, else the least. */
typedef enum slide_way { TO_END = 1, TO_START = -1 } slide_way;

/* out[i]: the least (or greatest) of the `rows` rows up to i on the way there, by a queue of the rows that may still be it. */
static void slide(const work *w, const double *in, double *out, size_t rows, slide_way way)
{
    const double sign = way;
    size_t head = 0, tail = 0;
    for (size_t j = 0; j < w->n; j++) {
        size_t i = way == TO_START ? w->n - 1 - j : j;
        while (tail > head && sign * in[w->queue[tail - 1]] >= sign * in[i]) {
            tail--;
        }
        w->queue[tail++] = i;
        size_t first = w->queue[head], away = i > first ? i - first : first - i;
        head += away >= rows;
        out[i] = in[w->queue[head]];
    }
}

/* The rows [from, to), between which none is missing, and how many count on each side of one. */
typedef struct piece {
    size_t from, to, half;
} piece;

/* out[i]: the mean of the piece's rows about i. */
static void moving_mean(work *w, const double *in, double *out, const piece *p)
{
    w->sum[p->from] = 0;
    for (size_t i = p->from; i < p->to; i++) {
        w->sum[i + 1] = w->sum[i] + in[i];
    }
    for (size_t i = p->from; i < p->to; i++) {
        size_t first = i - p->from > p->half ? i - p->half : p->from;
        size_t end = p->to - i > p->half ? i + p->half + 1 : p->to;
        out[i] = (w->sum[end] - w->sum[first]) / (double)(end - first);
    }
}

/* Even times of a piece: what stamps are late by, in the mean of the rows about; twice, since clumps leave a saw in a single
 * mean. Returns the sum of squares that the stamps are apart from them. */
static double even_piece(work *w, const piece *p)
{
    double squares = 0;
    moving_mean(w, w->late, w->level, p);
    moving_mean(w, w->level, w->even, p);
    for (size_t i = p->from; i < p->to; i++) {
        double off = w->late[i] - w->even[i];
        squares += off * off;
        w->even[i] += w->step * (double)i;
    }
    return squares;
}

/* Stamps may be late for a while, but never early: the level below them that lasts is an opening ("Image analysis and
 * mathematical morphology", 1982). Where it rises, rows are missing. */
static void find_even(work *w, marl_row_times *times)
{
    size_t rows = (size_t)fmin((double)w->n, fmax(LEVEL_ROWS_MIN, LEVEL_S / w->step)), from = 0;
    double squares = 0;
    for (size_t i = 0; i < w->n; i++) {
        w->late[i] = w->stamp[i] - w->step * (double)i;
    }
    slide(w, w->late, w->even, rows, TO_END);
    for (size_t i = 0; i + 1 < rows; i++) {
        w->even[i] = -INFINITY; /* of too few rows */
    }
    slide(w, w->even, w->level, rows, TO_START);
    for (size_t i = 1; i <= w->n; i++) {
        if (i == w->n || fabs(w->level[i] - w->level[i - 1]) > MISSING * w->step) {
            squares += even_piece(w, &(piece){from, i, rows / 4});
            times->breaks += i < w->n;
            from = i;
        }
    }
    times->scatter_s = sqrt(squares / (double)w->n);
}

/* Mean square that the readings are apart from the straight line between the ones before and after, over what equal noise of
 * all would make of it. */
static double deviation_from_lines(const marl_log *log, marl_sensor sensor, const double *at)
{
    double sum = 0;
    for (size_t i = 1; i + 1 < log->n; i++) {
        const marl_log_row *row = &log->row[i];
        if (!(row[-1].sample.fresh & row[0].sample.fresh & row[1].sample.fresh & (1u << sensor))) {
            continue;
        }
        const marl_vec3 *a = lab_reading(&row[-1].sample, sensor);
        const marl_vec3 *b = lab_reading(&row[0].sample, sensor);
        const marl_vec3 *c = lab_reading(&row[1].sample, sensor);
        double span = at[i + 1] - at[i - 1], u = span > 0 ? (at[i] - at[i - 1]) / span : 0.5, v = 1 - u;
        double x = (double)b->x - v * (double)a->x - u * (double)c->x;
        double y = (double)b->y - v * (double)a->y - u * (double)c->y;
        double z = (double)b->z - v * (double)a->z - u * (double)c->z;
        sum += (x * x + y * y + z * z) / (1 + u * u + v * v);
    }
    return sum;
}

/* Have the rows a reading of the sensor, but for some cells that are missing? */
static int is_in_rows(const marl_log *log, marl_sensor sensor)
{
    size_t readings = 0;
    for (size_t i = 0; i < log->n; i++) {
        readings += (log->row[i].sample.fresh & (1u << sensor)) != 0;
    }
    return (double)readings > OF_ROWS * (double)log->n;
}

static int are_in_clumps(work *w)
{
    for (size_t i = 0; i + 1 < w->n; i++) {
        w->sum[i] = w->stamp[i + 1] - w->stamp[i];
    }
    return lab_quantile(w->sum, w->n - 1, 0.5) < CLUMPED * w->step;
}

/* `w` is left for the caller, who frees it. */
static marl_status find(const marl_log *log, work *w, marl_row_times *times, marl_error *error)
{
    marl_sensor sensor = is_in_rows(log, MARL_GYRO) ? MARL_GYRO : MARL_ACCEL;
    *times = (marl_row_times){.step_s = NAN, .scatter_s = NAN, .gain = NAN};
    if (log->n < ROWS_MIN) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: under %d rows: too few to see when they come",
                         log->path, ROWS_MIN);
    }
    if (!is_in_rows(log, sensor)) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: neither gyroscope nor accelerometer has a reading in each row: when they came "
                         "is not seen",
                         log->path);
    }
    if (!work_init(w, log)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    times->step_s = w->step = usual_step(w);
    if (w->step < SHORTEST_S) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: time stands still in most rows", log->path);
    }
    find_even(w, times);
    double even = deviation_from_lines(log, sensor, w->even),
           stamped = deviation_from_lines(log, sensor, w->stamp);
    times->gain = even > 0 ? stamped / even : 1;
    int is_seen = times->gain > NAMED + CHANCE * sqrt(2 / (double)log->n) && times->scatter_s > HARMFUL_S;
    times->are_uneven = is_seen || (times->gain > CONTRADICTED && are_in_clumps(w));
    return MARL_OK;
}

marl_status marl_row_times_find(const marl_log *log, marl_row_times *times, marl_error *error)
{
    work w = {0};
    marl_status status = find(log, &w, times, error);
    work_free(&w);
    return status;
}

marl_status marl_row_times_set_even(marl_log *log, marl_row_times *times, marl_error *error)
{
    work w = {0};
    marl_status status = find(log, &w, times, error);
    if (status == MARL_OK && times->gain < CONTRADICTED) {
        status = marl_fail(error, MARL_ERR_INSUFFICIENT,
                           "%s: its readings fit the times of its rows better than even ones (%.2g times): "
                           "they stay as they are",
                           log->path, 1 / times->gain);
    }
    const int64_t first_ns = status == MARL_OK ? log->row[0].sample.t_ns : 0;
    int64_t last_ns = INT64_MIN;
    for (size_t i = 0; i < w.n && status == MARL_OK; i++) {
        int64_t t_ns = first_ns + llround(1e9 * w.even[i]);
        last_ns = t_ns > last_ns ? t_ns : last_ns + 1;
        log->row[i].sample.t_ns = last_ns;
    }
    work_free(&w);
    return status;
}

marl_status marl_row_times_warn(marl_warnings *warnings, const marl_log *log, marl_error *error)
{
    const marl_log part = lab_log_first(log, LONGEST_S);
    marl_row_times times;
    marl_error why = {0};
    marl_status status = marl_row_times_find(&part, &times, &why);
    if (status == MARL_ERR_SYSTEM) {
        return marl_fail(error, status, "%s", why.text);
    }
    if (status == MARL_OK && times.are_uneven) {
        char by[80] = "";
        if (times.gain > NAMED) {
            snprintf(by, sizeof by, ", and readings fit even times %.3g times better", times.gain);
        }
        marl_warn(warnings, "time-jitter",
                  "%s: its times scatter by %.2g ms about rows every %.4g ms, as those of reception or of a "
                  "coarse clock do%s: inspect --even-times -o LOG sets them so",
                  log->path, 1e3 * times.scatter_s, 1e3 * times.step_s, by);
    }
    return MARL_OK;
}
