/* SPDX-License-Identifier: MIT
 * Errors of the estimators with the defaults of the sheet, beside the textbook loop of each: five scenes,
 * twenty seeds each. */
#include "accuracy_scenes.h"
#include "bench.h"
#include "plain.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { SEEDS = 20, SEARCH_SEEDS = 5, SEARCH_FROM = 101, FIRST = 1 };

typedef struct plain_filter {
    const char *name;
    plain_step *step;
    int kalman;
    float gain, bias_gain; /* found by `bench plain` on other seeds */
} plain_filter;

static const plain_filter plain[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = {"gyro", plain_gyro, 0, 0, 0},
    [MARL_FILTER_VECTORS] = {"vectors", plain_vectors, 0, 0, 0},
    [MARL_FILTER_COMPLEMENTARY] = {"complementary", plain_complementary, 0, 1.468f, 0.05623f},
    [MARL_FILTER_GRADIENT_DESCENT] = {"gradient-descent", plain_gradient, 0, 0.02154f, 0.005623f},
    [MARL_FILTER_KALMAN] = {"kalman", plain_kalman, 1, 0.1468f, 0.0f},
};

static void run_plain(const plain_filter *f, const accuracy_run *run, accuracy_sum *sum)
{
    plain_state s = {.gain = f->gain, .bias_gain = f->bias_gain};
    marl_vec3 mag = run->sample[0].mag;
    int64_t before = run->sample[0].t_ns;
    s.q = plain_two_vectors(run->sample[0].accel, mag);
    plain_kalman_begin(&s, (marl_vec3){0.0f, 0.48175f, -0.87631f});
    for (size_t i = 0; i < run->n; i++) {
        const marl_sample *now = &run->sample[i];
        int fresh = (now->fresh & MARL_FRESH_MAG) != 0;
        mag = fresh ? now->mag : mag;
        int use = fresh || f->step == plain_vectors;
        f->step(&s, now->gyro, now->accel, use ? &mag : NULL, (float)(now->t_ns - before) * 1e-9f);
        before = now->t_ns;
        accuracy_add(sum, run, i, s.q);
    }
}

static void run_ours(const marl_tuning *tuning, const accuracy_run *run, accuracy_sum *sum)
{
    marl_estimator e;
    marl_quat q;
    if (marl_estimator_init(&e, tuning) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        (void)!marl_estimator_update(&e, &run->sample[i]);
        (void)!marl_estimator_attitude(&e, &q);
        accuracy_add(sum, run, i, q);
    }
}

static double logarithmic_mean(const double *x, int n)
{
    double sum = 0;
    for (int i = 0; i < n; i++) {
        sum += log(x[i]);
    }
    return exp(sum / n);
}

static void print_row(const char *name, const accuracy_sum *sum)
{
    double total[ACCURACY_SCENES];
    printf("%-24s", name);
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        total[s] = accuracy_rms(sum[s].total, sum[s].n);
        printf("  %5.2f %5.2f %5.2f", accuracy_rms(sum[s].tilt, sum[s].n),
               accuracy_rms(sum[s].heading, sum[s].n), total[s]);
    }
    printf("  %5.2f\n", logarithmic_mean(total, ACCURACY_SCENES));
}

void bench_accuracy(void)
{
    marl_sheet sheet = accuracy_sheet();
    accuracy_sum ours[MARL_FILTER_COUNT][ACCURACY_SCENES] = {{{0}}};
    accuracy_sum theirs[MARL_FILTER_COUNT][ACCURACY_SCENES] = {{{0}}};
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        for (int seed = FIRST; seed < FIRST + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(accuracy_scenes[s], &sheet, (uint64_t)seed);
            for (int f = 0; f < MARL_FILTER_COUNT; f++) {
                if (f < MARL_FILTER_COUNT) {
                    marl_tuning tuning = marl_tuning_for_sheet((marl_filter)f, &sheet);
                    run_ours(&tuning, &run, &ours[f][s]);
                }
                run_plain(&plain[f], &run, &theirs[f][s]);
            }
            accuracy_run_free(&run);
        }
    }
    printf("\nerror in degrees rms after 5 s: tilt, heading, total\n%-24s", "");
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        printf("  %-17s", marl_scene_name(accuracy_scenes[s]));
    }
    printf("  mean\n");
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        char name[40];
        if (f < MARL_FILTER_COUNT)
            print_row(marl_filter_name((marl_filter)f), ours[f]);
        snprintf(name, sizeof name, "  textbook");
        print_row(name, theirs[f]);
    }
}

static double score(const plain_filter *f, accuracy_run run[ACCURACY_SCENES][SEARCH_SEEDS])
{
    double total[ACCURACY_SCENES];
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        accuracy_sum sum = {0};
        for (int k = 0; k < SEARCH_SEEDS; k++) {
            run_plain(f, &run[s][k], &sum);
        }
        total[s] = accuracy_rms(sum.total, sum.n);
    }
    return logarithmic_mean(total, ACCURACY_SCENES);
}

/* One tuning a filter, the best of a grid by the geometric mean of the five scenes. */
void bench_plain(void)
{
    static accuracy_run run[ACCURACY_SCENES][SEARCH_SEEDS];
    marl_sheet sheet = accuracy_sheet();
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        for (int k = 0; k < SEARCH_SEEDS; k++) {
            run[s][k] = accuracy_run_make(accuracy_scenes[s], &sheet, (uint64_t)(SEARCH_FROM + k));
        }
    }
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        plain_filter best = plain[f];
        double least = INFINITY;
        for (int g = 0; g < 24; g++) {
            for (int b = -1; b < 20; b++) {
                plain_filter now = plain[f];
                now.gain = (float)pow(10, -3 + g / 6.0);
                now.bias_gain = b < 0 ? 0.0f : (float)pow(10, -6 + b / 4.0);
                double value = score(&now, run);
                if (value < least) {
                    least = value;
                    best = now;
                }
            }
        }
        printf("%-24s gain %.4g, bias_gain %.4g: %.3f deg\n", best.name, (double)best.gain,
               (double)best.bias_gain, least);
    }
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        for (int k = 0; k < SEARCH_SEEDS; k++) {
            accuracy_run_free(&run[s][k]);
        }
    }
}
