/* SPDX-License-Identifier: MIT
 * Filters that are changed while they run: what is kept, and the same bits from the recording. */
#include "check_main.h"
#include "marlinspike/live.h"
#include "memory_log.h"
#include "random_values.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>

static marl_named_tuning tuning_of(const char *text)
{
    marl_named_tuning t;
    marl_error error = {0};
    ck_assert_msg(marl_tuning_read(&t, text, NULL, &error) == MARL_OK, "%s", error.text);
    return t;
}

static marl_live *start(const marl_log *log, const char *const *texts, size_t n,
                        const marl_calibration_record *record)
{
    marl_named_tuning tunings[MARL_LIVE_RUNS];
    marl_live *live;
    marl_error error = {0};
    for (size_t i = 0; i < n; i++) {
        tunings[i] = tuning_of(texts[i]);
    }
    ck_assert_msg(marl_live_create(&live, tunings, n, record, &log->info, log->path, &error) == MARL_OK, "%s",
                  error.text);
    return live;
}

static double degrees_between(marl_quat a, marl_quat b)
{
    return (double)angle_between(a, b) / MARL_DEGREE;
}

static void apply(marl_live *live, const marl_change *change)
{
    marl_error error = {0};
    ck_assert_msg(marl_live_apply(live, change, &error) == MARL_OK, "%s", error.text);
}

static marl_change set(const marl_live *live, size_t run, marl_parameter_id id, float value)
{
    marl_change c = {
        .kind = MARL_CHANGE_TUNING, .run = run, .after_ns = live->t_ns, .tuning = live->run[run].tuning};
    c.tuning.tuning.value[id] = value;
    return c;
}

static const char *const all[] = {"gyro", "vectors", "complementary", "gradient-descent", "kalman"};
enum { ALL = sizeof all / sizeof all[0] };

static const marl_parameter_id of_filter[ALL] = {MARL_PARAMETER_GAP_LIMIT, MARL_PARAMETER_GAP_LIMIT,
                                                 MARL_PARAMETER_TILT_TIME, MARL_PARAMETER_HEADING_BETA,
                                                 MARL_PARAMETER_MAG_NOISE};

/* A change of a parameter acts from the next sample on, and the attitude does not move with it. */
START_TEST(a_parameter_changes_without_a_jump)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 200, 20, 7);
    marl_live *changed = start(&log, all, ALL, NULL), *plain = start(&log, all, ALL, NULL);
    double apart[ALL] = {0};
    for (size_t i = 0; i < log.n; i++) {
        for (size_t k = 0; i == log.n / 2 && k < ALL; k++) {
            const marl_quat before = changed->run[k].q;
            const marl_parameter *p = marl_parameter_row(of_filter[k]);
            const marl_change c = set(changed, k, of_filter[k], fminf(p->high, 5 * p->standard));
            marl_quat q;
            apply(changed, &c);
            ck_assert_int_eq(marl_estimator_attitude(&changed->run[k].pipeline.estimator, &q), MARL_OK);
            ck_assert_mem_eq(&q, &before, sizeof q);
        }
        marl_live_feed(changed, &log.row[i].sample);
        marl_live_feed(plain, &log.row[i].sample);
        for (size_t k = 0; k < ALL; k++) {
            double off = degrees_between(changed->run[k].q, plain->run[k].q);
            apart[k] = fmax(apart[k], off);
            ck_assert_msg(i != log.n / 2 || off < 0.01, "%s: %g deg", all[k], off);
        }
    }
    for (size_t k = MARL_FILTER_COMPLEMENTARY; k < ALL; k++) {
        ck_assert_msg(apart[k] > 1e-3, "%s: the parameter does nothing: %g deg", all[k], apart[k]);
        ck_assert_uint_eq(marl_estimator_count(&changed->run[k].pipeline.estimator).updates, log.n);
    }
    marl_live_free(changed);
    marl_live_free(plain);
    marl_log_free(&log);
}
END_TEST

/* From any filter to any other the attitude is kept, and stays near the truth where it was there before. */
START_TEST(a_filter_changes_without_a_jump)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 20, 3);
    for (size_t from = 0; from < ALL; from++) {
        for (size_t to = 0; to < ALL; to++) {
            marl_live *live = start(&log, &all[from], 1, NULL);
            marl_change c = {.kind = MARL_CHANGE_TUNING, .tuning = tuning_of(all[to])};
            for (size_t i = 0; i < log.n; i++) {
                const marl_quat before = live->run[0].q;
                marl_quat q;
                if (i == log.n / 2) {
                    apply(live, &c);
                    ck_assert_int_eq(marl_estimator_attitude(&live->run[0].pipeline.estimator, &q), MARL_OK);
                    ck_assert_mem_eq(&q, &before, sizeof q);
                }
                marl_live_feed(live, &log.row[i].sample);
            }
            double off = degrees_between(live->run[0].q, log.row[log.n - 1].q);
            ck_assert_msg(to < MARL_FILTER_COMPLEMENTARY || off < 12, "%s to %s: %g deg off", all[from],
                          all[to], off);
            ck_assert_uint_eq(live->run[0].pipeline.attitudes, log.n);
            marl_live_free(live);
        }
    }
    marl_log_free(&log);
}
END_TEST

/* The attitude of the sensors is kept; the mount's change shows in that of the body. A bias that the calibration now
 * takes off is no bias of the filter any more. */
START_TEST(a_calibration_changes_without_a_jump)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 5);
    marl_live *live = start(&log, all, ALL, NULL);
    marl_change c = {.kind = MARL_CHANGE_CALIBRATION, .record = marl_calibration_record_empty()};
    for (size_t i = 0; i < log.n / 2; i++) {
        marl_live_feed(live, &log.row[i].sample);
    }
    const marl_quat before = live->run[MARL_FILTER_KALMAN].q, turn = marl_quat_from_rpy(0.3f, -0.2f, 1.1f);
    const marl_vec3 bias = marl_estimator_bias(&live->run[MARL_FILTER_KALMAN].pipeline.estimator);
    c.record.fit[MARL_GYRO] = marl_fit_none();
    c.record.fit[MARL_GYRO].present = 1;
    const double found[3] = {(double)bias.x, (double)bias.y, (double)bias.z};
    memcpy(c.record.fit[MARL_GYRO].bias, found, sizeof found);
    c.record.has_mount = 1;
    c.record.mount[0] = (double)turn.w, c.record.mount[1] = (double)turn.x,
    c.record.mount[2] = (double)turn.y;
    c.record.mount[3] = (double)turn.z;
    apply(live, &c);
    ck_assert(marl_vec3_norm(marl_estimator_bias(&live->run[MARL_FILTER_KALMAN].pipeline.estimator)) == 0.0f);
    for (size_t i = log.n / 2; i < log.n; i++) {
        marl_live_feed(live, &log.row[i].sample);
        for (size_t k = MARL_FILTER_COMPLEMENTARY; i == log.n / 2 && k < ALL; k++) {
            const marl_quat of_sensors = marl_quat_product(live->run[k].q, turn);
            ck_assert_double_lt(k == MARL_FILTER_KALMAN ? degrees_between(of_sensors, before) : 0, 1);
        }
    }
    const marl_vec3 left = marl_estimator_bias(&live->run[MARL_FILTER_KALMAN].pipeline.estimator);
    ck_assert_float_lt(marl_vec3_norm(left), 0.3f * marl_vec3_norm(bias));
    marl_live_free(live);
    marl_log_free(&log);
}
END_TEST

static marl_change random_change(dice *random, const marl_live *live)
{
    marl_change c = {.kind = (marl_change_kind)dice_below(random, MARL_CHANGE_KIND_COUNT),
                     .after_ns = live->t_ns,
                     .run = dice_below(random, (unsigned)live->n),
                     .every = 1 + dice_below(random, 3),
                     .record = marl_calibration_record_empty()};
    c.tuning = live->run[c.run].tuning;
    if (dice_below(random, 4) == 0) {
        c.tuning = tuning_of(all[dice_below(random, ALL)]);
    }
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *p = marl_parameter_row((marl_parameter_id)i);
        if ((p->filters >> c.tuning.tuning.filter & 1) && p->kind == MARL_KIND_NUMBER &&
            dice_below(random, 6) == 0) {
            float u = (float)dice_below(random, 1000) / 999.0f;
            c.tuning.tuning.value[i] = fminf(p->high, fmaxf(p->low, p->standard * (0.5f + u)));
        }
    }
    c.record.fit[MARL_MAG] = marl_fit_none();
    c.record.fit[MARL_MAG].present = 1;
    c.record.fit[MARL_MAG].bias[0] = (double)dice_below(random, 1000) / 313;
    return c;
}

/* Whatever is changed, and when: the log with its changes gives the digest of what ran while it was recorded. */
START_TEST(a_recording_gives_the_same_bits)
{
    temporary t = temporary_make();
    const char *path = temporary_path(&t, "live.csv");
    for (uint64_t seed = 1; seed <= 12; seed++) {
        marl_sheet sheet = marl_sheet_grommet();
        marl_log log =
                     memory_log_simulated((marl_scene_kind)(seed % MARL_SCENE_COUNT), &sheet, 100, 20, seed),
                 read;
        dice random = {seed};
        marl_log_writer *writer;
        marl_error error = {0};
        marl_live *live = start(&log, all, ALL, NULL), *again;
        ck_assert_int_eq(marl_log_create(&writer, path, &log.info, &error), MARL_OK);
        for (size_t i = 0; i < ALL; i++) {
            const marl_change c = {
                .kind = MARL_CHANGE_TUNING, .after_ns = INT64_MIN, .run = i, .tuning = live->run[i].tuning};
            char *text = marl_change_text(&c);
            marl_log_write_note(writer, text);
            free(text);
        }
        for (size_t i = 0; i < log.n; i++) {
            log.row[i].sample.accel.x = dice_below(&random, 50) == 0 ? NAN : log.row[i].sample.accel.x;
            marl_live_feed(live, &log.row[i].sample);
            log.row[i].sample.fresh =
                (uint8_t)(log.row[i].sample.fresh &
                          (isfinite(log.row[i].sample.accel.x) ? 0xff : ~MARL_FRESH_ACCEL));
            marl_log_write(writer, &log.row[i]);
            if (dice_below(&random, 40) == 0) {
                const marl_change c = random_change(&random, live);
                char *text = marl_change_text(&c);
                apply(live, &c);
                marl_log_write_note(writer, text);
                free(text);
            }
        }
        ck_assert_int_eq(marl_log_commit(writer, &error), MARL_OK);
        marl_changes changes;
        ck_assert_msg(marl_changes_load(&changes, path, &error) == MARL_OK, "%s", error.text);
        ck_assert_int_eq(marl_log_load(&read, path, NULL, &error), MARL_OK);
        ck_assert_uint_eq(read.n, log.n);
        ck_assert_uint_eq(read.report.rows_dropped, 0);
        ck_assert_msg(marl_live_of_changes(&again, &changes, &read.info, path, &error) == MARL_OK, "%s",
                      error.text);
        for (size_t i = 0; i < read.n; i++) {
            ck_assert_int_eq(marl_live_follow(again, &changes, &read.row[i].sample, &error), MARL_OK);
        }
        for (size_t k = 0; k < ALL; k++) {
            ck_assert_uint_eq(again->run[k].pipeline.digest, live->run[k].pipeline.digest);
            ck_assert_uint_gt(live->run[k].pipeline.attitudes, 200);
        }
        marl_live_free(live);
        marl_live_free(again);
        marl_changes_free(&changes);
        marl_log_free(&log);
        marl_log_free(&read);
    }
    temporary_remove(&t);
}
END_TEST

START_TEST(a_filter_without_its_sensors_fails_alone)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 2, 3);
    const char *const three[] = {"complementary", "vectors", "vectors"};
    log.info.columns &= ~MARL_COLUMNS_GYRO;
    marl_live *live = start(&log, three, 3, NULL);
    for (size_t i = 0; i < log.n; i++) {
        marl_live_feed(live, &log.row[i].sample);
    }
    ck_assert(strstr(live->run[0].failure, "gyro") != NULL && !live->run[0].has_q);
    ck_assert(live->run[1].failure[0] == '\0' && live->run[1].has_q);
    ck_assert_str_eq(live->run[2].tuning.name, "vectors (2)");
    ck_assert_int_eq(marl_live_find(live, "vectors (2)"), 2);
    marl_live_free(live);
    marl_log_free(&log);
}
END_TEST

START_TEST(what_cannot_be_is_refused_and_changes_nothing)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 2, 3);
    marl_live *live = start(&log, all, ALL, NULL), *none;
    marl_error error = {0};
    marl_change c = {.kind = MARL_CHANGE_TUNING, .run = ALL, .tuning = tuning_of("kalman")};
    marl_named_tuning tuning = tuning_of("kalman");
    ck_assert_int_eq(marl_live_apply(live, &c, &error), MARL_ERR_USE);
    c.run = 2;
    c.tuning.tuning.value[MARL_PARAMETER_ACCEL_NOISE] = NAN;
    ck_assert_int_eq(marl_live_apply(live, &c, &error), MARL_ERR_USE);
    ck_assert_int_eq(live->run[2].tuning.tuning.filter, MARL_FILTER_COMPLEMENTARY);
    c = (marl_change){.kind = MARL_CHANGE_EVERY, .every = 0};
    ck_assert_int_eq(marl_live_apply(live, &c, &error), MARL_ERR_USE);
    c = (marl_change){.kind = MARL_CHANGE_CALIBRATION, .record = marl_calibration_record_empty()};
    snprintf(c.record.device, sizeof c.record.device, "another");
    snprintf(live->info.device, sizeof live->info.device, "pod-07");
    c.record.fit[MARL_MAG] = marl_fit_none();
    c.record.fit[MARL_MAG].present = 1;
    ck_assert_int_eq(marl_live_apply(live, &c, &error), MARL_ERR_INPUT);
    ck_assert(!live->record.fit[MARL_MAG].present);
    ck_assert_int_eq(marl_live_create(&none, &tuning, 0, NULL, &log.info, "x", &error), MARL_ERR_USE);
    error = (marl_error){0};
    ck_assert_int_eq(marl_change_read(&c, "{\"change\":\"tune\"}", "x.csv:3", &error), MARL_ERR_INPUT);
    ck_assert(strstr(error.text, "x.csv:3") != NULL && strstr(error.text, "tune") != NULL);
    ck_assert_int_eq(marl_change_read(&c, "{\"change\":", "x.csv:3", &error), MARL_ERR_INPUT);
    ck_assert_int_eq(marl_change_read(&c, "[1]", "x.csv:3", &error), MARL_ERR_INPUT);
    ck_assert_int_eq(marl_change_read(&c, "{\"change\":\"every\",\"every\":0}", "x.csv:3", &error),
                     MARL_ERR_INPUT);
    marl_live_free(live);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE("live", a_parameter_changes_without_a_jump, a_filter_changes_without_a_jump,
           a_calibration_changes_without_a_jump, a_recording_gives_the_same_bits,
           a_filter_without_its_sensors_fails_alone, what_cannot_be_is_refused_and_changes_nothing)
