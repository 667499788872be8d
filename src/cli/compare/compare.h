/* SPDX-License-Identifier: MIT
 * A comparison as the compare command holds it, and how it is shown. */
#ifndef CLI_COMPARE_H
#define CLI_COMPARE_H

#include "cli/common/cli.h"

enum { CLI_MAX_CASES = 64, CLI_MAX_TUNINGS = 32, CLI_MAX_RATES = 16 };

/* How references are brought to the log's clock and frames. */
typedef struct cli_matching {
    const char *reference_world; /* NULL: as in the reference */
    marl_match_kind kind;
    int by_smooth;        /* the smoothed log is matched, unless that is not possible ... */
    marl_named_tuning by; /* ... else the attitude of this tuning */
    int find_offset;      /* --time-offset auto */
    double offset_s;      /* else this */
} cli_matching;

/* A log and its reference. */
typedef struct cli_case {
    char *log_path, *reference_path;
    marl_log log;
    marl_series reference; /* on the log's clock, matched */
    int reference_relative;
    int match_smoothed;     /* the match is of the smoothed log */
    int reference_smoothed; /* it comes from the log itself, with these standard deviations, rms */
    double reference_tilt_deg, reference_heading_deg;
    marl_clock clock; /* found, or as given with no standard errors */
    marl_match match;
    marl_conditions conditions;
    marl_quat start; /* --start reference */
} cli_case;

/* One tuning at one rate on one log. */
typedef struct cli_run {
    const cli_case *of;
    const marl_named_tuning *tuning;
    double rate_hz;   /* 0 = as recorded */
    marl_error error; /* MARL_OK, or why it failed */
    int compared;     /* 0: there is no comparison, and nothing of the replay */
    marl_comparison comparison;
    marl_estimator_counts counts;
    uint32_t digest;
    int heading_is_magnetic;
    marl_replay_watch *watch; /* called for every attitude of a replay; NULL: nobody watches */
    void *watch_context;
} cli_run;

typedef struct cli_comparison {
    size_t cases, tunings, rates; /* rates is at least 1 */
    cli_case of[CLI_MAX_CASES];
    marl_named_tuning tuning[CLI_MAX_TUNINGS];
    double rate_hz[CLI_MAX_RATES]; /* 0 = as recorded */
    cli_matching matching;
    const marl_calibration_record *calibration; /* NULL: readings as they are */
    const char *calibration_path;
    cli_start start;
    marl_degradation degradation;
    cli_warnings warnings;
    size_t runs;  /* tunings * rates * cases, cases running fastest */
    cli_run *run; /* as many */
    marl_rank_by rank_by;
    marl_rank rank[CLI_MAX_TUNINGS * CLI_MAX_RATES]; /* tunings * rates */
} cli_comparison;

/* Loads one case and brings its reference to the log. */
MARL_CHECKED marl_status cli_case_load(cli_comparison *job, cli_case *of, const cli_reading *reading,
                                       marl_error *error);
void cli_case_free(cli_case *of);

/* One run's attitudes; *estimate is to be freed by the caller. */
MARL_CHECKED marl_status cli_run_replay(const cli_comparison *job, const cli_run *run,
                                        marl_pipeline *pipeline, marl_series *estimate, marl_error *error);

/* Runs all, and ranks them. A run that fails holds its reason. */
MARL_CHECKED marl_status cli_run_all(cli_comparison *job, marl_error *error);

/* Can headings be compared at all? Not a relative one, unless the match took the difference out. */
int cli_heading_compares(const cli_comparison *job, const cli_run *run);

/* Standard deviation of smoothed references, rms over the cases, of what is ranked by; NaN when another is
 * among them. */
double cli_reference_sigma(const cli_comparison *job);

/* "kalman", or with several rates "kalman, 50 Hz". */
void cli_run_name(const cli_comparison *job, const cli_run *run, char *name, size_t size);

json_t *cli_compare_object(const cli_comparison *job);
int cli_compare_json(const cli_comparison *job);
int cli_compare_table(const cli_comparison *job, const char *figure);
/* The report page; traces of the first few logs, tables of all. */
MARL_CHECKED marl_status cli_compare_page(const cli_comparison *job, const char *path, marl_error *error);
/* Several cases have a figure each: the second one's name gets -2, and so on. */
MARL_CHECKED marl_status cli_compare_figure(const cli_comparison *job, const char *path, marl_error *error);

#endif
