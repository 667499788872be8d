/* SPDX-License-Identifier: MIT
 * Ellipsoid fits: how near to their bound, and how long. */
#include "bench.h"
#include "fit_trial.h"
#include "lab/maths/random.h"
#include <stdio.h>
#include <stdlib.h>

enum { TRIALS = 3000, MANY = 100000 };

static const struct {
    const char *name;
    fit_trial how;
    int robust;
    const char *wanted;
} studies[] = {
    {"all directions, 0.5 uT", {300, 50, 0.5, 180, 0}, 0, "1.10"},
    {"all directions, 2 uT", {300, 50, 2, 180, 0}, 0, "1.10"},
    {"half a sphere, 0.5 uT", {300, 50, 0.5, 90, 0}, 0, "1.15"},
    {"half a sphere, 2 uT", {300, 50, 2, 90, 0}, 0, "1.15"},
    {"cap of 60 deg, 0.5 uT", {300, 50, 0.5, 60, 0}, 0, "1.25"},
    {"steel passes, 0.5 uT", {300, 50, 0.5, 180, 1}, 1, "1.20"},
    {"steel passes, 2 uT", {300, 50, 2, 180, 1}, 1, "1.20"},
    {"24 poses, 10 mm/s^2", {24, 9.80665, 0.01, 180, 0}, 0, "1.10"},
    {"36 poses, 10 mm/s^2", {36, 9.80665, 0.01, 180, 0}, 0, "1.10"},
    {"100 poses, 10 mm/s^2", {100, 9.80665, 0.01, 180, 0}, 0, "1.10"},
};

static void fit_many(void *context)
{
    lab_ellipsoid fit;
    static unsigned char skip[MANY];
    if (lab_ellipsoid_fit_robust(&(lab_points){(const double(*)[3])context, MANY, NULL}, LAB_FULL, skip, &fit,
                                 NULL) != MARL_OK) {
        exit(1);
    }
}

void bench_calibrate(void)
{
    printf("\nellipsoid fits, %d trials each: error over the Cramer-Rao bound of the same readings\n",
           TRIALS);
    printf("%-24s %8s %8s %8s  %s\n", "", "bias", "matrix", "wanted", "normalised squared error over 3");
    for (size_t i = 0; i < sizeof studies / sizeof studies[0]; i++) {
        fit_ratios r = fit_trial_run(&studies[i].how, TRIALS, 500 + i, studies[i].robust);
        printf("%-24s %8.3f %8.3f %8s  %.3f%s\n", studies[i].name, r.bias, r.shape, studies[i].wanted,
               r.normalised, r.failed ? ", some failed" : "");
    }
    double(*x)[3] = malloc(MANY * sizeof *x), place[1][3];
    lab_random random = lab_random_seeded(1, 1);
    const fit_trial one = {1, 50, 0.5, 180, 0};
    fit_truth truth = fit_trial_truth(&one, &random);
    for (int i = 0; i < MANY && x != NULL; i++) {
        fit_trial_make(&one, &truth, &random, x + i, place);
    }
    if (x != NULL) {
        printf("a tumble of %d readings, robust fit: %.2f s (wanted: under 0.5)\n", MANY,
               bench_min(fit_many, x));
    }
    free(x);
}
