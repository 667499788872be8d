/* SPDX-License-Identifier: MIT
 * Spectra against what was put in, and noise against noise. */
#include "check_main.h"
#include "lab/maths/random.h"
#include "lab/noise/noise_parts.h"
#include "lab/simulate/sensor_model.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include <math.h>

#define TURN 6.283185307179586

static marl_spectrum spectrum;

/* White noise of one density, with or without a swing. */
static void white(double *value, size_t n, double rate, double density, double hz, double amplitude,
                  uint64_t seed)
{
    lab_normals normals = lab_normals_of(lab_random_seeded(seed, 5));
    for (size_t i = 0; i < n; i++) {
        value[i] = 3 + density * sqrt(rate) * lab_normals_next(&normals) +
                   amplitude * sin(TURN * hz * (double)i / rate + 1);
    }
}

/* The mean of all bins but the first and last few is the variance (Parseval), and each band holds the density
 * within its 99 % so often: of 300 spectra 297 are expected, with a deviation of 1.7. */
START_TEST(white_noise_stands_at_its_density)
{
    enum { RUNS = 300, N = 6000 };
    static double value[N];
    int held[MARL_SPECTRUM_BANDS] = {0};
    for (int run = 0; run < RUNS; run++) {
        double power = 0;
        white(value, N, 50, 0.2, 0, 0, (uint64_t)run + 1);
        ck_assert_int_eq(lab_spectrum_of(value, N, 0.02, &spectrum, NULL), MARL_OK);
        for (size_t i = 0; i < spectrum.bands; i++) {
            held[i] += spectrum.band[i].low < 0.2 && spectrum.band[i].high > 0.2;
        }
        for (size_t k = 4; k < spectrum.bins - 1; k++) {
            power += spectrum.density[k] * spectrum.density[k] / (double)(spectrum.bins - 5);
        }
        /* 2 B T = 6000 degrees of freedom: a deviation of 0.018 of the power */
        ck_assert_msg(fabs(power / 0.04 - 1) < 4.5 * 0.018, "run %d: %.4f", run, power);
    }
    for (size_t i = 0; i < spectrum.bands; i++) {
        ck_assert_msg(held[i] >= 291, "band %zu of %.3f Hz: %d", i, spectrum.band[i].hz, held[i]);
    }
}
END_TEST

/* One swing in 10,000 readings: its frequency to a twentieth of a bin, its size to a tenth; also between
 * bins. Nothing is added and nothing is found in noise alone: one in a thousand spectra may err. */
START_TEST(lines_are_found_where_they_are_and_nowhere_else)
{
    enum { RUNS = 200, N = 10000 };
    static double value[N];
    int invented = 0;
    for (int run = 0; run < RUNS; run++) {
        double hz = 5 + 0.1937 * run;
        white(value, N, 100, 0.01, hz, 0.1, (uint64_t)run + 1);
        ck_assert_int_eq(lab_spectrum_of(value, N, 0.01, &spectrum, NULL), MARL_OK);
        ck_assert_msg(spectrum.lines >= 1 && fabs(spectrum.line[0].hz - hz) < 0.2 * spectrum.step_hz &&
                          fabs(spectrum.line[0].amplitude / 0.1 - 1) < 0.07,
                      "%.3f Hz: %zu lines, %.3f Hz %.4f", hz, spectrum.lines, spectrum.line[0].hz,
                      spectrum.line[0].amplitude);
        invented += spectrum.lines > 1;
        white(value, N, 100, 0.01, 0, 0, (uint64_t)run + 1000);
        ck_assert_int_eq(lab_spectrum_of(value, N, 0.01, &spectrum, NULL), MARL_OK);
        invented += spectrum.lines > 0;
    }
    ck_assert_int_le(invented, 3);
}
END_TEST

/* Flicker and walk are no lines, however steep they are. */
START_TEST(a_slope_is_no_line)
{
    enum { N = 36000 };
    double *value = malloc(N * sizeof *value);
    int invented = 0;
    for (uint64_t seed = 1; seed <= 20; seed++) {
        const marl_sensor_sheet sheet = {.present = 1,
                                         .rate_hz = 100,
                                         .full_scale = 10,
                                         .bits = 24,
                                         .white = 1e-5,
                                         .flicker = 2e-3,
                                         .walk = seed % 2 ? 1e-2 : 0};
        lab_sensor_model model = lab_sensor_model_make(&sheet, 100, lab_random_seeded(seed, 1));
        const double zero[3] = {0, 0, 0};
        for (int i = 0; i < N; i++) {
            value[i] = (double)lab_sensor_model_read(&model, zero, 24).x;
        }
        ck_assert_int_eq(lab_spectrum_of(value, N, 0.01, &spectrum, NULL), MARL_OK);
        invented += spectrum.lines > 0;
    }
    ck_assert_int_le(invented, 1);
    free(value);
}
END_TEST

/* Corners from a twentieth to a third of the rate, ten minutes each: within 4 of their standard errors, and
 * those are no more than a tenth. A line in the noise does not shift them. */
START_TEST(the_corner_is_found_with_its_error)
{
    enum { N = 60000 };
    static const double corners[] = {5, 12, 20, 33};
    double *value = malloc(N * sizeof *value), squares = 0;
    int n = 0;
    for (uint64_t seed = 1; seed <= 32; seed++) {
        const double corner = corners[seed % 4], zero[3] = {0, 0, 0};
        const marl_sensor_sheet sheet = {.present = 1,
                                         .rate_hz = 100,
                                         .full_scale = 10,
                                         .bits = 24,
                                         .white = 1e-3,
                                         .flicker = 2e-4,
                                         .low_pass_hz = corner};
        lab_sensor_model model = lab_sensor_model_make(&sheet, 100, lab_random_seeded(seed, 1));
        for (int i = 0; i < N; i++) {
            value[i] = (double)lab_sensor_model_read(&model, zero, 24).x +
                       (seed % 3 ? 0 : 2e-3 * sin(TURN * 3.3 * 0.01 * i));
        }
        ck_assert_int_eq(lab_spectrum_of(value, N, 0.01, &spectrum, NULL), MARL_OK);
        double error = (spectrum.low_pass_hz - corner) / spectrum.low_pass_sigma;
        ck_assert_msg(fabs(error) < 5 && spectrum.low_pass_sigma < 0.1 * corner, "%.3f +- %.3f of %.3f",
                      spectrum.low_pass_hz, spectrum.low_pass_sigma, corner);
        squares += error * error;
        n++;
    }
    /* chi-square of 32: 99 % between 15.1 and 56.3 */
    ck_assert_msg(squares > 15 && squares < 57, "%.1f of %d", squares, n);
    free(value);
}
END_TEST

typedef struct seen {
    marl_sensor_noise noise[MARL_SENSOR_COUNT];
    marl_sensor_spectrum spectrum[MARL_SENSOR_COUNT];
} seen;

static void show(seen *s, const marl_sheet *sheet, double seconds, uint64_t seed)
{
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, sheet, 100, seconds, seed);
    marl_inspection in;
    ck_assert_int_eq(marl_inspect(&log, &in, NULL), MARL_OK);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        ck_assert_int_eq(marl_noise_of_log(&log, &in, (marl_sensor)i, &s->noise[i], NULL), MARL_OK);
        ck_assert_int_eq(marl_spectrum_of_log(&log, &in, (marl_sensor)i, 1, &s->spectrum[i], NULL), MARL_OK);
    }
    marl_inspection_free(&in);
    marl_log_free(&log);
}

static marl_consistency liken(const seen *a, const seen *b, marl_sensor i)
{
    return marl_compare_noise(&a->noise[i], &a->spectrum[i], &b->noise[i], &b->spectrum[i]);
}

/* Two recordings by one sheet are alike in all but 1 % of sensors: of 60 comparisons at most 3 may err. */
START_TEST(the_same_sheet_is_alike)
{
    static seen a, b;
    marl_sheet sheet = marl_sheet_grommet();
    int different = 0;
    sheet.accel.low_pass_hz = 20;
    for (uint64_t seed = 1; seed <= 20; seed++) {
        show(&a, &sheet, 200, 2 * seed);
        show(&b, &sheet, 200, 2 * seed + 1);
        for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
            marl_consistency like = liken(&a, &b, (marl_sensor)i);
            ck_assert_uint_eq(like.axes, 7);
            different += !like.holds;
        }
    }
    ck_assert_msg(different <= 3, "%d", different);
}
END_TEST

/* A fifth more white noise, another corner, a walk: each is seen, where it is, and in that sensor alone. */
START_TEST(another_sheet_is_not)
{
    static seen a, b;
    marl_sheet sheet = marl_sheet_grommet(), other;
    sheet.accel.low_pass_hz = 20;
    other = sheet;
    other.gyro.white *= 1.2;
    other.accel.low_pass_hz = 14;
    other.mag.walk = 0.3;
    show(&a, &sheet, 200, 3);
    show(&b, &other, 200, 4);
    marl_consistency gyro = liken(&a, &b, MARL_GYRO), accel = liken(&a, &b, MARL_ACCEL),
                     mag = liken(&a, &b, MARL_MAG);
    ck_assert(!gyro.holds && !accel.holds && !mag.holds);
    ck_assert_double_eq_tol(gyro.allan[1].ratio, 1.2, 0.06);
    ck_assert(!accel.spectrum[2].holds && accel.spectrum[2].at > 12 && accel.spectrum[2].ratio < 0.85);
    ck_assert(!mag.allan[0].holds && mag.allan[0].at > 1 && mag.allan[0].ratio > 1.2);
    show(&b, &sheet, 200, 5);
    ck_assert(liken(&a, &b, MARL_GYRO).holds && liken(&a, &b, MARL_ACCEL).holds &&
              liken(&a, &b, MARL_MAG).holds);
}
END_TEST

START_TEST(too_little_and_nothing_at_all)
{
    static const double flat[5000];
    marl_error error = {0};
    ck_assert_int_eq(lab_spectrum_of(flat, 255, 0.01, &spectrum, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "255 readings in a row; a spectrum needs 256"));
    ck_assert_int_eq(lab_spectrum_of(flat, 5000, 0.01, &spectrum, NULL), MARL_OK);
    ck_assert(spectrum.lines == 0 && isnan(spectrum.low_pass_hz));
}
END_TEST

MARL_SUITE("spectrum", CAMPAIGN(white_noise_stands_at_its_density),
           CAMPAIGN(lines_are_found_where_they_are_and_nowhere_else), a_slope_is_no_line,
           CAMPAIGN(the_corner_is_found_with_its_error), CAMPAIGN(the_same_sheet_is_alike),
           another_sheet_is_not, too_little_and_nothing_at_all)
