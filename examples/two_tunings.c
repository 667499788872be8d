/* SPDX-License-Identifier: MIT
 * Lays two tunings side by side on one's own log: two_tunings LOG REFERENCE. */
#include "marlinspike/lab.h"
#include <stdio.h>

/* Replays the whole log with one tilt time and prints its error. */
static marl_status try_tuning(const marl_log *log, const marl_series *reference, float tilt_time,
                              marl_error *error)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    const marl_replay_options options = {0}; /* readings as they are, start from vectors */
    marl_pipeline pipeline;
    marl_series estimate;
    marl_comparison comparison;
    tuning.value[MARL_PARAMETER_TILT_TIME] = tilt_time;
    marl_status status = marl_replay_log(&pipeline, log, &tuning, &options, &estimate, error);
    if (status != MARL_OK) {
        return status;
    }
    status = marl_compare(&estimate, reference, NULL, &comparison, error);
    if (status == MARL_OK) {
        printf("tilt_time %4.1f s: tilt error %.2f deg rms, heading error %.2f deg rms\n", (double)tilt_time,
               comparison.all.tilt.rms, comparison.all.heading.rms);
        marl_comparison_free(&comparison);
    }
    marl_series_free(&estimate);
    return status;
}

int main(int argc, char **argv)
{
    marl_error error = {0};
    marl_log log = {0}, rig = {0};
    marl_series reference = {0, NULL};
    if (argc != 3) {
        fprintf(stderr, "usage: two_tunings LOG REFERENCE\n");
        return 2;
    }
    if (marl_log_load(&log, argv[1], NULL, &error) != MARL_OK ||
        marl_log_load(&rig, argv[2], NULL, &error) != MARL_OK ||
        marl_series_from_log(&reference, &rig, &error) != MARL_OK ||
        try_tuning(&log, &reference, 2.0f, &error) != MARL_OK ||
        try_tuning(&log, &reference, 8.0f, &error) != MARL_OK) {
        fprintf(stderr, "%s\n", error.text);
    }
    marl_series_free(&reference);
    marl_log_free(&rig);
    marl_log_free(&log);
    return error.status != MARL_OK;
}
