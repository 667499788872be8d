/* SPDX-License-Identifier: MIT
 * The answer of a comparison: the tunings in order, how sure that is, and what it holds for. */
#include "cli/compare/compare.h"
#include <math.h>

/* The intervals speak of other logs of the kind, too. */
static int is_over_logs(const marl_study *study)
{
    return isfinite(study->rank[0].ratio_low);
}

/* Significance of a difference: on what was recorded, and on other logs of the kind. */
static const char *worth(const marl_study *study, const marl_rank *k)
{
    if (!isfinite(k->low) || !marl_study_is_aligned(study)) {
        return "";
    }
    if (!marl_rank_is_worse(k) && !marl_rank_is_worse_elsewhere(k)) {
        return "  no difference shown";
    }
    if (isfinite(k->ratio_low)) {
        return marl_rank_is_worse_elsewhere(k) ? "  worse" : "  worse on these logs";
    }
    return study->case_n > 1 ? "  worse on these recordings" : "  worse on this recording";
}

/* A difference that the recording shows is decided by a smoothed reference only where it exceeds that reference's own
 * standard deviation. */
static const char *decided(const marl_study *study, const marl_rank *k)
{
    double sigma = marl_study_reference_sigma(study);
    if (!(sigma > 0) || !marl_rank_is_worse(k)) {
        return "";
    }
    return marl_study_is_worse(study, k) ? ", decided" : ", not decided";
}

static void print_difference(const marl_study *study, const marl_rank *k)
{
    cli_print("  %+.3f (%.3f to %.3f)", k->difference, k->low, k->high);
    if (isfinite(k->ratio_low)) {
        cli_print("  x %.3g (%.3g to %.3g)", k->ratio, k->ratio_low, k->ratio_high);
    }
    cli_print("%s%s\n", worth(study, k), decided(study, k));
}

static void name_of(const marl_study *study, const marl_rank *k, char name[96])
{
    marl_study_run_name(study, &study->runs[k->tuning * study->case_n], name, 96);
}

/* The answer in one sentence. */
static void print_answer(const marl_study *study)
{
    const marl_rank *best = &study->rank[0], *next = &study->rank[1];
    char first[96], second[96];
    if (best->failed > 0 || !marl_study_is_aligned(study)) {
        return;
    }
    const char *by = study->rank_by == MARL_RANK_BY_TILT ? " in tilt" : "";
    name_of(study, best, first);
    name_of(study, next, second);
    if (next->failed > 0) {
        cli_print_prose(0, "%s follows the reference best: %.2f deg rms%s; the next failed (%s).", first,
                        best->score_deg, by, second);
    } else if (marl_study_is_worse(study, next) || !isfinite(next->low)) {
        cli_print_prose(0, "%s follows the reference best: %.2f deg rms%s, the next %.2f (%s).", first,
                        best->score_deg, by, next->score_deg, second);
    } else {
        cli_print_prose(0,
                        "%s and %s follow the reference best: %.2f and %.2f deg rms%s; none of the two is "
                        "shown to be better.",
                        first, second, best->score_deg, next->score_deg, by);
    }
}

static void print_order(const marl_study *study, size_t contenders)
{
    cli_print_prose(0,
                    "In order of the %s error, rms in degrees%s; then how much more than the first%s (95 %% "
                    "interval)%s:",
                    cli_compare_by(study), study->case_n > 1 ? ", geometric mean over the logs" : "",
                    is_over_logs(study) ? " on these logs" : "",
                    is_over_logs(study) ? "; then how many times as much on other logs of the kind" : "");
    for (size_t i = 0; i < contenders; i++) {
        const marl_rank *k = &study->rank[i];
        cli_compare_name(study, &study->runs[k->tuning * study->case_n]);
        cli_compare_cell(6, 3, k->score_deg);
        if (k->failed > 0) {
            cli_print("  failed on %zu of %zu\n", k->failed, study->case_n);
        } else if (i > 0 && isfinite(k->low)) {
            print_difference(study, k);
        } else {
            cli_print("\n");
        }
    }
}

/* For two figures that count. */
static int decimals_of(double ratio)
{
    return ratio < 1 ? 2 : ratio < 10 ? 1 : 0;
}

/* What one more recording of the kind may show, of each tuning that comes behind the first. */
static void print_next(const marl_study *study, size_t contenders)
{
    cli_print_prose(0,
                    "One more recording of this kind may show, in times the first's error (95 %% interval, "
                    "from stretches of this one; three logs or more with --case show it better):");
    for (size_t i = 1; i < contenders; i++) {
        const marl_rank *k = &study->rank[i];
        if (isfinite(k->next_low)) {
            cli_compare_name(study, &study->runs[k->tuning * study->case_n]);
            cli_print("x %.*f to %.*f%s\n", decimals_of(k->next_low), k->next_low, decimals_of(k->next_high),
                      k->next_high, k->next_low > 1 ? "" : "  either may be better");
        }
    }
}

/* What the order holds for, and what it rests on. */
static void print_limits(const marl_study *study, size_t contenders)
{
    double sigma = marl_study_reference_sigma(study);
    if (is_over_logs(study)) {
        cli_print_prose(0,
                        "worse: shown for other logs of the kind, too; worse on these logs: for them alone.");
    } else if (isfinite(study->rank[1].next_low) && marl_study_is_aligned(study)) {
        print_next(study, contenders);
    } else {
        cli_print_prose(0, "The interval holds for what was recorded. Three logs or more (--case) show what "
                           "holds for others.");
    }
    if (!marl_study_is_aligned(study)) {
        cli_print_prose(
            0, "Log and reference are not on one clock or not in one frame (see the warnings): these "
               "errors are of the frames, and the order says nothing about the tunings.");
    }
    if (isinf(sigma)) {
        cli_print_prose(
            0, "The reference is the log itself, smoothed, and not to be trusted (see the warnings): "
               "nothing is decided.");
    } else if (sigma > 0) {
        cli_print_prose(0,
                        "The reference is the log itself, smoothed, with a standard deviation of %.3f deg; a "
                        "difference is decided where it exceeds that. It "
                        "shares the sensors of the estimates: a magnetometer error along an axis that never "
                        "turned is in both, and hidden.",
                        sigma);
    }
    if (study->rank_by == MARL_RANK_BY_TILT) {
        cli_print_prose(0, "By tilt, since a heading among them is relative; --match heading makes headings "
                           "comparable.");
    }
}

void cli_compare_ranking(const marl_study *study)
{
    size_t contenders = study->tuning_n * study->rate_n;
    if (contenders < 2 || study->rate_n > 1) {
        return;
    }
    print_answer(study);
    print_order(study, contenders);
    print_limits(study, contenders);
    cli_print("\n");
}
