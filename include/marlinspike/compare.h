/* SPDX-License-Identifier: MIT
 * Comparison with reference attitudes, and studies of many tunings on many logs: see marl_study_create for
 * the usual order of calls. The parts can be called alone: marl_reference_check, marl_clock_find,
 * marl_match_find, marl_conditions_find, marl_compare, marl_rank_tunings. */
#ifndef MARLINSPIKE_COMPARE_H
#define MARLINSPIKE_COMPARE_H

#include "marlinspike/inspect.h"
#include "marlinspike/replay.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- compare ---- */

/* Comparison of an estimate with a reference, and tunings in the order of their errors. The error is e =
 * q_estimate q_reference*, in the world: total is its angle, heading its twist about the world's up (positive
 * clockwise seen from above), tilt the angle between the two up directions. The reference is interpolated
 * (slerp) at the estimate's times, never across a gap of more than 5 of its median steps, never beyond its
 * ends. docs/measures.md has the formulas. */

/* What the board was doing, so that errors can be split by it. Each holds or does not over windows of half a
 * second; a moment may have several, or none. */
typedef enum marl_condition {
    MARL_CONDITION_STILL,     /* as marl_inspect_still finds it */
    MARL_CONDITION_TURNING,   /* the reference turns by more than 5 deg/s from end to end of a window */
    MARL_CONDITION_SHAKING,   /* acceleration in the world scatters by more than 0.5 m/s^2 within a window */
    MARL_CONDITION_DISTURBED, /* the field, as the reference turns it into the world, is off its median over
                                 the log by more than a tenth of it: 6 degrees, or 10 % of strength */
    MARL_CONDITION_COUNT
} marl_condition;

/* "still", "turning", "shaking", "disturbed" */
const char *marl_condition_name(marl_condition condition);

typedef struct marl_conditions {
    marl_spans spans[MARL_CONDITION_COUNT];
} marl_conditions;

/* The reference must be on the log's clock and in its body frame. What it does not cover is only ever still.
 * `record` corrects the readings first, NULL: as they are. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_conditions_find(const marl_log *log, const marl_calibration_record *record,
                                              const marl_series *reference, marl_conditions *conditions,
                                              marl_error *error);
void marl_conditions_free(marl_conditions *conditions);

typedef struct marl_error_angles {
    double total_deg, tilt_deg; /* >= 0 */
    double heading_deg;         /* (-180, 180]; NaN where tilt is within 1 degree of 180 */
} marl_error_angles;

marl_error_angles marl_error_between(marl_quat estimate, marl_quat reference);

typedef struct marl_measure {
    double rms, mean, p95, max; /* degrees, of absolute values; NaN without a sample */
} marl_measure;

/* The errors over a part of the time. */
typedef struct marl_measures {
    size_t n;     /* attitudes that the reference covers */
    double share; /* of all of them, 0 to 1 */
    marl_measure total, tilt, heading;
} marl_measures;

/* NaN = null: the recording does not determine it. */
typedef struct marl_comparison {
    size_t n;                 /* attitudes that the reference covers */
    int64_t *t_ns;            /* n */
    marl_error_angles *error; /* n */
    marl_measures all, by_condition[MARL_CONDITION_COUNT];
    double settle_s;        /* from the first sample until total stays under 2 degrees for 5 s */
    double jitter_deg;      /* at rest, rms rotation against the attitude's own 1 s moving mean */
    double lag_ms;          /* shift of least rms error; positive = the estimate is late; NaN unless that lies
                            inside +-1 s and the reference turns at 5 deg/s rms or more */
    double drift_deg_per_h; /* slope of the heading error */
    double lost_s; /* since the first sample: when tilt went beyond 45 degrees to stay there for 10 s;
                      NaN = it never did */
} marl_comparison;

/* The measures beside the errors, a row each: tables, --json, the page and their checks go by it. */
typedef enum marl_scalar_id {
    MARL_SCALAR_SETTLE,
    MARL_SCALAR_JITTER,
    MARL_SCALAR_LAG,
    MARL_SCALAR_DRIFT,
    MARL_SCALAR_COUNT
} marl_scalar_id;

typedef struct marl_scalar {
    const char *key;     /* as in --json: "settle_s" */
    const char *title;   /* of a column: "settle" */
    const char *unit;    /* "s" */
    int width, decimals; /* of a column */
    size_t offset;       /* private: of its double in marl_comparison */
} marl_scalar;

const marl_scalar *marl_scalar_row(marl_scalar_id id);
double marl_scalar_value(const marl_comparison *comparison, marl_scalar_id id);

/* MARL_ERR_INSUFFICIENT when the two have no time in common. `conditions` may be NULL: then no jitter, and no
 * measures by condition. */
MARL_CHECKED marl_status marl_compare(const marl_series *estimate, const marl_series *reference,
                                      const marl_conditions *conditions, marl_comparison *comparison,
                                      marl_error *error);
void marl_comparison_free(marl_comparison *comparison);

typedef enum marl_rank_by { MARL_RANK_BY_TOTAL = 0, MARL_RANK_BY_TILT = 1 } marl_rank_by;

typedef struct marl_rank {
    size_t tuning;     /* its number */
    size_t failed;     /* cases in which it gave nothing to compare; such tunings come last */
    double score_deg;  /* rms error of a case, geometric mean over its cases */
    double difference; /* to the first one's score, degrees */
    double low,
        high;     /* 95 % interval of that difference, for these recordings; NaN when the cases hold under two
                          blocks, or when a case failed */
    double ratio; /* of its errors to the first one's, geometric mean over the cases; NaN when one failed */
    double ratio_low,
        ratio_high; /* 95 % interval of that ratio, for further logs of the same kind; NaN with under
                                     three cases */
    /* Of one case: 95 % interval of that ratio in one more recording of the kind, as far as stretches of this one
     * show; NaN under five blocks, and with more cases. */
    double next_low, next_high;
} marl_rank;

/* What is ranked. */
typedef struct marl_contest {
    const marl_comparison *const *compared; /* [tuning * cases + case], NULL where it failed */
    size_t tunings, cases;
    marl_rank_by by;
} marl_contest;

/* The order goes to rank[0 .. tunings - 1].
 *
 * The interval of the difference is a bootstrap over blocks of time, as long as the errors remember and 5 s at
 * least, the same draws for all tunings ("The jackknife and the bootstrap for general stationary observations",
 * 1989), from a fixed seed; that of the ratio is Student's, of the logarithms of the cases' ratios (paired):
 * errors of logs differ by factors. What one more recording may show is Student's, too, for one more of five
 * stretches. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_rank_tunings(const marl_contest *contest, marl_rank *rank, marl_error *error);

/* ---- reference ---- */

/* A reference attitude as it comes: is it usable, on which clock and in which frames is it expressed. What
 * is found here is found once per log and removed from the reference before anything is compared. */

/* Is it a reference? MARL_ERR_INSUFFICIENT when it is shorter than 10 s; MARL_ERR_INPUT when a step of it
 * turns by more than 90 degrees (across which nothing can be interpolated, and which no rig means) or when
 * rows of the log it came from hold quaternions whose length is not 1 within 1 %. */
MARL_CHECKED marl_status marl_reference_check(const marl_series *reference, const marl_log *log,
                                              marl_error *error);

/* Where a rig loses the body, many repeat its last attitude until they find it again. Takes such stretches out: at least
 * 0.1 s and 5 attitudes the same to the last digit, and 5 times as many as they are in a row on average, out of which the
 * next one jumps by over 1 degree, over 5 times the median of the steps that turn at all, and over 4 times the three steps
 * after it. So a rest, a slow rig whose rows were repeated, and coarse digits stay. One at the very end shows no jump and
 * stays, too. */
typedef struct marl_held {
    size_t stretches;
    double seconds, longest_s;
    int64_t first_ns; /* where the longest begins */
} marl_held;
marl_held marl_reference_drop_held(marl_series *reference);

/* The reference's clock against the log's: t_reference = t_log + offset_s + 1e-6 ppm (t_log - first row). */
typedef struct marl_clock {
    int found;
    double offset_s, offset_sigma_s; /* at the log's first row */
    double ppm, ppm_sigma; /* ppm is NaN, and counts as 0, where the recording does not determine it */
    double r_squared;      /* share of the reference's turning that the gyroscope explains, 0 to 1 */
    int repeats; /* the motion repeats itself: other shifts fit as well, this is where both have most in
                    common */
} marl_clock;

/* From turning: the log's raw gyroscope against the reference's angular rate, with a free 3x3 map and a bias
 * between them, so that a tilted mount does not matter. First the shift that explains most, among all; then
 * offset and rate together by least squares over windows of 3.2 s and shorter. A low-pass in the gyroscope
 * delays it; that delay is in offset_s, with a minus. Not found when there is too little turning or another
 * shift would fit nearly as well. MARL_ERR_INSUFFICIENT without a gyroscope, MARL_ERR_SYSTEM without memory.
 */
MARL_CHECKED marl_status marl_clock_find(const marl_log *log, const marl_series *reference, marl_clock *clock,
                                         marl_error *error);

/* Converts the times of a reference to the log's clock, whose first row is at from_ns. */
void marl_clock_apply(const marl_clock *clock, int64_t from_ns, marl_series *reference);

typedef enum marl_match_kind {
    MARL_MATCH_NONE = 0,
    MARL_MATCH_START,         /* one difference, taken while the estimate first stays with the reference */
    MARL_MATCH_HEADING,       /* about the vertical */
    MARL_MATCH_WORLD,         /* another world frame */
    MARL_MATCH_WORLD_AND_BODY /* and a tilted mount */
} marl_match_kind;

/* "none", "start", "heading", "world", "world+body". MARL_ERR_ARGUMENT for another name. */
MARL_CHECKED marl_status marl_match_from_name(const char *name, marl_match_kind *kind);

/* Constant rotations with estimate ~ world reference body. */
typedef struct marl_match {
    marl_match_kind kind; /* as asked */
    marl_quat world, body;
    int has_world,
        has_body;      /* 0: left out, because not asked for or because the motion does not determine it */
    int body_is_mixed; /* 1, and has_body 0: `body` is determined but for its turn about mixed_axis (unit, of the
                          estimate's body); of that one only the sum with the world's is, and the standard
                          errors are without it */
    double mixed_axis[3];
    double world_sigma_deg[3],
        body_sigma_deg[3]; /* standard errors about x, y, z, by the scatter over twelfths
                              of the log (5 s at least); NaN where not found */
    double sigma_deg;      /* the largest of them; NaN without */
    double residual_deg;   /* rms of the rotations that are left */
    double condition;      /* how many times larger than their mean a common error of the attitudes comes out,
                                  1 = best; INFINITY where the sides cannot be separated at all */
} marl_match;

/* Least squares of the rotation between the two, over the attitudes that both have, 5 s after the first
 * one on where they last 30 s. Both on one clock. Turning about one axis does not separate body from world: where the
 * condition number exceeds 20, or a standard error of the body 1 degree, the turn about that axis is mixed up
 * (body_is_mixed), and where a standard error without it is over 1 degree still, body is left out.
 * MARL_ERR_INSUFFICIENT when they have under 10 s in common, or (start) the difference never stays within
 * 2 degrees for 5 s. */
MARL_CHECKED marl_status marl_match_find(const marl_series *estimate, const marl_series *reference,
                                         marl_match_kind kind, marl_match *match, marl_error *error);

/* Adds the estimate's own standard deviations (rad; tilt: both axes together) to those of the match: an error of the
 * estimate that lasts is no scatter. Its cause lies in the sensors and turns with the body, so the world's side has it
 * as far as the body always stands the same way, and what averages out once in 8 s; of `start` all of it. NaN where nobody
 * knows them: then those of the match are NaN. */
void marl_match_add_sigma(marl_match *match, const marl_series *estimate, double tilt, double heading);

/* reference becomes world reference body. */
void marl_match_apply(const marl_match *match, marl_series *reference);

/* ---- study ---- */

/* A study: logs with their references x tunings x rates, on one clock and in one frame, and the order of the
 * tunings. The usual order of calls:
 *
 *   marl_study *study = marl_study_create();             NULL without memory
 *   study->options.match = MARL_MATCH_WORLD;             as needed; zeroed: as everything is recorded
 *   marl_study_add_tuning(study, "kalman", &error);      one or more
 *   marl_study_add_rate(study, 50, &error);              none: as recorded
 *   marl_study_add_case(study, "lift.csv", "lift.reference.csv", &error);    one or more
 *   marl_study_run(study, &error);
 *   ... study->runs, study->rank ...
 *   marl_study_free(study); */

enum { MARL_STUDY_MAX_CASES = 64, MARL_STUDY_MAX_TUNINGS = 32, MARL_STUDY_MAX_RATES = 16 };

typedef enum marl_start_kind {
    MARL_START_VECTORS = 0, /* the first good readings */
    MARL_START_REFERENCE,   /* the reference's attitude at the log's first row */
    MARL_START_GIVEN        /* start_q */
} marl_start_kind;

/* What is being done, and the share that is done, 0 to 1; called now and then while a log is smoothed, and after each
 * run. */
typedef void marl_study_progress(void *context, const char *stage, double share);

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
    marl_study_progress *progress; /* may be NULL */
    void *progress_context;
} marl_study_options;

/* A log and its reference. */
typedef struct marl_study_case {
    char *log_path, *reference_path; /* reference_path NULL: none, and the reference is empty */
    marl_log log;
    marl_series reference; /* on the log's clock, matched */
    int reference_relative;
    int reference_smoothed; /* it comes from the log itself, with these standard deviations, rms */
    double reference_tilt_deg, reference_heading_deg;
    int reference_untrusted; /* smoothed, but nothing may be decided by it */
    int clock_is_off;        /* the log's turning contradicts the reference's clock: a warning says how */
    int frames_differ;       /* a constant rotation lies between them: a warning says which */
    int match_smoothed;      /* the match is of the smoothed log */
    marl_clock clock;        /* found, or as given with no standard errors */
    marl_match match;
    marl_conditions conditions;
    int has_start;   /* the reference has an attitude at the log's first row: */
    marl_quat start; /* that one, for MARL_START_REFERENCE */
} marl_study_case;

/* ---- target ---- */

/* What an update costs on a Cortex-M4F with hardware floats: instructions at 100 Hz with a magnetometer at 25 Hz, default
 * tuning, gcc -Os, counted on the emulated core; ./run arm counts them and holds this table to it. */
typedef struct marl_target_cost {
    unsigned mean, worst; /* instructions of marl_estimator_update */
    unsigned bytes;       /* of a marl_pipeline */
} marl_target_cost;

marl_target_cost marl_target_cost_of(marl_filter filter);

/* One tuning at one rate on one log. */
typedef struct marl_run {
    const marl_study_case *on;
    const marl_named_tuning *tuning;
    double rate_hz;   /* 0 = as recorded */
    marl_error error; /* MARL_OK, or why it failed */
    int compared;     /* 0: there is no comparison, and nothing of the replay */
    marl_comparison comparison;
    marl_estimator_counts counts;
    double start_speed; /* m/s, see marl_start_watch_speed */
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

/* The attitude that a board computed itself, where every log added so far holds one: a row beside the tunings. 0 where it
 * is not so, or beyond the capacity. */
int marl_study_add_recorded(marl_study *study);

/* As if rows came at this rate, Hz. MARL_ERR_USE when it is not in (0, 1e6), or beyond the capacity. */
MARL_CHECKED marl_status marl_study_add_rate(marl_study *study, double rate_hz, marl_error *error);

/* Loads a log and its reference ("smooth": the log itself, smoothed; NULL: none, nothing is compared and nothing
 * ranked), finds clock and frames once, and what the board was doing. The options must be set before. A case that fails is left out. Errors as of the readers; MARL_ERR_INSUFFICIENT where
 * clock, frames or a common time cannot be found. */
MARL_CHECKED marl_status marl_study_add_case(marl_study *study, const char *log_path,
                                             const char *reference_path, marl_error *error);

/* Replays and compares everything, and ranks the tunings: by the total error, unless a heading among them
 * cannot be compared. A run that fails keeps its reason, the others go on. May be called again after tunings
 * were changed or added; the runs before are then freed. MARL_ERR_INSUFFICIENT for a rate above a log's own,
 * MARL_ERR_ARGUMENT without tunings or cases, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_study_run(marl_study *study, marl_error *error);

/* One run's attitudes once more; `watch` (may be NULL) is called for each. *estimate is to be freed by the
 * caller. */
MARL_CHECKED marl_status marl_study_replay(const marl_study *study, const marl_run *run,
                                           marl_replay_watch *watch, void *watch_context,
                                           marl_pipeline *pipeline, marl_series *estimate, marl_error *error);

/* The error by which tunings are ranked, of all moments or of those of a condition. */
double marl_study_score(const marl_study *study, const marl_measures *measures);

/* Standard deviation of smoothed references, deg, rms over the cases, of what is ranked by; infinite when one of them
 * is not trusted, NaN when another reference is among them. A difference of two tunings under it is not decided. */
double marl_study_reference_sigma(const marl_study *study);
/* Are logs and references on one clock and in one frame, as far as their motion shows? If not, the order of the tunings
 * says nothing of them. */
int marl_study_is_aligned(const marl_study *study);
/* Is a difference to the first one that the recording shows, and that exceeds the standard deviation of the smoothed
 * references, if any? */
int marl_study_is_worse(const marl_study *study, const marl_rank *rank);
/* Is it one that the recordings show: the interval is above what is printed, 0.0005 deg? */
int marl_rank_is_worse(const marl_rank *rank);
/* Is it one that further logs of the same kind show, too: the interval of the ratio is above 1? */
int marl_rank_is_worse_elsewhere(const marl_rank *rank);

/* What tells a tuning from the others: "tilt_time=0.3" where the rest is common, else its whole name. */
void marl_study_label(const marl_study *study, size_t tuning, char *text, size_t size);
/* What is left out of the labels, since all tunings of that filter or file have it: "complementary:damping=0.7"; "" without. */
void marl_study_common(const marl_study *study, char *text, size_t size);

/* "kalman", or with several rates "kalman, 50 Hz". */
void marl_study_run_name(const marl_study *study, const marl_run *run, char *name, size_t size);

#ifdef __cplusplus
}
#endif
#endif
