/* SPDX-License-Identifier: MIT
 * Errors and measures against constructions whose answer is known. */
#include "check_main.h"
#include "lab/compare/measures.h"
#include "marlinspike/compare.h"
#include "memory_log.h"
#include "random_values.h"

START_TEST(the_parts_make_the_whole)
{
    dice d = {61};
    for (int i = 0; i < 5000; i++) {
        marl_quat a = dice_attitude(&d), b = dice_attitude(&d);
        marl_error_angles e = marl_error_between(a, b);
        ck_assert_double_eq_tol(e.total_deg * MARL_DEGREE, angle_between(a, b), 1e-6);
        if (isfinite(e.heading_deg)) {
            double product = cos(e.tilt_deg * MARL_DEGREE / 2) * cos(e.heading_deg * MARL_DEGREE / 2);
            ck_assert_double_eq_tol(cos(e.total_deg * MARL_DEGREE / 2), fabs(product), 1e-5);
        }
        marl_vec3 up = {0, 0, 1}; /* the angle between the two up directions */
        double cosine = (double)marl_vec3_dot(marl_quat_rotate_back(a, up), marl_quat_rotate_back(b, up));
        ck_assert_double_eq_tol(cos(e.tilt_deg * MARL_DEGREE), cosine, 2e-6);
    }
}
END_TEST

/* The squares that a search adds up are those of the angles, from tiny ones to half a turn. */
START_TEST(sums_of_squares_are_those_of_the_angles)
{
    dice d = {11};
    for (int i = 0; i < 2000; i++) {
        marl_quat q = dice_attitude(&d);
        double angle = pow(10, dice_between(&d, -4, 0.497)); /* rad, to pi */
        marl_vec3 axis = dice_vector(&d, 1);
        double length = sqrt((double)(axis.x * axis.x + axis.y * axis.y + axis.z * axis.z));
        float s = (float)(sin(angle / 2) / length);
        marl_quat turned =
            marl_quat_product((marl_quat){(float)cos(angle / 2), s * axis.x, s * axis.y, s * axis.z}, q);
        ck_assert_int_eq(marl_quat_normalize(&turned), MARL_OK);
        marl_error_angles e = marl_error_between(turned, q);
        lab_error_square sum = {0}, total = {0};
        lab_error_squares(turned, q, LAB_SQUARES_OF_PARTS, &sum);
        lab_error_squares(turned, q, 0, &total);
        ck_assert_double_eq(total.total, sum.total);
        ck_assert_double_eq_tol(sqrt(sum.total) / MARL_DEGREE, e.total_deg, 1e-4 + 1e-4 * e.total_deg);
        ck_assert_double_eq_tol(sqrt(sum.tilt) / MARL_DEGREE, e.tilt_deg, 1e-4 + 1e-4 * e.tilt_deg);
        if (isfinite(e.heading_deg)) {
            ck_assert_double_eq_tol(sqrt(sum.heading) / MARL_DEGREE, fabs(e.heading_deg), 0.03);
        }
        ck_assert_uint_eq(sum.headings, isfinite(e.heading_deg));
    }
}
END_TEST

START_TEST(signs_and_edges_of_the_error)
{
    marl_quat level = marl_quat_identity();
    marl_error_angles e = marl_error_between(marl_quat_from_rpy(0, 0, (float)(10 * MARL_DEGREE)), level);
    ck_assert_double_eq_tol(e.heading_deg, -10, 1e-4); /* yaw is counter-clockwise, a compass clockwise */
    ck_assert_double_eq_tol(e.tilt_deg, 0, 1e-4);
    e = marl_error_between(level, marl_quat_from_rpy(0, 0, (float)(170 * MARL_DEGREE)));
    ck_assert_double_eq_tol(e.heading_deg, 170, 1e-4);
    e = marl_error_between(marl_quat_from_rpy((float)(179.9 * MARL_DEGREE), 0, 0), level);
    ck_assert(isnan(e.heading_deg));
    ck_assert_double_eq_tol(e.tilt_deg, 179.9, 1e-3);
    e = marl_error_between(level, level);
    ck_assert(e.total_deg == 0 && e.tilt_deg == 0 && e.heading_deg == 0);
}
END_TEST

START_TEST(slerp_turns_evenly)
{
    dice d = {62};
    for (int i = 0; i < 2000; i++) {
        marl_quat a = dice_attitude(&d), b = dice_attitude(&d);
        double u = dice_between(&d, 0, 1), whole = angle_between(a, b);
        marl_quat q = marl_slerp(a, b, u);
        ck_assert_double_eq_tol(angle_between(a, q), u * whole, 2e-6);
        ck_assert_double_eq_tol(angle_between(q, b), (1 - u) * whole, 2e-6);
    }
}
END_TEST

/* A swing of 10 degrees about a level axis, every 5 ms; `lag` s late, with a heading error that grows. */
static marl_series swing(int n, double lag, double drift_deg_per_h)
{
    marl_series s = {.n = (size_t)n, .at = calloc((size_t)n, sizeof(marl_attitude))};
    for (int i = 0; i < n; i++) {
        double t = i * 0.005;
        float angle = (float)(10 * MARL_DEGREE * sin(4 * (t - lag)));
        float yaw = (float)(-drift_deg_per_h / 3600 * t * MARL_DEGREE);
        s.at[i] = (marl_attitude){(int64_t)i * 5000000, marl_quat_product(marl_quat_from_rpy(0, 0, yaw),
                                                                          marl_quat_from_rpy(angle, 0, 0))};
    }
    return s;
}

static marl_comparison compare(const marl_series *estimate, const marl_series *reference)
{
    marl_comparison c;
    marl_error error = {0};
    ck_assert_msg(marl_compare(estimate, reference, NULL, &c, &error) == MARL_OK, "%s", error.text);
    return c;
}

START_TEST(lag_is_found_with_its_sign)
{
    const double lags[] = {-0.4, -0.033, 0, 0.012, 0.25};
    marl_series reference = swing(6000, 0, 0);
    for (int i = 0; i < 5; i++) {
        marl_series late = swing(6000, lags[i], 0);
        marl_comparison c = compare(&late, &reference);
        ck_assert_double_eq_tol(c.lag_ms, 1e3 * lags[i], 0.5);
        /* rms of A (sin(wt) - sin(w(t - lag))) is sqrt(2) A sin(w lag / 2) */
        ck_assert_double_eq_tol(c.all.tilt.rms, sqrt(2) * 10 * fabs(sin(2 * lags[i])), 0.05);
        marl_comparison_free(&c);
        marl_series_free(&late);
    }
    marl_series drifting = swing(6000, 0, 0); /* an error that grows with every shift one way has no lag */
    for (size_t i = 0; i < drifting.n; i++) {
        float turn = 0.5f * 0.005f * (float)i;
        reference.at[i].q = marl_quat_from_rpy(0, 0, turn);
        drifting.at[i].q = marl_quat_from_rpy(0, 0, turn - 1.0f);
    }
    marl_comparison far = compare(&drifting, &reference);
    ck_assert(isnan(far.lag_ms));
    marl_comparison_free(&far);
    marl_series_free(&drifting);
    marl_series slow = {.n = 100, .at = reference.at};
    for (int i = 0; i < 100; i++) {
        slow.at[i].q = marl_quat_identity();
    }
    marl_comparison c = compare(&slow, &slow);
    ck_assert(isnan(c.lag_ms) && isnan(c.drift_deg_per_h) && isnan(c.jitter_deg)); /* cannot tell */
    marl_comparison_free(&c);
    marl_series_free(&reference);
}
END_TEST

START_TEST(drift_settling_and_the_wrap_of_heading)
{
    marl_series reference = swing(20000, 0, 0), estimate = swing(20000, 0, 9000); /* 250 degrees in 100 s */
    marl_comparison c = compare(&estimate, &reference);
    ck_assert_double_eq_tol(c.drift_deg_per_h, 9000, 10);
    ck_assert_double_lt(c.all.heading.max, 180.001);
    ck_assert(isnan(c.settle_s)); /* 2 degrees are passed after 0.8 s */
    marl_comparison_free(&c);
    for (size_t i = 0; i < estimate.n; i++) { /* 5 degrees off for 3 s, then right */
        marl_quat off = marl_quat_from_rpy(0, 0, i < 600 ? (float)(5 * MARL_DEGREE) : 0);
        estimate.at[i].q = marl_quat_product(off, reference.at[i].q);
    }
    c = compare(&estimate, &reference);
    ck_assert_double_eq_tol(c.settle_s, 3.0, 0.006);
    ck_assert_double_eq_tol(c.all.heading.rms, 5 * sqrt(600.0 / 20000), 1e-3);
    ck_assert_double_eq_tol(c.all.heading.mean, 5 * 600.0 / 20000, 1e-3);
    ck_assert_double_eq_tol(c.all.heading.max, 5, 1e-3);
    ck_assert_double_eq_tol(c.all.heading.p95, 0, 1e-3);
    marl_comparison_free(&c);
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

static marl_quat turn(double x, double y, double z)
{
    double angle = sqrt(x * x + y * y + z * z), share = angle > 0 ? sin(angle / 2) / angle : 0.5;
    return (marl_quat){(float)cos(angle / 2), (float)(share * x), (float)(share * y), (float)(share * z)};
}

/* A constant offset is found to a thousandth of a degree, whatever else goes on. */
START_TEST(constant_offsets)
{
    marl_series reference = swing(20000, 0, 0), estimate = swing(20000, 0, 0);
    for (size_t i = 0; i < estimate.n; i++) {
        estimate.at[i].q = marl_quat_product(turn(0, 0, -5 * MARL_DEGREE), reference.at[i].q);
    }
    marl_comparison c = compare(&estimate, &reference);
    const double found[] = {c.all.heading.rms, c.all.heading.mean, c.all.heading.p95, c.all.heading.max,
                            c.all.total.rms,   c.all.total.mean,   c.all.total.p95,   c.all.total.max};
    for (int i = 0; i < 8; i++) {
        ck_assert_double_eq_tol(found[i], 5, 0.001);
    }
    ck_assert_double_lt(c.all.tilt.max, 0.001);
    ck_assert_double_eq_tol(c.error[7].heading_deg, 5,
                            0.001); /* clockwise from above: the compass shows more */
    ck_assert_double_eq_tol(c.drift_deg_per_h, 0, 0.05);
    ck_assert(isnan(c.lost_s) && isnan(c.settle_s));
    marl_comparison_free(&c);
    for (size_t i = 0; i < estimate.n; i++) { /* a tilt of 3 degrees about north and a heading of 4 */
        estimate.at[i].q = marl_quat_product(
            marl_quat_product(turn(0, 3 * MARL_DEGREE, 0), turn(0, 0, 4 * MARL_DEGREE)), reference.at[i].q);
    }
    c = compare(&estimate, &reference);
    ck_assert_double_eq_tol(c.all.tilt.rms, 3, 0.001);
    ck_assert_double_eq_tol(c.all.heading.rms, 4, 0.001);
    double total = 2 * acos(cos(1.5 * MARL_DEGREE) * cos(2 * MARL_DEGREE)) / MARL_DEGREE;
    ck_assert_double_eq_tol(c.all.total.rms, total, 0.001);
    marl_comparison_free(&c);
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

/* White turns of s about each axis: heading s, tilt sqrt(2) s, total sqrt(3) s; p95 of |heading| 1.96 s. */
START_TEST(known_noise)
{
    dice d = {64};
    const double s = 0.5;
    marl_series reference = swing(20000, 0, 0), estimate = swing(20000, 0, 0);
    for (size_t i = 0; i < estimate.n; i++) {
        marl_quat off = turn(s * MARL_DEGREE * dice_normal(&d), s * MARL_DEGREE * dice_normal(&d),
                             s * MARL_DEGREE * dice_normal(&d));
        estimate.at[i].q = marl_quat_product(off, reference.at[i].q);
    }
    marl_comparison c = compare(&estimate, &reference);
    double bound = 4 / sqrt(2.0 * 20000); /* of one axis; the others have smaller errors */
    ck_assert_double_eq_tol(c.all.heading.rms / s, 1, bound);
    ck_assert_double_eq_tol(c.all.tilt.rms / s / sqrt(2), 1, bound);
    ck_assert_double_eq_tol(c.all.total.rms / s / sqrt(3), 1, bound);
    ck_assert_double_eq_tol(c.all.heading.mean / s, sqrt(2 / 3.14159265358979), 2 * bound);
    /* a sum of twelve has tails a little short of normal */
    ck_assert_double_eq_tol(c.all.heading.p95 / s, 1.96, 0.06);
    marl_comparison_free(&c);
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

START_TEST(who_is_lost)
{
    marl_series reference = swing(8000, 0, 0), estimate = swing(8000, 0, 0);
    for (size_t i = 2000; i < 3900; i++) { /* 9.5 s upside down are no loss */
        estimate.at[i].q = marl_quat_product(turn(3.0, 0, 0), reference.at[i].q);
    }
    marl_comparison c = compare(&estimate, &reference);
    ck_assert(isnan(c.lost_s));
    marl_comparison_free(&c);
    for (size_t i = 4000; i < 6100; i++) {
        estimate.at[i].q = marl_quat_product(turn(0, 0.8, 0), reference.at[i].q);
    }
    c = compare(&estimate, &reference);
    ck_assert_double_eq_tol(c.lost_s, 20, 1e-6);
    marl_comparison_free(&c);
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

/* What was wrong only while a condition held is reported only there. */
START_TEST(errors_by_condition)
{
    marl_series reference = swing(8000, 0, 0), estimate = swing(8000, 0, 0);
    marl_span still[] = {{0, INT64_C(5000000000)}, {INT64_C(30000000000), INT64_C(34995000000)}};
    marl_span shaking = {INT64_C(10000000000), INT64_C(19995000000)};
    marl_conditions k = {.spans = {{2, still}, {0, NULL}, {1, &shaking}}};
    marl_comparison c;
    marl_error error = {0};
    for (size_t i = 2000; i < 4000; i++) {
        estimate.at[i].q = marl_quat_product(turn(0, 2 * MARL_DEGREE, 0), reference.at[i].q);
    }
    ck_assert_int_eq(marl_compare(&estimate, &reference, &k, &c, &error), MARL_OK);
    ck_assert_double_eq_tol(c.by_condition[MARL_CONDITION_SHAKING].tilt.rms, 2, 0.001);
    ck_assert_double_lt(c.by_condition[MARL_CONDITION_STILL].tilt.max, 0.001);
    ck_assert_uint_eq(c.by_condition[MARL_CONDITION_STILL].n, 1001 + 1000);
    ck_assert_double_eq_tol(c.by_condition[MARL_CONDITION_SHAKING].share, 0.25, 1e-9);
    ck_assert(c.by_condition[MARL_CONDITION_TURNING].share == 0);
    ck_assert(isnan(c.by_condition[MARL_CONDITION_TURNING].total.rms));
    ck_assert_double_eq_tol(c.all.tilt.rms, 2 * sqrt(0.25), 0.001);
    marl_comparison_free(&c);
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

START_TEST(the_reference_is_not_stretched)
{
    marl_series estimate = swing(2000, 0, 0), reference = swing(2000, 0, 0);
    size_t kept = 0;
    for (size_t i = 0; i < reference.n; i++) { /* a gap of 1 s, late begin, early end */
        if (i >= 200 && i < 1800 && (i <= 900 || i >= 1100)) {
            reference.at[kept++] = reference.at[i];
        }
    }
    reference.n = kept;
    marl_comparison c = compare(&estimate, &reference);
    ck_assert_uint_eq(c.n, kept);
    ck_assert_int_eq(c.t_ns[0], 200 * 5000000);
    marl_comparison_free(&c);
    marl_error error = {0};
    for (size_t i = 0; i < reference.n; i++) {
        reference.at[i].t_ns += 3600000000000;
    }
    ck_assert_int_eq(marl_compare(&estimate, &reference, NULL, &c, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "no time in common"));
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

/* White jitter of s about each axis: against a mean of 201 the rms turn is s sqrt(3) sqrt(1 - 1/201). */
START_TEST(jitter_at_rest)
{
    dice d = {63};
    const int n = 8000;
    marl_series s = {.n = (size_t)n, .at = calloc((size_t)n, sizeof(marl_attitude))};
    for (int i = 0; i < n; i++) {
        const double sigma = 0.1 * MARL_DEGREE;
        marl_quat shake =
            marl_quat_from_rpy((float)(sigma * dice_normal(&d)), (float)(sigma * dice_normal(&d)),
                               (float)(sigma * dice_normal(&d)));
        s.at[i] =
            (marl_attitude){(int64_t)i * 5000000, marl_quat_product(marl_quat_from_rpy(1, 0.5f, 2), shake)};
    }
    marl_span span = {0, INT64_C(39995000000)};
    marl_conditions still = {.spans = {{1, &span}}};
    marl_comparison c;
    marl_error error = {0};
    ck_assert_int_eq(marl_compare(&s, &s, &still, &c, &error), MARL_OK);
    double want = 0.1 * sqrt(3) * sqrt(1 - 1.0 / 201);
    ck_assert_double_eq_tol(c.jitter_deg / want, 1, 4 / sqrt(2 * 3.0 * n));
    marl_comparison_free(&c);
    marl_series_free(&s);
}
END_TEST

START_TEST(a_reference_in_ned_is_reported_in_enu)
{
    marl_log_row row = {
        .sample = {.t_ns = 5}, .q = marl_frame_swap_world(marl_quat_from_rpy(0.1f, 0.2f, 0.3f)), .has_q = 1};
    char name[] = "r.csv";
    marl_log log = {
        .path = name, .n = 1, .row = &row, .info = {.columns = MARL_COLUMNS_Q, .world = MARL_WORLD_NED}};
    marl_series s;
    marl_error error = {0};
    ck_assert_int_eq(marl_series_from_log(&s, &log, &error), MARL_OK);
    ck_assert_double_lt(angle_between(s.at[0].q, marl_quat_from_rpy(0.1f, 0.2f, 0.3f)), 1e-6);
    marl_series_free(&s);
    log.info.columns = MARL_COLUMNS_ACCEL;
    ck_assert_int_eq(marl_series_from_log(&s, &log, &error), MARL_ERR_INSUFFICIENT);
}
END_TEST

MARL_SUITE("compare", the_parts_make_the_whole, sums_of_squares_are_those_of_the_angles,
           signs_and_edges_of_the_error, slerp_turns_evenly, lag_is_found_with_its_sign,
           drift_settling_and_the_wrap_of_heading, constant_offsets, known_noise, who_is_lost,
           errors_by_condition, the_reference_is_not_stretched, jitter_at_rest,
           a_reference_in_ned_is_reported_in_enu)
