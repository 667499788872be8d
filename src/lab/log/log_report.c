/* SPDX-License-Identifier: MIT
 * What the readings of a log show while they are read: the ranges of their axes, and repeats. Axes repeat each for itself
 * where the steps are coarse, and all at once where the last reading is written again with each row. */
#include "lab/log/log_report.h"
#include "lab/log/reading.h"
#include <math.h>

#define BLOCK 64         /* readings in which the shares of the axes count as constant */
#define HELD_SHARE 0.2   /* of the readings repeat the one before */
#define TOGETHER 0.5     /* fewer than this of those readings of which an axis alone would repeat, did ... */
#define EXPECTED_MIN 8.0 /* ... where so many would */

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

static void count(lab_repeats_block *b, const marl_vec3 *v)
{
    unsigned x = fabsf(v->x - b->last.x) <= 0, y = fabsf(v->y - b->last.y) <= 0,
             z = fabsf(v->z - b->last.z) <= 0, same = x + y + z;
    b->n++;
    b->of_axis[0] += x;
    b->of_axis[1] += y;
    b->of_axis[2] += z;
    b->all += same == 3;
    b->some += same == 1 || same == 2;
}

/* The next reading of a sensor. */
static void repeat(lab_repeats *repeats, marl_sensor sensor, const marl_vec3 *v, marl_repeats *sum)
{
    lab_repeats_block *b = &repeats->of[sensor];
    if (repeats->begun & (1u << sensor)) {
        count(b, v);
    }
    b->last = *v;
    repeats->begun |= 1u << sensor;
    if (b->n == BLOCK) {
        close_block(b, sum);
    }
}

static void widen(const marl_vec3 *v, float low[3], float high[3])
{
    const float axis[3] = {v->x, v->y, v->z};
    for (int k = 0; k < 3; k++) {
        low[k] = fminf(low[k], axis[k]);
        high[k] = fmaxf(high[k], axis[k]);
    }
}

void lab_report_init(marl_log_report *report)
{
    for (int i = 0; i < 9; i++) {
        report->axis_low[i] = INFINITY;
        report->axis_high[i] = -INFINITY;
    }
}

void lab_report_readings(lab_repeats *repeats, const marl_sample *sample, marl_log_report *report)
{
    static const uint8_t fresh[3] = {MARL_FRESH_ACCEL, MARL_FRESH_GYRO, MARL_FRESH_MAG};
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
