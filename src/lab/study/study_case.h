/* SPDX-License-Identifier: MIT
 * The cases and the runs of a study. */
#ifndef LAB_STUDY_CASE_H
#define LAB_STUDY_CASE_H

#include "marlinspike/compare.h"
#include "marlinspike/smooth.h"

/* Loads the case whose paths are set, with clock, frames and conditions. */
MARL_CHECKED marl_status lab_study_case_load(marl_study *study, marl_study_case *it, marl_error *error);
void lab_study_case_free(marl_study_case *it);

/* Smooths a log of the study with its calibration, and reports the progress. As marl_smooth. */
MARL_CHECKED marl_status lab_study_smooth(const marl_study *study, const marl_log *log,
                                          marl_smoothed *smoothed, marl_error *error);

/* Warns of a clock that is off, and says so in the case; the reference as it was read. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_study_check_clock(marl_study *study, marl_study_case *it, marl_error *error);
/* Warns of a constant rotation between log and reference that no --match was asked to take out, and says so in the case.
 * MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_study_check_frames(marl_study *study, marl_study_case *it, marl_error *error);

/* Warns of axes that are clipped or stuck, of a large hard iron that the log's turns show and nobody corrects, and of a speed
 * that is not along x. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_study_warn_readings(marl_study *study, const marl_study_case *it,
                                                 marl_error *error);

/* No runs are left; there may have been none. */
void lab_study_free_runs(marl_study *study);

#endif
