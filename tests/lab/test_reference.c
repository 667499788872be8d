/* SPDX-License-Identifier: MIT
 * References as they come: clocks, frames, and what is no reference at all. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "spoiled_reference.h"

static marl_clock find_clock(const marl_log *log, const marl_series *reference)
{
    marl_clock clock;
    marl_error error = {0};
    ck_assert_msg(marl_clock_find(log, reference, &clock, &error) == MARL_OK, "%s", error.text);
    return clock;
}

static const struct {
    marl_scene_kind scene;
    double limit_s; /* a slew changes its rate only at its ends: half a second of it says little */
} long_motions[] = {{MARL_SCENE_LIFT, 0.001}, {MARL_SCENE_TUMBLE, 0.001}, {MARL_SCENE_SLEW, 0.02}};

/* Ten minutes at 100 Hz, 5 % of the rows of both lost, 50 ppm, a mount that is tilted by a good deal and 0.05
 * degrees of noise: within 1 ms, and within four of its own standard errors; then the reference can be reported
 * by the log's clock. */
START_TEST(clock_of_ten_minutes)
{
    const double offsets[] = {-0.2371, 1.7e9};
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {81 + (uint64_t)_i};
    marl_log log = memory_log_simulated(long_motions[_i].scene, &sheet, 100, 600, 500 + (uint64_t)_i);
    for (int k = 0; k < 2; k++) {
        const spoiling how = {offsets[k],           k % 2 ? 50 : -50,    0.05, 0.05, 1,
                              turn(0.3, -0.2, 2.5), turn(0.5, 0.7, -1.1)};
        marl_series reference = reference_of(&log, &how, &d);
        marl_log degrader = without_rows(&log, 0.05, &d);
        marl_clock c = find_clock(&degrader, &reference);
        ck_assert(c.found);
        ck_assert_msg(fabs(c.offset_s - offsets[k]) <
                          fmin(long_motions[_i].limit_s, 4 * c.offset_sigma_s + 2e-5),
                      "off by %.6f +- %.6f", c.offset_s - offsets[k], c.offset_sigma_s);
        ck_assert_msg(fabs(c.ppm - how.ppm) < 4 * c.ppm_sigma, "%.2f +- %.2f", c.ppm, c.ppm_sigma);
        marl_clock_apply(&c, degrader.row[0].sample.t_ns, &reference);
        for (size_t i = 0; i < reference.n;
             i += 100) { /* back on the grid of the log, whose rows are 10 ms apart */
            double rows = 1e-7 * (double)(reference.at[i].t_ns - log.row[0].sample.t_ns);
            ck_assert_double_lt(fabs(rows - round(rows)), 100 * fmin(long_motions[_i].limit_s, 0.005));
        }
        free(degrader.row);
        marl_series_free(&reference);
    }
    marl_log_free(&log);
}
END_TEST

/* Both clocks jump by a million seconds: the offset is that of the longest side, as if nothing had been. */
START_TEST(clock_behind_a_jump)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {86};
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 120, 511);
    const spoiling how = {5.5, 0, 0.02, 0, 1, {1, 0, 0, 0}, turn(0, 0, 1.5)};
    marl_series reference = reference_of(&log, &how, &d);
    const int64_t at = log.row[4000].sample.t_ns, jump = INT64_C(1000000000000000);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].sample.t_ns += log.row[i].sample.t_ns >= at ? jump : 0;
    }
    for (size_t i = 0; i < reference.n; i++) {
        reference.at[i].t_ns += reference.at[i].t_ns >= at + 5500000000 ? jump : 0;
    }
    marl_clock c = find_clock(&log, &reference);
    ck_assert(c.found);
    double at_the_side = c.offset_s + (isfinite(c.ppm) ? 1e-6 * c.ppm * 1e-9 * (double)(jump + at) : 0);
    ck_assert_msg(fabs(at_the_side - 5.5) < 0.002, "off by %.6f", at_the_side - 5.5);
    marl_series_free(&reference);
    marl_log_free(&log);
}
END_TEST

/* A reference at a tenth of the rate, one that covers a part, one with a hole in it. */
START_TEST(clock_of_poorer_references)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {85};
    marl_log log = memory_log_simulated(MARL_SCENE_LIFT, &sheet, 100, 120, 510);
    spoiling how = {5.5, 0, 0.02, 0, 10, {1, 0, 0, 0}, turn(0, 0, 1.5)};
    marl_series slow = reference_of(&log, &how, &d);
    marl_clock c = find_clock(&log, &slow);
    ck_assert(c.found && fabs(c.offset_s - 5.5) < 0.002);
    how.every = 1;
    marl_series all = reference_of(&log, &how, &d), part = {6000, all.at + 1500};
    c = find_clock(&log, &part);
    ck_assert_msg(c.found && !c.repeats && fabs(c.offset_s - 5.5) < 0.002, "%d %d %f %f", c.found, c.repeats,
                  c.offset_s, c.offset_sigma_s);
    memmove(all.at + 3000, all.at + 5000, (all.n - 5000) * sizeof *all.at);
    all.n -= 2000;
    c = find_clock(&log, &all);
    ck_assert(c.found && fabs(c.offset_s - 5.5) < 0.001);
    marl_series_free(&slow);
    marl_series_free(&all);
    marl_log_free(&log);
}
END_TEST

static void hold(marl_series *s, size_t from, size_t to, double noise, dice *d)
{
    for (size_t i = from + 1; i < to; i++) {
        s->at[i].q = marl_quat_product(s->at[from].q, turn(noise * dice_normal(d), 0, 0));
    }
}

/* A rig that loses the body for seconds: what it repeats is left out, and the clock is found all the same, also where noise
 * hides that the attitude was held and the jump alone shows it. */
START_TEST(a_rig_that_loses_the_body)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {88};
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 120, 512);
    const spoiling how = {5.5, 0, 0.02, 0, 1, {1, 0, 0, 0}, turn(0, 0, 1.5)};
    for (int noisy = 0; noisy < 2; noisy++) {
        marl_series s = reference_of(&log, &how, &d);
        size_t n = s.n;
        hold(&s, 4000, 4301, 1e-3 * noisy, &d);
        hold(&s, 7000, 7101, 1e-3 * noisy, &d);
        marl_held held = marl_reference_drop_held(&s);
        ck_assert_uint_eq(held.stretches, noisy ? 0 : 2);
        ck_assert_uint_eq(s.n, noisy ? n : n - 400);
        ck_assert(noisy || (fabs(held.seconds - 4) < 1e-6 && fabs(held.longest_s - 3) < 1e-6 &&
                            held.first_ns == log.row[4000].sample.t_ns + 5500000000));
        marl_clock c = find_clock(&log, &s);
        ck_assert_msg(c.found && fabs(c.offset_s - 5.5) < (noisy ? 4 * c.offset_sigma_s : 0.003),
                      "%d: off by %.4f +- %.4f", noisy, c.offset_s - 5.5, c.offset_sigma_s);
        marl_series_free(&s);
    }
    marl_log_free(&log);
}
END_TEST

/* Rests, rows that were repeated to fill a higher rate, and digits as coarse as a degree are no rig that lost the body. */
START_TEST(what_only_repeats_stays)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {89};
    const spoiling clean = {0, 0, 0, 0, 1, {1, 0, 0, 0}, {1, 0, 0, 0}};
    const marl_scene_kind scenes[] = {MARL_SCENE_TUMBLE, MARL_SCENE_LIFT, MARL_SCENE_SLEW, MARL_SCENE_STILL};
    for (size_t k = 0; k < 4; k++) {
        marl_log log = memory_log_simulated(scenes[k], &sheet, 100, 60, 530 + k);
        marl_series s = reference_of(&log, &clean, &d);
        ck_assert_uint_eq(marl_reference_drop_held(&s).stretches, 0);
        for (size_t i = 0; i < s.n; i++) {
            s.at[i].q = s.at[i - i % 12].q;
        }
        ck_assert_uint_eq(marl_reference_drop_held(&s).stretches, 0);
        marl_series_free(&s);
        s = reference_of(&log, &clean, &d);
        for (size_t i = 0; i < s.n; i++) {
            const float degree = (float)MARL_DEGREE;
            marl_rpy a = marl_quat_to_rpy(s.at[i].q);
            s.at[i].q = marl_quat_from_rpy(degree * rintf(a.roll / degree), degree * rintf(a.pitch / degree),
                                           degree * rintf(a.yaw / degree));
        }
        ck_assert_uint_eq(marl_reference_drop_held(&s).stretches, 0);
        marl_series_free(&s);
        marl_log_free(&log);
    }
}
END_TEST

START_TEST(no_clock_is_made_up)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {87};
    const spoiling plain = {0, 0, 0.05, 0, 1, {1, 0, 0, 0}, {1, 0, 0, 0}};
    marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 520);
    marl_log other = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 521);
    marl_log rest = memory_log_simulated(MARL_SCENE_STILL, &sheet, 100, 60, 522);
    marl_series foreign = reference_of(&other, &plain, &d), quiet = reference_of(&rest, &plain, &d);
    ck_assert(!find_clock(&log, &foreign).found);
    ck_assert(!find_clock(&log, &quiet).found);
    ck_assert(!find_clock(&rest, &quiet).found);
    ck_assert(isnan(find_clock(&rest, &quiet).offset_s));
    marl_error error = {0};
    marl_clock clock;
    log.info.columns = MARL_COLUMNS_ACCEL;
    ck_assert_int_eq(marl_clock_find(&log, &foreign, &clock, &error), MARL_ERR_INSUFFICIENT);
    marl_series_free(&foreign);
    marl_series_free(&quiet);
    marl_log_free(&log);
    marl_log_free(&other);
    marl_log_free(&rest);
}
END_TEST

static marl_match match(const marl_series *estimate, const marl_series *reference, marl_match_kind kind)
{
    marl_match m;
    marl_error error = {0};
    ck_assert_msg(marl_match_find(estimate, reference, kind, &m, &error) == MARL_OK, "%s", error.text);
    return m;
}

/* The match undoes what was done to the reference. */
static double world_off(const marl_match *m, const spoiling *how)
{
    return angle_between(marl_quat_conjugate(m->world), how->world) / MARL_DEGREE;
}

static double body_off(const marl_match *m, const spoiling *how)
{
    return angle_between(marl_quat_conjugate(m->body), how->body) / MARL_DEGREE;
}

static const marl_quat as_it_is = {1, 0, 0, 0};

/* 60 s of turning about all axes, 0.05 degrees of noise on both: within 0.02 degrees, and within the stated error:
 * the squares of errors over standard errors are a chi-square with 60 degrees of freedom, if anything. */
START_TEST(match_of_two_sides)
{
    marl_sheet sheet = marl_sheet_grommet();
    dice d = {91};
    double squares = 0;
    for (int k = 0; k < 10; k++) {
        marl_log log = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 60, 600 + (uint64_t)k);
        const spoiling none = {0, 0, 0.05, 0, 1, as_it_is, as_it_is};
        const spoiling how = {0, 0, 0.05, 0, 1, dice_attitude(&d), dice_attitude(&d)};
        marl_series estimate = reference_of(&log, &none, &d), reference = reference_of(&log, &how, &d);
        marl_match m = match(&estimate, &reference, MARL_MATCH_WORLD_AND_BODY);
        ck_assert(m.has_world && m.has_body);
        ck_assert_double_lt(world_off(&m, &how), 0.02);
        ck_assert_double_lt(body_off(&m, &how), 0.02);
        for (int i = 0; i < 3; i++) {
            squares += pow(world_off(&m, &how) / m.world_sigma_deg[i], 2) / 3;
            squares += pow(body_off(&m, &how) / m.body_sigma_deg[i], 2) / 3;
            ck_assert_double_le(m.world_sigma_deg[i], m.sigma_deg);
        }
        marl_match_apply(&m, &reference);
        ck_assert_double_lt(angle_between(reference.at[3000].q, log.row[3000].q), 0.4 * MARL_DEGREE);
        marl_series_free(&estimate);
        marl_series_free(&reference);
        marl_log_free(&log);
    }
    ck_assert_double_lt(squares, 2 * 60 + 4 * 2 * sqrt(2 * 60)); /* deviations from 12 blocks scatter, too */
    ck_assert_double_gt(squares, 60 / 2.0 - 4 * sqrt(2 * 60) / 2);
}
END_TEST

/* Turning about the vertical alone: the sum about it is known, not the two sides. */
static marl_series turned_about_up(const spoiling *how, double tilt_deg, dice *d)
{
    marl_series s = {6000, malloc(6000 * sizeof *s.at)};
    for (size_t i = 0; i < s.n; i++) {
        double t = 0.01 * (double)i, sigma = how->noise_deg * MARL_DEGREE;
        marl_quat tilt =
            turn(tilt_deg * MARL_DEGREE * sin(0.9 * t), tilt_deg * MARL_DEGREE * sin(0.7 * t), 0);
        marl_quat q = marl_quat_product(turn(0, 0, 0.2 * t), tilt);
        q = marl_quat_product(how->world, marl_quat_product(q, how->body));
        marl_quat shaken = turn(sigma * dice_normal(d), sigma * dice_normal(d), sigma * dice_normal(d));
        s.at[i] = (marl_attitude){(int64_t)i * 10000000, marl_quat_product(q, shaken)};
    }
    return s;
}

START_TEST(match_leaves_out_what_motion_does_not_determine)
{
    dice d = {93};
    const spoiling none = {0, 0, 0.05, 0, 1, as_it_is, as_it_is};
    const spoiling how = {0, 0, 0.05, 0, 1, turn(0, 0, 0.7), turn(0, 0, 0.5)};
    const double tilts[] = {0, 2, 45};
    for (int k = 0; k < 3; k++) {
        marl_series estimate = turned_about_up(&none, tilts[k], &d);
        marl_series reference = turned_about_up(&how, tilts[k], &d);
        marl_match m = match(&estimate, &reference, MARL_MATCH_WORLD_AND_BODY);
        ck_assert_int_eq(m.has_body, tilts[k] > 10);
        ck_assert_int_eq(m.body_is_mixed, tilts[k] < 10);
        ck_assert(m.has_world);
        if (!m.has_body) { /* the vertical is mixed up, and the sum about it is known */
            marl_quat sum = marl_quat_product(m.world, m.body);
            ck_assert_double_gt(m.condition, 20);
            ck_assert_double_gt(fabs(m.mixed_axis[2]), cos(0.1 * MARL_DEGREE));
            ck_assert_double_lt(angle_between(sum, turn(0, 0, -1.2)), 5 * m.sigma_deg * MARL_DEGREE);
        }
        if (k == 1) { /* two swings of 2 degrees about level axes: 1 / sqrt(1 - cos of their rms) */
            ck_assert_double_eq_tol(m.condition, 1 / sqrt(2 * pow(2 * MARL_DEGREE, 2) / 4), 6);
        }
        marl_series_free(&estimate);
        marl_series_free(&reference);
    }
}
END_TEST

/* A body that only turns about its vertical, and a mount that is upside down and turned: all but the turn about the vertical
 * is found, and the attitudes agree to their noise and to what that turn, unknown, makes of 2 degrees of tilt. */
START_TEST(match_of_a_mount_on_a_vehicle)
{
    dice d = {97};
    const spoiling none = {0, 0, 0.05, 0, 1, as_it_is, as_it_is};
    for (int k = 0; k < 8; k++) {
        const double tilt = k < 4 ? 0 : 2;
        const spoiling how = {0, 0, 0.05, 0, 1, dice_attitude(&d), dice_attitude(&d)};
        marl_series estimate = turned_about_up(&none, tilt, &d), reference = turned_about_up(&how, tilt, &d);
        marl_match m = match(&estimate, &reference, MARL_MATCH_WORLD_AND_BODY);
        marl_vec3 up = {0, 0, 1};
        ck_assert(m.body_is_mixed && !m.has_body);
        /* the estimate's vertical, in the reference's body */
        marl_vec3 found = marl_quat_rotate(m.body, up), truth = marl_quat_rotate_back(how.body, up);
        ck_assert_double_gt(found.x * truth.x + found.y * truth.y + found.z * truth.z,
                            cos(5 * m.sigma_deg * MARL_DEGREE + 1e-3));
        double squares = 0;
        marl_match_apply(&m, &reference);
        for (size_t i = 0; i < estimate.n; i++) {
            squares += pow(angle_between(estimate.at[i].q, reference.at[i].q) / MARL_DEGREE, 2);
        }
        /* 0.05 degrees about three axes of both */
        ck_assert_double_lt(sqrt(squares / (double)estimate.n), 1.05 * sqrt(6) * 0.05);
        marl_series_free(&estimate);
        marl_series_free(&reference);
    }
}
END_TEST

/* A heading that wanders by 8 degrees says little about north, but tilts of 10 degrees show the mount all the same. */
START_TEST(match_of_a_mount_with_a_poor_heading)
{
    dice d = {99};
    const spoiling none = {0, 0, 0.05, 0, 1, as_it_is, as_it_is};
    for (int k = 0; k < 6; k++) {
        const spoiling how = {0, 0, 0.05, 0, 1, as_it_is, dice_attitude(&d)};
        marl_series estimate = turned_about_up(&none, 10, &d), reference = turned_about_up(&how, 10, &d);
        for (size_t i = 0; i < estimate.n; i++) {
            double wander = 8 * MARL_DEGREE * sin(0.004 * (double)i + k);
            estimate.at[i].q = marl_quat_product(turn(0, 0, wander), estimate.at[i].q);
        }
        marl_match m = match(&estimate, &reference, MARL_MATCH_WORLD_AND_BODY);
        ck_assert(m.has_world && (m.has_body || m.body_is_mixed));
        ck_assert_msg(m.world_sigma_deg[2] > 1, "%g", m.world_sigma_deg[2]);
        double squares = 0;
        marl_match_apply(&m, &reference);
        for (size_t i = 0; i < estimate.n; i++) {
            squares += pow(marl_error_between(estimate.at[i].q, reference.at[i].q).tilt_deg, 2);
        }
        /* four tenths of a degree: 8 degrees of heading, taken for the mount, would make 1.4 of a tilt of 10 */
        ck_assert_double_lt(sqrt(squares / (double)estimate.n), 0.4);
        marl_series_free(&estimate);
        marl_series_free(&reference);
    }
}
END_TEST

/* The smaller matches take out what they name and leave the rest to be seen. */
START_TEST(match_of_heading_world_and_start)
{
    dice d = {95};
    const spoiling none = {0, 0, 0.05, 0, 1, as_it_is, as_it_is};
    spoiling how = {0, 0, 0.05, 0, 1, turn(0, 0, 1.0), turn(0, 0.03, 0)};
    marl_series estimate = turned_about_up(&none, 5, &d), reference = turned_about_up(&how, 5, &d);
    marl_match m = match(&estimate, &reference, MARL_MATCH_NONE);
    ck_assert(!m.has_world && !m.has_body && isnan(m.sigma_deg));
    m = match(&estimate, &reference, MARL_MATCH_HEADING);
    ck_assert_double_lt(angle_between(m.world, turn(0, 0, -1.0)), 0.1 * MARL_DEGREE);
    ck_assert(m.world.x == 0 && m.world.y == 0 && isnan(m.world_sigma_deg[0]) && m.world_sigma_deg[2] < 0.1);
    marl_series_free(&reference);
    how.world = turn(0.2, -0.1, 1.0);
    how.body = as_it_is;
    reference = turned_about_up(&how, 5, &d);
    m = match(&estimate, &reference, MARL_MATCH_WORLD);
    ck_assert_double_lt(world_off(&m, &how), 5 * m.sigma_deg);
    for (size_t i = 0; i < 700; i++) { /* the estimate turns into its place over 7 s */
        estimate.at[i].q = marl_quat_product(turn(0, 0, 0.002 * (700.0 - (double)i)), estimate.at[i].q);
    }
    m = match(&estimate, &reference, MARL_MATCH_START);
    ck_assert_double_lt(world_off(&m, &how), 1.0); /* within 2 degrees of the whole from 7 s on */
    for (size_t i = 0; i < estimate.n; i++) {
        estimate.at[i].q = marl_quat_product(turn(0, 0, 0.001 * (double)i), estimate.at[i].q);
    }
    marl_error error = {0};
    ck_assert_int_eq(marl_match_find(&estimate, &reference, MARL_MATCH_START, &m, &error),
                     MARL_ERR_INSUFFICIENT);
    reference.n = 900;
    error = (marl_error){0};
    ck_assert_int_eq(marl_match_find(&estimate, &reference, MARL_MATCH_WORLD, &m, &error),
                     MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "in common"));
    marl_series_free(&estimate);
    marl_series_free(&reference);
}
END_TEST

static void refused(marl_series *s, const marl_log *log, marl_status status, const char *why)
{
    marl_error error = {0};
    ck_assert_int_eq(marl_reference_check(s, log, &error), status);
    ck_assert_msg(strstr(error.text, why) != NULL, "%s", error.text);
}

START_TEST(what_is_no_reference)
{
    dice d = {97};
    char name[] = "rig.csv";
    marl_log log = {.path = name};
    const spoiling none = {0, 0, 0.05, 0, 1, as_it_is, as_it_is};
    marl_series s = turned_about_up(&none, 5, &d);
    marl_error error = {0};
    ck_assert_int_eq(marl_reference_check(&s, &log, &error), MARL_OK);
    s.n = 1002; /* ten seconds are enough */
    ck_assert_int_eq(marl_reference_check(&s, &log, &error), MARL_OK);
    s.n = 999;
    refused(&s, &log, MARL_ERR_INSUFFICIENT, "too short");
    s.n = 6000;
    s.at[3000].q = marl_quat_product(s.at[3000].q, (marl_quat){0, 0, 0, 1});
    refused(&s, &log, MARL_ERR_INPUT, "jumps by 180 degrees");
    for (size_t i = 3000; i < s.n; i++) { /* over a hole it is no jump: it may have turned there */
        s.at[i].t_ns += i == 3000 ? 0 : 1000000000;
        s.at[i].q = i == 3000 ? s.at[2999].q : marl_quat_product(s.at[i].q, (marl_quat){0, 1, 0, 0});
    }
    ck_assert_int_eq(marl_reference_check(&s, &log, &error), MARL_OK);
    log.report.not_unit = 3;
    log.report.first_not_unit_line = 17;
    log.report.first_not_unit_length = 2;
    refused(&s, &log, MARL_ERR_INPUT, "rig.csv:17");
    marl_series_free(&s);
}
END_TEST

MARL_SUITE_OF_TRIALS("reference", long_motions, clock_of_ten_minutes, clock_of_poorer_references,
                     clock_behind_a_jump, a_rig_that_loses_the_body, what_only_repeats_stays,
                     no_clock_is_made_up, match_of_two_sides, match_leaves_out_what_motion_does_not_determine,
                     match_of_a_mount_on_a_vehicle, match_of_a_mount_with_a_poor_heading,
                     match_of_heading_world_and_start, what_is_no_reference)
