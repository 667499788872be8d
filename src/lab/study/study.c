/* SPDX-License-Identifier: MIT
 * What is studied: tunings, rates, cases. */
#include "lab/study/study_case.h"
#include "marlinspike/compare.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MIN_SHOWN 0.0005 /* deg: tables have three decimals */

marl_study *marl_study_create(void)
{
    marl_study *study = calloc(1, sizeof *study);
    if (study != NULL) {
        study->kalman =
            (marl_named_tuning){.name = "kalman", .tuning = marl_tuning_default(MARL_FILTER_KALMAN)};
    }
    return study;
}

void marl_study_free(marl_study *study)
{
    if (study == NULL) {
        return;
    }
    lab_study_free_runs(study);
    for (size_t i = 0; i < study->case_n; i++) {
        lab_study_case_free(&study->cases[i]);
    }
    free(study);
}

marl_status marl_study_add_tuning(marl_study *study, const char *text, marl_error *error)
{
    if (study->tuning_n == MARL_STUDY_MAX_TUNINGS) {
        return marl_fail(error, MARL_ERR_USE, "at most %d tunings", MARL_STUDY_MAX_TUNINGS);
    }
    MARL_TRY(marl_tuning_read(&study->tunings[study->tuning_n], text, study->options.reading.sheet, error));
    study->tuning_n++;
    return MARL_OK;
}

marl_status marl_study_add_filters(marl_study *study, marl_error *error)
{
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        MARL_TRY(marl_study_add_tuning(study, marl_filter_name((marl_filter)i), error));
    }
    return MARL_OK;
}

int marl_study_add_recorded(marl_study *study)
{
    int held = study->case_n > 0 && study->tuning_n < MARL_STUDY_MAX_TUNINGS;
    for (size_t i = 0; i < study->case_n; i++) {
        held = held && (study->cases[i].log.info.columns & MARL_COLUMNS_Q) == MARL_COLUMNS_Q;
    }
    if (held) {
        study->tunings[study->tuning_n++] = (marl_named_tuning){
            .name = "the log's own", .recorded = 1, .tuning = marl_tuning_default(MARL_FILTER_GYRO)};
    }
    return held;
}

marl_status marl_study_add_rate(marl_study *study, double rate_hz, marl_error *error)
{
    if (!(rate_hz > 0 && rate_hz < 1e6) || study->rate_n == MARL_STUDY_MAX_RATES) {
        return marl_fail(error, MARL_ERR_USE, "up to %d rates in Hz, and not %g", MARL_STUDY_MAX_RATES,
                         rate_hz);
    }
    study->rates[study->rate_n++] = rate_hz;
    return MARL_OK;
}

marl_status marl_study_add_case(marl_study *study, const char *log_path, const char *reference_path,
                                marl_error *error)
{
    if (study->case_n == MARL_STUDY_MAX_CASES) {
        return marl_fail(error, MARL_ERR_USE, "at most %d cases", MARL_STUDY_MAX_CASES);
    }
    for (size_t i = 0; i < study->case_n; i++) {
        if (strcmp(study->cases[i].log_path, log_path) == 0) {
            return marl_fail(error, MARL_ERR_USE, "%s is given twice", log_path);
        }
    }
    marl_study_case *it = &study->cases[study->case_n];
    *it = (marl_study_case){.log_path = strdup(log_path),
                            .reference_path = reference_path != NULL ? strdup(reference_path) : NULL};
    marl_status status = it->log_path == NULL || (it->reference_path == NULL) != (reference_path == NULL)
                             ? marl_fail(error, MARL_ERR_SYSTEM, "no memory")
                             : lab_study_case_load(study, it, error);
    if (status != MARL_OK) {
        lab_study_case_free(it);
        return status;
    }
    study->case_n++;
    return MARL_OK;
}

double marl_study_score(const marl_study *study, const marl_measures *measures)
{
    return study->rank_by == MARL_RANK_BY_TILT ? measures->tilt.rms : measures->total.rms;
}

double marl_study_reference_sigma(const marl_study *study)
{
    double squares = 0;
    for (size_t i = 0; i < study->case_n; i++) {
        const marl_study_case *it = &study->cases[i];
        double heading = study->rank_by == MARL_RANK_BY_TILT ? 0 : it->reference_heading_deg;
        squares += it->reference_smoothed ? pow(it->reference_tilt_deg, 2) + heading * heading : NAN;
        squares += it->reference_untrusted ? INFINITY : 0;
    }
    return sqrt(squares / (double)study->case_n);
}

int marl_rank_is_worse(const marl_rank *rank)
{
    return isfinite(rank->low) && rank->low > MIN_SHOWN;
}

int marl_rank_is_worse_elsewhere(const marl_rank *rank)
{
    return isfinite(rank->ratio_low) && rank->ratio_low > 1;
}

int marl_study_is_aligned(const marl_study *study)
{
    for (size_t i = 0; i < study->case_n; i++) {
        if (study->cases[i].clock_is_off || study->cases[i].frames_differ) {
            return 0;
        }
    }
    return 1;
}

int marl_study_is_worse(const marl_study *study, const marl_rank *rank)
{
    double sigma = marl_study_reference_sigma(study);
    return marl_study_is_aligned(study) && marl_rank_is_worse(rank) && !(rank->difference <= sigma);
}
