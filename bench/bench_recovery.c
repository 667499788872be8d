/* SPDX-License-Identifier: MIT
 * How the estimators recover: from turns that no gyroscope saw, from gaps, from a long time without
 * magnetometer. Other seeds than those of the tuning. */
#include "accuracy_scenes.h"
#include "bench.h"
#include "lab/maths/random.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { FIRST = MARL_FILTER_COMPLEMENTARY, TRIALS = 20 };

static marl_estimator started(int filter)
{
    marl_tuning tuning = marl_tuning_default((marl_filter)filter);
    marl_estimator e;
    if (marl_estimator_init(&e, &tuning) != MARL_OK) {
        exit(1);
    }
    return e;
}

/* Total error after one more sample, degrees. */
static double error_after(marl_estimator *e, const marl_sample *s, marl_quat truth)
{
    marl_quat q;
    (void)!marl_estimator_update(e, s);
    return marl_estimator_attitude(e, &q) == MARL_OK ? marl_error_between(q, truth).total_deg : 180;
}

/* A turn by `degrees` about an axis of the seed. */
static marl_quat turn_of(double degrees, uint64_t seed)
{
    lab_random random = lab_random_seeded(seed, 5);
    double axis[3], n = 0, half = 0.5 * degrees * 0.017453292519943295;
    for (int i = 0; i < 3; i++) {
        axis[i] = lab_random_normal(&random);
        n += axis[i] * axis[i];
    }
    double k = sin(half) / sqrt(n);
    return (marl_quat){(float)cos(half), (float)(k * axis[0]), (float)(k * axis[1]), (float)(k * axis[2])};
}

/* Turned in 0.5 s after 30 s of rest, while the gyroscope still reads rest. Error 10 s later, degrees. */
static double unseen_turn(int filter, double degrees, uint64_t seed)
{
    const accuracy_class rest = {"still", MARL_SCENE_STILL, 0, 41, 0};
    accuracy_run run = accuracy_run_make(&rest, seed);
    marl_estimator e = started(filter);
    double error = 180;
    for (size_t i = 0; i < run.n; i++) {
        double t = 1e-9 * (double)run.sample[i].t_ns, share = fmin(fmax((t - 30) / 0.5, 0), 1);
        marl_quat turn = turn_of(degrees * share, seed);
        marl_sample s = run.sample[i];
        s.accel = marl_quat_rotate_back(turn, s.accel);
        s.mag = marl_quat_rotate_back(turn, s.mag);
        double now = error_after(&e, &s, marl_quat_product(run.truth[i], turn));
        error = t < 40.5 ? now : error;
    }
    accuracy_run_free(&run);
    return error;
}

static void print_unseen_turns(void)
{
    const double degrees[] = {5, 20, 45, 60, 90, 120};
    printf(
        "\nerror 10 s after a turn at rest that the gyroscope did not see, degrees: rms, worst of %d\n%-18s",
        TRIALS, "");
    for (int k = 0; k < 6; k++) {
        printf("      %3.0f deg", degrees[k]);
    }
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        printf("\n%-18s", marl_filter_name((marl_filter)f));
        for (int k = 0; k < 6; k++) {
            double square = 0, worst = 0;
            for (int i = 0; i < TRIALS; i++) {
                double error = unseen_turn(f, degrees[k], (uint64_t)(2001 + i));
                square += error * error / TRIALS;
                worst = fmax(worst, error);
            }
            printf(" %5.2f %6.2f", sqrt(square), worst);
        }
    }
    printf("\n");
}

/* Hand motion with one gap of `gap` s at 40 s: is the error under 3 degrees 5 s later? */
static int heals_gap(int filter, double gap, uint64_t seed)
{
    const accuracy_class hand = {"handle", MARL_SCENE_HANDLE, 0, 50, 0};
    accuracy_run run = accuracy_run_make(&hand, seed);
    marl_estimator e = started(filter);
    double error = 180;
    for (size_t i = 0; i < run.n; i++) {
        double t = 1e-9 * (double)run.sample[i].t_ns;
        if (t < 40 || (t >= 40 + gap && t < 45 + gap)) {
            error = error_after(&e, &run.sample[i], run.truth[i]);
        }
    }
    accuracy_run_free(&run);
    return error < 3;
}

static void print_gaps(void)
{
    const accuracy_class hand = {"handle", MARL_SCENE_HANDLE, 0, 120, 0};
    printf("\nhand motion: total error, degrees rms, without gaps and with gaps of 0.2 s every 5 s; share of "
           "gaps of "
           "0.5, 1 and 2 s\nwith under 3 degrees 5 s later\n");
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        accuracy_sum whole = {0}, cut = {0};
        const double gap[] = {0.5, 1, 2};
        int healed[3] = {0};
        for (int i = 0; i < TRIALS; i++) {
            accuracy_run run = accuracy_run_make(&hand, (uint64_t)(2001 + i));
            marl_tuning tuning = marl_tuning_default((marl_filter)f);
            accuracy_run_ours(&tuning, &run, &whole);
            accuracy_run_cut(&run, 0.2, 5);
            accuracy_run_ours(&tuning, &run, &cut);
            accuracy_run_free(&run);
            for (int k = 0; k < 3; k++) {
                healed[k] += heals_gap(f, gap[k], (uint64_t)(2001 + i));
            }
        }
        printf("%-18s %6.2f %6.2f", marl_filter_name((marl_filter)f), accuracy_rms(whole.total, whole.n),
               accuracy_rms(cut.total, cut.n));
        for (int k = 0; k < 3; k++) {
            printf("  %3.0f %%", 100.0 * healed[k] / TRIALS);
        }
        printf("\n");
    }
}

/* Without magnetometer for ten minutes of a mild day; the fastest change of the heading error within a second
 * after it came back, deg/s, and the error before. */
static void print_outage(void)
{
    const accuracy_class day = {"day", MARL_SCENE_DAY, 0, 760, 0};
    printf("\nten minutes without magnetometer: heading error at their end, and its fastest change "
           "afterwards, deg/s\n");
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        double largest = 0, fastest = 0;
        for (int i = 0; i < TRIALS / 4; i++) {
            accuracy_run run = accuracy_run_make(&day, (uint64_t)(2001 + i));
            marl_estimator e = started(f);
            double second = NAN;
            for (size_t k = 0; k < run.n; k++) {
                marl_sample s = run.sample[k];
                marl_quat q;
                double t = 1e-9 * (double)s.t_ns;
                s.fresh = (uint8_t)(t > 60 && t < 660 ? s.fresh & ~MARL_FRESH_MAG : s.fresh);
                (void)!marl_estimator_update(&e, &s);
                if (k % 200 == 0 && t >= 659 && marl_estimator_attitude(&e, &q) == MARL_OK) {
                    double heading = marl_error_between(q, run.truth[k]).heading_deg;
                    largest = t < 660 ? fmax(largest, fabs(heading)) : largest;
                    fastest = isfinite(second) ? fmax(fastest, fabs(heading - second)) : fastest;
                    second = heading;
                }
            }
            accuracy_run_free(&run);
        }
        printf("%-18s %6.2f %6.2f\n", marl_filter_name((marl_filter)f), largest, fastest);
    }
}

void bench_recovery(void)
{
    print_unseen_turns();
    print_gaps();
    print_outage();
}
