/* SPDX-License-Identifier: MIT
 * compare --target */
#include "cli/compare/compare_target.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define CLOCK_HZ 64e6
#define LOAD 0.1 /* for the highest rate */

/* One tuning at one rate. */
typedef struct candidate {
    const marl_rank *rank;
    const marl_run *run; /* on the first case */
    char name[120];
    double rate_hz, load;
    marl_target_cost cost;
    int is_good;
} candidate;

/* Rows a second of the first log. */
static double rate_of(const marl_run *run)
{
    const marl_log *log = &run->on->log;
    double seconds =
        log->n > 1 ? 1e-9 * (double)(log->row[log->n - 1].sample.t_ns - log->row[0].sample.t_ns) : 0;
    return run->rate_hz > 0 ? run->rate_hz : seconds > 0 ? (double)(log->n - 1) / seconds : NAN;
}

static candidate candidate_of(const marl_study *study, size_t i, double at_most_deg)
{
    const marl_rank *rank = &study->rank[i];
    candidate c = {.rank = rank, .run = &study->runs[rank->tuning * study->case_n]};
    marl_study_run_name(study, c.run, c.name, sizeof c.name);
    c.rate_hz = rate_of(c.run);
    c.cost = marl_target_cost_of(c.run->tuning->tuning.filter);
    c.load = c.cost.mean * c.rate_hz / CLOCK_HZ;
    c.is_good = rank->failed == 0 && !c.run->tuning->recorded && !(rank->score_deg > at_most_deg);
    return c;
}

static size_t candidates_n(const marl_study *study)
{
    return study->tuning_n * (study->rate_n > 0 ? study->rate_n : 1);
}

/* The place in the ranking of the least load that is good enough; -1 without a limit, or when none is. */
static int cheapest(const marl_study *study, double at_most_deg)
{
    int best = -1;
    double least = INFINITY;
    for (size_t i = 0; isfinite(at_most_deg) && i < candidates_n(study); i++) {
        const candidate c = candidate_of(study, i, at_most_deg);
        if (c.is_good && c.load < least) {
            least = c.load;
            best = (int)i;
        }
    }
    return best;
}

void cli_compare_target_print(const marl_study *study, double at_most_deg)
{
    int chosen = cheapest(study, at_most_deg);
    cli_print("\nOn a Cortex-M4F at %.0f MHz, by the instructions of an update, one a cycle (an estimate):\n",
              CLOCK_HZ / 1e6);
    cli_print("%-28s %6s %7s %8s %7s %11s %8s\n", "", "mean", "worst", "rate, Hz", "load, %", "at 10 %, Hz",
              "rms, deg");
    for (size_t i = 0; i < candidates_n(study); i++) {
        const candidate c = candidate_of(study, i, at_most_deg);
        if (c.run->tuning->recorded) {
            continue;
        }
        cli_print("%-28.28s %6u %7u %8.4g %7.3f %11.0f %8.3f%s\n", c.name, c.cost.mean, c.cost.worst,
                  c.rate_hz, 100 * c.load, LOAD * CLOCK_HZ / c.cost.mean, c.rank->score_deg,
                  (int)i == chosen ? "  the cheapest" : "");
    }
    cli_print("A pipeline takes %u bytes, whatever its filter.\n",
              marl_target_cost_of(MARL_FILTER_KALMAN).bytes);
    if (isfinite(at_most_deg) && chosen < 0) {
        cli_print("None stays within %g degrees.\n", at_most_deg);
    }
}

json_t *cli_compare_target_json(const marl_study *study, double at_most_deg)
{
    int chosen = cheapest(study, at_most_deg);
    json_t *root = json_object(), *list = json_array(), *best = json_null();
    for (size_t i = 0; i < candidates_n(study); i++) {
        const candidate c = candidate_of(study, i, at_most_deg);
        if (c.run->tuning->recorded) {
            continue;
        }
        json_t *one = json_object();
        json_object_set_new(one, "name", cli_text(c.name));
        json_object_set_new(one, "filter", cli_text(marl_filter_name(c.run->tuning->tuning.filter)));
        json_object_set_new(one, "rate_hz", cli_number(c.rate_hz));
        json_object_set_new(one, "instructions_mean", json_integer(c.cost.mean));
        json_object_set_new(one, "instructions_worst", json_integer(c.cost.worst));
        json_object_set_new(one, "load_percent", cli_number(100 * c.load));
        json_object_set_new(one, "highest_rate_hz", cli_number(LOAD * CLOCK_HZ / c.cost.mean));
        json_object_set_new(one, "pipeline_bytes", json_integer(c.cost.bytes));
        json_object_set_new(one, "rms_deg", cli_number(c.rank->score_deg));
        json_object_set_new(one, "within", isfinite(at_most_deg) ? json_boolean(c.is_good) : json_null());
        best = (int)i == chosen ? cli_text(c.name) : best;
        json_array_append_new(list, one);
    }
    json_object_set_new(root, "core", json_string("cortex-m4f"));
    json_object_set_new(root, "clock_hz", json_real(CLOCK_HZ));
    json_object_set_new(root, "at_most_deg", cli_number(at_most_deg));
    json_object_set_new(root, "cheapest", best);
    json_object_set_new(root, "tunings", list);
    return root;
}
