/* SPDX-License-Identifier: MIT
 * A search against what can be had without it: every tuning of a grid, each log compared by itself, and logs that
 * nobody tuned on. */
#include "check_main.h"
#include "search_logs.h"
#include <math.h>

static void must(marl_status status, const marl_error *error)
{
    ck_assert_msg(status == MARL_OK, "%s", error->text);
}

/* The score of a tuning by compare alone. */
static double score_by_hand(const marl_study *study, const marl_tuning *tuning, const marl_goal *goal)
{
    double sum = 0;
    for (size_t i = 0; i < study->case_n; i++) {
        const marl_study_case *it = &study->cases[i];
        const marl_replay_options options = {0};
        marl_pipeline pipeline;
        marl_series estimate;
        marl_comparison c;
        marl_error error = {0};
        must(marl_replay_log(&pipeline, &it->log, tuning, &options, &estimate, &error), &error);
        must(marl_compare(&estimate, &it->reference, &it->conditions, &c, &error), &error);
        sum += log(marl_goal_value(goal, &c)) / (double)study->case_n;
        marl_series_free(&estimate);
        marl_comparison_free(&c);
    }
    return exp(sum);
}

/* Two parameters: within 1 % of the best of a grid over the same range; every score is that of compare. */
START_TEST(it_finds_the_best_of_a_grid)
{
    enum { SIDE = 10 };
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 2, 60, 31);
    marl_search *search = search_logs_study(&f, 0, 2);
    marl_error error = {0};
    double least = INFINITY;
    must(marl_search_add_filter(search, "complementary", &error), &error);
    must(marl_search_vary(search, "tilt_time=0.1:20", &error), &error);
    must(marl_search_vary(search, "heading_time=1:100", &error), &error);
    must(marl_search_run(search, &error), &error);
    for (int i = 0; i < SIDE * SIDE; i++) {
        marl_tuning tuning = search->filter[0].standard.tuning;
        int row = i / SIDE, column = i % SIDE;
        tuning.value[MARL_PARAMETER_TILT_TIME] = (float)(0.1 * pow(200, (double)column / (SIDE - 1)));
        tuning.value[MARL_PARAMETER_HEADING_TIME] = (float)pow(100, (double)row / (SIDE - 1));
        least = fmin(least, score_by_hand(search->study, &tuning, &search->options.goal));
    }
    ck_assert_msg(search->score < 1.01 * least, "%.4f, grid %.4f", search->score, least);
    double by_hand = score_by_hand(search->study, &search->best.tuning, &search->options.goal);
    ck_assert_double_eq_tol(search->score, by_hand, 1e-5 * by_hand);
    by_hand = score_by_hand(search->study, &search->filter[0].standard.tuning, &search->options.goal);
    ck_assert_double_eq_tol(search->standard_score, by_hand, 1e-5 * by_hand);
    for (size_t k = 0; k < 2; k++) {
        ck_assert_double_le(search->log[k].own, search->log[k].best);
        ck_assert_double_le(search->log[k].own, search->log[k].standard);
    }
    ck_assert_uint_lt(search->evaluations, 300);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

/* Within the plateau the score is within 5 % of the best, just beyond it is not. */
START_TEST(the_plateau_is_where_the_score_is_near_the_best)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 1, 60, 35);
    marl_search *search = search_logs_study(&f, 0, 1);
    marl_error error = {0};
    must(marl_search_add_filter(search, "complementary", &error), &error);
    must(marl_search_vary(search, "tilt_time", &error), &error);
    must(marl_search_run(search, &error), &error);
    const marl_slice *s = &search->slice[0];
    double found = (double)search->best.tuning.value[MARL_PARAMETER_TILT_TIME];
    ck_assert(s->from <= found && found <= s->to && s->n == MARL_SLICE_POINTS);
    ck_assert_double_eq(s->share, 1);
    ck_assert(!s->from_is_open);
    marl_tuning inside = search->best.tuning, outside = search->best.tuning;
    inside.value[MARL_PARAMETER_TILT_TIME] = (float)(1.1 * s->from);
    outside.value[MARL_PARAMETER_TILT_TIME] = (float)(0.7 * s->from);
    ck_assert_double_lt(score_by_hand(search->study, &inside, &search->options.goal), 1.06 * search->score);
    ck_assert_double_gt(score_by_hand(search->study, &outside, &search->options.goal), 1.05 * search->score);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

/* Bit for bit, on one thread and on several; which is faster does not matter. */
START_TEST(the_answer_does_not_depend_on_the_cores)
{
    search_logs f = search_logs_make(MARL_SCENE_HANDLE, 3, 40, 41);
    marl_search *search[3];
    marl_error error = {0};
    for (unsigned k = 0; k < 3; k++) {
        search[k] = search_logs_study(&f, 0, 3);
        search[k]->options.threads = 1 + 2 * k;
        must(marl_search_add_filter(search[k], "complementary", &error), &error);
        must(marl_search_add_filter(search[k], "gradient-descent", &error), &error);
        must(marl_search_run(search[k], &error), &error);
        ck_assert_uint_eq(search[k]->trials, search[0]->trials);
        ck_assert_mem_eq(&search[k]->best.tuning, &search[0]->best.tuning, sizeof search[k]->best.tuning);
        ck_assert_double_eq(search[k]->score, search[0]->score);
        ck_assert_double_eq(search[k]->gain.ratio, search[0]->gain.ratio);
        ck_assert_double_eq(search[k]->gain.low, search[0]->gain.low);
        ck_assert_uint_eq(search[k]->evaluations, search[0]->evaluations);
        ck_assert_int_eq(search[k]->gain.proof, MARL_PROOF_LEAVE_ONE_OUT);
        for (size_t i = 0; i < search[k]->trials; i++) {
            ck_assert(search[k]->trial[i].score == search[0]->trial[i].score);
        }
    }
    for (int k = 0; k < 3; k++) {
        search_logs_done(search[k]);
    }
    temporary_remove(&f.at);
}
END_TEST

/* From a default that is far off: what is found is better on logs that nobody tuned on, by about what it states. */
START_TEST(a_gain_that_is_stated_is_there_on_fresh_logs)
{
    enum { TUNED = 5, FRESH = 5 };
    search_logs f = search_logs_make(MARL_SCENE_LIFT, TUNED + FRESH, 60, 51);
    marl_search *search = search_logs_study(&f, 0, TUNED),
                *fresh = search_logs_study(&f, TUNED, TUNED + FRESH);
    marl_error error = {0};
    must(marl_search_add_filter(search, "complementary:tilt_time=0.3", &error), &error);
    must(marl_search_vary(search, "tilt_time", &error), &error);
    must(marl_search_run(search, &error), &error);
    const marl_gain *g = &search->gain;
    ck_assert_msg(g->decided && !search->keeps_default, "%.3f, %.3f to %.3f", g->ratio, g->low, g->high);
    ck_assert(g->low < g->ratio && g->ratio < g->high && g->high < 1 && g->confidence > 0.975);
    double found = score_by_hand(fresh->study, &search->chosen.tuning, &search->options.goal);
    double standard = score_by_hand(fresh->study, &search->filter[0].standard.tuning, &search->options.goal);
    ck_assert_double_lt(found, standard);
    /* both means scatter: twice the half of the interval */
    double half = 0.5 * log(g->high / g->low);
    ck_assert_double_lt(fabs(log(found / standard) - log(g->ratio)), 2 * half);
    search_logs_done(search);
    search_logs_done(fresh);
    temporary_remove(&f.at);
}
END_TEST

/* A parameter that these logs cannot show: nothing is gained, the default is kept. */
START_TEST(without_a_gain_the_default_is_kept)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 3, 40, 61);
    marl_search *search = search_logs_study(&f, 0, 3);
    marl_error error = {0};
    must(marl_search_add_filter(search, "kalman", &error), &error);
    must(marl_search_vary(search, "reset_speed", &error), &error);
    must(marl_search_run(search, &error), &error);
    ck_assert_int_eq(search->gain.proof, MARL_PROOF_LEAVE_ONE_OUT);
    ck_assert(!search->gain.decided && search->keeps_default && !(search->gain.confidence > 0.95));
    ck_assert_mem_eq(&search->chosen.tuning, &search->filter[0].standard.tuning,
                     sizeof search->chosen.tuning);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

/* One log: tuned on its first part, proven on the second; logs held out: by those. */
START_TEST(the_proof_is_on_what_was_not_tuned_on)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 3, 80, 71);
    marl_error error = {0};
    marl_search *search = search_logs_study(&f, 0, 1);
    must(marl_search_add_filter(search, "complementary:tilt_time=0.2", &error), &error);
    must(marl_search_vary(search, "tilt_time", &error), &error);
    must(marl_search_run(search, &error), &error);
    ck_assert_int_eq(search->gain.proof, MARL_PROOF_HALVES);
    ck_assert(search->gain.logs == 1 && search->gain.decided && isnan(search->gain.confidence));
    must(marl_search_hold_out(search, f.log[1], f.truth[1], &error), &error);
    must(marl_search_hold_out(search, f.log[2], f.truth[2], &error), &error);
    must(marl_search_run(search, &error), &error);
    ck_assert_int_eq(search->gain.proof, MARL_PROOF_HELD_OUT);
    ck_assert_uint_eq(search->gain.logs, 2);
    double by_hand = score_by_hand(search->held, &search->best.tuning, &search->options.goal);
    ck_assert_double_eq_tol(search->gain.score, by_hand, 1e-9);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

/* By content: under another name, and a part of it. */
START_TEST(a_log_that_is_tuned_on_proves_nothing)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 2, 40, 81);
    marl_search *search = search_logs_study(&f, 0, 1);
    marl_error error = {0};
    char copy[200];
    snprintf(copy, sizeof copy, "%s/copy.csv", f.at.dir);
    marl_log log = search->study->cases[0].log;
    log.row += log.n / 4;
    log.n /= 2;
    search_logs_write(&log, MEMORY_LOG_ALL, copy);
    ck_assert_int_eq(marl_search_hold_out(search, f.log[0], f.truth[0], &error), MARL_ERR_USE);
    search_logs_done(search);
    search = search_logs_study(&f, 0, 1);
    ck_assert_int_eq(marl_search_hold_out(search, copy, f.truth[0], &error), MARL_ERR_USE);
    ck_assert_ptr_nonnull(strstr(error.text, "proves nothing"));
    search_logs_done(search);
    search = search_logs_study(&f, 0, 1);
    ck_assert_int_eq(marl_search_hold_out(search, f.log[1], f.truth[1], &error), MARL_OK);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

static volatile sig_atomic_t stop;

static void stop_at_20(void *context, size_t done, size_t total, double best)
{
    (void)total;
    *(double *)context = best;
    stop = stop || done >= 20;
}

/* Stopped: the best so far, and no proof. Then a limit of evaluations, and one of time. */
START_TEST(a_search_that_is_stopped_gives_the_best_so_far)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 3, 40, 91);
    marl_search *search = search_logs_study(&f, 0, 3);
    marl_error error = {0};
    double best = 0;
    search->options.stop = &stop;
    search->options.progress = stop_at_20;
    search->options.context = &best;
    must(marl_search_add_filter(search, "complementary", &error), &error);
    must(marl_search_run(search, &error), &error);
    ck_assert(search->stopped && search->gain.proof == MARL_PROOF_NONE && !search->keeps_default);
    ck_assert(search->evaluations >= 20 && search->evaluations < 60);
    ck_assert_double_eq(search->score, best);
    stop = 0;
    search->options.progress = NULL;
    search->options.limit = 40;
    must(marl_search_run(search, &error), &error);
    ck_assert(!search->stopped && search->gain.proof == MARL_PROOF_LEAVE_ONE_OUT);
    size_t tried = search->trials - MARL_SLICE_POINTS * search->filter[0].varied;
    ck_assert_uint_le(tried, 40 + 2); /* the default, and the found one rounded */
    search->options.limit = 0;
    search->options.limit_s = 1e-6;
    must(marl_search_run(search, &error), &error);
    ck_assert(search->stopped && search->gain.proof == MARL_PROOF_LEAVE_ONE_OUT);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

START_TEST(the_file_carries_its_evidence)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 1, 60, 101);
    marl_search *search = search_logs_study(&f, 0, 1);
    marl_error error = {0};
    marl_named_tuning again;
    char path[200], line[400];
    must(marl_search_add_filter(search, "complementary:tilt_time=0.2", &error), &error);
    must(marl_search_vary(search, "tilt_time", &error), &error);
    must(marl_search_vary(search, "weighting", &error), &error);
    must(marl_search_run(search, &error), &error);
    snprintf(path, sizeof path, "%s/best.json", f.at.dir);
    must(marl_search_write(search, path, &error), &error);
    must(marl_tuning_read(&again, path, NULL, &error), &error);
    ck_assert_mem_eq(&again.tuning, &search->chosen.tuning, sizeof again.tuning);
    snprintf(path, sizeof path, "%s/trials.csv", f.at.dir);
    must(marl_search_write_trials(search, path, &error), &error);
    FILE *file = fopen(path, "r");
    size_t rows = 0;
    ck_assert(file != NULL && fgets(line, sizeof line, file) != NULL);
    ck_assert_str_eq(line, "filter,weighting[],tilt_time[s],score[deg],log_1[deg]\n");
    while (fgets(line, sizeof line, file) != NULL) {
        rows++;
    }
    fclose(file);
    ck_assert_uint_eq(rows, search->trials);
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

MARL_SUITE("search", it_finds_the_best_of_a_grid, the_plateau_is_where_the_score_is_near_the_best,
           the_answer_does_not_depend_on_the_cores, a_gain_that_is_stated_is_there_on_fresh_logs,
           without_a_gain_the_default_is_kept, the_proof_is_on_what_was_not_tuned_on,
           a_log_that_is_tuned_on_proves_nothing, a_search_that_is_stopped_gives_the_best_so_far,
           the_file_carries_its_evidence)
