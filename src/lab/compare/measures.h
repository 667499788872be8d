/* SPDX-License-Identifier: MIT
 * Measures of a comparison beside the errors themselves; NaN where the recording does not determine them. */
#ifndef LAB_MEASURES_H
#define LAB_MEASURES_H

#include "marlinspike/compare.h"

double lab_settle_s(const marl_comparison *comparison);
double lab_lost_s(const marl_comparison *comparison);
double lab_drift_deg_per_h(const marl_comparison *comparison);
/* MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_find_jitter_deg(const marl_series *estimate, const marl_spans *still,
                                             double *jitter, marl_error *error);
MARL_CHECKED marl_status lab_find_lag_ms(const marl_series *estimate, const marl_series *reference,
                                         double *lag, marl_error *error);

#endif
