/* SPDX-License-Identifier: MIT
 * The logs that tunings are tried on. */
#include "lab/log/series.h"
#include "lab/search/search_parts.h"
#include <stdlib.h>

#define GAP_NS INT64_C(10000000000) /* between what is tuned on and what is scored */
#define MIN_REFERENCE_NS INT64_C(10000000000)

/* The part of the reference from one moment to another. */
static marl_series between(const marl_series *all, int64_t from_ns, int64_t to_ns)
{
    marl_series part = {0, all->at};
    size_t from = 0;
    while (from < all->n && all->at[from].t_ns < from_ns) {
        from++;
    }
    part.at += from;
    while (from + part.n < all->n && part.at[part.n].t_ns <= to_ns) {
        part.n++;
    }
    return part;
}

static int64_t length_of(const marl_series *s)
{
    return s->n > 1 ? s->at[s->n - 1].t_ns - s->at[0].t_ns : 0;
}

/* Halves by the time that log and reference have in common. */
static void cut(lab_trial_log *to, int part)
{
    const marl_series *all = &to->of->reference;
    int64_t first = to->log.row[0].sample.t_ns, last = to->log.row[to->log.n - 1].sample.t_ns;
    int64_t from = all->at[0].t_ns > first ? all->at[0].t_ns : first,
            until = all->at[all->n - 1].t_ns < last ? all->at[all->n - 1].t_ns : last;
    int64_t middle = from + (until - from) / 2;
    if (part == LAB_FIRST_PART) {
        until = middle - GAP_NS / 2;
        while (to->log.n > 1 && to->log.row[to->log.n - 1].sample.t_ns > until) {
            to->log.n--;
        }
    } else if (part == LAB_SECOND_PART) {
        from = middle + GAP_NS / 2;
    }
    to->reference = part == LAB_WHOLE ? *all : between(all, from, until);
}

static int is_too_short(const lab_trial_log *it)
{
    return length_of(&it->reference) < MIN_REFERENCE_NS;
}

static size_t first_rows(const lab_trial_log *whole)
{
    lab_trial_log first = *whole;
    cut(&first, LAB_FIRST_PART);
    return is_too_short(&first) ? whole->log.n / 2 : first.log.n;
}

marl_status lab_trial_log_make(lab_trial_log *to, const marl_study *study, size_t number, int part,
                               marl_error *error)
{
    size_t place = 0;
    *to = (lab_trial_log){.study = study, .of = &study->cases[number], .log = study->cases[number].log};
    cut(to, part);
    if (is_too_short(to)) {
        return marl_fail(
            error, MARL_ERR_INSUFFICIENT,
            "%s: too short to tune on one part and prove on another: under 10 s of reference lie in "
            "each; record longer, or give --hold-out",
            to->of->log_path);
    }
    to->truth = calloc(to->log.n + 1, sizeof *to->truth);
    if (to->truth == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    to->first_n = first_rows(to);
    int64_t longest = lab_longest_step_ns(&to->of->reference);
    for (size_t i = 0; i < to->log.n; i++) {
        (void)lab_series_at(&to->reference, longest, to->log.row[i].sample.t_ns, &place, &to->truth[i]);
    }
    return MARL_OK;
}

void lab_trial_log_free(lab_trial_log *it)
{
    free(it->truth);
    it->truth = NULL;
}

static const marl_quat *start_of(const lab_trial_log *it)
{
    const marl_study_options *o = &it->study->options;
    return o->start == MARL_START_VECTORS     ? NULL
           : o->start == MARL_START_REFERENCE ? &it->of->start
                                              : &o->start_q;
}

marl_status lab_trial_start(const lab_trial_log *it, const marl_tuning *tuning, marl_pipeline *pipeline,
                            marl_error *error)
{
    const marl_study_options *o = &it->study->options;
    const marl_quat *start = start_of(it);
    marl_tuning used = *tuning;
    used.world = MARL_WORLD_ENU;
    MARL_TRY(
        marl_replay_init(pipeline, &used, o->record, o->record_path, &it->log.info, it->log.path, error));
    pipeline->no_digest = 1; /* nobody looks at it here */
    return start != NULL ? marl_replay_start(pipeline, *start, error) : MARL_OK;
}

marl_status lab_trial_compare(const lab_trial_log *it, const marl_tuning *tuning, marl_comparison *comparison,
                              marl_error *error)
{
    const marl_replay_options how = {.record = it->study->options.record,
                                     .record_path = it->study->options.record_path,
                                     .start = start_of(it)};
    marl_pipeline pipeline;
    marl_series estimate;
    MARL_TRY(marl_replay_log(&pipeline, &it->log, tuning, &how, &estimate, error));
    marl_status status = marl_compare(&estimate, &it->reference, &it->of->conditions, comparison, error);
    marl_series_free(&estimate);
    return status;
}
