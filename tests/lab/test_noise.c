/* SPDX-License-Identifier: MIT
 * Allan deviations against closed forms, noise against what was put in. */
#include "check_main.h"
#include "lab/maths/random.h"
#include "lab/noise/noise_parts.h"
#include "lab/simulate/sensor_model.h"
#include "marlinspike/inspect.h"
#include "marlinspike/simulate.h"
#include "memory_log.h"
#include <math.h>
#include <stdlib.h>

enum { SEEDS = 20 };
static marl_allan allan;
static marl_spectrum spectrum;

static double *noise_of(const marl_sensor_sheet *sheet, size_t n, uint64_t seed)
{
    lab_sensor_model model = lab_sensor_model_make(sheet, sheet->rate_hz, lab_random_seeded(seed, 1));
    double *value = malloc(n * sizeof *value);
    const double zero[3] = {0, 0, 0};
    for (size_t i = 0; i < n; i++) {
        value[i] = (double)lab_sensor_model_read(&model, zero, 24).x;
    }
    return value;
}

/* A ramp of slope r: r tau / sqrt(2) at every tau. Readings that alternate: sqrt(2) at one, 0 at every even
 * number. */
START_TEST(closed_forms)
{
    double value[1000];
    for (int i = 0; i < 1000; i++) {
        value[i] = 5 + 0.25 * 0.01 * i;
    }
    ck_assert_int_eq(lab_allan_of(value, 1000, 0.01, &allan, NULL), MARL_OK);
    ck_assert_uint_eq(allan.point[allan.n - 1].samples, 215);
    for (size_t i = 0; i < allan.n; i++) {
        const marl_allan_point *p = &allan.point[i];
        ck_assert_double_eq_tol(p->tau_s, 0.01 * p->samples, 1e-12);
        ck_assert_double_eq_tol(p->deviation / (0.25 * p->tau_s / sqrt(2)), 1, 1e-9);
    }
    for (int i = 0; i < 1000; i++) {
        value[i] = i % 2 ? 1 : -1;
    }
    ck_assert_int_eq(lab_allan_of(value, 1000, 0.01, &allan, NULL), MARL_OK);
    ck_assert_double_eq_tol(allan.point[0].deviation, sqrt(2), 1e-12);
    ck_assert_double_eq_tol(allan.point[1].deviation, 0, 1e-9);
}
END_TEST

/* By the words of the definition, from means of neighbours at every place. */
/* The congruential series of 1,000 numbers, and its deviations as they are printed in "Handbook of frequency stability
 * analysis" (2008). */
START_TEST(a_published_series_has_its_published_deviations)
{
    static const struct {
        uint32_t samples;
        double deviation;
    } printed[] = {{1, 2.922319e-1}, {10, 9.159953e-2}};
    double value[1000];
    uint64_t n = 1234567890;
    int found = 0;
    for (int i = 0; i < 1000; i++) {
        value[i] = (double)n / 2147483647.0;
        n = 16807 * n % 2147483647;
    }
    ck_assert_int_eq(lab_allan_of(value, 1000, 1, &allan, NULL), MARL_OK);
    for (size_t i = 0; i < allan.n; i++) {
        for (size_t k = 0; k < 2; k++) {
            if (allan.point[i].samples == printed[k].samples) {
                ck_assert_double_eq_tol(allan.point[i].deviation, printed[k].deviation,
                                        5e-7 * printed[k].deviation);
                found++;
            }
        }
    }
    ck_assert_int_eq(found, 2);
}
END_TEST

START_TEST(the_sum_is_that_of_the_definition)
{
    const marl_sensor_sheet sheet = {
        .present = 1, .rate_hz = 100, .full_scale = 10, .bits = 24, .white = 0.01, .walk = 0.1};
    enum { N = 300 };
    double *value = noise_of(&sheet, N, 3);
    ck_assert_int_eq(lab_allan_of(value, N, 0.01, &allan, NULL), MARL_OK);
    for (size_t i = 0; i < allan.n; i++) {
        size_t m = allan.point[i].samples, places = 0;
        double squares = 0;
        for (size_t k = 0; k + 2 * m <= N; k++, places++) {
            double a = 0, b = 0;
            for (size_t j = 0; j < m; j++) {
                a += value[k + j] / (double)m;
                b += value[k + m + j] / (double)m;
            }
            squares += (b - a) * (b - a);
        }
        ck_assert_double_eq_tol(allan.point[i].deviation, sqrt(squares / (2 * (double)places)), 1e-9);
    }
    free(value);
}
END_TEST

/* White noise of sigma 1 has the deviation 1 / sqrt(m): it lies in the 99 % bands so often. Of 400 recordings
 * 396 are expected, with a deviation of 2; the formula of the freedom is an approximation of a percent or
 * two. */
START_TEST(bands_hold_at_their_level)
{
    enum { RUNS = 400, N = 2000 };
    int held[MARL_ALLAN_MAX] = {0};
    for (int run = 0; run < RUNS; run++) {
        double value[N];
        lab_normals normals = lab_normals_of(lab_random_seeded((uint64_t)run, 7));
        for (int i = 0; i < N; i++) {
            value[i] = lab_normals_next(&normals);
        }
        ck_assert_int_eq(lab_allan_of(value, N, 1, &allan, NULL), MARL_OK);
        for (size_t i = 0; i < allan.n; i++) {
            double truth = 1 / sqrt(allan.point[i].samples);
            held[i] += truth > allan.point[i].low && truth < allan.point[i].high;
        }
    }
    for (size_t i = 0; i < allan.n; i += 3) {
        ck_assert_int_ge(held[i], 388);
    }
    ck_assert_int_lt(held[8], RUNS); /* and they are not simply wide */
}
END_TEST

static int by_size(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

/* Median of the finite ones over all seeds, in *n how many there are. */
static double median(double *value, int *n)
{
    *n = 0;
    for (int i = 0; i < SEEDS; i++) {
        if (isfinite(value[i])) {
            value[(*n)++] = value[i];
        }
    }
    qsort(value, (size_t)*n, sizeof *value, by_size);
    return *n > 0 ? value[*n / 2] : NAN;
}

/* What was put in; a value of 0 must be null in at least 18 of 20. */
static const struct {
    double rate, seconds, white, flicker, walk, low_pass;
} recordings[] = {
    {100, 300, 1e-3, 0, 0, 0},      {100, 300, 1e-3, 0, 0, 20},      {50, 3600, 1e-3, 6e-4, 0, 0},
    {50, 3600, 1e-3, 0, 1.5e-4, 0}, {50, 3600, 1e-3, 0, 1.5e-4, 10}, {50, 3600, 6e-3, 2.5e-3, 0, 0},
};

START_TEST(what_was_put_in_comes_out)
{
    const marl_sensor_sheet sheet = {.present = 1,
                                     .rate_hz = recordings[_i].rate,
                                     .full_scale = 10,
                                     .bits = 24,
                                     .white = recordings[_i].white,
                                     .flicker = recordings[_i].flicker,
                                     .walk = recordings[_i].walk,
                                     .low_pass_hz = recordings[_i].low_pass};
    double white[SEEDS], flicker[SEEDS], walk[SEEDS], corner[SEEDS];
    int n;
    for (int i = 0; i < SEEDS; i++) {
        size_t samples = (size_t)(recordings[_i].rate * recordings[_i].seconds);
        double *value = noise_of(&sheet, samples, (uint64_t)i + 1);
        marl_noise noise;
        ck_assert_int_eq(lab_allan_of(value, samples, 1 / recordings[_i].rate, &allan, NULL), MARL_OK);
        lab_noise_fit(&allan, &noise);
        white[i] = noise.white;
        flicker[i] = noise.flicker;
        walk[i] = noise.walk;
        ck_assert_int_eq(lab_spectrum_of(value, samples, 1 / recordings[_i].rate, &spectrum, NULL), MARL_OK);
        corner[i] = spectrum.low_pass_hz;
        ck_assert(isnan(noise.flicker) != isnan(noise.flicker_max));
        free(value);
    }
    ck_assert_double_eq_tol(median(white, &n) / sheet.white, 1, 0.02);
    ck_assert_int_eq(n, SEEDS);
    double found = median(flicker, &n);
    if (sheet.flicker > 0) {
        ck_assert_int_ge(n, 18);
        ck_assert_double_eq_tol(found / sheet.flicker, 1, 0.2);
    } else {
        ck_assert_int_le(n, 2);
    }
    found = median(corner, &n);
    if (sheet.low_pass_hz > 0) {
        ck_assert_int_ge(n, 18);
        ck_assert_double_eq_tol(found / sheet.low_pass_hz, 1, 0.1);
    } else {
        ck_assert_int_le(n, 2);
    }
    found = median(walk, &n);
    if (sheet.walk > 0) {
        ck_assert_int_ge(n, 18);
        ck_assert_double_eq_tol(found / sheet.walk, 1, 0.25);
    } else {
        ck_assert_int_le(n, 2);
    }
}
END_TEST

/* A recording, its sheet, and a recording by that sheet: their Allan deviations agree within 10 % up to T /
 * 600, where that is four deviations of either, and within their bands beyond. What a rest does not show is the part's. */
START_TEST(a_sheet_made_of_a_recording_gives_its_like)
{
    marl_sheet sheet = marl_sheet_grommet(), made;
    static marl_sensor_noise noise[2][MARL_SENSOR_COUNT];
    static marl_sensor_spectrum spectra[2][MARL_SENSOR_COUNT];
    sheet.accel.low_pass_hz = 12;
    for (int k = 0; k < 2; k++) {
        marl_log log = memory_log_simulated(MARL_SCENE_STILL, k ? &made : &sheet, 100, 1800, (uint64_t)k + 1);
        marl_inspection in;
        marl_error error = {0};
        ck_assert_int_eq(marl_inspect(&log, &in, NULL), MARL_OK);
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            ck_assert_int_eq(marl_noise_of_log(&log, &in, (marl_sensor)i, &noise[k][i], NULL), MARL_OK);
            ck_assert_int_eq(marl_spectrum_of_log(&log, &in, (marl_sensor)i, 1, &spectra[k][i], NULL),
                             MARL_OK);
        }
        if (k == 0) {
            ck_assert_msg(marl_sheet_of_recording(&log, noise[0], spectra[0], NULL, &made, &error) == MARL_OK,
                          "%s", error.text);
        }
        marl_inspection_free(&in);
        marl_log_free(&log);
    }
    ck_assert_double_eq_tol(made.accel.low_pass_hz / 12, 1, 0.1);
    ck_assert_double_eq_tol(made.gyro.rate_hz, 100, 1e-6);
    ck_assert_double_eq(made.gyro.full_scale, sheet.gyro.full_scale);
    ck_assert_double_eq(made.gyro.scale_error[0], sheet.gyro.scale_error[0]);
    ck_assert_double_eq(made.accel.bias[1], sheet.accel.bias[1]);
    ck_assert_double_eq_tol(made.mag.rate_hz, 25, 1e-6);
    ck_assert_double_eq_tol(ldexp(made.gyro.full_scale, -made.gyro.bits) / ldexp(sheet.gyro.full_scale, -16),
                            1, 1e-3);
    int compared = 0, outside = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        for (int axis = 0; axis < 3; axis++) {
            const marl_allan *a = &noise[0][i].allan[axis], *b = &noise[1][i].allan[axis];
            for (size_t p = 0; p < a->n; p++) {
                const marl_allan_point *x = &a->point[p], *y = &b->point[p];
                compared++;
                outside += x->tau_s < 1800 / 600.0 ? fabs(x->deviation / y->deviation - 1) > 0.1
                                                   : x->low > y->high || y->low > x->high;
            }
        }
    }
    ck_assert_int_gt(compared, 300);
    ck_assert_int_eq(outside, 0);
}
END_TEST

/* Of 30 rests of five minutes with a walk that such a rest shows: the mean of the squared errors over the stated
 * variances of 20 and more is within three standard deviations of 1, and a bound that the truth exceeds is rare. */
START_TEST(stated_errors_of_a_walk_hold)
{
    const double walk = 3e-5;
    double squares = 0;
    int seen = 0, beyond = 0;
    for (uint64_t seed = 1; seed <= 30; seed++) {
        const marl_sensor_sheet sheet = {
            .rate_hz = 50, .full_scale = 9, .bits = 24, .white = 1e-4, .walk = walk, .present = 1};
        marl_noise noise;
        double *value = noise_of(&sheet, 15000, 400 + seed);
        ck_assert_int_eq(lab_allan_of(value, 15000, 0.02, &allan, NULL), MARL_OK);
        lab_noise_fit(&allan, &noise);
        free(value);
        if (isfinite(noise.walk)) {
            squares += pow((noise.walk - walk) / noise.walk_sigma, 2);
            seen++;
        } else {
            beyond += walk > noise.walk_max;
        }
    }
    ck_assert_int_ge(seen, 20);
    ck_assert_double_lt(squares / seen, 1 + 3 * sqrt(2.0 / seen));
    ck_assert_double_gt(squares / seen, 0.2);
    ck_assert_int_le(beyond, 3);
}
END_TEST

START_TEST(too_little_and_nothing_at_all)
{
    static const double flat[500];
    marl_noise noise;
    marl_error error = {0};
    ck_assert_int_eq(lab_allan_of(flat, 15, 0.01, &allan, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_str_eq(error.text, "15 readings in a row; at least 16 are needed");
    ck_assert_int_eq(lab_allan_of(flat, 500, 0.01, &allan, NULL), MARL_OK);
    lab_noise_fit(&allan, &noise);
    ck_assert(isnan(noise.white) && isnan(noise.flicker) && isnan(noise.walk));
    ck_assert_int_eq(lab_allan_of(flat, 16, 0.01, &allan, NULL), MARL_OK);
    lab_noise_fit(&allan, &noise);
    ck_assert(isnan(noise.white));
    double lively[400];
    for (int i = 0; i < 400; i++) { /* variance zero at every even number */
        lively[i] = i % 2 ? 1 : -1;
    }
    ck_assert_int_eq(lab_allan_of(lively, 400, 0.01, &allan, NULL), MARL_OK);
    lab_noise_fit(&allan, &noise);
    ck_assert(isnan(noise.white) || (noise.white >= 0 && isfinite(noise.white)));
    ck_assert(isnan(noise.flicker) && isnan(noise.walk)); /* a square wave has neither */
}
END_TEST

MARL_SUITE_OF_TRIALS("noise", recordings, what_was_put_in_comes_out, closed_forms,
                     a_published_series_has_its_published_deviations, the_sum_is_that_of_the_definition,
                     bands_hold_at_their_level, a_sheet_made_of_a_recording_gives_its_like,
                     stated_errors_of_a_walk_hold, too_little_and_nothing_at_all)
