/* SPDX-License-Identifier: MIT
 * Sensors that read in coarse steps, by a wide range of the chip or by digits that were lost: the smoother, whether its
 * standard deviations hold, and kalman. */
#include "bench.h"
#include "sensor_faults.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 2, FROM_SEED = 4131, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */

static const accuracy_grade grades[] = {
    {"calibrated", .declared = 1},
    {"raw, 0.5 %", .gyro_low = 1.2, .gyro_high = 2.4, .scale = 0.005, .misalignment = 0.004,
     .accel_bias = 0.1, .mag_bias = 1},
};
enum { GRADES = sizeof grades / sizeof grades[0] };

/* m/s^2, rad/s, uT; 0: as fine as the sheet has it. */
static const float steps[][MARL_SENSOR_COUNT] = {{0, 0, 0},     {0.25f, 0, 0},   {0.5f, 0, 0}, {1, 0, 0},
                                                 {0, 0.01f, 0}, {0, 0.03f, 0},   {0, 0.1f, 0}, {0, 0, 2},
                                                 {0, 0, 5},     {0.5f, 0.03f, 2}};
enum { STEPS = sizeof steps / sizeof steps[0] };

static void print_case(const accuracy_grade *grade, const float step[MARL_SENSOR_COUNT])
{
    smoothed_sums sums = {.logs = 0};
    double kalman = 0;
    for (int c = 0; c < CLASSES; c++) {
        const accuracy_class *of = accuracy_class_of(c);
        for (int seed = FROM_SEED; of->seconds < SKIP_LONGER_THAN && !of->speed && seed < FROM_SEED + SEEDS;
             seed++) {
            accuracy_run run = accuracy_run_make_graded(of, (uint64_t)seed, grade);
            for (size_t i = 0; i < run.n; i++) {
                round_readings(&run.sample[i], step);
            }
            smoothed_sums_add_run(&sums, &run);
            kalman += kalman_log_rms(&run);
            accuracy_run_free(&run);
        }
    }
    printf("%-11s %5.2f %5.2f %4.1f ", grade->name, (double)step[MARL_ACCEL], (double)step[MARL_GYRO],
           (double)step[MARL_MAG]);
    smoothed_sums_print(&sums);
    printf("  %6.3f\n", exp(kalman / sums.logs));
}

void bench_steps(void)
{
    printf("\nreadings in steps of so many m/s^2, rad/s, uT, seeds %d to %d: degrees rms of the smoother "
           "(geometric mean, worst),\nsquared error over stated variance (mean, worst), not trusted, over "
           "three sigmas without a word; kalman\n%-11s %5s %5s %4s %4s  %6s %7s  %5s %7s  %4s %4s  %6s\n",
           FROM_SEED, FROM_SEED + SEEDS - 1, "", "accel", "gyro", "mag", "logs", "rms", "worst", "ratio",
           "worst", "dist", "over", "kalman");
    for (int g = 0; g < GRADES; g++) {
        for (int k = 0; k < STEPS; k++) {
            print_case(&grades[g], steps[k]);
        }
    }
}
