/* SPDX-License-Identifier: MIT
 * What a search leaves behind: a tuning with its evidence, and every trial. */
#include "lab/files/tuning_file.h"
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdio.h>

static json_t *number(double value)
{
    return isfinite(value) ? json_real(value) : json_null();
}

/* A path may hold what is no text. */
static json_t *path_json(const char *path)
{
    char text[1024];
    snprintf(text, sizeof text, "%s", path);
    marl_text_clean(text);
    return json_string(text);
}

static json_t *logs_json(const marl_search *search)
{
    json_t *list = json_array();
    for (size_t k = 0; k < search->study->case_n; k++) {
        json_t *one = json_object();
        lab_json_put(&one, "log", path_json(search->study->cases[k].log_path));
        lab_json_put(&one, "reference", path_json(search->study->cases[k].reference_path));
        lab_json_push(&list, one);
    }
    return list;
}

static json_t *plateau_json(const marl_search *search)
{
    const marl_search_filter *filter = &search->filter[search->best_filter];
    json_t *object = json_object();
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_slice *s = &search->slice[i];
        json_t *range = s->n > 0 ? json_array() : json_null();
        if (s->n > 0) {
            lab_json_push(&range, number(s->from));
            lab_json_push(&range, number(s->to));
        }
        lab_json_put(&object, marl_parameter_row(filter->range[i].id)->name, range);
    }
    return object;
}

static json_t *evidence_json(const marl_search *search)
{
    const marl_gain *gain = &search->gain;
    json_t *object = json_object(), *proof = json_object();
    lab_json_put(&object, "goal", json_string(search->options.goal.text));
    lab_json_put(&object, "unit", json_string(search->options.goal.unit));
    lab_json_put(&object, "over_logs", json_string(search->options.goal.worst ? "worst" : "geometric mean"));
    lab_json_put(&object, "logs", logs_json(search));
    lab_json_put(&object, "evaluations", json_integer((json_int_t)search->evaluations));
    lab_json_put(&object, "found", json_string(search->best.name));
    lab_json_put(&object, "score", number(search->score));
    lab_json_put(&object, "default_score", number(search->standard_score));
    lab_json_put(&object, "default_kept", json_boolean(search->keeps_default));
    lab_json_put(&proof, "by", json_string(marl_proof_name(gain->proof)));
    lab_json_put(&proof, "score", number(gain->score));
    lab_json_put(&proof, "default_score", number(gain->standard));
    lab_json_put(&proof, "ratio", number(gain->ratio));
    lab_json_put(&proof, "low", number(gain->low));
    lab_json_put(&proof, "high", number(gain->high));
    lab_json_put(&proof, "confidence", number(gain->confidence));
    lab_json_put(&object, "hold_out", proof);
    lab_json_put(&object, "within_5_percent", plateau_json(search));
    return object;
}

marl_status marl_search_write(const marl_search *search, const char *path, marl_error *error)
{
    json_t *root = lab_tuning_json(&search->chosen);
    lab_json_put(&root, "evidence", evidence_json(search));
    return lab_json_save(root, path, error);
}

/* ---- trials ---- */

static int is_varied(const marl_search *search, marl_parameter_id id)
{
    for (size_t f = 0; f < search->filters; f++) {
        for (size_t i = 0; i < search->filter[f].varied; i++) {
            if (search->filter[f].range[i].id == id) {
                return 1;
            }
        }
    }
    return 0;
}

static void write_head(marl_outfile *to, const marl_search *search)
{
    char cell[64];
    marl_outfile_text(to, "filter");
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if (is_varied(search, (marl_parameter_id)i)) {
            snprintf(cell, sizeof cell, ",%s[%s]", row->name, row->unit);
            marl_outfile_text(to, cell);
        }
    }
    snprintf(cell, sizeof cell, ",score[%s]", search->options.goal.unit);
    marl_outfile_text(to, cell);
    for (size_t k = 0; k < search->study->case_n; k++) {
        snprintf(cell, sizeof cell, ",log_%zu[%s]", k + 1, search->options.goal.unit);
        marl_outfile_text(to, cell);
    }
    marl_outfile_text(to, "\n");
}

/* What is not finite is an empty cell. */
static void write_number(marl_outfile *to, double value)
{
    char cell[40] = ",";
    if (isfinite(value)) {
        snprintf(cell, sizeof cell, ",%.6g", value);
    }
    marl_outfile_text(to, cell);
}

static void write_trial(marl_outfile *to, const marl_search *search, const marl_trial *trial)
{
    marl_outfile_text(to, marl_filter_name(trial->tuning.filter));
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        int has = (int)((marl_parameter_row((marl_parameter_id)i)->filters >> trial->tuning.filter) & 1u);
        if (is_varied(search, (marl_parameter_id)i)) {
            write_number(to, has ? (double)trial->tuning.value[i] : (double)NAN);
        }
    }
    write_number(to, trial->score);
    for (size_t k = 0; k < search->study->case_n; k++) {
        write_number(to, isfinite(trial->score) ? trial->by_log[k] : (double)NAN);
    }
    marl_outfile_text(to, "\n");
}

marl_status marl_search_write_trials(const marl_search *search, const char *path, marl_error *error)
{
    marl_outfile *to;
    MARL_TRY(marl_outfile_open(&to, path, error));
    write_head(to, search);
    for (size_t i = 0; i < search->trials; i++) {
        write_trial(to, search, &search->trial[i]);
    }
    return marl_outfile_commit(to, error);
}
