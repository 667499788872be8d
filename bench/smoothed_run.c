/* SPDX-License-Identifier: MIT
 * A run of the accuracy scenes, smoothed, against its truth. */
#include "smoothed_run.h"
#include "lab/log/log_report.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

smoothed_errors smoothed_run(const accuracy_run *run, marl_smoothed *s)
{
    static char path[] = "made.csv";
    marl_log log = {.path = path, .n = run->n, .row = calloc(run->n, sizeof *log.row)};
    marl_error error = {0};
    smoothed_errors sum = {0, 0, 0};
    double n = (double)run->n;
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    log.info.corrected = run->calibrated;
    lab_repeats repeats = {.begun = 0};
    lab_report_init(&log.report);
    for (size_t i = 0; i < run->n && log.row != NULL; i++) {
        log.row[i].sample = run->sample[i];
        lab_report_readings(&repeats, &run->sample[i], &log.report);
    }
    if (log.row == NULL || marl_smooth(&log, NULL, s, &error) != MARL_OK) {
        fprintf(stderr, "%s\n", error.text);
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        marl_error_angles e = marl_error_between(s->row[i].q, run->truth[i]);
        sum.total2 += e.total_deg * e.total_deg / n;
        sum.tilt += pow(e.tilt_deg * MARL_DEGREE / (double)s->row[i].sigma_tilt, 2) / n;
        sum.heading += pow(e.heading_deg * MARL_DEGREE / (double)s->row[i].sigma_heading, 2) / n;
    }
    free(log.row);
    return sum;
}

void smoothed_sums_add(smoothed_sums *sums, const smoothed_errors *errors, const marl_smoothed *s)
{
    double ratio = fmax(errors->tilt, errors->heading);
    int is_trusted = marl_smoothed_distrust(s) == NULL;
    sums->logs++;
    sums->distrusted += !is_trusted;
    sums->over += is_trusted && ratio > 9;
    sums->log_rms += 0.5 * log(errors->total2);
    sums->worst_rms = fmax(sums->worst_rms, sqrt(errors->total2));
    sums->ratio += 0.5 * (errors->tilt + errors->heading);
    sums->worst_ratio = fmax(sums->worst_ratio, ratio);
}

void smoothed_sums_print(const smoothed_sums *sums)
{
    double n = sums->logs;
    printf("%4d  %6.3f %7.3f  %5.2f %7.2f  %4d %4d", sums->logs, exp(sums->log_rms / n), sums->worst_rms,
           sums->ratio / n, sums->worst_ratio, sums->distrusted, sums->over);
}

void smoothed_sums_add_run(smoothed_sums *sums, const accuracy_run *run)
{
    marl_smoothed s;
    smoothed_errors errors = smoothed_run(run, &s);
    smoothed_sums_add(sums, &errors, &s);
    marl_smoothed_free(&s);
}

double kalman_log_rms(const accuracy_run *run)
{
    const marl_tuning kalman = marl_tuning_default(MARL_FILTER_KALMAN);
    accuracy_sum sum = {0};
    accuracy_run_ours(&kalman, run, &sum);
    return 0.5 * log(sum.total / (double)sum.n);
}
