/* SPDX-License-Identifier: MIT
 * What the readings of a log show while they are read: the ranges of their axes, repeats and steps. Axes repeat each for
 * itself where the steps are coarse, and all at once where the last reading is written again with each row. */
#include "lab/log/log_report.h"
#include "lab/log/reading.h"
#include <math.h>

#define BLOCK 64         /* readings in which the shares of the axes count as constant */
#define HELD_SHARE 0.2   /* of the readings repeat the one before */
#define TOGETHER 0.5     /* fewer than this of those readings of which an axis alone would repeat, did ... */
#define EXPECTED_MIN 8.0 /* ... where so many would */

/* Changes that are spread evenly around 0 would be under the least one with a chance of 1 - exp(-STEADY / 2). */
#define STEADY 40.0
/* Or a few changes are alike, and between them readings repeat as none with a noise do. */
#define FEW 5.0
#define RARE 0.01
#define ALIKE 1.5

/* Readings of which one or two axes would repeat, if each did so for itself. */
static double expected_some(const lab_repeats_block *b)
{
    double all = 1, none = 1;
    for (int k = 0; k < 3; k++) {
        double share = b->of_axis[k] / (double)b->n;
        all *= share;
        none *= 1 - share;
    }
    return b->n * (1 - all - none);
}

static void close_block(lab_repeats_block *b, marl_repeats *sum)
{
    sum->readings += b->n;
    sum->all += b->all;
    sum->some += b->some;
    sum->some_expected += expected_some(b);
    *b = (lab_repeats_block){.last = b->last};
}

/* Bit 0 x, 1 y, 2 z. */
static unsigned equal_axes(const marl_vec3 *a, const marl_vec3 *b)
{
    return (fabsf(a->x - b->x) <= 0 ? 1u : 0) | (fabsf(a->y - b->y) <= 0 ? 2u : 0) |
           (fabsf(a->z - b->z) <= 0 ? 4u : 0);
}

static void count(lab_repeats_block *b, const marl_vec3 *v)
{
    unsigned equal = equal_axes(v, &b->last);
    b->n++;
    if (equal == 0) { /* most readings */
        return;
    }
    for (int k = 0; k < 3; k++) {
        b->of_axis[k] += (equal >> k) & 1;
    }
    b->all += equal == 7;
    b->some += equal != 7;
}

static void change(const marl_vec3 *v, const marl_vec3 *last, marl_repeats *sum)
{
    const float by[3] = {fabsf(v->x - last->x), fabsf(v->y - last->y), fabsf(v->z - last->z)};
    for (int k = 0; k < 3; k++) {
        double size = (double)by[k];
        sum->changes += size > 0;
        sum->change_sum += size;
        sum->least_change = size > 0 && size < sum->least_change ? size : sum->least_change;
    }
}

/* The next reading of a sensor. */
static void repeat(lab_repeats *repeats, marl_sensor sensor, const marl_vec3 *v, marl_repeats *sum)
{
    lab_repeats_block *b = &repeats->of[sensor];
    if (repeats->begun & (1u << sensor)) {
        count(b, v);
        change(v, &b->last, sum);
    }
    b->last = *v;
    repeats->begun |= 1u << sensor;
    if (b->n == BLOCK) {
        close_block(b, sum);
    }
}

/* Without calls: every row of a log comes by here. */
static void widen(const marl_vec3 *v, float low[3], float high[3])
{
    const float axis[3] = {v->x, v->y, v->z};
    for (int k = 0; k < 3; k++) {
        low[k] = axis[k] < low[k] ? axis[k] : low[k];
        high[k] = axis[k] > high[k] ? axis[k] : high[k];
    }
}

void lab_report_init(marl_log_report *report)
{
    for (int i = 0; i < 9; i++) {
        report->axis_low[i] = INFINITY;
        report->axis_high[i] = -INFINITY;
        report->repeats[i / 3].least_change = INFINITY;
    }
}

static const uint8_t fresh[3] = {MARL_FRESH_ACCEL, MARL_FRESH_GYRO, MARL_FRESH_MAG};

void lab_report_readings(lab_repeats *repeats, const marl_sample *sample, marl_log_report *report)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (sample->fresh & fresh[i]) {
            const marl_vec3 *v = lab_reading(sample, (marl_sensor)i);
            widen(v, report->axis_low + 3 * i, report->axis_high + 3 * i);
            repeat(repeats, (marl_sensor)i, v, &report->repeats[i]);
        }
    }
}

unsigned marl_log_dead_axes(const marl_log_report *r)
{
    static const float moves[3] = {2.0f, 0.2f, 10.0f};
    unsigned dead = 0;
    for (int i = 0; i < 9; i++) {
        const float *low = r->axis_low + i / 3 * 3, *high = r->axis_high + i / 3 * 3;
        float range = 0;
        for (int k = 0; k < 3; k++) {
            range = high[k] - low[k] > range ? high[k] - low[k] : range;
        }
        dead |= r->axis_low[i] == r->axis_high[i] && range > moves[i / 3] ? 1u << i : 0;
    }
    return dead;
}

int marl_log_is_held(const marl_log_report *report, marl_sensor sensor)
{
    const marl_repeats *r = &report->repeats[sensor];
    return (double)r->all > HELD_SHARE * (double)r->readings && r->some_expected > EXPECTED_MIN &&
           (double)r->some < TOGETHER * r->some_expected;
}

double marl_log_coarse_step(const marl_log_report *report, marl_sensor sensor)
{
    static const double coarse[3] = {0.2, 0.005, 2};
    const marl_repeats *r = &report->repeats[sensor];
    double n = r->changes, step = r->least_change;
    int is_steady = n > 0 && n * n * step > STEADY * r->change_sum;
    int is_rare = n >= FEW && n < RARE * 3 * (double)r->readings && r->change_sum < ALIKE * n * step;
    return step >= coarse[sensor] && (is_steady || is_rare) ? step : 0;
}

static void find_held(const marl_log *log, marl_sensor sensor, uint8_t *of_row)
{
    const marl_vec3 *last = NULL;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *sample = &log->row[i].sample;
        if (sample->fresh & fresh[sensor]) {
            const marl_vec3 *v = lab_reading(sample, sensor);
            int repeats = last != NULL && equal_axes(v, last) == 7;
            of_row[i] |= repeats ? fresh[sensor] : 0;
            last = v;
        }
    }
}

void lab_held_find(const marl_log *log, uint8_t *of_row)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (marl_log_is_held(&log->report, (marl_sensor)i)) {
            find_held(log, (marl_sensor)i, of_row);
        }
    }
}
