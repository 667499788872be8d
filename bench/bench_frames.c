/* SPDX-License-Identifier: MIT
 * A reference with another clock or in another frame: in how many logs is it said, and in how many where nothing is
 * wrong. */
#include "accuracy_scenes.h"
#include "bench.h"
#include "lab/maths/random.h"
#include "lab/study/study_case.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SEEDS = 5, FROM_SEED = 7001, CLASSES = ACCURACY_CLASSES + ACCURACY_UNTUNED, MIN_SECONDS = 200 };
typedef enum what { NOTHING, CLOCK, WORLD_SIDE, BODY_SIDE, WHATS } what;
static const char *const names[WHATS] = {"nothing", "clock off by 0.06 to 5 s", "world side by 6 to 120 deg",
                                         "body side by 6 to 120 deg"};
static const accuracy_grade grades[] = {
    {"calibrated", .declared = 1},
    {"bias 3 to 6 deg/s", .gyro_low = 3, .gyro_high = 6},
    {"raw, 2 %", .gyro_low = 1.2, .gyro_high = 2.4, .scale = 0.02, .misalignment = 0.01, .accel_bias = 0.3,
     .mag_bias = 5},
};
enum { GRADES = sizeof grades / sizeof grades[0] };

static marl_quat turn_of(lab_random *random, double low_deg, double high_deg)
{
    double angle = MARL_DEGREE * low_deg * pow(high_deg / low_deg, lab_random_uniform(random)), v[3], n = 0;
    for (int i = 0; i < 3; i++) {
        v[i] = lab_random_normal(random);
        n += v[i] * v[i];
    }
    double s = sin(angle / 2) / sqrt(n);
    return (marl_quat){(float)cos(angle / 2), (float)(s * v[0]), (float)(s * v[1]), (float)(s * v[2])};
}

static void must(marl_status status, const marl_error *error)
{
    if (status != MARL_OK) {
        fprintf(stderr, "%s\n", error->text);
        exit(1);
    }
}

/* The log of a run, and its truth at 50 Hz as a reference of which `how` is wrong. */
static void make_case(const accuracy_run *run, what how, lab_random *random, marl_study_case *it)
{
    static char path[] = "made.csv";
    *it = (marl_study_case){.log_path = path, .reference_path = path};
    it->log = (marl_log){.path = path, .n = run->n, .row = calloc(run->n, sizeof *it->log.row)};
    it->reference = (marl_series){0, calloc(run->n, sizeof *it->reference.at)};
    double late =
        (lab_random_uniform(random) < 0.5 ? -1 : 1) * 0.06 * pow(5 / 0.06, lab_random_uniform(random));
    marl_quat turn = turn_of(random, 6, 120);
    it->log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG;
    it->log.info.corrected = run->calibrated;
    for (size_t i = 0; i < run->n && it->log.row != NULL && it->reference.at != NULL; i++) {
        it->log.row[i].sample = run->sample[i];
        if (i % 4 == 0) {
            marl_quat q = run->truth[i];
            q = how == WORLD_SIDE  ? marl_quat_product(turn, q)
                : how == BODY_SIDE ? marl_quat_product(q, turn)
                                   : q;
            it->reference.at[it->reference.n++] =
                (marl_attitude){run->sample[i].t_ns + (how == CLOCK ? (int64_t)(late * 1e9) : 0), q};
        }
    }
}

static void look_at(const accuracy_class *of, const accuracy_grade *grade, uint64_t seed, what how,
                    int said[2])
{
    marl_study *study = marl_study_create();
    accuracy_run run = accuracy_run_make_graded(of, seed, grade);
    lab_random random = lab_random_seeded(seed, (uint64_t)how);
    marl_study_case it;
    marl_error error = {0};
    make_case(&run, how, &random, &it);
    if (study == NULL || it.log.row == NULL || it.reference.at == NULL) {
        exit(1);
    }
    must(lab_study_check_clock(study, &it, &error), &error);
    must(lab_study_check_frames(study, &it, &error), &error);
    said[0] += it.clock_is_off;
    said[1] += it.frames_differ;
    if (getenv("MARLINSPIKE_BENCH_EACH") != NULL &&
        ((how == NOTHING && (it.clock_is_off || it.frames_differ)) || (how == CLOCK && !it.clock_is_off) ||
         (how > CLOCK && !it.frames_differ))) {
        printf("    %s, %s, seed %d, %s\n", of->name, grade->name, (int)seed, names[how]);
    }
    free(it.log.row);
    marl_series_free(&it.reference);
    accuracy_run_free(&run);
    marl_study_free(study);
}

void bench_frames(void)
{
    printf("\nreferences with another clock or frame, seeds %d to %d: logs, of them said to be of another "
           "clock, of "
           "another frame\n",
           FROM_SEED, FROM_SEED + SEEDS - 1);
    for (int g = 0; g < GRADES; g++) {
        for (int how = 0; how < WHATS; how++) {
            int said[2] = {0, 0}, logs = 0;
            for (int c = 0; c < CLASSES; c++) {
                const accuracy_class *of = accuracy_class_of(c);
                for (uint64_t seed = FROM_SEED; seed < FROM_SEED + SEEDS && of->seconds < MIN_SECONDS;
                     seed++) {
                    look_at(of, &grades[g], seed, (what)how, said);
                    logs++;
                }
            }
            printf("  %-18s %-27s %3d: %3d %3d\n", grades[g].name, names[how], logs, said[0], said[1]);
        }
    }
}
