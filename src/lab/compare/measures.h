/* SPDX-License-Identifier: MIT
 * Measures of a comparison beside the errors themselves; NaN where the recording does not determine them. */
#ifndef LAB_MEASURES_H
#define LAB_MEASURES_H

#include "marlinspike/compare.h"

double lab_settle_s(const marl_comparison *comparison);
double lab_lost_s(const marl_comparison *comparison);
double lab_drift_deg_per_h(const marl_comparison *comparison);
double lab_jitter_deg(const marl_series *estimate, const marl_spans *still);
double lab_lag_ms(const marl_series *estimate, const marl_series *reference);

#endif
