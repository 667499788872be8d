/* SPDX-License-Identifier: MIT
 * A comparison as JSON. */
#include "cli/common/study_show.h"
#include <math.h>
#include <stdio.h>

static json_t *measure_json(const marl_measure *m)
{
    json_t *object = json_object();
    json_object_set_new(object, "rms", cli_number(m->rms));
    json_object_set_new(object, "mean", cli_number(m->mean));
    json_object_set_new(object, "p95", cli_number(m->p95));
    json_object_set_new(object, "max", cli_number(m->max));
    return object;
}

static void add_angles(json_t *object, const marl_measures *m)
{
    json_object_set_new(object, "error_deg", measure_json(&m->total));
    json_object_set_new(object, "tilt_deg", measure_json(&m->tilt));
    json_object_set_new(object, "heading_deg", measure_json(&m->heading));
}

static json_t *conditions_json(const marl_comparison *c)
{
    json_t *object = json_object();
    for (int i = 0; i < MARL_CONDITION_COUNT; i++) {
        json_t *one = json_object();
        json_object_set_new(one, "share", cli_number(c->by_condition[i].share));
        add_angles(one, &c->by_condition[i]);
        json_object_set_new(object, marl_condition_name((marl_condition)i), one);
    }
    return object;
}

static double share(uint32_t part, uint32_t of)
{
    return of > 0 ? (double)part / of : (double)NAN;
}

static json_t *share_json(const marl_estimator_counts *counts)
{
    return json_pack("{s:o,s:o}", "accel", cli_number(share(counts->downweighted_accel, counts->used_accel)),
                     "mag", cli_number(share(counts->downweighted_mag, counts->used_mag)));
}

static void add_measures(json_t *run, const marl_run *r)
{
    const marl_comparison *c = &r->comparison;
    char digest[16];
    snprintf(digest, sizeof digest, "%08x", (unsigned)r->digest);
    add_angles(run, &c->all);
    json_object_set_new(run, "heading", cli_text(r->heading_is_magnetic ? "magnetic" : "relative"));
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        json_object_set_new(run, marl_scalar_row((marl_scalar_id)i)->key,
                            cli_number(marl_scalar_value(c, (marl_scalar_id)i)));
    }
    json_object_set_new(run, "by_condition", conditions_json(c));
    json_object_set_new(run, "invalid", cli_invalid_json(&r->counts));
    json_object_set_new(run, "downweighted", cli_downweighted_json(&r->counts));
    json_object_set_new(run, "downweighted_share", share_json(&r->counts));
    json_object_set_new(run, "restarts", json_integer(r->counts.restarts));
    json_object_set_new(run, "limited_bias", json_integer(r->counts.limited_bias));
    json_object_set_new(run, "updates", json_integer(r->counts.updates));
    json_object_set_new(run, "compared", json_integer((json_int_t)c->n));
    json_object_set_new(run, "digest", cli_text(digest));
}

static json_t *quat_json(marl_quat q)
{
    const double part[4] = {(double)q.w, (double)q.x, (double)q.y, (double)q.z};
    return cli_numbers(part, 4);
}

static json_t *match_json(const marl_match *m)
{
    json_t *object = json_object();
    if (m->kind == MARL_MATCH_NONE) {
        json_decref(object);
        return json_null();
    }
    json_object_set_new(object, "world_q", m->has_world ? quat_json(m->world) : json_null());
    json_object_set_new(object, "body_q", m->has_body ? quat_json(m->body) : json_null());
    json_object_set_new(object, "body_part_q", m->body_is_mixed ? quat_json(m->body) : json_null());
    json_object_set_new(object, "mixed_axis", m->body_is_mixed ? cli_numbers(m->mixed_axis, 3) : json_null());
    json_object_set_new(object, "sigma_deg", cli_number(m->sigma_deg));
    json_object_set_new(object, "world_sigma_deg", cli_numbers(m->world_sigma_deg, 3));
    json_object_set_new(object, "body_sigma_deg", cli_numbers(m->body_sigma_deg, 3));
    json_object_set_new(object, "residual_deg", cli_number(m->residual_deg));
    json_object_set_new(object, "condition", cli_number(m->condition));
    return object;
}

static void add_alignment(json_t *object, const marl_study_case *it)
{
    json_object_set_new(object, "time_offset_s", cli_number(it->clock.offset_s));
    json_object_set_new(object, "time_offset_sigma_s", cli_number(it->clock.offset_sigma_s));
    json_object_set_new(object, "clock_ppm", cli_number(it->clock.ppm));
    json_object_set_new(object, "clock_ppm_sigma", cli_number(it->clock.ppm_sigma));
    json_object_set_new(object, "match", match_json(&it->match));
}

static json_t *cases_json(const marl_study *study)
{
    json_t *list = json_array();
    for (size_t i = 0; i < study->case_n; i++) {
        json_t *one = json_object();
        json_object_set_new(one, "case", cli_text(study->cases[i].log_path));
        const char *reference = study->cases[i].reference_path;
        json_object_set_new(one, "reference", reference != NULL ? cli_text(reference) : json_null());
        add_alignment(one, &study->cases[i]);
        json_array_append_new(list, one);
    }
    return list;
}

static json_t *run_json(const marl_run *r)
{
    json_t *run = json_object();
    int good = r->error.status == MARL_OK;
    json_object_set_new(run, "case", cli_text(r->on->log_path));
    json_object_set_new(run, "name", cli_text(r->tuning->name));
    json_object_set_new(
        run, "filter",
        cli_text(r->tuning->recorded ? "recorded" : marl_filter_name(r->tuning->tuning.filter)));
    json_object_set_new(run, "rate_hz", r->rate_hz > 0 ? json_real(r->rate_hz) : json_null());
    json_object_set_new(run, "status", cli_text(good ? "ok" : "failed"));
    json_object_set_new(run, "reason", good ? json_null() : cli_text(r->error.text));
    if (r->compared) {
        add_measures(run, r);
    }
    return run;
}

static json_t *ranking_json(const marl_study *study)
{
    json_t *list = json_array();
    size_t ranked = study->cases[0].reference_path != NULL ? study->tuning_n * study->rate_n : 0;
    for (size_t i = 0; i < ranked; i++) {
        const marl_rank *k = &study->rank[i];
        const marl_run *first = &study->runs[k->tuning * study->case_n];
        json_t *one = json_object();
        json_object_set_new(one, "name", cli_text(first->tuning->name));
        json_object_set_new(one, "rate_hz", first->rate_hz > 0 ? json_real(first->rate_hz) : json_null());
        json_object_set_new(one, "by", cli_text(study->rank_by == MARL_RANK_BY_TILT ? "tilt" : "total"));
        json_object_set_new(one, "rms_deg", cli_number(k->score_deg));
        json_object_set_new(one, "difference_deg", cli_number(k->failed > 0 ? NAN : k->difference));
        const double interval[2] = {k->low, k->high};
        json_object_set_new(one, "interval_deg", cli_numbers(interval, 2));
        double sigma = marl_study_reference_sigma(study);
        json_object_set_new(one, "reference_sigma_deg", cli_number(sigma));
        json_object_set_new(one, "decided",
                            sigma > 0 && i > 0 ? json_boolean(marl_study_is_worse(study, k)) : json_null());
        const double over_logs[2] = {k->ratio_low, k->ratio_high};
        json_object_set_new(one, "ratio", cli_number(k->ratio));
        json_object_set_new(one, "ratio_interval", cli_numbers(over_logs, 2));
        const double next[2] = {k->next_low, k->next_high};
        json_object_set_new(one, "next_interval", cli_numbers(next, 2));
        json_object_set_new(one, "failed", json_integer((json_int_t)k->failed));
        json_array_append_new(list, one);
    }
    return list;
}

json_t *cli_study_object(const marl_study *study)
{
    json_t *root = json_object(), *runs = json_array();
    add_alignment(root, &study->cases[0]);
    json_object_set_new(root, "cases", cases_json(study));
    for (size_t i = 0; i < study->run_n; i++) {
        json_array_append_new(runs, run_json(&study->runs[i]));
    }
    json_object_set_new(root, "runs", runs);
    json_object_set_new(root, "ranking", ranking_json(study));
    json_object_set_new(root, "warnings", cli_warnings_json(&study->warnings));
    return root;
}

json_t *cli_study_measures(void)
{
    json_t *list = json_array();
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        const marl_scalar *row = marl_scalar_row((marl_scalar_id)i);
        json_array_append_new(list, json_pack("{s:s,s:s,s:s,s:i}", "key", row->key, "title", row->title,
                                              "unit", row->unit, "decimals", row->decimals));
    }
    return list;
}
