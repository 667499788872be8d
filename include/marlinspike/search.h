/* SPDX-License-Identifier: MIT
 * Search for the tuning that does best on some logs, and proof on what it was not tuned on. The usual order of calls:
 *
 *   marl_study_add_case(study, "lift.csv", "lift.reference.csv", &error);    one or more; options before
 *   marl_search *search = marl_search_create(study);                         NULL without memory
 *   marl_search_add_filter(search, "complementary", &error);                 one or more
 *   marl_search_vary(search, "tilt_time=0.1:10", &error);                    none: what is worth varying
 *   marl_search_run(search, &error);
 *   ... search->best, search->gain, search->chosen ...
 *   marl_search_free(search);                                                before the study
 *
 * First the whole range is swept by a low-discrepancy sequence, in which tunings that are hopeless on a part of every
 * log end early; then the best are refined without derivatives. What was found is then tried on logs that it was not
 * tuned on, beside the default. The same calls give the same answer on any number of cores, unless time is the limit. */
#ifndef MARLINSPIKE_SEARCH_H
#define MARLINSPIKE_SEARCH_H

#include "marlinspike/compare.h"
#include <signal.h>

#ifdef __cplusplus
extern "C" {
#endif

enum {
    MARL_SEARCH_FILTERS = 8,
    MARL_SEARCH_VARIED = 8,
    MARL_GOAL_TERMS = 6,
    MARL_SLICE_POINTS = 17,
    MARL_TRADE_POINTS = 13
};

/* ---- goal ---- */

/* What is made small: a weighted sum of measures (docs/measures.md), in the unit of the first. Over logs its geometric
 * mean counts, or the worst. */
typedef struct marl_goal_term {
    double weight;
    unsigned measure; /* private */
} marl_goal_term;

typedef struct marl_goal {
    size_t n;
    marl_goal_term term[MARL_GOAL_TERMS];
    int worst; /* over logs the worst, and not the geometric mean */
    char text[120];
    const char *unit; /* "deg", "ms", "s", "deg/h" */
} marl_goal;

/* "total.rms", "tilt.p95", "heading.max", "jitter", "lag", "settle", "drift", and sums: "tilt.rms+0.01*lag". The text
 * is kept. MARL_ERR_USE lists the measures. */
MARL_CHECKED marl_status marl_goal_read(marl_goal *goal, const char *text, marl_error *error);
/* Its value for one log; NaN where the log does not determine a measure. Lag and drift count without their sign. */
double marl_goal_value(const marl_goal *goal, const marl_comparison *comparison);

/* ---- search ---- */

/* A parameter that is varied. */
typedef struct marl_range {
    marl_parameter_id id;
    double low, high; /* of a switch 0 and 1 */
    int logarithmic;
} marl_range;

/* The range that is searched where none is given; 0 for a parameter that is not varied unless it is named. */
int marl_range_usual(marl_filter filter, marl_parameter_id id, marl_range *range);

/* A filter, from which tuning it starts, and what is varied. */
typedef struct marl_search_filter {
    marl_named_tuning standard; /* the default, which every gain is stated against */
    size_t varied;
    marl_range range[MARL_SEARCH_VARIED];
} marl_search_filter;

/* A tuning that was tried. */
typedef struct marl_trial {
    size_t filter; /* its number */
    marl_tuning tuning;
    double score; /* of all logs; INFINITY when it ended early or failed on one of them */
    /* Of the logs' first parts (MARL_PROOF_HALVES); INFINITY when it ended before them, NaN for a goal that is no sum. */
    double first_score;
    double by_log[MARL_STUDY_MAX_CASES];
} marl_trial;

/* On what the gain was found. */
typedef enum marl_proof {
    MARL_PROOF_NONE = 0,      /* stopped before */
    MARL_PROOF_HELD_OUT,      /* on logs that were given for it */
    MARL_PROOF_LEAVE_ONE_OUT, /* on each log by a tuning of the others */
    MARL_PROOF_HALVES         /* on the second part of each log, tuned on the first, 10 s lie between */
} marl_proof;

/* "none", "held-out logs", "leave one log out", "second halves" */
const char *marl_proof_name(marl_proof proof);

/* Scores on what was not tuned on. */
typedef struct marl_gain {
    marl_proof proof;
    size_t logs;
    double score, standard; /* of what was found, and of the default */
    double ratio;           /* of the two, geometric mean over the logs; under 1 is better */
    double low,
        high; /* 95 % interval of the ratio: Student's over three logs and more, else of blocks of time; NaN where
                         neither can be had */
    /* That further logs of the kind have a ratio under 1, 0 to 1: Student's, one-sided; NaN under three logs. */
    double confidence;
    /* The confidence is over 0.95, or under three logs the interval under 1; and the reference, if it is the smoothed log,
     * tells the two apart. */
    int decided;
} marl_gain;

/* Scores of one log. */
typedef struct marl_search_log {
    const char *path;
    double best, standard; /* of what was found on all logs, and of the default */
    double own;            /* the least of all trials on this log alone */
} marl_search_log;

/* One parameter through the best tuning, the others as they are there. */
typedef struct marl_slice {
    double value[MARL_SLICE_POINTS], score[MARL_SLICE_POINTS];
    size_t n;
    double from, to;              /* the plateau: within 5 % of the best score */
    int from_is_open, to_is_open; /* it goes on beyond the range */
    double share;                 /* of the score's change over all ranges, 0 to 1 */
} marl_slice;

/* What one value of a parameter gives; means over the logs, NaN where none determines it. */
typedef struct marl_trade_point {
    double value;
    double jitter_deg, lag_ms;     /* smooth or quick */
    double shaking_deg, still_deg; /* total error, rms, while shaking and at rest */
    double score;
} marl_trade_point;

/* done of total evaluations; never from two threads at once. */
typedef void marl_search_progress(void *context, size_t done, size_t total, double best);

typedef struct marl_search_options {
    const marl_sheet
        *sheet; /* filters start from their defaults for it; NULL: the one that logs in counts are read by */
    marl_goal goal;                    /* n 0: total.rms, or tilt.rms where a heading cannot be compared */
    size_t limit;                      /* evaluations; 0: by the number of parameters */
    double limit_s;                    /* seconds of the search before the proof; 0: none */
    unsigned threads;                  /* 0: as many as there are cores */
    const volatile sig_atomic_t *stop; /* NULL, or: nonzero ends the search with the best so far */
    marl_search_progress *progress;    /* may be NULL */
    void *context;
} marl_search_options;

typedef struct marl_search {
    marl_search_options options;
    marl_study *study; /* the logs that are tuned on; not owned */
    marl_study *held;  /* logs to prove it on; no cases: none were given */
    size_t filters;
    marl_search_filter filter[MARL_SEARCH_FILTERS];
    int varied_given;
    size_t trials; /* in the order in which they were tried; the defaults first */
    marl_trial *trial;
    size_t
        evaluations; /* replays of all logs, the proof's among them; those that ended early by their share */
    int stopped;     /* by `stop` or by time */
    marl_named_tuning best; /* what was found */
    size_t best_filter;
    double score, standard_score; /* on the logs that were tuned on */
    marl_gain gain;
    marl_named_tuning chosen; /* best, or the default where no gain was decided */
    int keeps_default;
    marl_search_log log[MARL_STUDY_MAX_CASES];
    marl_slice slice[MARL_SEARCH_VARIED]; /* of the best one's ranges */
    struct marl_search_state *state;      /* private */
} marl_search;

/* NULL without memory. The study's cases and options stay as they are. */
marl_search *marl_search_create(marl_study *study);
void marl_search_free(marl_search *search); /* NULL is allowed */

/* A filter or a tuning, as marl_tuning_read takes it; its values are the default that gains are stated against, and hold
 * for what is not varied. The first one is kept where nothing better is decided. MARL_ERR_USE beyond the capacity. */
MARL_CHECKED marl_status marl_search_add_filter(marl_search *search, const char *text, marl_error *error);

/* "NAME" or "NAME=LOW:HIGH", for every filter so far that has it; all of them before. MARL_ERR_USE when none has it (with
 * the nearest name), for a range upside down or beyond the table's, or beyond the capacity. */
MARL_CHECKED marl_status marl_search_vary(marl_search *search, const char *text, marl_error *error);

/* A log to prove it on, with the study's options. MARL_ERR_USE when it holds rows of a log that is tuned on. */
MARL_CHECKED marl_status marl_search_hold_out(marl_search *search, const char *log_path,
                                              const char *reference_path, marl_error *error);

/* MARL_ERR_USE without a filter or a log; MARL_ERR_INSUFFICIENT when a log does not determine the goal, is too short, or
 * no tuning in the range has a finite score; MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_search_run(marl_search *search, marl_error *error);

/* For one parameter of the best filter, the others as they were found. MARL_ERR_USE when the filter has no such number. */
MARL_CHECKED marl_status marl_search_trade(marl_search *search, const char *name,
                                           marl_trade_point point[MARL_TRADE_POINTS], size_t *n,
                                           marl_error *error);

/* The chosen tuning as a file that carries its evidence (docs/formats.md). */
MARL_CHECKED marl_status marl_search_write(const marl_search *search, const char *path, marl_error *error);
/* Every trial as a row of a CSV file: filter, varied parameters, score, scores of the logs. */
MARL_CHECKED marl_status marl_search_write_trials(const marl_search *search, const char *path,
                                                  marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
