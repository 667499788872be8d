/* SPDX-License-Identifier: MIT
 * Readings that stand alone. Each axis is compared with its median over five readings, which one or two bad ones do not move,
 * and which follows what rises or falls; how far readings are from it in motion, those nearby show. */
#include "lab/inspect/spikes.h"
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stdlib.h>

enum { BLOCK = 64, REACH = 2 };
#define USUAL 0.75   /* of the readings of a block are no farther from their medians than this quantile */
#define TIMES 8.0    /* so many usual distances */
#define SAME 4.0     /* the same of a reading whose axes are all the same, as a failed transfer leaves it */
#define BESIDE 0.25f /* of a spike in a reading beside it: then it is a knock */

/* By sensor: SI, and rows a second. Knocks of under 2 g, and what a body does in two rows, are no spikes. */
static const struct {
    float least, of_one_value;
    double slowest_hz;
} limits[MARL_SENSOR_COUNT] = {{20, 3, 40}, {0.5f, 0.05f, 40}, {20, 8, 10}};

static const uint8_t fresh[MARL_SENSOR_COUNT] = {MARL_FRESH_ACCEL, MARL_FRESH_GYRO, MARL_FRESH_MAG};

/* One sensor's readings, and their rows. */
typedef struct readings {
    size_t n;
    size_t *row;
    marl_vec3 *v;
} readings;

static float median_of(float *v, size_t n)
{
    for (size_t i = 1; i < n; i++) {
        for (size_t k = i; k > 0 && v[k] < v[k - 1]; k--) {
            float swap = v[k];
            v[k] = v[k - 1];
            v[k - 1] = swap;
        }
    }
    return v[n / 2];
}

/* From the median of the five about it, in the axis where that is most. */
static float find_apart(const readings *r, size_t i)
{
    size_t from = i < REACH ? 0 : i - REACH, to = i + REACH + 1 < r->n ? i + REACH + 1 : r->n;
    float x[2 * REACH + 1] = {0}, y[2 * REACH + 1] = {0}, z[2 * REACH + 1] = {0};
    for (size_t k = from; k < to; k++) {
        x[k - from] = r->v[k].x;
        y[k - from] = r->v[k].y;
        z[k - from] = r->v[k].z;
    }
    float dx = fabsf(r->v[i].x - median_of(x, to - from)), dy = fabsf(r->v[i].y - median_of(y, to - from)),
          dz = fabsf(r->v[i].z - median_of(z, to - from));
    return fmaxf(dx, fmaxf(dy, dz));
}

/* Zeros, or ones in all bits, which are -1 count. */
static int is_of_one_value(marl_vec3 v)
{
    return fabsf(v.x - v.y) <= 0 && fabsf(v.y - v.z) <= 0;
}

static float step_at(const readings *r, size_t i)
{
    return i == 0 ? 0
                  : fmaxf(fabsf(r->v[i].x - r->v[i - 1].x),
                          fmaxf(fabsf(r->v[i].y - r->v[i - 1].y), fabsf(r->v[i].z - r->v[i - 1].z)));
}

/* Most blocks cannot: a reading that is so far from a median has a step of half that within two readings. */
static int may_hold_spikes(const readings *r, size_t from, size_t to, marl_sensor sensor)
{
    size_t behind = to + REACH < r->n ? to + REACH : r->n;
    for (size_t i = from < REACH ? 0 : from - REACH; i < behind; i++) {
        if (2 * step_at(r, i) > limits[sensor].least || is_of_one_value(r->v[i])) {
            return 1;
        }
    }
    return 0;
}

/* The median of the readings two and three rows before and behind. */
static marl_vec3 find_base(const readings *r, size_t i)
{
    static const int at[] = {-3, -2, 2, 3};
    float x[4] = {0}, y[4] = {0}, z[4] = {0};
    size_t n = 0;
    for (int k = 0; k < 4; k++) {
        size_t row = i + (size_t)at[k]; /* before the first it is beyond all */
        if (row < r->n) {
            x[n] = r->v[row].x;
            y[n] = r->v[row].y;
            z[n++] = r->v[row].z;
        }
    }
    return (marl_vec3){median_of(x, n), median_of(y, n), median_of(z, n)};
}

/* A knock comes through a sensor's low-pass, which leaves some of it in the readings beside. */
static int stands_alone(const readings *r, size_t i)
{
    marl_vec3 base = find_base(r, i), spike = marl_vec3_sub(r->v[i], base);
    float most = BESIDE * marl_vec3_dot(spike, spike);
    int is_alone = 1;
    for (size_t k = i > 0 ? i - 1 : 0; k <= i + 1 && k < r->n; k++) {
        is_alone = is_alone && (k == i || marl_vec3_dot(marl_vec3_sub(r->v[k], base), spike) < most);
    }
    return is_alone;
}

static void mark_block(const readings *r, size_t from, size_t to, marl_sensor sensor, uint8_t *of_row)
{
    double apart[2 * BLOCK], sorted[2 * BLOCK];
    for (size_t i = from; i < to; i++) {
        sorted[i - from] = apart[i - from] = (double)find_apart(r, i);
    }
    double usual = lab_quantile(sorted, to - from, USUAL);
    double limit = fmax((double)limits[sensor].least, TIMES * usual);
    double low_limit = fmax((double)limits[sensor].of_one_value, SAME * usual);
    for (size_t i = from; i < to; i++) {
        int is_spike = is_of_one_value(r->v[i]) ? apart[i - from] > low_limit
                                                : apart[i - from] > limit && stands_alone(r, i);
        of_row[r->row[i]] |= is_spike ? fresh[sensor] : 0;
    }
}

static void mark(const readings *r, marl_sensor sensor, uint8_t *of_row)
{
    for (size_t from = 0; from + BLOCK <= r->n; from += BLOCK) {
        size_t to = from + 2 * BLOCK > r->n ? r->n : from + BLOCK; /* the last one takes the rest */
        if (may_hold_spikes(r, from, to, sensor)) {
            mark_block(r, from, to, sensor, of_row);
        }
    }
}

marl_status lab_spikes_find(const marl_log *log, marl_sensor sensor, uint8_t *of_row, size_t *n,
                            int64_t *first_ns, marl_error *error)
{
    readings r = {0, malloc((log->n + 1) * sizeof *r.row), malloc((log->n + 1) * sizeof *r.v)};
    *n = 0;
    *first_ns = 0;
    int has_room = r.row != NULL && r.v != NULL;
    for (size_t i = 0; i < log->n && has_room; i++) {
        if (log->row[i].sample.fresh & fresh[sensor]) {
            r.row[r.n] = i;
            r.v[r.n++] = *lab_reading(&log->row[i].sample, sensor);
        }
    }
    if (has_room && (double)r.n > limits[sensor].slowest_hz * lab_log_seconds(log)) {
        mark(&r, sensor, of_row);
    }
    for (size_t k = r.n; k-- > 0;) {
        if (of_row[r.row[k]] & fresh[sensor]) {
            ++*n;
            *first_ns = log->row[r.row[k]].sample.t_ns;
        }
    }
    free(r.row);
    free(r.v);
    return has_room ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

marl_status marl_spikes_find(const marl_log *log, uint8_t *of_row, marl_error *error)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        size_t n;
        int64_t first_ns;
        MARL_TRY(lab_spikes_find(log, (marl_sensor)i, of_row, &n, &first_ns, error));
    }
    return MARL_OK;
}

marl_status marl_spikes_remove(marl_log *log, size_t *n, marl_error *error)
{
    uint8_t *of_row = calloc(log->n + 1, 1);
    *n = 0;
    if (of_row == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = marl_spikes_find(log, of_row, error);
    for (size_t i = 0; i < log->n && status == MARL_OK; i++) {
        for (unsigned set = of_row[i]; set != 0; set &= set - 1) {
            ++*n;
        }
        log->row[i].sample.fresh &= (uint8_t)~of_row[i];
    }
    free(of_row);
    return status;
}
