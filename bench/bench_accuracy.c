/* SPDX-License-Identifier: MIT
 * Errors of the estimators with the defaults of the sheet, beside the textbook loop of each: five scenes,
 * twenty seeds each. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SEEDS = 20, SEARCH_SEEDS = 5, SEARCH_FROM = 101, FIRST = 1 };

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

/* The steady turn with the lever arm of each seed given. */
static void with_lever(marl_filter filter, const marl_sheet *sheet, accuracy_sum *sum)
{
    for (int seed = FIRST; seed < FIRST + SEEDS; seed++) {
        accuracy_run run = accuracy_run_make(MARL_SCENE_SLEW, sheet, (uint64_t)seed);
        marl_tuning tuning = marl_tuning_for_sheet(filter, sheet);
        marl_vec3 lever = accuracy_lever((uint64_t)seed);
        tuning.value[MARL_PARAMETER_LEVER_X] = lever.x;
        tuning.value[MARL_PARAMETER_LEVER_Y] = lever.y;
        tuning.value[MARL_PARAMETER_LEVER_Z] = lever.z;
        accuracy_run_ours(&tuning, &run, sum);
        accuracy_run_free(&run);
    }
}

static void print_levers(const marl_sheet *sheet)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        accuracy_sum sum = {0};
        with_lever((marl_filter)f, sheet, &sum);
        printf("slew, lever arm given: %-18s tilt %.2f, total %.2f deg\n", marl_filter_name((marl_filter)f),
               accuracy_rms(sum.tilt, sum.n), accuracy_rms(sum.total, sum.n));
    }
}

/* On steel the magnetometer must not move the tilt. */
static void print_steel(const marl_sheet *sheet)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        accuracy_sum with = {0}, without = {0};
        for (int seed = FIRST; seed < FIRST + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(MARL_SCENE_STEEL, sheet, (uint64_t)seed);
            marl_tuning tuning = marl_tuning_for_sheet((marl_filter)f, sheet);
            accuracy_run_ours(&tuning, &run, &with);
            tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
            accuracy_run_ours(&tuning, &run, &without);
            accuracy_run_free(&run);
        }
        printf("steel, tilt with over without magnetometer: %-18s %.3f\n", marl_filter_name((marl_filter)f),
               sqrt(with.tilt / without.tilt));
    }
}

/* Switched on in the middle of it, at three moments: the first vectors may be off by ten degrees. */
static void print_late(const marl_sheet *sheet)
{
    const marl_scene_kind scenes[] = {MARL_SCENE_LIFT, MARL_SCENE_SHAKE, MARL_SCENE_STEEL};
    const double from[] = {20, 35, 50};
    printf("\nswitched on in motion, total error after 5 s, degrees rms:  lift  shake  steel\n");
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        double ours[3], theirs[3];
        for (int s = 0; s < 3; s++) {
            accuracy_sum sum = {0}, plain = {0};
            for (int seed = FIRST; seed < FIRST + SEEDS; seed++) {
                accuracy_run run = accuracy_run_make(scenes[s], sheet, (uint64_t)seed);
                marl_tuning tuning = marl_tuning_for_sheet((marl_filter)f, sheet);
                for (int k = 0; k < 3; k++) {
                    accuracy_run late = accuracy_run_from(&run, from[k]);
                    accuracy_run_ours(&tuning, &late, &sum);
                    accuracy_run_plain(&accuracy_textbook[f], &late, &plain);
                }
                accuracy_run_free(&run);
            }
            ours[s] = accuracy_rms(sum.total, sum.n);
            theirs[s] = accuracy_rms(plain.total, plain.n);
        }
        printf("%-57s  %5.2f  %5.2f  %5.2f\n", marl_filter_name((marl_filter)f), ours[0], ours[1], ours[2]);
        printf("%-57s  %5.2f  %5.2f  %5.2f\n", "  textbook", theirs[0], theirs[1], theirs[2]);
    }
}

void bench_accuracy(void)
{
    marl_sheet sheet = accuracy_sheet(), silent = sheet;
    accuracy_sum ours[MARL_FILTER_COUNT][ACCURACY_SCENES] = {{{0}}};
    accuracy_sum theirs[MARL_FILTER_COUNT][ACCURACY_SCENES] = {{{0}}}, field[ACCURACY_SCENES] = {{0}};
    silent.mag.white = 0;
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        for (int seed = FIRST; seed < FIRST + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(accuracy_scenes[s], &sheet, (uint64_t)seed);
            accuracy_run quiet = accuracy_run_make(accuracy_scenes[s], &silent, (uint64_t)seed);
            for (int f = 0; f < MARL_FILTER_COUNT; f++) {
                marl_tuning tuning = marl_tuning_for_sheet((marl_filter)f, &sheet);
                accuracy_run_ours(&tuning, &run, &ours[f][s]);
                accuracy_run_plain(&accuracy_textbook[f], &run, &theirs[f][s]);
            }
            accuracy_run_field(&quiet, &field[s]);
            accuracy_run_free(&run);
            accuracy_run_free(&quiet);
        }
    }
    printf("\nerror in degrees rms after 5 s, %d seeds: tilt, heading, total\n%-24s", SEEDS, "");
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        printf("  %-17s", marl_scene_name(accuracy_scenes[s]));
    }
    printf("  mean\n");
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        print_row(marl_filter_name((marl_filter)f), ours[f]);
        print_row("  textbook", theirs[f]);
    }
    print_row("magnetometer alone", field);
    print_levers(&sheet);
    print_steel(&sheet);
    print_late(&sheet);
}

static double score(const accuracy_plain *f, accuracy_run run[ACCURACY_SCENES][SEARCH_SEEDS])
{
    double total[ACCURACY_SCENES];
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        accuracy_sum sum = {0};
        for (int k = 0; k < SEARCH_SEEDS; k++) {
            accuracy_run_plain(f, &run[s][k], &sum);
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
        accuracy_plain best = accuracy_textbook[f];
        double least = INFINITY;
        for (int g = 0; g < 24; g++) {
            for (int b = -1; b < 20; b++) {
                accuracy_plain now = accuracy_textbook[f];
                now.gain = (float)pow(10, -3 + g / 6.0);
                now.bias_gain = b < 0 ? 0.0f : (float)pow(10, -6 + b / 4.0);
                double value = score(&now, run);
                if (value < least) {
                    least = value;
                    best = now;
                }
            }
        }
        printf("%-24s gain %.4g, bias_gain %.4g: %.3f deg\n", marl_filter_name((marl_filter)f),
               (double)best.gain, (double)best.bias_gain, least);
    }
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        for (int k = 0; k < SEARCH_SEEDS; k++) {
            accuracy_run_free(&run[s][k]);
        }
    }
}
