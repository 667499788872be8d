/* SPDX-License-Identifier: MIT
 * Two logs into one: the offset of their clocks from motion, and the rows. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include <math.h>

/* Keeps some sensors of a log, from a row on, by a clock that shows `late_s` more and runs `ppm` faster. */
static marl_log part_of(const marl_log *log, unsigned columns, uint8_t fresh, size_t from, double late_s,
                        double ppm)
{
    marl_log part = {.n = log->n - from};
    part.path = strdup("part.csv");
    part.row = calloc(part.n, sizeof *part.row);
    part.info.columns = columns | 1u << MARL_COLUMN_T;
    for (size_t i = 0; i < part.n; i++) {
        marl_sample *s = &part.row[i].sample;
        *s = log->row[from + i].sample;
        s->fresh &= fresh;
        s->t_ns += (int64_t)(1e9 * late_s) + (int64_t)(1e-6 * ppm * (double)s->t_ns);
    }
    return part;
}

static const struct {
    marl_scene_kind scene;
    double seconds;
} motions[] = {{MARL_SCENE_TUMBLE, 60}, {MARL_SCENE_POSES, 72}, {MARL_SCENE_TURNS, 72}};

/* A clock 100 s off is found from each motion of a hand, to a quarter of a step and its own standard errors,
 * also when one file begins 7 s later. Slow turning about one axis may leave it open in some, and a
 * magnetometer that may have any bias in some more. */
START_TEST(offset_is_found_from_motion)
{
    marl_sheet sheet = marl_sheet_grommet();
    int found = 0;
    enum { SEEDS = 12 };

    for (uint64_t seed = 1; seed <= SEEDS; seed++) {
        marl_log all = memory_log_simulated(motions[_i].scene, &sheet, 100, motions[_i].seconds, seed);
        marl_log a =
            part_of(&all, MARL_COLUMNS_ACCEL | MARL_COLUMNS_MAG, MARL_FRESH_ACCEL | MARL_FRESH_MAG, 0, 0, 0);
        marl_log b = part_of(&all, MARL_COLUMNS_GYRO, MARL_FRESH_GYRO, 700, 100.123, 0);
        marl_clock_offset offset;
        marl_error error = {0};
        ck_assert_msg(marl_clock_offset_find(&a, &b, &offset, &error) == MARL_OK, "%s", error.text);
        if (offset.found) {
            found++;
            ck_assert_msg(fabs(offset.offset_s + 100.123) < 0.01 + 4 * offset.sigma_s, "%.4f +- %.4f",
                          offset.offset_s, offset.sigma_s);
        }
        marl_log_free(&all);
        marl_log_free(&a);
        marl_log_free(&b);
    }
    ck_assert_int_ge(found, SEEDS - 3);
}
END_TEST

/* A magnetometer at 20, 50 and 100 Hz, each reading as noisy as the other: at each rate nine of ten are found. */
START_TEST(offset_is_found_at_every_rate)
{
    const double rates[] = {20, 50, 100};
    marl_sheet sheet = marl_sheet_grommet();
    enum { SEEDS = 20, RATES = sizeof rates / sizeof rates[0] };
    int found[RATES] = {0};
    for (uint64_t at = 0; at < SEEDS * RATES; at++) {
        uint64_t seed = 41 + at / RATES;
        sheet.mag.rate_hz = rates[at % RATES];
        marl_log all =
            memory_log_simulated(seed % 2 ? MARL_SCENE_HANDLE : MARL_SCENE_CARRY, &sheet, 100, 30, seed);
        marl_log a = part_of(&all, MARL_COLUMNS_GYRO, MARL_FRESH_GYRO, 0, 0, 0);
        marl_log b = part_of(&all, MARL_COLUMNS_MAG, MARL_FRESH_MAG, 0, 3.217, 0);
        marl_clock_offset offset;
        ck_assert_int_eq(marl_clock_offset_find(&a, &b, &offset, NULL), MARL_OK);
        found[at % RATES] += offset.found;
        ck_assert_msg(!offset.found || fabs(offset.offset_s + 3.217) < 5 * offset.sigma_s,
                      "seed %d: %.4f +- %.4f", (int)seed, offset.offset_s, offset.sigma_s);
        marl_log_free(&all);
        marl_log_free(&a);
        marl_log_free(&b);
    }
    for (int k = 0; k < RATES; k++) {
        ck_assert_int_ge(found[k], 9 * SEEDS / 10);
    }
}
END_TEST

/* Different motions, and rest, have no offset to find. */
START_TEST(no_offset_is_made_up)
{
    static const marl_scene_kind second[] = {MARL_SCENE_TUMBLE, MARL_SCENE_POSES, MARL_SCENE_STILL};
    marl_sheet sheet = marl_sheet_grommet();
    for (uint64_t seed = 1; seed <= 12; seed++) {
        marl_scene_kind kind = second[seed % 3];
        marl_log one =
            memory_log_simulated(kind == MARL_SCENE_STILL ? kind : MARL_SCENE_TUMBLE, &sheet, 100, 60, seed);
        marl_log other = memory_log_simulated(kind, &sheet, 100, 60, seed + 100);
        marl_log a = part_of(&one, MARL_COLUMNS_ACCEL, MARL_FRESH_ACCEL, 0, 0, 0);
        marl_log b = part_of(&other, MARL_COLUMNS_GYRO, MARL_FRESH_GYRO, 0, 2, 0);
        marl_clock_offset offset;
        ck_assert_int_eq(marl_clock_offset_find(&a, &b, &offset, NULL), MARL_OK);
        ck_assert_msg(!offset.found && isnan(offset.offset_s), "seed %d: %.3f by %.3f", (int)seed,
                      offset.offset_s, offset.r_squared);
        marl_log_free(&one);
        marl_log_free(&other);
        marl_log_free(&a);
        marl_log_free(&b);
    }
}
END_TEST

/* Twenty seconds, a magnetometer with 35 uT of hard iron in a file of its own at a quarter of the rate: what
 * is found holds by its standard error, and where two shifts explain the turning, both are named, one of them
 * the true one. */
START_TEST(a_short_log_is_found_or_called_ambiguous)
{
    marl_sheet sheet = marl_sheet_grommet();
    int found = 0, ambiguous = 0;
    for (uint64_t seed = 1; seed <= 24; seed++) {
        marl_log all = memory_log_simulated(seed % 2 ? MARL_SCENE_HANDLE : MARL_SCENE_SWING, &sheet, 100,
                                            seed % 2 ? 20 : 60, seed);
        marl_log a = part_of(&all, MARL_COLUMNS_GYRO, MARL_FRESH_GYRO, 0, 0, 0);
        marl_log b = part_of(&all, MARL_COLUMNS_MAG, MARL_FRESH_MAG, 0, 3.217, 0);
        for (size_t i = 0; i < b.n; i++) {
            b.row[i].sample.mag.x += 35;
        }
        marl_clock_offset offset;
        ck_assert_int_eq(marl_clock_offset_find(&a, &b, &offset, NULL), MARL_OK);
        if (offset.found) {
            found++;
            ck_assert_msg(fabs(offset.offset_s + 3.217) < 4.5 * offset.sigma_s && offset.sigma_s > 0.001,
                          "seed %d: %.4f +- %.4f", (int)seed, offset.offset_s, offset.sigma_s);
        } else if (isfinite(offset.candidate_s[0])) {
            ambiguous++;
            double near = fmin(fabs(offset.candidate_s[0] + 3.217), fabs(offset.candidate_s[1] + 3.217));
            ck_assert_msg(near < 0.2, "seed %d: %.3f or %.3f", (int)seed, offset.candidate_s[0],
                          offset.candidate_s[1]);
        }
        marl_log_free(&all);
        marl_log_free(&a);
        marl_log_free(&b);
    }
    ck_assert_int_ge(found, 12);
    ck_assert_int_ge(ambiguous, 3);
}
END_TEST

/* Whatever was split and merged again is what it was. */
START_TEST(a_split_log_comes_together_again)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log all = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 20, 4), merged;
    marl_log a =
        part_of(&all, MARL_COLUMNS_ACCEL | MARL_COLUMNS_TEMP, MARL_FRESH_ACCEL | MARL_FRESH_TEMP, 0, 0, 0);
    marl_log b =
        part_of(&all, MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG, MARL_FRESH_GYRO | MARL_FRESH_MAG, 100, 3, 0);
    marl_error error = {0};
    ck_assert_msg(marl_log_merge(&a, &b, -INT64_C(3000000000), &merged, &error) == MARL_OK, "%s", error.text);
    ck_assert_uint_eq(merged.n, all.n);
    for (size_t i = 100; i < all.n; i++) {
        const marl_sample *was = &all.row[i].sample, *is = &merged.row[i].sample;
        ck_assert_msg(memcmp(&was->accel, &is->accel, sizeof was->accel) == 0 &&
                          memcmp(&was->gyro, &is->gyro, sizeof was->gyro) == 0 && was->fresh == is->fresh &&
                          was->t_ns == is->t_ns,
                      "row %zu", i);
    }
    marl_log_free(&merged);
    /* half a step apart they stay rows of their own, in order */
    ck_assert_int_eq(marl_log_merge(&a, &b, -INT64_C(2995000000), &merged, &error), MARL_OK);
    ck_assert_uint_eq(merged.n, a.n + b.n);
    for (size_t i = 1; i < merged.n; i++) {
        ck_assert_msg(merged.row[i].sample.t_ns > merged.row[i - 1].sample.t_ns, "row %zu", i);
    }
    marl_log_free(&merged);
    marl_log_free(&all);
    marl_log_free(&a);
    marl_log_free(&b);
}
END_TEST

START_TEST(what_does_not_belong_together_is_refused)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log all = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 20, 4), merged;
    marl_log a = part_of(&all, MARL_COLUMNS_ACCEL, MARL_FRESH_ACCEL, 0, 0, 0);
    marl_log b = part_of(&all, MARL_COLUMNS_GYRO, MARL_FRESH_GYRO, 0, 0, 0);
    marl_error error = {0};
    ck_assert_int_eq(marl_log_merge(&a, &a, 0, &merged, &error), MARL_ERR_INPUT);
    ck_assert_ptr_nonnull(strstr(error.text, "accel_x is in"));
    error.status = MARL_OK;
    ck_assert_int_eq(marl_log_merge(&a, &b, INT64_C(30000000000), &merged, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "does not overlap"));
    strcpy(a.info.device, "pod-07");
    strcpy(b.info.device, "pod-08");
    error.status = MARL_OK;
    ck_assert_int_eq(marl_log_merge(&a, &b, 0, &merged, &error), MARL_ERR_INPUT);
    ck_assert_ptr_nonnull(strstr(error.text, "pod-08"));
    b.info.device[0] = '\0';
    b.info.corrected = 1;
    ck_assert_int_eq(marl_log_merge(&a, &b, 0, &merged, NULL), MARL_ERR_INPUT);
    marl_log_free(&all);
    marl_log_free(&a);
    marl_log_free(&b);
}
END_TEST

MARL_SUITE_OF_TRIALS("merge", motions, offset_is_found_from_motion, offset_is_found_at_every_rate,
                     no_offset_is_made_up, a_short_log_is_found_or_called_ambiguous,
                     a_split_log_comes_together_again, what_does_not_belong_together_is_refused)
