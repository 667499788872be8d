/* SPDX-License-Identifier: MIT
 * Studies of simulated logs in memory for the search's benchmark. */
#ifndef SEARCH_TRIALS_H
#define SEARCH_TRIALS_H

#include "accuracy_scenes.h"
#include "marlinspike/search.h"

/* A search over n runs of a class, seeds from `seed` on, as sensors after calibration are; their truth at 50 Hz is the
 * reference. Stops the program without memory. */
marl_search *search_trial_make(const accuracy_class *of, uint64_t seed, size_t n, double rate_hz);
void search_trial_free(marl_search *search);

/* Stops the program with the reason when it is not MARL_OK. */
void search_trial_must(marl_status status, const marl_error *error);

/* The rms of the total error of a tuning, geometric mean over the cases of a study. */
double search_trial_score(const marl_study *study, const marl_tuning *tuning);

void search_trials(void);

#endif
