/* SPDX-License-Identifier: MIT
 * A study: logs with their references x tunings x rates, on one clock and in one frame, and the order of the
 * tunings. The usual order of calls:
 *
 *   marl_study *study = marl_study_create();             NULL without memory
 *   study->options.match = MARL_MATCH_WORLD;             as needed; zeroed: as everything is recorded
 *   marl_study_add_tuning(study, "kalman", &error);      one or more
 *   marl_study_add_rate(study, 50, &error);              none: as recorded
 *   marl_study_add_case(study, "lift.csv", "lift.reference.csv", &error);    one or more
 *   marl_study_run(study, &error);
 *   ... study->runs, study->rank ...
 *   marl_study_free(study);
 */
#ifndef MARLINSPIKE_STUDY_H
#define MARLINSPIKE_STUDY_H

#include "marlinspike/files.h"
#include "marlinspike/reference.h"
#include "marlinspike/replay.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { MARL_STUDY_MAX_CASES = 64, MARL_STUDY_MAX_TUNINGS = 32, MARL_STUDY_MAX_RATES = 16 };

typedef enum marl_start_kind {
    MARL_START_VECTORS = 0, /* the first good readings */
    MARL_START_REFERENCE,   /* the reference's attitude at the log's first row */
    MARL_START_GIVEN        /* start_q */
} marl_start_kind;

typedef struct marl_study_options {
    marl_log_options reading;              /* of logs and, but for the sheet, of references */
    const marl_calibration_record *record; /* NULL: readings as they are */
    const char *record_path;
    const char *reference_world; /* "enu" or "ned"; NULL: as in the reference */
    int find_offset;             /* the reference's clock is found from turning ... */
    double offset_s;             /* ... else this is its offset */
    marl_match_kind match;
    const marl_named_tuning *match_by; /* whose attitude is matched; NULL: the smoothed log, or kalman where
                                          there can be none and for MARL_MATCH_START */
    marl_start_kind start;
    marl_quat start_q; /* in enu */
    marl_degradation degradation;
} marl_study_options;

/* A log and its reference. */
typedef struct marl_study_case {
    char *log_path, *reference_path;
    marl_log log;
    marl_series reference; /* on the log's clock, matched */
    int reference_relative;
    int reference_smoothed; /* it comes from the log itself, with these standard deviations, rms */
    double reference_tilt_deg, reference_heading_deg;
    int match_smoothed; /* the match is of the smoothed log */
    marl_clock clock;   /* found, or as given with no standard errors */
    marl_match match;
    marl_conditions conditions;
    marl_quat start; /* of MARL_START_REFERENCE */
} marl_study_case;

/* One tuning at one rate on one log. */
typedef struct marl_run {
    const marl_study_case *on;
    const marl_named_tuning *tuning;
    double rate_hz;   /* 0 = as recorded */
    marl_error error; /* MARL_OK, or why it failed */
    int compared;     /* 0: there is no comparison, and nothing of the replay */
    marl_comparison comparison;
    marl_estimator_counts counts;
    uint32_t digest;
    int heading_is_magnetic;
} marl_run;

typedef struct marl_study {
    marl_study_options options;
    marl_warnings warnings;
    size_t case_n, tuning_n, rate_n; /* rate_n is at least 1 once it has run */
    marl_study_case cases[MARL_STUDY_MAX_CASES];
    marl_named_tuning tunings[MARL_STUDY_MAX_TUNINGS];
    double rates[MARL_STUDY_MAX_RATES];
    size_t run_n;   /* tunings x rates x cases, cases running fastest */
    marl_run *runs; /* as many */
    marl_rank_by rank_by;
    marl_rank rank[MARL_STUDY_MAX_TUNINGS * MARL_STUDY_MAX_RATES]; /* tunings x rates, the best first */
    marl_named_tuning kalman; /* private: matched where no other is named */
} marl_study;

/* NULL without memory. */
marl_study *marl_study_create(void);
void marl_study_free(marl_study *study); /* NULL is allowed */

/* A tuning as marl_tuning_read takes it, for the sheet of options.reading. MARL_ERR_USE beyond the capacity.
 */
MARL_CHECKED marl_status marl_study_add_tuning(marl_study *study, const char *text, marl_error *error);
/* All filters with their defaults. */
MARL_CHECKED marl_status marl_study_add_filters(marl_study *study, marl_error *error);

/* As if rows came at this rate, Hz. MARL_ERR_USE when it is not in (0, 1e6), or beyond the capacity. */
MARL_CHECKED marl_status marl_study_add_rate(marl_study *study, double rate_hz, marl_error *error);

/* Loads a log and its reference ("smooth": the log itself, smoothed), finds clock and frames once, and what
 * the board was doing. The options must be set before. Errors as of the readers; MARL_ERR_INSUFFICIENT where
 * clock, frames or a common time cannot be found. */
MARL_CHECKED marl_status marl_study_add_case(marl_study *study, const char *log_path,
                                             const char *reference_path, marl_error *error);

/* Replays and compares everything, and ranks the tunings: by the total error, unless a heading among them
 * cannot be compared. A run that fails keeps its reason, the others go on. MARL_ERR_INSUFFICIENT for a rate
 * above a log's own, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_study_run(marl_study *study, marl_error *error);

/* One run's attitudes once more; `watch` (may be NULL) is called for each. *estimate is to be freed by the
 * caller. */
MARL_CHECKED marl_status marl_study_replay(const marl_study *study, const marl_run *run,
                                           marl_replay_watch *watch, void *watch_context,
                                           marl_pipeline *pipeline, marl_series *estimate, marl_error *error);

/* The error by which tunings are ranked, of all moments or of those of a condition. */
double marl_study_score(const marl_study *study, const marl_measures *measures);

/* Standard deviation of smoothed references, deg, rms over the cases, of what is ranked by; NaN when another
 * reference is among them. A difference of two tunings under it is not decided. */
double marl_study_reference_sigma(const marl_study *study);

/* "kalman", or with several rates "kalman, 50 Hz". */
void marl_study_run_name(const marl_study *study, const marl_run *run, char *name, size_t size);

#ifdef __cplusplus
}
#endif
#endif
