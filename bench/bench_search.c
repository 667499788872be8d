/* SPDX-License-Identifier: MIT
 * The search: its optimum against a grid, its speed, and whether its gains are there. */
#include "bench.h"
#include "lab/base/parallel.h"
#include "lab/maths/statistics.h"
#include "lab/search/search_parts.h"
#include "search_trials.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SIDE = 64, PIECE = 512, RUNS = 3, SCENES = 6, SEEDS = 3, GRID_SEED = 8711, GRID_RATE = 50 };

static const char *const varied[2] = {"tilt_time", "heading_time"};

static marl_search *two_parameters(const accuracy_class *of, uint64_t seed, size_t logs, double rate)
{
    marl_error error = {0};
    marl_search *search = search_trial_make(of, seed, logs, rate);
    search_trial_must(marl_search_add_filter(search, "complementary", &error), &error);
    for (int i = 0; i < 2; i++) {
        search_trial_must(marl_search_vary(search, varied[i], &error), &error);
    }
    return search;
}

/* ---- against a grid ---- */

typedef struct grid {
    const marl_search *search;
    size_t from;
    double score[SIDE * SIDE];
} grid;

static void try_point(void *context, size_t i)
{
    grid *g = context;
    i += g->from;
    size_t row = i / SIDE, column = i % SIDE;
    const double unit[2] = {(double)column / (SIDE - 1), (double)row / (SIDE - 1)};
    marl_tuning tuning = lab_search_tuning(&g->search->filter[0], unit);
    g->score[i] = search_trial_score(g->search->study, &tuning);
}

/* Seconds for each of the grid's replays: a slow spell of the machine is in some of the pieces. */
static double run_grid(grid *g)
{
    double least = INFINITY;
    for (g->from = 0; g->from < SIDE * SIDE; g->from += PIECE) {
        double began = bench_now();
        lab_parallel(lab_cores(), PIECE, try_point, g);
        least = fmin(least, (bench_now() - began) / PIECE);
    }
    return least;
}

static double run_search(marl_search *search)
{
    double least = INFINITY;
    for (int i = 0; i < RUNS; i++) {
        marl_error error = {0};
        double began = bench_now();
        search_trial_must(marl_search_run(search, &error), &error);
        least = fmin(least, bench_now() - began);
    }
    return least;
}

static void search_grid(void)
{
    double worst = 0, most = 0, mean = 0, time = 0;
    grid *g = malloc(sizeof *g);
    if (g == NULL) {
        exit(1);
    }
    for (int c = 0; c < SCENES; c++) {
        for (uint64_t seed = GRID_SEED; seed < GRID_SEED + SEEDS; seed++) {
            marl_search *search = two_parameters(&accuracy_classes[2 * c], seed, 1, GRID_RATE);
            double took = run_search(search), least = INFINITY;
            g->search = search;
            time += took / run_grid(g) / (SCENES * SEEDS);
            for (int i = 0; i < SIDE * SIDE; i++) {
                least = fmin(least, g->score[i]);
            }
            worst = fmax(worst, search->score / least);
            most = fmax(most, (double)search->evaluations);
            mean += (double)search->evaluations / (SCENES * SEEDS);
            search_trial_free(search);
        }
    }
    free(g);
    printf("  two parameters of complementary, %d scenes, seeds %d to %d: score over the best of a %d x %d "
           "grid at "
           "most %.4f;\n  evaluations %.0f, at most %.0f, the proof's and the slices' among them; time of "
           "%.0f replays "
           "of the grid\n",
           SCENES, GRID_SEED, GRID_SEED + SEEDS - 1, SIDE, SIDE, worst, mean, most, time);
}

/* ---- speed ---- */

typedef struct race_job {
    marl_search *search;
    const lab_trial_log *log;
    unsigned threads;
} race_job;

enum { RACERS = 32, TURNS = 15 };

/* All tunings to the end. */
static void race_all(void *context)
{
    const race_job *job = context;
    marl_trial trial[RACERS];
    lab_ran ran[RACERS];
    marl_error error = {0};
    lab_race race = lab_race_on(job->search, job->log, 1, job->threads);
    race.none_ends = 1;
    for (int i = 0; i < RACERS; i++) {
        const double unit[2] = {(i + 0.5) / RACERS, 0.5};
        trial[i] = (marl_trial){.tuning = lab_search_tuning(&job->search->filter[0], unit)};
    }
    search_trial_must(lab_race_run(&race, trial, ran, RACERS, &error), &error);
}

static void replay_all(void *context)
{
    const race_job *job = context;
    const marl_log *log = &job->log->log;
    marl_error error = {0};
    volatile float keep = 0;
    for (int i = 0; i < RACERS; i++) {
        const double unit[2] = {(i + 0.5) / RACERS, 0.5};
        marl_tuning tuning = lab_search_tuning(&job->search->filter[0], unit);
        marl_pipeline pipeline;
        search_trial_must(lab_trial_start(job->log, &tuning, &pipeline, &error), &error);
        pipeline.no_digest = 0; /* as replay has it */
        for (size_t k = 0; k < log->n; k++) {
            marl_quat q;
            if (marl_pipeline_step(&pipeline, &log->row[k].sample, &q) == MARL_OK) {
                keep += q.w;
            }
        }
    }
    (void)keep;
}

static void replay_beside(void *context, size_t i)
{
    (void)i;
    replay_all(context);
}

static void replay_twice_at_once(void *context)
{
    lab_parallel(2, 2, replay_beside, context);
}

/* Medians over turns, since the machine's other guests come and go: of each turn's own ratios. */
static void print_speed(marl_search *search, const lab_trial_log *log)
{
    race_job one = {search, log, 1}, two = {search, log, 2};
    double over_bare[TURNS], gain[TURNS], possible[TURNS];
    for (int i = 0; i < TURNS; i++) {
        double bare = bench_once(replay_all, &one), alone = bench_once(race_all, &one),
               both = bench_once(race_all, &two), at_once = bench_once(replay_twice_at_once, &one);
        over_bare[i] = alone / bare;
        gain[i] = alone / both;
        possible[i] = 2 * bare / at_once;
    }
    printf("  a tuning with its score over a bare replay %.3f; two cores over one %.2f (two replays beside "
           "each other, which share nothing: %.2f)\n",
           lab_quantile(over_bare, TURNS, 0.5), lab_quantile(gain, TURNS, 0.5),
           lab_quantile(possible, TURNS, 0.5));
}

static void search_speed(void)
{
    marl_error error = {0};
    marl_search *search = two_parameters(&accuracy_classes[0], 1, 1, 200);
    lab_trial_log log;
    search_trial_must(lab_trial_log_make(&log, search->study, 0, LAB_WHOLE, &error), &error);
    search_trial_must(marl_goal_read(&search->options.goal, "total.rms", &error), &error);
    print_speed(search, &log);
    lab_trial_log_free(&log);
    search_trial_free(search);
}

/* One hour at 200 Hz, by the tool. */
static void search_hour(const char *dir)
{
    char log[300], truth[300],
        *simulate[] = {TOOL,     "simulate", "--scene", "lift", "--rate",  "200", "--duration", "3600",
                       "--seed", "7",        "-o",      log,    "--truth", truth, "--quiet",    NULL};
    double seconds;
    snprintf(log, sizeof log, "%s/hour.csv", dir);
    snprintf(truth, sizeof truth, "%s/hour.reference.csv", dir);
    (void)bench_run((const char *const *)simulate, &seconds);
    char *words[] = {TOOL,       "search",
                     log,        "--reference",
                     truth,      "--calibrated",
                     "--filter", "complementary",
                     "--vary",   "tilt_time",
                     "--vary",   "heading_time",
                     "--quiet",  NULL};
    long peak = bench_run((const char *const *)words, &seconds);
    printf("  an hour at 200 Hz, two parameters, from file to answer: %.1f s, %ld MiB\n", seconds,
           peak / 1024);
    (void)remove(log);
    (void)remove(truth);
}

void bench_search(const char *dir)
{
    printf("\nsearch\n");
    search_speed();
    search_grid();
    search_hour(dir);
}
