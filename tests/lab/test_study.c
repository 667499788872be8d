/* SPDX-License-Identifier: MIT
 * A study as a program calls it: the same as its parts called by hand, on a clock and in frames that it
 * finds, and errors that name the case. */
#include "check_main.h"
#include "marlinspike/compare.h"
#include "memory_log.h"
#include "temporary.h"

enum { RATE = 50, SECONDS = 60, CASES = 2 };

/* Simulated logs with their truth, whose clock is `offset_s` ahead. */
typedef struct files {
    temporary at;
    char log[CASES][160], truth[CASES][160];
} files;

/* How the truth is written: its clock ahead, and turned on either side. */
typedef struct turned {
    double offset_s;
    marl_quat world, body;
} turned;

static void write_log(const marl_log *log, unsigned columns, const turned *how, const char *path)
{
    marl_log_writer *writer;
    marl_log_info info = {.columns = columns};
    ck_assert_int_eq(marl_log_create(&writer, path, &info, NULL), MARL_OK);
    for (size_t i = 0; i < log->n; i++) {
        marl_log_row row = log->row[i];
        row.has_q = columns == MARL_COLUMNS_Q;
        row.q = marl_quat_product(how->world, marl_quat_product(row.q, how->body));
        row.sample.t_ns += (int64_t)(how->offset_s * 1e9);
        marl_log_write(writer, &row);
    }
    ck_assert_int_eq(marl_log_commit(writer, NULL), MARL_OK);
}

static files make_turned_files(double offset_s, double world_deg, double body_deg)
{
    files f = {.at = temporary_make()};
    marl_sheet sheet = marl_sheet_grommet();
    const turned as_it_is = {0, marl_quat_identity(), marl_quat_identity()};
    const turned how = {
        offset_s,
        marl_quat_from_rpy(0.2f * (float)(world_deg * MARL_DEGREE), 0, (float)(world_deg * MARL_DEGREE)),
        marl_quat_from_rpy((float)(body_deg * MARL_DEGREE), 0, 0)};
    for (int i = 0; i < CASES; i++) {
        marl_log log = memory_log_simulated(MARL_SCENE_HANDLE, &sheet, RATE, SECONDS, (uint64_t)(11 + i));
        snprintf(f.log[i], sizeof f.log[i], "%s/log%d.csv", f.at.dir, i);
        snprintf(f.truth[i], sizeof f.truth[i], "%s/truth%d.csv", f.at.dir, i);
        write_log(&log, MEMORY_LOG_ALL, &as_it_is, f.log[i]);
        write_log(&log, MARL_COLUMNS_Q, &how, f.truth[i]);
        marl_log_free(&log);
    }
    return f;
}

static files make_files(double offset_s)
{
    return make_turned_files(offset_s, 0, 0);
}

static marl_study *make_study(void)
{
    marl_study *study = marl_study_create();
    ck_assert_ptr_nonnull(study);
    return study;
}

START_TEST(a_study_is_its_parts_called_by_hand)
{
    files f = make_files(0);
    marl_error error = {0};
    marl_study *study = make_study();
    ck_assert_int_eq(marl_study_add_tuning(study, "kalman", &error), MARL_OK);
    ck_assert_int_eq(marl_study_run(study, &error), MARL_ERR_ARGUMENT);
    ck_assert_int_eq(marl_study_add_tuning(study, "gyro", &error), MARL_OK);
    for (int i = 0; i < CASES; i++) {
        marl_status status = marl_study_add_case(study, f.log[i], f.truth[i], &error);
        ck_assert_msg(status == MARL_OK, "%s", error.text);
    }
    ck_assert_int_eq(marl_study_run(study, &error), MARL_OK);
    ck_assert_uint_eq(study->run_n, 4);
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *run = &study->runs[i];
        marl_pipeline pipeline;
        marl_series estimate;
        marl_comparison by_hand;
        const marl_replay_options options = {0};
        ck_assert_ptr_eq(run->on, &study->cases[i % CASES]);
        ck_assert_int_eq(
            marl_replay_log(&pipeline, &run->on->log, &run->tuning->tuning, &options, &estimate, &error),
            MARL_OK);
        ck_assert_int_eq(marl_compare(&estimate, &run->on->reference, NULL, &by_hand, &error), MARL_OK);
        ck_assert_uint_eq(pipeline.digest, run->digest);
        ck_assert_double_eq(by_hand.all.total.rms, run->comparison.all.total.rms);
        marl_comparison_free(&by_hand);
        marl_series_free(&estimate);
    }
    ck_assert_uint_eq(study->rank[0].tuning, 0);
    uint32_t digest = study->runs[0].digest;
    study->tunings[1] = study->tunings[0]; /* and once more with another tuning: a search */
    ck_assert_int_eq(marl_study_run(study, &error), MARL_OK);
    ck_assert_uint_eq(study->run_n, 4);
    ck_assert_uint_eq(study->runs[0].digest, digest);
    ck_assert_uint_eq(study->runs[2].digest, digest);
    double logarithms = 0; /* the score is the geometric mean over the logs */
    for (size_t i = 0; i < CASES; i++) {
        logarithms += log(study->runs[i].comparison.all.total.rms) / CASES;
    }
    ck_assert_double_eq_tol(study->rank[0].score_deg, exp(logarithms), 1e-9);
    ck_assert(isnan(marl_study_reference_sigma(study)));
    marl_study_free(study);
    temporary_remove(&f.at);
}
END_TEST

static int has_warning(const marl_study *study, const char *code)
{
    for (size_t i = 0; i < study->warnings.n; i++) {
        if (strcmp(study->warnings.item[i].code, code) == 0) {
            return 1;
        }
    }
    return 0;
}

/* Whether a clock that is off, and a rotation, are said without being asked for; and where they are asked for, or
 * there are none, nothing is said. */
START_TEST(what_is_not_aligned_is_said)
{
    static const struct {
        double offset_s, body_deg, world_deg;
        int asked;
        const char *said;
    } cases[] = {{0, 0, 0, 0, NULL},    {1.6, 0, 0, 0, "clock-off"},    {-0.08, 0, 0, 0, "clock-off"},
                 {0.02, 0, 0, 0, NULL}, {0, 12, 0, 0, "frames-differ"}, {0, 0, 115, 0, "frames-differ"},
                 {0, 0, 8, 1, NULL},    {1.6, 12, 0, 1, NULL}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        files f = make_turned_files(cases[i].offset_s, cases[i].world_deg, cases[i].body_deg);
        marl_error error = {0};
        marl_study *study = make_study();
        study->options.find_offset = cases[i].asked;
        study->options.match = cases[i].asked ? MARL_MATCH_WORLD_AND_BODY : MARL_MATCH_NONE;
        ck_assert_int_eq(marl_study_add_tuning(study, "kalman", &error), MARL_OK);
        ck_assert_int_eq(marl_study_add_case(study, f.log[0], f.truth[0], &error), MARL_OK);
        int clock = has_warning(study, "clock-off"), frames = has_warning(study, "frames-differ");
        ck_assert_msg(clock == (cases[i].said != NULL && strcmp(cases[i].said, "clock-off") == 0) &&
                          frames == (cases[i].said != NULL && strcmp(cases[i].said, "frames-differ") == 0),
                      "case %zu: clock %d, frames %d", i, clock, frames);
        ck_assert_int_eq(marl_study_is_aligned(study), cases[i].said == NULL);
        marl_study_free(study);
        temporary_remove(&f.at);
    }
}
END_TEST

/* Tunings are called by what tells them apart; what is common is said once. */
START_TEST(tunings_are_told_apart_by_what_differs)
{
    static const struct {
        const char *tuning[3], *label[3], *common;
    } cases[] = {
        {{"kalman", "gyro", NULL}, {"kalman", "gyro"}, ""},
        {{"complementary:tilt_time=1,damping=0.7", "complementary:tilt_time=2,damping=0.7", NULL},
         {"tilt_time=1", "tilt_time=2"},
         "complementary:damping=0.7"},
        {{"kalman:mag_noise=1", "kalman", NULL}, {"kalman:mag_noise=1", "kalman"}, ""},
        {{"kalman:mag_noise=1", "complementary:damping=1,tilt_time=2", "complementary:damping=1"},
         {"kalman:mag_noise=1", "complementary:tilt_time=2", "complementary"},
         "complementary:damping=1"},
        {{"kalman:mag_noise=1", NULL, NULL}, {"kalman:mag_noise=1"}, ""},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        marl_study *study = make_study();
        char text[200];
        for (int k = 0; k < 3 && cases[i].tuning[k] != NULL; k++) {
            ck_assert_int_eq(marl_study_add_tuning(study, cases[i].tuning[k], NULL), MARL_OK);
        }
        for (size_t k = 0; k < study->tuning_n; k++) {
            marl_study_label(study, k, text, sizeof text);
            ck_assert_str_eq(text, cases[i].label[k]);
        }
        marl_study_common(study, text, sizeof text);
        ck_assert_str_eq(text, cases[i].common);
        marl_study_free(study);
    }
}
END_TEST

/* A reference whose clock is 3.25 s ahead, at two rates. */
START_TEST(clock_and_rates)
{
    files f = make_files(3.25);
    marl_error error = {0};
    marl_study *study = make_study();
    char name[64];
    study->options.find_offset = 1;
    study->options.match = MARL_MATCH_WORLD;
    ck_assert_int_eq(marl_study_add_filters(study, &error), MARL_OK);
    ck_assert_int_eq(marl_study_add_rate(study, 50, &error), MARL_OK);
    ck_assert_int_eq(marl_study_add_rate(study, 25, &error), MARL_OK);
    marl_status status = marl_study_add_case(study, f.log[0], f.truth[0], &error);
    ck_assert_msg(status == MARL_OK, "%s", error.text);
    const marl_study_case *it = &study->cases[0];
    ck_assert_double_eq_tol(it->clock.offset_s, 3.25, 0.01); /* the low-pass's delay is in it */
    ck_assert(it->match.has_world && it->match_smoothed);
    ck_assert_int_eq(marl_study_run(study, &error), MARL_OK);
    ck_assert_uint_eq(study->run_n, 2 * MARL_FILTER_COUNT);
    for (size_t i = 0; i < study->run_n; i++) {
        ck_assert_double_eq(study->runs[i].rate_hz, i % 2 ? 25 : 50);
    }
    size_t fast = study->runs[2 * MARL_FILTER_KALMAN].comparison.n;
    ck_assert_uint_ge(fast, 2 * study->runs[2 * MARL_FILTER_KALMAN + 1].comparison.n - 2);
    marl_study_run_name(study, &study->runs[1], name, sizeof name);
    ck_assert_str_eq(name, "gyro, 25 Hz");
    marl_study_free(study);
    temporary_remove(&f.at);
}
END_TEST

/* The smoothed log as reference: its standard deviation is known, and it starts where it says. */
START_TEST(smoothed_reference_and_start)
{
    files f = make_files(0);
    marl_error error = {0};
    marl_study *study = make_study();
    study->options.start = MARL_START_REFERENCE;
    ck_assert_int_eq(marl_study_add_tuning(study, "kalman", &error), MARL_OK);
    marl_status status = marl_study_add_case(study, f.log[0], "smooth", &error);
    ck_assert_msg(status == MARL_OK, "%s", error.text);
    ck_assert_int_eq(marl_study_run(study, &error), MARL_OK);
    double sigma = marl_study_reference_sigma(study);
    ck_assert(sigma > 0 && sigma < 2);
    const marl_comparison *c = &study->runs[0].comparison;
    ck_assert_double_lt(c->error[0].total_deg, 1e-3);
    marl_study_free(study);
    temporary_remove(&f.at);
}
END_TEST

START_TEST(errors_name_what_is_wrong)
{
    files f = make_files(100000);
    marl_error error = {0};
    marl_study *study = make_study();
    ck_assert_int_eq(marl_study_add_case(study, f.log[0], f.truth[0], &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "no time in common"));
    error = (marl_error){0};
    ck_assert_int_eq(marl_study_add_case(study, "missing.csv", "smooth", &error), MARL_ERR_INPUT);
    ck_assert_ptr_nonnull(strstr(error.text, "missing.csv"));
    ck_assert_uint_eq(study->case_n, 0); /* nothing half loaded is left to run */
    ck_assert_int_eq(marl_study_add_tuning(study, "nonsense", NULL), MARL_ERR_USE);
    ck_assert_uint_eq(study->tuning_n, 0);
    ck_assert_int_eq(marl_study_add_rate(study, -1, NULL), MARL_ERR_USE);
    for (int i = 0; i < MARL_STUDY_MAX_RATES; i++) {
        ck_assert_int_eq(marl_study_add_rate(study, 1 + i, NULL), MARL_OK);
    }
    ck_assert_int_eq(marl_study_add_rate(study, 10, NULL), MARL_ERR_USE);
    marl_study_free(study);
    marl_study_free(NULL);
    study = make_study();
    error = (marl_error){0};
    ck_assert_int_eq(marl_study_add_rate(study, 200, NULL), MARL_OK);
    ck_assert_int_eq(marl_study_add_tuning(study, "kalman", NULL), MARL_OK);
    ck_assert_int_eq(marl_study_add_case(study, f.log[0], "smooth", &error), MARL_OK);
    ck_assert_int_eq(marl_study_run(study, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "too few for 200 Hz"));
    marl_study_free(study);
    temporary_remove(&f.at);
}
END_TEST

MARL_SUITE("study", a_study_is_its_parts_called_by_hand, clock_and_rates,
           tunings_are_told_apart_by_what_differs, what_is_not_aligned_is_said, smoothed_reference_and_start,
           errors_name_what_is_wrong)
