/* SPDX-License-Identifier: MIT
 * Stated errors of noise, and the forecast of a bias, on rests with noise that is known: squared error over variance
 * (1 is honest) of what is seen, bounds below the truth, and what the bias ten minutes later is off by the forecast. */
#include "bench.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SEEDS = 24, RATE = 50, LATER_S = 600, AVERAGED_S = 20 };

typedef struct term_count {
    int seen, missed; /* seen; a bound that lies below the truth */
    double squares;
} term_count;

static void count_term(term_count *c, double value, double sigma, double max, double truth)
{
    if (isfinite(value)) {
        c->seen++;
        c->squares += pow((value - truth) / sigma, 2);
    } else {
        c->missed += truth > max;
    }
}

static void print_term(const term_count *c)
{
    if (c->seen > 0) {
        printf("   %3d %6.2f %3d", c->seen, c->squares / c->seen, c->missed);
    } else {
        printf("   %3d %6s %3d", 0, "-", c->missed);
    }
}

static double component(marl_vec3 v, int k)
{
    return (double)(k == 0 ? v.x : k == 1 ? v.y : v.z);
}

/* The mean at the end of the whole log. */
static double bias_later(const marl_log *whole, int k)
{
    const size_t n = (size_t)AVERAGED_S * RATE;
    double sum = 0;
    for (size_t i = whole->n - n; i < whole->n; i++) {
        sum += component(whole->row[i].sample.gyro, k) / (double)n;
    }
    return sum;
}

static void print_rests(double seconds, double flicker, double walk)
{
    term_count flickers = {0}, walks = {0};
    int forecasts = 0, beyond = 0;
    double by_bound = 0, by_seen = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + SEEDS; seed++) {
        marl_sheet sheet = marl_sheet_grommet();
        sheet.gyro.flicker = flicker;
        sheet.gyro.walk = walk;
        marl_log whole = verdict_log_of(&sheet, MARL_SCENE_STILL, RATE, seconds + LATER_S, 0, seed);
        marl_log rest = whole;
        marl_still_result r;
        marl_inspection in;
        marl_sensor_noise noise;
        rest.n = (size_t)(seconds * RATE);
        if (marl_inspect(&rest, &in, NULL) != MARL_OK ||
            marl_noise_of_log(&rest, &in, MARL_GYRO, &noise, NULL) != MARL_OK ||
            marl_calibrate_still(&rest, &r, NULL) != MARL_OK) {
            exit(1);
        }
        for (int k = 0; k < 3; k++) {
            const marl_noise *n = &noise.noise[k];
            double off = bias_later(&whole, k) - r.outcome.fit.bias[k];
            count_term(&flickers, n->flicker, n->flicker_sigma, n->flicker_max, flicker);
            count_term(&walks, n->walk, n->walk_sigma, n->walk_max, walk);
            forecasts++;
            beyond += fabs(off) > 2 * r.later_sigma[k];
            by_bound += pow(off / r.later_sigma[k], 2);
            by_seen += pow(off / r.later_seen[k], 2);
        }
        marl_inspection_free(&in);
        free(whole.row);
    }
    printf("%6.0f %8.1e %8.1e", seconds, flicker, walk);
    print_term(&flickers);
    print_term(&walks);
    printf("   %7.3f %8.2f %3d of %d\n", by_bound / forecasts, by_seen / forecasts, beyond, forecasts);
}

void bench_noise(void)
{
    static const double seconds[] = {60, 300, 1800}, flicker[] = {0, 3.5e-5},
                        walk[] = {0, 1.7e-6, 1e-5, 3e-5};
    printf("\nnoise of the gyroscope at rest, %d seeds, three axes; SI units\n"
           "                            flicker          walk        bias in 10 minutes, NSE by\n"
           "  rest  flicker     walk  seen    NSE low  seen    NSE low     bound what is seen  >2 sigma\n",
           SEEDS);
    for (size_t s = 0; s < 3; s++) {
        for (size_t f = 0; f < 2; f++) {
            for (size_t w = 0; w < 4; w++) {
                print_rests(seconds[s], flicker[f], walk[w]);
            }
        }
    }
}
