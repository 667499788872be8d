/* SPDX-License-Identifier: MIT
 * The smoother on readings that are late against the gyroscope's: errors, whether the standard deviations hold, and
 * whether the delay is found. */
#include "bench.h"
#include "sensor_faults.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 2, FROM_SEED = 3983, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */
#define ROW_S 0.005

static const accuracy_grade grades[] = {{"calibrated", .declared = 1},
                                        {"raw", .gyro_low = 1.2, .gyro_high = 2.4, .scale = 0.01,
                                         .misalignment = 0.005, .accel_bias = 0.2, .mag_bias = 15}};
enum { GRADES = sizeof grades / sizeof grades[0] };

static const struct {
    const char *name;
    int sensor;
    size_t rows;
} cases[] = {{"none", MARL_MAG, 0},          {"mag 10 ms", MARL_MAG, 2},  {"mag 40 ms", MARL_MAG, 8},
             {"accel 20 ms", MARL_ACCEL, 4}, {"gyro 5 ms", MARL_GYRO, 1}, {"gyro 20 ms", MARL_GYRO, 4}};
enum { CASES = sizeof cases / sizeof cases[0] };

typedef struct table {
    int found[MARL_SENSOR_COUNT];
    smoothed_sums smoothed;
    double delay_ratio[MARL_SENSOR_COUNT];
} table;

/* Of a late gyroscope the truth is late, too: the attitudes are those that it shows. */
static void delay(accuracy_run *run, int sensor, size_t rows)
{
    for (size_t i = run->n; i-- > rows;) {
        late_reading(&run->sample[i], &run->sample[i - rows], sensor);
        run->truth[i] = sensor == MARL_GYRO ? run->truth[i - rows] : run->truth[i];
    }
}

static void add_run(const accuracy_run *run, int of, table *t)
{
    marl_smoothed s;
    smoothed_errors errors = smoothed_run(run, &s);
    const marl_sensor_delays found = marl_smoothed_delays(&s);
    double truth[MARL_SENSOR_COUNT] = {0};
    truth[cases[of].sensor] = ROW_S * (double)cases[of].rows;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_delay *d = &found.of[i];
        double off = d->delay_s - truth[i] + truth[MARL_GYRO];
        t->found[i] += d->found;
        t->delay_ratio[i] += d->found ? pow(off / d->sigma_s, 2) : 0;
    }
    smoothed_sums_add(&t->smoothed, &errors, &s);
    marl_smoothed_free(&s);
}

static void print_table(const char *grade, const char *name, const table *t)
{
    printf("%-11s %-12s ", grade, name);
    smoothed_sums_print(&t->smoothed);
    printf("  %5.2f %5.2f\n", t->delay_ratio[MARL_ACCEL] / t->found[MARL_ACCEL],
           t->delay_ratio[MARL_MAG] / t->found[MARL_MAG]);
}

void bench_late(void)
{
    printf(
        "\nsmoother on readings that are late, seeds %d to %d; degrees rms of the whole log (geometric mean, "
        "worst),\nsquared error over stated variance (mean, worst), not trusted, over three sigmas without a "
        "word; squared error of\nthe delay over its variance, accelerometer and magnetometer\n%-24s %4s  %6s "
        "%7s  %5s %7s  %4s %4s  %5s %5s\n",
        FROM_SEED, FROM_SEED + SEEDS - 1, "", "logs", "rms", "worst", "ratio", "worst", "dist", "over", "acc",
        "mag");
    for (int g = 0; g < GRADES; g++) {
        for (int k = 0; k < CASES; k++) {
            table t = {0};
            for (int c = 0; c < CLASSES; c++) {
                const accuracy_class *of = accuracy_class_of(c);
                for (int seed = FROM_SEED;
                     of->seconds < SKIP_LONGER_THAN && !of->speed && seed < FROM_SEED + SEEDS; seed++) {
                    accuracy_run run = accuracy_run_make_graded(of, (uint64_t)seed, &grades[g]);
                    delay(&run, cases[k].sensor, cases[k].rows);
                    add_run(&run, k, &t);
                    accuracy_run_free(&run);
                }
            }
            print_table(grades[g].name, cases[k].name, &t);
        }
    }
}
