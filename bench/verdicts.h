/* SPDX-License-Identifier: MIT
 * What the verdict benchmarks share: simulated logs and counts of what was accepted, refused and wrong. */
#ifndef VERDICTS_H
#define VERDICTS_H

#include "marlinspike/lab.h"

/* Seeds for reporting: the fits were adjusted on seeds under 1000. */
enum { VERDICT_SEEDS = 40, VERDICT_FROM = 5001 };

/* A simulated log in memory, with its truth, from `skip_s` of the scene on. Stops the program without memory.
 */
marl_log verdict_log_of(const marl_sheet *sheet, marl_scene_kind scene, double rate_hz, double seconds,
                        double skip_s, uint64_t seed);
marl_log verdict_log(marl_scene_kind scene, double rate_hz, double seconds, double skip_s, uint64_t seed);
/* A copy with the sensors of `columns` and their rows alone, by a clock that shows `late_s` more. */
marl_log verdict_part(const marl_log *log, unsigned columns, unsigned fresh, double late_s);

/* Stated errors against truth. */
typedef struct verdict_count {
    int runs, accepted, values, wrong; /* wrong: off by more than five standard errors */
    double squares;                    /* of error / standard error */
} verdict_count;

void verdict_add(verdict_count *count, double error, double sigma);
/* "accepted 40 of 40, NSE 1.02, beyond 5 sigma 0 of 120" */
void verdict_print(const char *name, const verdict_count *count);

void verdicts_merge(void);
void verdicts_poses(void);
void verdicts_tumble(void);
void verdicts_soak(void);
void verdicts_moves(void);
void verdicts_verify(void);
void verdicts_axes(void);

#endif
