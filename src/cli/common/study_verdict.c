/* SPDX-License-Identifier: MIT
 * The outcome of a comparison in sentences. */
#include "cli/common/study_show.h"
#include <math.h>
#include <stdio.h>

void cli_study_verdict(const marl_study *study, char *text, size_t size)
{
    if (!marl_study_is_aligned(study)) {
        snprintf(text, size,
                 "Log and reference are not on one clock or not in one frame (see the warnings): the errors "
                 "are of the "
                 "frames, the order says nothing about the tunings.");
        return;
    }
    size_t contenders = study->tuning_n * study->rate_n;
    const marl_rank *best = &study->rank[0];
    char name[96];
    marl_study_run_name(study, &study->runs[best->tuning * study->case_n], name, sizeof name);
    int n = snprintf(text, size, "%s follows the reference best: %.2f deg rms %s.", name, best->score_deg,
                     study->rank_by == MARL_RANK_BY_TILT ? "tilt error" : "total error");
    for (size_t i = 1; i < contenders && n > 0 && (size_t)n < size; i++) {
        const marl_rank *k = &study->rank[i];
        marl_study_run_name(study, &study->runs[k->tuning * study->case_n], name, sizeof name);
        if (k->failed > 0) {
            n += snprintf(text + n, size - (size_t)n, " %s failed on %zu of %zu.", name, k->failed,
                          study->case_n);
        } else {
            n += snprintf(text + n, size - (size_t)n, " %s: %.2f more (%.2f to %.2f)%s.", name, k->difference,
                          k->low, k->high, marl_rank_is_worse(k) ? "" : ", no difference shown");
        }
        if (isfinite(k->ratio_low) && n > 0 && (size_t)n < size) {
            n += snprintf(text + n, size - (size_t)n,
                          " Other logs of the kind: %.2f to %.2f times as much%s.", k->ratio_low,
                          k->ratio_high, marl_rank_is_worse_elsewhere(k) ? "" : ", so either may be better");
        }
    }
    if (n > 0 && (size_t)n < size && contenders > 1 && isfinite(study->rank[1].next_low)) {
        snprintf(text + n, size - (size_t)n,
                 " One more recording of this kind may show the second %.2f to %.2f times as far off as the "
                 "first.",
                 study->rank[1].next_low, study->rank[1].next_high);
    } else if (n > 0 && (size_t)n < size && !isfinite(best->ratio_low)) {
        snprintf(text + n, size - (size_t)n, " This holds for what was recorded.");
    }
}
