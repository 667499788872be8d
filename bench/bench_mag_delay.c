/* SPDX-License-Identifier: MIT
 * Filters with a magnetometer that is late, and with the delay known (mag_delay). */
#include "accuracy_scenes.h"
#include "bench.h"
#include "sensor_faults.h"
#include <math.h>
#include <stdio.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 3, FROM_SEED = 3985, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */
#define ROW_S 0.005f

static const size_t rows[] = {0, 2, 4, 8};
enum { DELAYS = sizeof rows / sizeof rows[0] };

/* Over the classes: logarithms of their mean square errors, and squared errors over stated variances, the worse of tilt and
 * heading. */
typedef struct cell {
    double logs, ratio, worst;
} cell;

static void add_class(const accuracy_class *of, const marl_tuning *tuning, size_t late, cell *to)
{
    accuracy_sum sum = {0};
    for (uint64_t seed = FROM_SEED; seed < FROM_SEED + SEEDS; seed++) {
        accuracy_run run = accuracy_run_make(of, seed);
        for (size_t i = run.n; i-- > late;) {
            late_reading(&run.sample[i], &run.sample[i - late], MARL_MAG);
        }
        accuracy_run_ours(tuning, &run, &sum);
        accuracy_run_free(&run);
    }
    double ratio = sum.stated > 0 ? fmax(sum.tilt_ratio, sum.heading_ratio) / (double)sum.stated : 0;
    to->logs += 0.5 * log(sum.total / (double)sum.n);
    to->ratio += ratio;
    to->worst = fmax(to->worst, ratio);
}

static void print_line(marl_filter filter, int is_known)
{
    printf("%-18s %-8s", marl_filter_name(filter), is_known ? "known" : "unknown");
    for (int k = 0; k < DELAYS; k++) {
        marl_tuning tuning = marl_tuning_default(filter);
        cell at = {0, 0, 0};
        double classes = 0;
        tuning.value[MARL_PARAMETER_MAG_DELAY] = is_known ? ROW_S * (float)rows[k] : 0;
        for (int c = 0; c < CLASSES; c++) {
            const accuracy_class *of = accuracy_class_of(c);
            if (of->seconds < SKIP_LONGER_THAN && !of->speed) {
                add_class(of, &tuning, rows[k], &at);
                classes++;
            }
        }
        printf("  %6.3f %5.2f %6.2f", exp(at.logs / classes), at.ratio / classes, at.worst);
    }
    printf("\n");
}

void bench_mag_delay(void)
{
    printf("\nfilters with a magnetometer that is late, seeds %d to %d, calibrated sensors: degrees rms "
           "(geometric mean "
           "of the classes),\nsquared error over stated variance of the worse of tilt and heading (mean, "
           "worst)\n%-27s",
           FROM_SEED, FROM_SEED + SEEDS - 1, "");
    for (int k = 0; k < DELAYS; k++) {
        printf("  %13.0f ms     ", (double)(1000 * ROW_S) * (double)rows[k]);
    }
    printf("\n");
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        print_line((marl_filter)f, 0);
        print_line((marl_filter)f, 1);
    }
}
