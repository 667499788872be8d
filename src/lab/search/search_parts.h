/* SPDX-License-Identifier: MIT
 * What the search is made of: ranges, the logs that tunings are tried on, races, refinement, proof. */
#ifndef LAB_SEARCH_PARTS_H
#define LAB_SEARCH_PARTS_H

#include "lab/search/goal.h"
#include <pthread.h>
#include <time.h>

struct marl_search_state {
    pthread_mutex_t lock; /* of the count and of the progress */
    struct timespec until;
    int has_until;
    int untimed; /* the defaults and the proof: the limit of time is not for them */
    int proving; /* scores are of other logs than those that are tuned on */
    double evaluations, total, best;
    size_t swept;   /* trials of the defaults and of the sweep */
    size_t refined; /* and of the refinement */
};

/* ---- ranges ---- */

/* The parameters of this filter that are worth varying. MARL_ERR_USE when there is none. */
MARL_CHECKED marl_status lab_search_usual_ranges(marl_search_filter *filter, marl_error *error);
/* Between the place in a range, 0 to 1, and the value; beyond the ends: the end. */
double lab_range_value(const marl_range *range, double unit);
double lab_range_unit(const marl_range *range, double value);
/* The filter's default with the varied parameters at these places. */
marl_tuning lab_search_tuning(const marl_search_filter *filter, const double *unit);

/* ---- logs ---- */

/* A log that tunings are tried on: its rows up to a moment, and the part of the reference that counts. Both share what
 * the case holds. */
typedef struct lab_trial_log {
    const marl_study *study;
    const marl_study_case *of;
    marl_log log;
    marl_series reference;
    marl_quat *truth; /* the reference at each row; w = x = y = z = 0 where it has none */
    size_t first_n;   /* rows of its own first part; half of all where that is too short for a proof */
} lab_trial_log;

enum { LAB_WHOLE, LAB_FIRST_PART, LAB_SECOND_PART };

/* The whole case, its first part, or the second after a gap. MARL_ERR_INSUFFICIENT when less than 10 s of reference lie in
 * it, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_trial_log_make(lab_trial_log *to, const marl_study *study, size_t number,
                                            int part, marl_error *error);
void lab_trial_log_free(lab_trial_log *it);

/* A pipeline for this tuning at the first row. */
MARL_CHECKED marl_status lab_trial_start(const lab_trial_log *it, const marl_tuning *tuning,
                                         marl_pipeline *pipeline, marl_error *error);
/* Everything that compare would give. */
MARL_CHECKED marl_status lab_trial_compare(const lab_trial_log *it, const marl_tuning *tuning,
                                           marl_comparison *comparison, marl_error *error);

/* ---- races ---- */

enum { LAB_STAGES = 4, LAB_FIRST_STAGE = 2 /* ends with the first part */ };

/* Who races where: trials on logs by a goal. */
typedef struct lab_race {
    marl_search *search;
    const lab_trial_log *log;
    size_t logs;
    unsigned threads;
    int none_ends; /* all run to the end */
    double
        pace[LAB_STAGES]; /* the best one's score after each part of the logs; INFINITY: no one ends early */
} lab_race;

lab_race lab_race_on(marl_search *search, const lab_trial_log *log, size_t logs, unsigned threads);

/* What became of a trial. */
typedef struct lab_ran {
    int ended;                /* early: hopeless by the pace */
    double after[LAB_STAGES]; /* its score after each part */
    double estimate;          /* its score; where it ended early an extrapolation, INFINITY without a pace */
} lab_ran;

/* Scores of trials, whose tunings are set; of those that end early it is INFINITY. */
MARL_CHECKED marl_status lab_race_run(const lab_race *race, marl_trial *trial, lab_ran *ran, size_t trials,
                                      marl_error *error);
/* The best of these trials sets the pace, if it is better than the one that sets it. */
void lab_race_set_pace(lab_race *race, const lab_ran *ran, size_t trials);

/* Counts evaluations and says so; 1 when the search is to end. */
int lab_search_count(marl_search *search, double evaluations, double score);
int lab_search_is_over(const marl_search *search);

/* ---- finding ---- */

/* What is made least: the logarithm of the score, and a little for each parameter that leaves the default. INFINITY where
 * the score is not finite. */
double lab_search_cost(const marl_search *search, const marl_trial *trial, double score);
int lab_search_is_better(const marl_search *search, const marl_trial *a, const marl_trial *b);

enum { LAB_STARTS = 2 }; /* of the refinement, at once */

/* Trials of the search, kept. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_search_keep(marl_search *search, const marl_trial *trial, size_t n,
                                         marl_error *error);

/* Sweeps all filters' ranges on all logs; trials are kept. */
MARL_CHECKED marl_status lab_search_sweep(marl_search *search, lab_race *race, marl_error *error);

/* Room for what is tried, until it is kept. */
typedef struct lab_tried {
    size_t most; /* evaluations */
    marl_trial *tried;
    size_t n;
} lab_tried;

/* Refines one trial on the race's logs; *trial becomes the best of what was tried. */
MARL_CHECKED marl_status lab_search_refine(const lab_race *race, marl_trial *trial, lab_tried *to,
                                           marl_error *error);
/* The best two of each filter, which must not be close to each other, on all logs; trials are kept. */
MARL_CHECKED marl_status lab_search_refine_all(marl_search *search, const lab_race *race, marl_error *error);

/* How many evaluations a filter has for its sweep, and for the refinement of one start. */
size_t lab_search_sweep_size(const marl_search *search, size_t varied);
size_t lab_search_refine_size(const marl_search *search, size_t varied);

/* ---- proof ---- */

/* Evaluations of the proof, about. */
double lab_search_proof_size(const marl_search *search);
/* search->gain, and what is chosen. */
MARL_CHECKED marl_status lab_search_prove(marl_search *search, const lab_trial_log *log, marl_error *error);
/* search->slice, of the best one; room for MARL_SLICE_POINTS of each range. Beside the proof: trials are not kept here,
 * since it reads those that are. */
MARL_CHECKED marl_status lab_search_slice(marl_search *search, const lab_race *race, lab_tried *to,
                                          marl_error *error);

#endif
