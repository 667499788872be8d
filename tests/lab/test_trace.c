/* SPDX-License-Identifier: MIT
 * Traces of a run, thinned for the eye, and packed logs. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"

/* ---- packed ---- */

static marl_sample random_sample(dice *d, int64_t t_ns)
{
    marl_sample s = {.t_ns = t_ns, .fresh = (uint8_t)dice_below(d, 32)};
    s.accel = (marl_vec3){dice_float_bits(d), dice_float_bits(d), dice_float_bits(d)};
    s.gyro = dice_vector(d, 3);
    s.mag = dice_vector(d, 60);
    s.temp = (float)dice_below(d, 3); /* often as before */
    s.speed = (float)dice_between(d, -10, 10);
    return s;
}

/* Clocks that run evenly, that jump and that go back; from any origin. */
static int64_t next_time(dice *d, int64_t t_ns)
{
    switch (dice_below(d, 20)) {
    case 0:
        return t_ns + (int64_t)(dice_bits(d) >> 24);
    case 1:
        return t_ns - (int64_t)dice_below(d, 1000000);
    default:
        return t_ns + 5000000 + dice_below(d, 3);
    }
}

static void random_spans(dice *d, marl_spans *spans)
{
    int64_t at = (int64_t)dice_below(d, 1000) * 1000000 - 500000000;
    spans->n = dice_below(d, 5);
    spans->span = calloc(spans->n + 1, sizeof *spans->span);
    for (size_t i = 0; i < spans->n; i++) {
        spans->span[i].from_ns = at + (int64_t)dice_below(d, 2000000000);
        spans->span[i].to_ns = at = spans->span[i].from_ns + (int64_t)dice_below(d, 2000000000);
    }
}

static marl_packed_case random_case(dice *d)
{
    marl_packed_case c = {.log.n = dice_below(d, 200), .reference.n = dice_below(d, 100)};
    int64_t t = dice_below(d, 2) ? INT64_C(1700000000000000000) : -(int64_t)dice_below(d, 1000);
    c.log.row = calloc(c.log.n + 1, sizeof *c.log.row);
    c.reference.at = calloc(c.reference.n + 1, sizeof *c.reference.at);
    for (size_t i = 0; i < c.log.n; i++) {
        c.log.row[i].sample = random_sample(d, t);
        t = next_time(d, t);
    }
    for (size_t i = 0; i < c.reference.n; i++) {
        c.reference.at[i] = (marl_attitude){t, dice_attitude(d)};
        t = next_time(d, t);
    }
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        random_spans(d, &c.conditions.spans[k]);
    }
    return c;
}

static void same_vector(marl_vec3 a, marl_vec3 b)
{
    ck_assert_uint_eq(bits_of(a.x), bits_of(b.x));
    ck_assert_uint_eq(bits_of(a.y), bits_of(b.y));
    ck_assert_uint_eq(bits_of(a.z), bits_of(b.z));
}

static void same_rows(const marl_log *a, const marl_log *b)
{
    ck_assert_uint_eq(a->n, b->n);
    for (size_t i = 0; i < a->n; i++) {
        const marl_sample *x = &a->row[i].sample, *y = &b->row[i].sample;
        ck_assert_int_eq(x->t_ns, y->t_ns);
        ck_assert_uint_eq(x->fresh, y->fresh);
        if (x->fresh & MARL_FRESH_ACCEL) {
            same_vector(x->accel, y->accel);
        }
        if (x->fresh & MARL_FRESH_GYRO) {
            same_vector(x->gyro, y->gyro);
        }
        if (x->fresh & MARL_FRESH_MAG) {
            same_vector(x->mag, y->mag);
        }
        ck_assert(!(x->fresh & MARL_FRESH_TEMP) || bits_of(x->temp) == bits_of(y->temp));
        ck_assert(!(x->fresh & MARL_FRESH_SPEED) || bits_of(x->speed) == bits_of(y->speed));
    }
}

static void same_case(const marl_packed_case *a, const marl_packed_case *b)
{
    same_rows(&a->log, &b->log);
    ck_assert_uint_eq(a->reference.n, b->reference.n);
    for (size_t i = 0; i < a->reference.n; i++) {
        ck_assert_int_eq(a->reference.at[i].t_ns, b->reference.at[i].t_ns);
        ck_assert(memcmp(&a->reference.at[i].q, &b->reference.at[i].q, sizeof(marl_quat)) == 0);
    }
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        const marl_spans *x = &a->conditions.spans[k], *y = &b->conditions.spans[k];
        ck_assert_uint_eq(x->n, y->n);
        for (size_t i = 0; i < x->n; i++) {
            ck_assert(x->span[i].from_ns == y->span[i].from_ns && x->span[i].to_ns == y->span[i].to_ns);
        }
    }
}

START_TEST(packing_loses_nothing)
{
    dice d = {11};
    for (int k = 0; k < 300; k++) {
        marl_packed_case c = random_case(&d), back;
        marl_packed packed;
        ck_assert_int_eq(marl_packed_write(&packed, &c.log, &c.reference, &c.conditions), MARL_OK);
        ck_assert_int_eq(marl_packed_read(&back, packed.bytes, packed.n), MARL_OK);
        same_case(&c, &back);
        marl_packed_case_free(&back);
        marl_packed_case_free(&c);
        free(packed.bytes);
    }
}
END_TEST

/* Every cut is noticed; any change of a byte is read without harm, and never as more than there is. */
START_TEST(damaged_bytes_do_no_harm)
{
    dice d = {12};
    marl_packed_case c = random_case(&d), back;
    marl_packed packed;
    ck_assert_int_eq(marl_packed_write(&packed, &c.log, &c.reference, &c.conditions), MARL_OK);
    for (size_t n = 0; n < packed.n; n++) {
        ck_assert_int_eq(marl_packed_read(&back, packed.bytes, n), MARL_ERR_INPUT);
        marl_packed_case_free(&back);
    }
    for (int k = 0; k < 20000; k++) {
        size_t at = dice_below(&d, (uint32_t)packed.n);
        uint8_t before = packed.bytes[at];
        packed.bytes[at] = (uint8_t)dice_bits(&d);
        marl_status status = marl_packed_read(&back, packed.bytes, packed.n);
        ck_assert(status == MARL_OK || status == MARL_ERR_INPUT);
        ck_assert(back.log.n <= packed.n && back.reference.n <= packed.n);
        marl_packed_case_free(&back);
        packed.bytes[at] = before;
    }
    marl_packed_case_free(&c);
    free(packed.bytes);
}
END_TEST

/* What a page of ten minutes at 200 Hz may hold: accelerometer and gyroscope with every row, the magnetometer with every
 * fourth, a temperature that seldom changes. 24 bytes are readings, 3 of the field, 1 flags; stamps with some ns of jitter
 * take two. */
START_TEST(a_row_takes_thirty_one_bytes)
{
    dice d = {13};
    marl_log log = {.n = 10000, .row = calloc(10000, sizeof *log.row)};
    marl_packed packed;
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample = random_sample(&d, (int64_t)i * 5000000 + dice_below(&d, 2000));
        log.row[i].sample.temp = 20.0f;
        log.row[i].sample.fresh =
            MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_TEMP | (i % 4 == 0 ? MARL_FRESH_MAG : 0);
    }
    ck_assert_int_eq(marl_packed_write(&packed, &log, NULL, NULL), MARL_OK);
    ck_assert_double_le((double)packed.n / (double)log.n, 31.0);
    free(packed.bytes);
    free(log.row);
}
END_TEST

/* ---- traces ---- */

/* Each bucket shows its least and its greatest value, in their order. */
START_TEST(extremes_stay_visible)
{
    enum { N = 5000 };
    static double t[N], value[N], rows[1400];
    dice d = {14};
    for (int i = 0; i < N; i++) {
        t[i] = 0.01 * i;
        value[i] = dice_below(&d, 10) == 0 ? (double)NAN : dice_normal(&d);
    }
    marl_trace_grid g = marl_trace_grid_of(0, t[N - 1], N);
    ck_assert_uint_eq(g.buckets, 700);
    marl_trace_thin(&g, t, value, N, rows);
    for (size_t b = 0; b < g.buckets; b++) {
        double low = INFINITY, high = -INFINITY;
        for (int i = 0; i < N; i++) {
            size_t own = (size_t)fmin(t[i] / g.width_s, 699);
            int inside = t[i] < (double)(b + 1) * g.width_s && (b == 0 || t[i] >= (double)b * g.width_s);
            if ((inside || (b == 699 && own == 699 && t[i] >= 699 * g.width_s)) && isfinite(value[i])) {
                low = fmin(low, value[i]);
                high = fmax(high, value[i]);
            }
        }
        ck_assert_double_eq(fmin(rows[2 * b], rows[2 * b + 1]), low);
        ck_assert_double_eq(fmax(rows[2 * b], rows[2 * b + 1]), high);
    }
}
END_TEST

static marl_log simulated(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    return memory_log_simulated(MARL_SCENE_HANDLE, &sheet, 100, 30, 5);
}

/* In pieces of any size the same bits come out as in one go. */
START_TEST(pieces_give_the_same_bits)
{
    marl_log log = simulated();
    dice d = {15};
    uint32_t digest[2];
    for (int k = 0; k < 2; k++) {
        marl_pipeline pipeline;
        marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_KALMAN);
        marl_degradation lost = {.drop = 0.1, .jitter_s = 0.001};
        marl_error error = {.status = MARL_OK};
        marl_row_replay r = {.pipeline = &pipeline, .log = &log};
        size_t left = log.n;
        ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
        ck_assert_int_eq(marl_row_replay_begin(&r, &lost, &error), MARL_OK);
        while (left > 0) {
            size_t now = k == 0 ? log.n : 1 + dice_below(&d, 300), before = left;
            left = marl_row_replay_advance(&r, now);
            ck_assert_uint_eq(left, before > now ? before - now : 0);
        }
        digest[k] = pipeline.digest;
        ck_assert_uint_gt(r.estimate.n, log.n / 2);
        marl_series_free(&r.estimate);
    }
    ck_assert_uint_eq(digest[0], digest[1]);
    marl_log_free(&log);
}
END_TEST

/* The trace of a replay against its own attitudes; the errors against themselves. */
START_TEST(a_trace_holds_what_the_replay_gave)
{
    marl_log log = simulated();
    marl_trace trace;
    marl_pipeline pipeline;
    marl_series estimate, truth = {log.n, calloc(log.n, sizeof *truth.at)};
    marl_comparison comparison;
    marl_error error = {.status = MARL_OK};
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
    marl_replay_options options = {.watch = marl_trace_watch, .watch_context = &trace};
    for (size_t i = 0; i < log.n; i++) {
        truth.at[i] = (marl_attitude){log.row[i].sample.t_ns, log.row[i].q};
    }
    ck_assert(marl_trace_make(&trace, log.n));
    ck_assert_int_eq(marl_replay_log(&pipeline, &log, &tuning, &options, &estimate, &error), MARL_OK);
    ck_assert_int_eq(marl_compare(&estimate, &truth, NULL, &comparison, &error), MARL_OK);
    marl_trace_add_errors(&trace, &comparison);
    ck_assert_uint_eq(trace.n, estimate.n);
    for (size_t i = 0; i < trace.n; i++) {
        marl_rpy angles = marl_quat_to_rpy(estimate.at[i].q);
        ck_assert_double_eq_tol(trace.value[MARL_TRACE_ROLL][i], (double)angles.roll / MARL_DEGREE, 1e-9);
        ck_assert_double_eq(trace.value[MARL_TRACE_TOTAL][i], comparison.error[i].total_deg);
    }
    marl_vec3 bias = marl_estimator_bias(&pipeline.estimator);
    ck_assert_double_eq_tol(trace.value[MARL_TRACE_BIAS][trace.n - 1],
                            (double)marl_vec3_norm(bias) / MARL_DEGREE, 1e-9);
    ck_assert(marl_trace_has(&trace, MARL_TRACE_WEIGHT_ACCEL));
    marl_comparison_free(&comparison);
    marl_series_free(&estimate);
    marl_series_free(&truth);
    marl_trace_free(&trace);
    marl_log_free(&log);
}
END_TEST

/* A body that turns evenly is drawn where it is, and not where nothing is known for half a second. */
START_TEST(frames_lie_between_attitudes)
{
    enum { N = 200 };
    marl_attitude at[N];
    marl_series series = {N, at};
    marl_quat q[3000];
    for (int i = 0; i < N; i++) {
        double angle = 0.01 * i, t = 0.1 * i + (i >= 100 ? 5 : 0);
        at[i] = (marl_attitude){llround(1e9 * t), {(float)cos(angle / 2), 0, 0, (float)sin(angle / 2)}};
    }
    marl_frames f = marl_frames_of(0, 1e-9 * (double)at[N - 1].t_ns);
    ck_assert_uint_le(f.n, 3000);
    marl_frames_attitudes(&f, &series, q);
    for (size_t i = 0; i + 3 < f.n; i++) {
        double t = (double)i * f.step_s, angle = t < 9.9 ? 0.1 * t : 0.1 * (t - 5);
        marl_quat wanted = {(float)cos(angle / 2), 0, 0, (float)sin(angle / 2)};
        int gap = t > 9.9 + 1e-6 && t < 15 - 1e-6;
        ck_assert(gap ? q[i].w == 0.0f : angle_between(q[i], wanted) < 1e-3);
    }
}
END_TEST

MARL_SUITE("trace", packing_loses_nothing, damaged_bytes_do_no_harm, a_row_takes_thirty_one_bytes,
           extremes_stay_visible, pieces_give_the_same_bits, a_trace_holds_what_the_replay_gave,
           frames_lie_between_attitudes)
