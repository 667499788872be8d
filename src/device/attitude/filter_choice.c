/* SPDX-License-Identifier: MIT
 * Which filters there are: each choice names those it links. */
#include "device/attitude/estimator_parts.h"

const marl_filter_functions *marl_choose_gyro(marl_filter filter)
{
    return filter == MARL_FILTER_GYRO ? &marlp_no_functions : NULL;
}

const marl_filter_functions *marl_choose_vectors(marl_filter filter)
{
    return filter == MARL_FILTER_VECTORS ? &marlp_no_functions : NULL;
}

const marl_filter_functions *marl_choose_constant_gains(marl_filter filter)
{
    return filter == MARL_FILTER_COMPLEMENTARY || filter == MARL_FILTER_GRADIENT_DESCENT
               ? &marlp_constant_gain_functions
               : NULL;
}

const marl_filter_functions *marl_choose_kalman(marl_filter filter)
{
    return filter == MARL_FILTER_KALMAN ? &marlp_kalman_functions : NULL;
}

const marl_filter_functions *marl_choose_any(marl_filter filter)
{
    switch (filter) {
    case MARL_FILTER_GYRO:
    case MARL_FILTER_VECTORS:
        return &marlp_no_functions;
    case MARL_FILTER_KALMAN:
        return &marlp_kalman_functions;
    default:
        return marl_choose_constant_gains(filter);
    }
}

marl_status marl_estimator_init(marl_estimator *estimator, const marl_tuning *tuning)
{
    return marl_estimator_init_with(estimator, tuning, marl_choose_any);
}

marl_status marl_pipeline_init(marl_pipeline *pipeline, const marl_pipeline_config *config)
{
    return marl_pipeline_init_with(pipeline, config, marl_choose_any);
}

marl_status marl_selftest(unsigned *findings)
{
    return marl_selftest_with(findings, marl_choose_any);
}
