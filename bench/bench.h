/* SPDX-License-Identifier: MIT
 * Speed and memory, as tables. Ratios are of times taken in the same run. */
#ifndef BENCH_H
#define BENCH_H

#include "marlinspike/lab.h"

#define BENCH_ROWS 1000000

/* Monotonic seconds. */
double bench_now(void);

/* Time of one call of work(context), s. */
double bench_once(void (*work)(void *), void *context);

/* Least time of three calls of work(context), s. */
double bench_min(void (*work)(void *), void *context);

/* Runs a program without a shell; its output is dropped. Returns its peak memory in KiB and the time it took;
 * stops the benchmark when it fails. */
long bench_run(const char *const *words, double *seconds);

/* A ten-column log of `rows` rows of the lift, every sensor fresh in each, at `path`. */
void bench_make_log(const char *path, int rows);

/* The tables. */
void bench_reading(const char *log);
void bench_numbers(void);
void bench_estimators(void);
void bench_accuracy(void);
/* The filters under a gyroscope bias that is not known; not part of a run without words. */
void bench_bias(void);
void bench_grades(void);
void bench_into(void);
void bench_lever(void);
void bench_renew(void);
void bench_sensors(void);
void bench_speed(void);
void bench_rates(void);
void bench_delay(void);
void bench_late(void);
void bench_spikes(void);
void bench_times(void);
void bench_steps(void);
void bench_mag_delay(void);
/* Finds the one tuning of each textbook loop; not part of a run without words. */
void bench_plain(void);
void bench_recovery(void);
/* Wrong acceptances, refusals and errors against stated ones; not part of a run without words. */
void bench_verdicts(void);
void bench_match(void);
void bench_noise(void);
void bench_tumbles(void);
void bench_groups(void);
/* Clocks and frames of references. */
void bench_frames(void);
/* The smoother against the truth; not part of a run without words. */
void bench_smooth(void);
void bench_decisions(void);
void bench_tunings(void);
void bench_inspect(void);
void bench_calibrate(void);
void bench_compare(void);
void bench_stream(const char *dir);
/* The search against a grid, and its speed; not part of a run without words. */
void bench_search(const char *dir);
void bench_file_to_file(const char *dir, const char *log);

#endif
