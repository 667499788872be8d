/* SPDX-License-Identifier: MIT
 * Which filter is better over a group of logs: how often the interval of the ratio of their errors holds that of all
 * logs of the motion, and on which side its verdict is. */
#include "bench.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { COMPARED = 120, MAX_GROUP = 10, TUNINGS = 2 };

/* Both filters on many logs of a scene. */
static void compare_all(marl_scene_kind scene, marl_comparison c[TUNINGS][COMPARED])
{
    const marl_filter filter[TUNINGS] = {MARL_FILTER_KALMAN, MARL_FILTER_COMPLEMENTARY};
    for (int i = 0; i < COMPARED; i++) {
        marl_log log = verdict_log(scene, 50, 60, 0, (uint64_t)(i + 1));
        marl_series truth = {0};
        marl_error error = {0};
        if (marl_series_from_log(&truth, &log, &error) != MARL_OK) {
            exit(1);
        }
        for (int t = 0; t < TUNINGS; t++) {
            marl_tuning tuning = marl_tuning_default(filter[t]);
            marl_replay_options options = {.degradation = {.every = 1}};
            marl_pipeline pipeline;
            marl_series estimate;
            if (marl_replay_log(&pipeline, &log, &tuning, &options, &estimate, &error) != MARL_OK ||
                marl_compare(&estimate, &truth, NULL, &c[t][i], &error) != MARL_OK) {
                fprintf(stderr, "%s\n", error.text);
                exit(1);
            }
            marl_series_free(&estimate);
        }
        marl_series_free(&truth);
        free(log.row);
    }
}

typedef struct group_count {
    int groups, held, decided, wrong;
} group_count;

/* Groups of so many logs, none twice: the interval of the ratio against that of all logs. */
static void count_groups(marl_comparison c[TUNINGS][COMPARED], int logs, double truth, group_count *count)
{
    for (int g = 0; g < COMPARED / logs; g++) {
        const marl_comparison *of[TUNINGS * MAX_GROUP];
        marl_rank rank[TUNINGS];
        for (int i = 0; i < TUNINGS * logs; i++) {
            of[i] = &c[i / logs][g * logs + i % logs];
        }
        if (marl_rank_tunings(&(marl_contest){of, TUNINGS, (size_t)logs, MARL_RANK_BY_TOTAL}, rank, NULL) !=
            MARL_OK) {
            exit(1);
        }
        double signed_truth = rank[0].tuning == 0 ? truth : -truth;
        count->groups++;
        count->held += log(rank[1].ratio_low) <= signed_truth && signed_truth <= log(rank[1].ratio_high);
        count->decided += marl_rank_is_worse_elsewhere(&rank[1]);
        count->wrong += marl_rank_is_worse_elsewhere(&rank[1]) && signed_truth < 0;
    }
}

/* What one recording says of one more: how often each other one of the motion lies within. */
static void print_next(marl_comparison c[TUNINGS][COMPARED])
{
    int within = 0, pairs = 0, decided = 0;
    for (int i = 0; i < COMPARED; i++) {
        const marl_comparison *of[TUNINGS] = {&c[0][i], &c[1][i]};
        marl_rank rank[TUNINGS];
        if (marl_rank_tunings(&(marl_contest){of, TUNINGS, 1, MARL_RANK_BY_TOTAL}, rank, NULL) != MARL_OK) {
            exit(1);
        }
        size_t first = rank[0].tuning, second = rank[1].tuning;
        decided += rank[1].next_low > 1;
        for (int j = 0; j < COMPARED; j++) {
            double ratio = c[second][j].all.total.rms / c[first][j].all.total.rms;
            within += j != i && ratio >= rank[1].next_low && ratio <= rank[1].next_high;
            pairs += j != i;
        }
    }
    printf("           one log: its interval for one more holds %.1f %% of %d others, decided %d\n",
           100.0 * within / pairs, pairs, decided);
}

/* Adds to *all. */
static void print_compared(marl_scene_kind scene, group_count *all)
{
    static marl_comparison c[TUNINGS][COMPARED];
    static const int sizes[] = {3, 5, MAX_GROUP};
    double truth = 0;
    compare_all(scene, c);
    for (int i = 0; i < COMPARED; i++) {
        truth += log(c[1][i].all.total.rms / c[0][i].all.total.rms) / COMPARED;
    }
    printf("  %-8s x %.2f over %d logs; held by the interval, decided, on the wrong side:",
           marl_scene_name(scene), exp(truth), COMPARED);
    for (size_t k = 0; k < sizeof sizes / sizeof sizes[0]; k++) {
        group_count count = {0};
        count_groups(c, sizes[k], truth, &count);
        printf("%s %d groups of %d: %d %d %d", k > 0 ? ";" : "", count.groups, sizes[k], count.held,
               count.decided, count.wrong);
        all->groups += count.groups;
        all->held += count.held;
        all->decided += count.decided;
        all->wrong += count.wrong;
    }
    printf("\n");
    print_next(c);
    for (int i = 0; i < TUNINGS * COMPARED; i++) {
        marl_comparison_free(&c[i / COMPARED][i % COMPARED]);
    }
}

void bench_groups(void)
{
    static const marl_scene_kind scenes[] = {MARL_SCENE_LIFT,  MARL_SCENE_TUMBLE, MARL_SCENE_HANDLE,
                                             MARL_SCENE_SHAKE, MARL_SCENE_CARRY,  MARL_SCENE_SWING,
                                             MARL_SCENE_SPIN,  MARL_SCENE_UPSIDE};
    group_count all = {0};
    printf("\ncomplementary and kalman on groups of logs of 60 s: ratio of their errors\n");
    for (size_t i = 0; i < sizeof scenes / sizeof scenes[0]; i++) {
        print_compared(scenes[i], &all);
    }
    printf("  all: held %d of %d, decided %d, wrong side %d\n", all.held, all.groups, all.decided, all.wrong);
}
