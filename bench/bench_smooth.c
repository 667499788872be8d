/* SPDX-License-Identifier: MIT
 * The smoother against the truth and against the causal Kalman filter, on the classes of motion of the
 * accuracy table and on motions that nothing was tuned on; whole log. */
#include "bench.h"
#include "smoothed_run.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* The noise of the rate, the leak and the times of the smoother were chosen on seeds 1001 to 1025. */
enum { SEEDS = 20, FROM = 3701 };

typedef struct sums {
    double smoothed, kalman, tilt_ratio, heading_ratio, worst;
    size_t n;
} sums;

/* A log of a run, as if corrected already. */
static marl_log log_of(const accuracy_run *run)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path, .n = run->n, .row = calloc(run->n, sizeof *log.row)};
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    log.info.corrected = 1;
    if (log.row == NULL) {
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        log.row[i].sample = run->sample[i];
    }
    return log;
}

static void add_kalman(const accuracy_run *run, sums *sum)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_estimator e;
    marl_quat q;
    tuning.value[MARL_PARAMETER_BIAS_SPREAD] =
        MARL_BIAS_SPREAD_CALIBRATED; /* as of a log that is corrected */
    if (marl_estimator_init(&e, &tuning) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        (void)!marl_estimator_update(&e, &run->sample[i]);
        if (marl_estimator_attitude(&e, &q) == MARL_OK) {
            sum->kalman += pow(marl_error_between(q, run->truth[i]).total_deg, 2);
        }
    }
}

static void add_smoothed(const accuracy_run *run, sums *sum)
{
    marl_smoothed s;
    smoothed_errors errors = smoothed_run(run, &s);
    sum->smoothed += errors.total2 * (double)run->n;
    sum->n += run->n;
    sum->tilt_ratio += errors.tilt / SEEDS;
    sum->heading_ratio += errors.heading / SEEDS;
    sum->worst = fmax(sum->worst, fmax(errors.tilt, errors.heading));
    marl_smoothed_free(&s);
}

static void print_classes(const accuracy_class *classes, size_t n, const char *what)
{
    double product[2] = {1, 1};
    printf("\n%s, seeds %d to %d; degrees rms of the whole log, squared error over stated variance\n%-12s "
           "%9s %9s "
           "%7s %7s %7s "
           "%7s\n",
           what, FROM, FROM + SEEDS - 1, "", "smoother", "kalman", "ratio", "tilt", "heading", "worst");
    for (size_t c = 0; c < n; c++) {
        sums sum = {0};
        for (uint64_t seed = 0; seed < SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(&classes[c], FROM + seed);
            add_kalman(&run, &sum);
            add_smoothed(&run, &sum);
            accuracy_run_free(&run);
        }
        double smoothed = accuracy_rms(sum.smoothed, sum.n), kalman = accuracy_rms(sum.kalman, sum.n);
        product[0] *= pow(smoothed, 1.0 / (double)n);
        product[1] *= pow(kalman, 1.0 / (double)n);
        printf("%-12s %9.3f %9.3f %7.2f %7.2f %7.2f %7.2f\n", classes[c].name, smoothed, kalman,
               smoothed / kalman, sum.tilt_ratio, sum.heading_ratio, sum.worst);
    }
    printf("%-12s %9.3f %9.3f %7.2f\n", "geometric", product[0], product[1], product[0] / product[1]);
}

typedef struct timed {
    const marl_log *log;
} timed;

static void smooth_once(void *context)
{
    marl_smoothed s;
    marl_error error = {0};
    if (marl_smooth(((timed *)context)->log, NULL, &s, &error) != MARL_OK) {
        exit(1);
    }
    marl_smoothed_free(&s);
}

void bench_smooth(void)
{
    print_classes(accuracy_classes, ACCURACY_CLASSES,
                  "smoother, classes that filters and smoother were tuned on, other seeds");
    print_classes(accuracy_untuned, ACCURACY_UNTUNED,
                  "smoother, motions and starts that no filter was tuned on");
    print_classes(accuracy_harder, ACCURACY_HARDER,
                  "smoother, driving without a stop and tumbling faster, that it was not tuned on");
    accuracy_class lift = accuracy_classes[0];
    accuracy_run run = accuracy_run_make(&lift, 1);
    marl_log log = log_of(&run);
    timed t = {&log};
    double seconds = 1e-9 * (double)(run.sample[run.n - 1].t_ns - run.sample[0].t_ns);
    printf("%.0f s of log at 200 Hz: %.3f s\n", seconds, bench_min(smooth_once, &t));
    free(log.row);
    accuracy_run_free(&run);
    bench_decisions();
}
