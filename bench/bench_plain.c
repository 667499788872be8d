/* SPDX-License-Identifier: MIT
 * Finds the one tuning of each textbook loop on the tuning seeds, by the geometric mean over all classes of
 * motion: the best of a coarse grid of gains and gates on few seeds, then one parameter after the other on
 * all seeds until none improves. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>

static accuracy_run run[ACCURACY_CLASSES][ACCURACY_SEEDS];

enum { COARSE_SEEDS = 3 };

static double score(const accuracy_plain *f, int seeds)
{
    double mean = 0;
    for (int c = 0; c < ACCURACY_CLASSES; c++) {
        accuracy_sum sum = {0};
        for (int k = 0; k < seeds; k++) {
            accuracy_run_plain(f, &run[c][k], &sum);
        }
        mean += log(accuracy_rms(sum.total, sum.n)) / ACCURACY_CLASSES;
    }
    return exp(mean);
}

/* Tries each value for one parameter of *best. Returns 1 when one is better. */
static int improve(accuracy_plain *best, double *min, float *parameter, const float *value, int n)
{
    float kept = *parameter;
    int better = 0;
    for (int i = 0; i < n; i++) {
        if (value[i] == kept) {
            continue;
        }
        *parameter = value[i];
        double now = score(best, ACCURACY_SEEDS);
        if (now < *min) {
            *min = now;
            kept = value[i];
            better = 1;
        }
    }
    *parameter = kept;
    return better;
}

static accuracy_plain coarse(int filter)
{
    const float gates[] = {0, 0.2f, 0.8f};
    accuracy_plain best = accuracy_textbook[filter], now = best;
    double min = INFINITY;
    for (int g = 0; g < 6; g++) {
        for (int b = 0; b < 5; b++) {
            for (int k = 0; k < 3; k++) {
                now.gain = powf(10, -2.25f + 0.6f * (float)g);
                now.bias_gain = b == 0 ? 0.0f : powf(10, -5.5f + 1.2f * (float)b);
                now.accel_gate = gates[k];
                now.mag_gate = 2;
                double value = score(&now, COARSE_SEEDS);
                best = value < min ? now : best;
                min = fmin(value, min);
            }
        }
    }
    return best;
}

static void find(int filter)
{
    const float accel_gates[] = {0, 0.1f, 0.2f, 0.4f, 0.8f, 1.6f}, mag_gates[] = {0, 1, 2, 4, 8};
    accuracy_plain best = coarse(filter);
    double min = score(&best, ACCURACY_SEEDS);
    for (int better = 1; better;) {
        float gain[7], bias[7];
        for (int i = 0; i < 7; i++) {
            gain[i] = best.gain * powf(10, (float)(i - 3) / 6.0f);
            bias[i] = i == 0 ? 0.0f : fmaxf(best.bias_gain, 1e-6f) * powf(10, (float)(i - 3) / 4.0f);
        }
        better = improve(&best, &min, &best.accel_gate, accel_gates, 6);
        better |= improve(&best, &min, &best.gain, gain, 7);
        better |= improve(&best, &min, &best.bias_gain, bias, 7);
        better |= improve(&best, &min, &best.mag_gate, mag_gates, 5);
        printf("%-18s gain %.4g, bias gain %.4g, gates %g m/s^2 and %g uT: mean %.3f deg\n",
               marl_filter_name((marl_filter)filter), (double)best.gain, (double)best.bias_gain,
               (double)best.accel_gate, (double)best.mag_gate, min);
        fflush(stdout);
    }
}

void bench_plain(void)
{
    for (int c = 0; c < ACCURACY_CLASSES; c++) {
        for (int k = 0; k < ACCURACY_SEEDS; k++) {
            run[c][k] = accuracy_run_make(&accuracy_classes[c], (uint64_t)(ACCURACY_TUNED_FROM + k));
        }
    }
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        find(f);
    }
    for (int c = 0; c < ACCURACY_CLASSES; c++) {
        for (int k = 0; k < ACCURACY_SEEDS; k++) {
            accuracy_run_free(&run[c][k]);
        }
    }
}
