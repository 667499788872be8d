/* SPDX-License-Identifier: MIT
 * What a search is given: goals, ranges, logs; and the parts that need no log. */
#include "check_main.h"
#include "lab/base/parallel.h"
#include "lab/search/search_parts.h"
#include "search_logs.h"
#include <math.h>

static marl_comparison some_comparison(void)
{
    marl_comparison c = {.settle_s = 3, .jitter_deg = 0.2, .lag_ms = -40, .drift_deg_per_h = (double)NAN};
    c.all.total = (marl_measure){1, 2, 3, 4};
    c.all.tilt = (marl_measure){5, 6, 7, 8};
    c.all.heading = (marl_measure){9, 10, 11, 12};
    return c;
}

START_TEST(goals_are_weighted_sums_of_measures)
{
    static const struct {
        const char *text, *unit;
        double value;
    } good[] = {{"total.rms", "deg", 1},
                {"tilt.p95", "deg", 7},
                {"heading.max", "deg", 12},
                {"lag", "ms", 40},
                {"settle", "s", 3},
                {"jitter", "deg", 0.2},
                {"tilt.rms+0.01*lag", "deg", 5.4},
                {"2*total.mean+0.5*heading.rms+10*jitter", "deg", 10.5}};
    static const char *const bad[] = {"",
                                      "total",
                                      "total.rms+",
                                      "0*lag",
                                      "-1*lag",
                                      "x*lag",
                                      "lag*2",
                                      "tilt.rms-lag",
                                      "lag+lag+lag+lag+lag+lag+lag",
                                      "total.median"};
    const marl_comparison c = some_comparison();
    for (size_t i = 0; i < sizeof good / sizeof good[0]; i++) {
        marl_goal goal = {.n = 0};
        ck_assert_int_eq(marl_goal_read(&goal, good[i].text, NULL), MARL_OK);
        ck_assert_double_eq_tol(marl_goal_value(&goal, &c), good[i].value, 1e-12);
        ck_assert_str_eq(goal.unit, good[i].unit);
        ck_assert_str_eq(goal.text, good[i].text);
    }
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        marl_goal goal = {.n = 0};
        ck_assert_msg(marl_goal_read(&goal, bad[i], NULL) == MARL_ERR_USE, "%s", bad[i]);
    }
    marl_goal drift = {.n = 0};
    marl_error error = {0};
    ck_assert_int_eq(marl_goal_read(&drift, "drift", NULL), MARL_OK);
    ck_assert(isnan(marl_goal_value(&drift, &c)));
    ck_assert_int_eq(marl_goal_read(&drift, "jiter", &error), MARL_ERR_USE);
    ck_assert_ptr_nonnull(strstr(error.text, "(jitter?)"));
}
END_TEST

/* Over logs: the geometric mean, or the worst; one that is not finite spoils it. */
START_TEST(scores_of_logs_become_one)
{
    const double by_log[] = {1, 4, 2}, spoilt[] = {1, INFINITY};
    marl_goal goal = {.n = 0};
    ck_assert_double_eq_tol(lab_goal_over_logs(&goal, by_log, 3), 2, 1e-12);
    ck_assert(isinf(lab_goal_over_logs(&goal, spoilt, 2)));
    goal.worst = 1;
    ck_assert_double_eq(lab_goal_over_logs(&goal, by_log, 3), 4);
}
END_TEST

/* Every parameter's usual range lies within the table's, and place and value are each other's inverse. */
START_TEST(ranges_lie_in_the_table_and_invert)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
            marl_range r;
            const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
            int worth = marl_range_usual((marl_filter)f, (marl_parameter_id)i, &r);
            ck_assert(!worth || ((row->filters >> f) & 1u));
            ck_assert((float)r.low >= row->low && (float)r.high <= row->high && r.low < r.high);
            ck_assert(!worth || ((float)r.low <= row->standard && row->standard <= (float)r.high));
            double before = r.low;
            for (int k = 0; k <= 20 && row->kind == MARL_KIND_NUMBER; k++) {
                double value = lab_range_value(&r, k / 20.0);
                ck_assert(value >= before && value <= r.high);
                ck_assert_double_eq_tol(lab_range_unit(&r, value), k / 20.0, 1e-9);
                before = value;
            }
        }
    }
}
END_TEST

START_TEST(what_cannot_be_varied_is_refused)
{
    static const struct {
        const char *text, *word;
    } bad[] = {{"tilt_tim", "(tilt_time?)"},     {"beta", "no parameter"},
               {"tilt_time=2:1", "upside"},      {"tilt_time=1:1", "upside"},
               {"tilt_time=0:1", "may be from"}, {"tilt_time=1:1e9", "may be from"},
               {"tilt_time=1", "LOW:HIGH"},      {"tilt_time=1:", "LOW:HIGH"},
               {"weighting=0:1", "a switch"},    {"tilt_time=a:b", "LOW:HIGH"}};
    marl_study *study = marl_study_create();
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        marl_search *search = marl_search_create(study);
        marl_error error = {0};
        ck_assert_int_eq(marl_search_add_filter(search, "complementary", &error), MARL_OK);
        ck_assert_int_eq(marl_search_vary(search, bad[i].text, &error), MARL_ERR_USE);
        ck_assert_msg(strstr(error.text, bad[i].word) != NULL, "%s: %s", bad[i].text, error.text);
        marl_search_free(search);
    }
    marl_search *search = marl_search_create(study);
    ck_assert_int_eq(marl_search_add_filter(search, "complementary", NULL), MARL_OK);
    ck_assert_int_eq(marl_search_vary(search, "tilt_time", NULL), MARL_OK);
    ck_assert_int_eq(marl_search_vary(search, "tilt_time=1:2", NULL), MARL_ERR_USE); /* twice */
    ck_assert_int_eq(marl_search_run(search, NULL), MARL_ERR_USE);                   /* no log */
    marl_search_free(search);
    marl_study_free(study);
}
END_TEST

enum { PROVED = 2, TRIED = 8 };

/* Scores of the same tunings on these parts of all logs. */
static void race_on_part(marl_search *search, int part, marl_trial trial[TRIED])
{
    lab_trial_log log[PROVED];
    lab_ran ran[TRIED];
    for (size_t k = 0; k < PROVED; k++) {
        ck_assert_int_eq(lab_trial_log_make(&log[k], search->study, k, part, NULL), MARL_OK);
    }
    lab_race race = lab_race_on(search, log, PROVED, 2);
    race.none_ends = 1;
    for (size_t i = 0; i < TRIED; i++) {
        double unit = ((double)i + 0.5) / TRIED;
        trial[i] = (marl_trial){.tuning = lab_search_tuning(&search->filter[0], &unit)};
    }
    ck_assert_int_eq(lab_race_run(&race, trial, ran, TRIED, NULL), MARL_OK);
    for (size_t k = 0; k < PROVED; k++) {
        lab_trial_log_free(&log[k]);
    }
}

/* What the proof tunes by came on the way: nothing of the second parts is in it. */
START_TEST(whole_logs_give_the_scores_of_their_first_parts)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, PROVED, 60, 117);
    marl_search *search = search_logs_study(&f, 0, PROVED);
    marl_trial whole[TRIED], first[TRIED];
    ck_assert_int_eq(marl_search_add_filter(search, "complementary", NULL), MARL_OK);
    ck_assert_int_eq(marl_search_vary(search, "tilt_time", NULL), MARL_OK);
    ck_assert_int_eq(marl_goal_read(&search->options.goal, "total.rms", NULL), MARL_OK);
    race_on_part(search, LAB_WHOLE, whole);
    race_on_part(search, LAB_FIRST_PART, first);
    for (size_t i = 0; i < TRIED; i++) {
        ck_assert_double_eq(whole[i].first_score, first[i].score);
        ck_assert_double_ne(whole[i].score, first[i].score);
    }
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

/* What the logs cannot give is said before anything is searched. */
START_TEST(logs_that_do_not_determine_the_goal_are_refused)
{
    search_logs f = search_logs_make(MARL_SCENE_LIFT, 1, 25, 111);
    static const struct {
        const char *goal, *word;
    } bad[] = {{"drift", "drift"}, {"total.rms", "too short"}};
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        marl_search *search = search_logs_study(&f, 0, 1);
        marl_error error = {0};
        ck_assert_int_eq(marl_search_add_filter(search, "complementary", &error), MARL_OK);
        ck_assert_int_eq(marl_goal_read(&search->options.goal, bad[i].goal, &error), MARL_OK);
        ck_assert_int_eq(marl_search_run(search, &error), MARL_ERR_INSUFFICIENT);
        ck_assert_msg(strstr(error.text, bad[i].word) != NULL, "%s: %s", bad[i].goal, error.text);
        search_logs_done(search);
    }
    marl_search *search = search_logs_study(&f, 0, 1);
    marl_error error = {0};
    ck_assert_int_eq(marl_search_add_filter(search, "complementary:use_mag=off", &error), MARL_OK);
    ck_assert_int_eq(marl_goal_read(&search->options.goal, "heading.rms", &error), MARL_OK);
    ck_assert_int_eq(marl_search_run(search, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "relative"));
    search_logs_done(search);
    temporary_remove(&f.at);
}
END_TEST

typedef struct tally {
    unsigned char done[5000];
} tally;

static void count_piece(void *context, size_t i)
{
    ((tally *)context)->done[i]++;
}

/* Each piece once, whatever their number and that of the threads. */
START_TEST(every_piece_is_worked_on_once)
{
    static const size_t sizes[] = {0, 1, 2, 7, 5000};
    for (unsigned threads = 0; threads < 70; threads += 3) {
        for (size_t k = 0; k < sizeof sizes / sizeof sizes[0]; k++) {
            tally t = {{0}};
            lab_parallel(threads, sizes[k], count_piece, &t);
            for (size_t i = 0; i < sizeof t.done; i++) {
                ck_assert_uint_eq(t.done[i], i < sizes[k]);
            }
        }
    }
    ck_assert_uint_ge(lab_cores(), 1);
}
END_TEST

MARL_SUITE("parts of the search", goals_are_weighted_sums_of_measures, scores_of_logs_become_one,
           ranges_lie_in_the_table_and_invert, what_cannot_be_varied_is_refused,
           whole_logs_give_the_scores_of_their_first_parts, logs_that_do_not_determine_the_goal_are_refused,
           every_piece_is_worked_on_once)
