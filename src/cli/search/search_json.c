/* SPDX-License-Identifier: MIT
 * A search as JSON. */
#include "cli/search/search.h"
#include <math.h>

static json_t *tuning_json(const marl_named_tuning *tuning)
{
    json_t *values = json_object();
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if ((row->filters >> tuning->tuning.filter) & 1u) {
            json_object_set_new(values, row->name,
                                row->kind == MARL_KIND_SWITCH ? json_boolean(tuning->tuning.value[i] != 0.0f)
                                                              : cli_number((double)tuning->tuning.value[i]));
        }
    }
    return json_pack("{s:o,s:s,s:o}", "name", cli_text(tuning->name), "filter",
                     marl_filter_name(tuning->tuning.filter), "values", values);
}

static json_t *hold_out_json(const marl_gain *gain)
{
    return json_pack("{s:s,s:i,s:o,s:o,s:o,s:o,s:o,s:o,s:b}", "by", marl_proof_name(gain->proof), "logs",
                     (int)gain->logs, "score", cli_number(gain->score), "default_score",
                     cli_number(gain->standard), "ratio", cli_number(gain->ratio), "low",
                     cli_number(gain->low), "high", cli_number(gain->high), "confidence",
                     cli_number(gain->confidence), "better", gain->decided);
}

static json_t *logs_json(const marl_search *search)
{
    json_t *list = json_array();
    for (size_t k = 0; k < search->study->case_n; k++) {
        const marl_search_log *log = &search->log[k];
        json_array_append_new(list, json_pack("{s:o,s:o,s:o,s:o}", "log", cli_text(log->path), "score",
                                              cli_number(log->best), "default_score",
                                              cli_number(log->standard), "own_best", cli_number(log->own)));
    }
    return list;
}

static json_t *slice_json(const marl_slice *s)
{
    return json_pack("{s:o,s:o}", "value", cli_numbers(s->value, s->n), "score", cli_numbers(s->score, s->n));
}

static json_t *parameters_json(const marl_search *search)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    json_t *list = json_array();
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_range *range = &filter->range[i];
        const marl_parameter *row = marl_parameter_row(range->id);
        const marl_slice *s = &search->slice[i];
        const double bounds[2] = {range->low, range->high}, plateau[2] = {s->from, s->to};
        json_array_append_new(
            list,
            json_pack("{s:s,s:s,s:o,s:o,s:o,s:b,s:o,s:b,s:b,s:o,s:o}", "name", row->name, "unit", row->unit,
                      "value", cli_number((double)search->best.tuning.value[range->id]), "default",
                      cli_number((double)filter->standard.tuning.value[range->id]), "range",
                      cli_numbers(bounds, 2), "logarithmic", range->logarithmic, "within_5_percent",
                      s->n > 0 ? cli_numbers(plateau, 2) : json_null(), "open_below", s->from_is_open,
                      "open_above", s->to_is_open, "share", cli_number(s->share), "slice", slice_json(s)));
    }
    return list;
}

static json_t *trade_json(const cli_trade *trade)
{
    json_t *points = json_array();
    for (size_t i = 0; i < trade->n; i++) {
        const marl_trade_point *p = &trade->point[i];
        json_array_append_new(points, json_pack("{s:o,s:o,s:o,s:o,s:o,s:o}", "value", cli_number(p->value),
                                                "jitter_deg", cli_number(p->jitter_deg), "lag_ms",
                                                cli_number(p->lag_ms), "shaking_deg",
                                                cli_number(p->shaking_deg), "still_deg",
                                                cli_number(p->still_deg), "score", cli_number(p->score)));
    }
    return json_pack("{s:s,s:o}", "parameter", trade->name, "points", points);
}

json_t *cli_search_object(const marl_search *search, const cli_trade *trade)
{
    char verdict[900];
    json_t *root = json_object();
    cli_search_verdict(search, verdict, sizeof verdict);
    json_object_set_new(root, "verdict", cli_text(verdict));
    json_object_set_new(root, "best", tuning_json(&search->chosen));
    json_object_set_new(root, "default_kept", json_boolean(search->keeps_default));
    json_object_set_new(root, "found", tuning_json(&search->best));
    json_object_set_new(root, "goal", cli_text(search->options.goal.text));
    json_object_set_new(root, "unit", cli_text(search->options.goal.unit));
    json_object_set_new(root, "over_logs", cli_text(search->options.goal.worst ? "worst" : "geometric mean"));
    json_object_set_new(root, "score", cli_number(search->score));
    json_object_set_new(root, "default_score", cli_number(search->standard_score));
    json_object_set_new(root, "filter_default_score", cli_number(search->trial[search->best_filter].score));
    json_object_set_new(root, "evaluations", json_integer((json_int_t)search->evaluations));
    json_object_set_new(root, "stopped", json_boolean(search->stopped));
    json_object_set_new(root, "hold_out", hold_out_json(&search->gain));
    json_object_set_new(root, "logs", logs_json(search));
    json_object_set_new(root, "parameters", parameters_json(search));
    if (trade->n > 0) {
        json_object_set_new(root, "trade", trade_json(trade));
    }
    json_object_set_new(root, "warnings", cli_warnings_json(&search->study->warnings));
    return root;
}
