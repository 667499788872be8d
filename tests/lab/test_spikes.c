/* SPDX-License-Identifier: MIT
 * Readings that stand alone: found where a bus spoilt them, and none where a body only moves. */
#include "check_main.h"
#include "lab/log/log_report.h"
#include "marlinspike/inspect.h"
#include "marlinspike/smooth.h"
#include "memory_log.h"
#include "sensor_faults.h"

static const marl_scene_kind scenes[] = {MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_SHAKE,
                                         MARL_SCENE_WHIRL,  MARL_SCENE_DRIVE, MARL_SCENE_STEEL};

static size_t count(const uint8_t *of_row, size_t n, unsigned bits)
{
    size_t found = 0;
    for (size_t i = 0; i < n; i++) {
        found += (of_row[i] & bits) != 0;
    }
    return found;
}

/* Motions at any rate, in fine and coarse steps, hold none. */
static void motion_is_no_spike(marl_scene_kind scene)
{
    static const double rates[] = {10, 25, 50, 100, 400};
    for (size_t r = 0; r < sizeof rates / sizeof rates[0]; r++) {
        marl_sheet sheet = marl_sheet_grommet();
        marl_log log = memory_log_simulated(scene, &sheet, rates[r], 60, 7 + r);
        uint8_t *of_row = calloc(log.n, 1);
        ck_assert_int_eq(marl_spikes_find(&log, of_row, NULL), MARL_OK);
        ck_assert_msg(count(of_row, log.n, 7) == 0, "%g Hz", rates[r]);
        free(of_row);
        marl_log_free(&log);
    }
}

/* One reading in a hundred is spoilt; their bits in `spoilt`. */
static void spoil_log(marl_log *log, uint64_t seed, uint8_t *spoilt)
{
    dice d = {seed};
    for (size_t i = 0; i < log->n; i++) {
        for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
            int is_due = dice_below(&d, 100) == 0;
            if (is_due && spoil_reading(&log->row[i].sample, k, &d)) {
                spoilt[i] = (uint8_t)(spoilt[i] | 1u << k);
            }
        }
    }
}

static double apart(const marl_log *a, const marl_log *b, size_t row, int sensor)
{
    const marl_sample *s = &a->row[row].sample, *t = &b->row[row].sample;
    marl_vec3 d = sensor == MARL_ACCEL  ? marl_vec3_sub(s->accel, t->accel)
                  : sensor == MARL_GYRO ? marl_vec3_sub(s->gyro, t->gyro)
                                        : marl_vec3_sub(s->mag, t->mag);
    return (double)marl_vec3_norm(d);
}

/* Of spoilt readings those are found that are far from the truth, and no others. */
static void spoilt_readings_are_found(marl_scene_kind scene)
{
    static const double far[] = {60, 3, 150};
    marl_sheet sheet = marl_sheet_grommet();
    marl_log clean = memory_log_simulated(scene, &sheet, 100, 60, 21),
             log = memory_log_simulated(scene, &sheet, 100, 60, 21);
    uint8_t *spoilt = calloc(log.n, 1), *of_row = calloc(log.n, 1);
    size_t due = 0, found = 0, removed;
    spoil_log(&log, (uint64_t)scene + 1, spoilt);
    ck_assert_int_eq(marl_spikes_find(&log, of_row, NULL), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        ck_assert_msg((of_row[i] & ~spoilt[i]) == 0, "row %zu: %d of %d", i, of_row[i], spoilt[i]);
        for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
            int is_far = ((spoilt[i] >> k) & 1) && apart(&log, &clean, i, k) > far[k];
            due += (size_t)is_far;
            found += (size_t)(is_far && ((of_row[i] >> k) & 1));
        }
    }
    ck_assert_uint_gt(due, 30);
    ck_assert_msg((double)found > 0.95 * (double)due, "%zu of %zu", found, due);
    size_t marked = count(of_row, log.n, MARL_FRESH_ACCEL) + count(of_row, log.n, MARL_FRESH_GYRO) +
                    count(of_row, log.n, MARL_FRESH_MAG);
    ck_assert_int_eq(marl_spikes_remove(&log, &removed, NULL), MARL_OK);
    ck_assert_uint_eq(removed, marked);
    for (size_t i = 0; i < log.n; i++) {
        ck_assert(!(log.row[i].sample.fresh & of_row[i]));
    }
    free(spoilt);
    free(of_row);
    marl_log_free(&clean);
    marl_log_free(&log);
}

START_TEST(each_scene)
{
    motion_is_no_spike(scenes[_i]);
    spoilt_readings_are_found(scenes[_i]);
}
END_TEST

/* Steps of somebody who runs, through the low-pass of a sensor, are no spikes, however hard. */
START_TEST(knocks_are_no_spikes)
{
    static const float pulse[] = {0.3f, 1, 0.3f};
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_CARRY, &sheet, 100, 60, 3);
    uint8_t *of_row = calloc(log.n, 1);
    for (size_t i = 20; i + 3 < log.n; i += 37) {
        for (size_t k = 0; k < 3; k++) {
            log.row[i + k].sample.accel.z += 60 * pulse[k];
            log.row[i + k].sample.gyro.y += 3 * pulse[k];
        }
    }
    ck_assert_int_eq(marl_spikes_find(&log, of_row, NULL), MARL_OK);
    ck_assert_uint_eq(count(of_row, log.n, 7), 0);
    free(of_row);
    marl_log_free(&log);
}
END_TEST

/* The smoother's attitudes hardly change by them. */
START_TEST(the_smoother_leaves_them_out)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 60, 21);
    uint8_t *spoilt = calloc(log.n, 1);
    marl_smoothed clean, spoiled;
    double squares = 0;
    ck_assert_int_eq(marl_smooth(&log, NULL, &clean, NULL), MARL_OK);
    spoil_log(&log, 5, spoilt);
    ck_assert_int_eq(marl_smooth(&log, NULL, &spoiled, NULL), MARL_OK);
    ck_assert(marl_smoothed_distrust(&clean) == NULL && marl_smoothed_distrust(&spoiled) == NULL);
    for (size_t i = 0; i < log.n; i++) {
        double angle = angle_between(clean.row[i].q, spoiled.row[i].q);
        squares += angle * angle / (double)log.n;
    }
    ck_assert_double_lt(sqrt(squares), clean.sigma_tilt_rms + clean.sigma_heading_rms);
    free(spoilt);
    marl_smoothed_free(&clean);
    marl_smoothed_free(&spoiled);
    marl_log_free(&log);
}
END_TEST

static double rms_error(const marl_log *log, double *mag_delay_s)
{
    marl_smoothed s;
    double squares = 0;
    ck_assert_int_eq(marl_smooth(log, NULL, &s, NULL), MARL_OK);
    ck_assert(marl_smoothed_distrust(&s) == NULL);
    for (size_t i = 0; i < log->n; i++) {
        double angle = angle_between(s.row[i].q, log->row[i].q);
        squares += angle * angle / (double)log->n;
    }
    *mag_delay_s = marl_smoothed_delays(&s).of[MARL_MAG].delay_s;
    marl_smoothed_free(&s);
    return sqrt(squares);
}

/* A magnetometer's last reading in each row: each of them counts once, and is not taken for one that is late. */
START_TEST(the_smoother_counts_a_held_reading_once)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 60, 21);
    marl_vec3 last = log.row[0].sample.mag;
    lab_repeats repeats = {.begun = 0};
    double delay_s, before = rms_error(&log, &delay_s);
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        last = s->fresh & MARL_FRESH_MAG ? s->mag : last;
        s->mag = last;
        s->fresh |= MARL_FRESH_MAG;
        lab_report_readings(&repeats, s, &log.report);
    }
    ck_assert(marl_log_is_held(&log.report, MARL_MAG));
    ck_assert_double_lt(rms_error(&log, &delay_s), 1.02 * before);
    ck_assert_double_lt(fabs(delay_s), 0.005);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE_OF_CASES("spikes", scenes, each_scene, knocks_are_no_spikes, the_smoother_leaves_them_out,
                    the_smoother_counts_a_held_reading_once)
