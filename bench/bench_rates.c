/* SPDX-License-Identifier: MIT
 * The smoother on rows that come 5 to 200 times a second. Where a class vibrates faster than half the rate, what is sampled is
 * a slow acceleration, which no method can see through. */
#include "bench.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>

/* Nothing was chosen by these seeds. */
enum { SEEDS = 2, FROM_SEED = 3981, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED + ACCURACY_HARDER };
#define SKIP_LONGER_THAN 200.0 /* s: the day is left out */

static const double rates[] = {5, 10, 20, 50, 200};
enum { RATES = sizeof rates / sizeof rates[0] };

/* Sums over the seeds of a class at one rate. */
typedef struct cell {
    double squares, ratio; /* of the worse of tilt and heading */
    int distrusted;
} cell;

static void add_run(const accuracy_run *run, cell *to)
{
    marl_smoothed s;
    smoothed_errors errors = smoothed_run(run, &s);
    to->squares += errors.total2 / SEEDS;
    to->ratio += fmax(errors.tilt, errors.heading) / SEEDS;
    to->distrusted += marl_smoothed_distrust(&s) != NULL;
    marl_smoothed_free(&s);
}

void bench_rates(void)
{
    double mean[RATES] = {0}, classes = 0;
    printf("\nsmoother by rows per second, seeds %d to %d, calibrated: degrees rms of the whole log, squared "
           "error\n"
           "over stated variance of the worse of tilt and heading; * for each log that is not trusted\n%-22s",
           FROM_SEED, FROM_SEED + SEEDS - 1, "");
    for (int r = 0; r < RATES; r++) {
        printf("  %8.0f Hz   ", rates[r]);
    }
    printf("\n");
    for (int c = 0; c < CLASSES; c++) {
        const accuracy_class *of = accuracy_class_of(c);
        if (of->seconds > SKIP_LONGER_THAN || of->speed) {
            continue;
        }
        printf("%-22s", of->name);
        classes++;
        for (int r = 0; r < RATES; r++) {
            cell at = {0};
            for (int seed = FROM_SEED; seed < FROM_SEED + SEEDS; seed++) {
                accuracy_run run = accuracy_run_make_at(of, (uint64_t)seed, rates[r], fmin(rates[r], 25));
                add_run(&run, &at);
                accuracy_run_free(&run);
            }
            mean[r] += 0.5 * log(at.squares);
            printf("  %6.2f %5.1f%-2.*s", sqrt(at.squares), at.ratio, at.distrusted, "**");
        }
        printf("\n");
    }
    printf("%-22s", "geometric mean");
    for (int r = 0; r < RATES; r++) {
        printf("  %6.2f        ", exp(mean[r] / classes));
    }
    printf("\n");
}
