/* SPDX-License-Identifier: MIT
 * A search in words and tables: the answer first. */
#include "cli/search/search.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define MAX_CONFIDENCE 0.999 /* of a confidence: what is over it is stated so */

static const char *over_logs(const marl_search *search)
{
    return search->study->case_n == 1   ? ""
           : search->options.goal.worst ? ", of the worst log"
                                        : ", geometric mean over the logs";
}

/* What the proof is worth. */
static void describe_proof(const marl_search *search, char *text, size_t size)
{
    const marl_gain *g = &search->gain;
    const char *unit = search->options.goal.unit;
    int n = snprintf(text, size, "%.3g %s where it was not tuned (%s), the default %.3g: %.2f times as much",
                     g->score, unit, marl_proof_name(g->proof), g->standard, g->ratio);
    if (n > 0 && (size_t)n < size && isfinite(g->confidence)) {
        snprintf(text + n, size - (size_t)n,
                 " (95 %%: %.2f to %.2f, for logs of the kind; under 1 with a confidence of %s%.1f %%)",
                 g->low, g->high, g->confidence > MAX_CONFIDENCE ? "over " : "",
                 100 * fmin(g->confidence, MAX_CONFIDENCE));
    } else if (n > 0 && (size_t)n < size && isfinite(g->low)) {
        snprintf(text + n, size - (size_t)n, " (95 %%: %.2f to %.2f, for these logs)", g->low, g->high);
    } else if (n > 0 && (size_t)n < size) {
        snprintf(text + n, size - (size_t)n, " (three logs and more give an interval)");
    }
}

static const char *outcome(const marl_search *search)
{
    return search->gain.proof == MARL_PROOF_NONE ? "Stopped before the proof; the best so far"
           : search->keeps_default ? "No gain over the default that these logs can show: the default is kept"
                                   : "Better than the default where it was not tuned, too";
}

void cli_search_verdict(const marl_search *search, char *text, size_t size)
{
    char proof[300] = "not tried where it was not tuned";
    if (search->gain.proof != MARL_PROOF_NONE) {
        describe_proof(search, proof, sizeof proof);
    }
    snprintf(text, size, "%s. %s: %s", outcome(search), search->best.name, proof);
}

static void print_answer(const marl_search *search)
{
    char proof[300];
    cli_print("%s.\n  chosen  %s\n", outcome(search), search->chosen.name);
    if (search->keeps_default) {
        cli_print("  found   %s\n", search->best.name);
    }
    if (search->gain.proof != MARL_PROOF_NONE) {
        describe_proof(search, proof, sizeof proof);
        cli_print_prose(10, "  proof   %s", proof);
    }
    if (search->keeps_default && search->gain.logs < 3) {
        cli_print("  next    more logs of this use decide more: three and more, by --case LOG=ATT\n");
    }
}

static void print_logs(const marl_search *search)
{
    cli_print("\n%-32s %10s %10s %10s   %s in %s%s\n", "log", "found", "default", "its own",
              search->options.goal.text, search->options.goal.unit, over_logs(search));
    for (size_t k = 0; k < search->study->case_n; k++) {
        const marl_search_log *log = &search->log[k];
        cli_print("%-32.32s %10.4g %10.4g %10.4g\n", marl_base_name(log->path), log->best, log->standard,
                  log->own);
    }
    if (search->study->case_n > 1) {
        cli_print("%-32s %10.4g %10.4g\n", "all", search->score, search->standard_score);
    }
}

static void print_parameter(const marl_search *search, size_t i)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    const marl_range *range = &filter->range[i];
    const marl_parameter *row = marl_parameter_row(range->id);
    const marl_slice *s = &search->slice[i];
    char plateau[48], searched[48];
    if (row->kind == MARL_KIND_SWITCH) {
        cli_print("%-16s %-14s %9s %9s\n", row->name, "",
                  search->best.tuning.value[range->id] != 0.0f ? "on" : "off",
                  filter->standard.tuning.value[range->id] != 0.0f ? "on" : "off");
        return;
    }
    snprintf(plateau, sizeof plateau, "%s%.3g to %s%.3g", s->from_is_open ? "<" : "", s->from,
             s->to_is_open ? ">" : "", s->to);
    snprintf(searched, sizeof searched, "%.3g to %.3g", range->low, range->high);
    cli_print("%-16s %-14s %9.4g %9.4g  %-19s %-15s %4.0f %%\n", row->name, row->unit,
              (double)search->best.tuning.value[range->id], (double)filter->standard.tuning.value[range->id],
              s->n > 0 ? plateau : "-", searched, 100 * s->share);
}

static void print_trade(const marl_search *search, const cli_trade *trade)
{
    static const char *const head[] = {"jitter, deg", "lag, ms", "shaking, deg", "at rest, deg"};
    cli_print("\n%-16s", trade->name);
    for (int i = 0; i < 4; i++) {
        cli_print(" %13s", head[i]);
    }
    cli_print(" %13s\n", search->options.goal.text);
    for (size_t i = 0; i < trade->n; i++) {
        const marl_trade_point *p = &trade->point[i];
        const double cell[] = {p->jitter_deg, p->lag_ms, p->shaking_deg, p->still_deg, p->score};
        cli_print("%-16.4g", p->value);
        for (int k = 0; k < 5; k++) {
            if (isfinite(cell[k])) {
                cli_print(" %13.4g", cell[k]);
            } else {
                cli_print(" %13s", "-");
            }
        }
        cli_print("\n");
    }
}

int cli_search_table(const marl_search *search, const cli_trade *trade, const char *out)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    print_answer(search);
    print_logs(search);
    cli_print("\n%-16s %-14s %9s %9s  %-19s %-15s %s\n", "parameter", "unit", "found", "default",
              "within 5 %", "searched", "matters");
    for (size_t i = 0; i < filter->varied; i++) {
        print_parameter(search, i);
    }
    if (trade->n > 0) {
        print_trade(search, trade);
    }
    cli_print("\n%zu evaluations, the proof's among them%s\n", search->evaluations,
              search->stopped ? "; stopped before its end" : "");
    if (out != NULL) {
        cli_print("written: %s\n", out);
    }
    return cli_print_done();
}
