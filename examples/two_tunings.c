/* SPDX-License-Identifier: MIT
 * Which of two tunings is better on one's own log, and how sure is that: two_tunings LOG REFERENCE. */
#include "marlinspike/lab.h"
#include <stdio.h>

static void print_ranking(const marl_study *study)
{
    for (size_t i = 0; i < study->tuning_n; i++) {
        const marl_rank *rank = &study->rank[i];
        const marl_run *run = &study->runs[rank->tuning * study->case_n];
        printf("%s: %.2f deg rms (tilt %.2f, heading %.2f)", run->tuning->name, rank->score_deg,
               run->comparison.all.tilt.rms, run->comparison.all.heading.rms);
        if (i > 0) {
            printf(", worse by %.2f (95 %%: %.2f to %.2f)", rank->difference, rank->low, rank->high);
        }
        printf("\n");
    }
}

int main(int argc, char **argv)
{
    marl_error error = {0};
    marl_study *study = marl_study_create();
    if (argc != 3 || study == NULL) {
        fprintf(stderr, "usage: two_tunings LOG REFERENCE\n");
    } else if (marl_study_add_tuning(study, "complementary:tilt_time=2", &error) == MARL_OK &&
               marl_study_add_tuning(study, "complementary:tilt_time=8", &error) == MARL_OK &&
               marl_study_add_case(study, argv[1], argv[2], &error) == MARL_OK &&
               marl_study_run(study, &error) == MARL_OK) {
        print_ranking(study);
    } else {
        fprintf(stderr, "%s\n", error.text);
    }
    marl_study_free(study);
    return argc != 3 || study == NULL ? 2 : error.status != MARL_OK;
}
