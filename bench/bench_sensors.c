/* SPDX-License-Identifier: MIT
 * The filters on sensors that are not those of the accuracy table: nothing known of the gyroscope's bias, raw scale and
 * misalignment, worse leftovers of a calibration, more noise, a steeper field, a harder
 * motion. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>

enum { FIRST_FILTER = MARL_FILTER_COMPLEMENTARY, FILTERS = MARL_FILTER_COUNT - FIRST_FILTER };
/* Nothing was chosen by these seeds; what is assumed of raw sensors on 621 to 623, the terms of shaking and of turning
 * on 662 and 2101 to 2114. */
enum { SEEDS = 3, FROM_SEED = 671, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */

static const accuracy_grade grades[] = {
    {"calibrated", .declared = 1},
    {"bias 1.2 to 2.4 deg/s", .gyro_low = 1.2, .gyro_high = 2.4},
    {"raw, 0.5 %", .gyro_low = 1.2, .gyro_high = 2.4, .scale = 0.005, .misalignment = 0.004,
     .accel_bias = 0.1, .mag_bias = 1},
    {"raw, 2 %", .gyro_low = 1.2, .gyro_high = 2.4, .scale = 0.02, .misalignment = 0.01, .accel_bias = 0.3,
     .mag_bias = 5},
    {"gyroscope's scale 1 %", .declared = 1, .gyro_scale = 0.01},
    {"accelerometer x 10", .declared = 1, .accel_times = 10},
    {"magnetometer x 10", .declared = 1, .mag_times = 10},
    {"noise x 5", .declared = 1, .noise_times = 5},
    {"dip 75 deg", .declared = 1, .dip_deg = 75},
    {"shaken, 1 m/s^2 rms", .declared = 1, .shaken = 1},
    {"shaken, 3 m/s^2 rms", .declared = 1, .shaken = 3},
    {"warms up, 0.1 deg/s", .declared = 1, .warm_gyro = 0.1},
    {"warms up, 0.3 deg/s", .declared = 1, .warm_gyro = 0.3},
};
enum { GRADES = sizeof grades / sizeof grades[0] };

/* Logarithms summed over the classes, and the worst class. */
typedef struct column {
    double log_sum, worst;
} column;

typedef struct table {
    column weighted[FILTERS], unweighted[FILTERS];
    double tilt_ratio, heading_ratio, worst_ratio;
    const char *worst_class;
    int classes;
} table;

static void add(const accuracy_sum *sum, column *to)
{
    double rms = accuracy_rms(sum->total, sum->n);
    to->log_sum += log(rms);
    to->worst = fmax(to->worst, rms);
}

static void add_class(const accuracy_class *of, const accuracy_grade *grade, table *t)
{
    accuracy_sum weighted[FILTERS] = {{0}}, unweighted[FILTERS] = {{0}};
    for (uint64_t seed = FROM_SEED; seed < FROM_SEED + SEEDS; seed++) {
        accuracy_run run = accuracy_run_make_graded(of, seed, grade);
        for (int f = 0; f < FILTERS; f++) {
            marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST_FILTER + f));
            accuracy_run_ours(&tuning, &run, &weighted[f]);
            tuning.value[MARL_PARAMETER_WEIGHTING] = 0.0f;
            accuracy_run_ours(&tuning, &run, &unweighted[f]);
        }
        accuracy_run_free(&run);
    }
    for (int f = 0; f < FILTERS; f++) {
        add(&weighted[f], &t->weighted[f]);
        add(&unweighted[f], &t->unweighted[f]);
    }
    const accuracy_sum *kalman = &weighted[FILTERS - 1];
    double tilt = kalman->tilt_ratio / (double)kalman->stated,
           heading = kalman->heading_ratio / (double)kalman->stated;
    t->tilt_ratio += tilt;
    t->heading_ratio += heading;
    if (fmax(tilt, heading) > t->worst_ratio) {
        t->worst_ratio = fmax(tilt, heading);
        t->worst_class = of->name;
    }
    t->classes++;
}

static void print_table(const char *name, const table *t)
{
    printf("%-22s", name);
    for (int f = 0; f < FILTERS; f++) {
        printf("  %6.2f %6.1f %6.2f", exp(t->weighted[f].log_sum / t->classes), t->weighted[f].worst,
               exp(t->unweighted[f].log_sum / t->classes));
    }
    printf("  %5.2f %7.2f %7.1f %s\n", t->tilt_ratio / t->classes, t->heading_ratio / t->classes,
           t->worst_ratio, t->worst_class);
}

void bench_sensors(void)
{
    printf("\nfilters by what the sensors are, seeds %d to %d; degrees rms from 5 s after the start, %d "
           "classes: "
           "geometric\nmean and worst class, weighted; geometric mean with weighting=off; kalman's squared "
           "error "
           "over variance\n%-22s  %-20s  %-20s  %-20s  %-21s\n%-22s",
           FROM_SEED, FROM_SEED + SEEDS - 1, CLASSES - 2, "", "complementary", "gradient-descent", "kalman",
           "error^2/variance", "");
    for (int f = 0; f < FILTERS; f++) {
        printf("  %6s %6s %6s", "mean", "worst", "off");
    }
    printf("  %5s %7s %7s\n", "tilt", "heading", "worst");
    for (int g = 0; g < GRADES; g++) {
        table t = {.worst_class = ""};
        for (int c = 0; c < CLASSES; c++) {
            const accuracy_class *of = accuracy_class_of(c);
            if (of->seconds < SKIP_LONGER_THAN && !of->speed) {
                add_class(of, &grades[g], &t);
            }
        }
        print_table(grades[g].name, &t);
    }
}
