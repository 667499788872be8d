/* SPDX-License-Identifier: MIT
 * The smoother under hard iron far beyond what raw sensors are assumed to have. */
#include "calibrated_log.h"
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include <math.h>

/* A log of sensors that nobody has calibrated, with this hard iron beside what they have. */
static marl_log log_of(marl_scene_kind scene, double seconds, uint64_t seed, const double hard[3])
{
    marl_sheet sheet = calibrated_sheet();
    for (int k = 0; k < 3; k++) {
        sheet.mag.bias[k] = hard[k];
        sheet.gyro.bias[k] = (k == 1 ? -2 : 1) * MARL_DEGREE;
        sheet.mag.scale_error[k] = 0.01 * (k - 1);
    }
    sheet.mag.cross_axis[2][0] = sheet.gyro.cross_axis[0][2] = 0.008;
    return memory_log_simulated(scene, &sheet, 100, seconds, seed);
}

static marl_log log_with(marl_scene_kind scene, uint64_t seed, const double hard[3])
{
    return log_of(scene, 90, seed, hard);
}

static const double irons[][3] = {{12, -25, 8}, {-30, 10, 35}, {60, -45, 50}};

/* Its size does not matter: as good as without, as sure as stated, and found to five standard errors. */
START_TEST(a_large_hard_iron_is_found)
{
    const double *hard = irons[_i];
    const marl_scene_kind scenes[] = {MARL_SCENE_HANDLE, MARL_SCENE_CARRY, MARL_SCENE_TUMBLE,
                                      MARL_SCENE_SWING};
    for (size_t c = 0; c < (in_campaign() ? sizeof scenes / sizeof scenes[0] : 2); c++) {
        static const double none[3] = {0, 0, 0};
        marl_log log = log_with(scenes[c], 51 + c, hard), without = log_with(scenes[c], 51 + c, none);
        marl_smoothed s, plain;
        double rms, tilt, heading, rms_without, tilt_without, heading_without;
        ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
        ck_assert_int_eq(marl_smooth(&without, NULL, &plain, NULL), MARL_OK);
        errors_of(&log, &s, &rms, &tilt, &heading);
        errors_of(&without, &plain, &rms_without, &tilt_without, &heading_without);
        ck_assert_ptr_null(marl_smoothed_distrust(&s));
        ck_assert_msg(rms < 1.2 * rms_without + 0.05 && tilt < 4 && heading < 4, "%zu: %g (%g) %g %g", c, rms,
                      rms_without, tilt, heading);
        ck_assert_int_eq(marl_smoothed_hides_iron(&s), 0);
        for (int k = 0; k < 3; k++) {
            ck_assert_double_eq_tol(s.errors[MARL_MAG].bias[k], hard[k],
                                    5 * s.errors[MARL_MAG].bias_sigma[k] + 0.01);
        }
        marl_smoothed_free(&s);
        marl_smoothed_free(&plain);
        marl_log_free(&log);
        marl_log_free(&without);
    }
}
END_TEST

/* By the turns alone: within five of its standard errors, which allow for the scale; what is usual is not large. A rest
 * shows none. */
START_TEST(turns_alone_show_it)
{
    const marl_scene_kind scenes[] = {MARL_SCENE_HANDLE, MARL_SCENE_SLEW, MARL_SCENE_SHAKE, MARL_SCENE_SPIN,
                                      MARL_SCENE_STILL};
    static const double usual[3] = {2, -3, 1};
    for (size_t c = 0; c < 2 * sizeof scenes / sizeof scenes[0]; c++) {
        const double *hard = c % 2 ? usual : irons[1];
        marl_log log = log_with(scenes[c / 2], 91 + c, hard);
        marl_hard_iron found;
        ck_assert_int_eq(marl_hard_iron_find(&log, &found, NULL), MARL_OK);
        ck_assert_int_eq(found.is_large, c % 2 == 0 && scenes[c / 2] != MARL_SCENE_STILL);
        for (int k = 0; k < 3; k++) {
            ck_assert_double_ge(found.sigma[k], 1.4);
            ck_assert_double_eq_tol(found.bias[k], hard[k], 5 * found.sigma[k]);
        }
        marl_log_free(&log);
    }
    marl_log none = log_with(MARL_SCENE_HANDLE, 95, usual);
    marl_hard_iron found;
    none.info.columns &= ~(unsigned)MARL_COLUMNS_MAG;
    ck_assert_int_eq(marl_hard_iron_find(&none, &found, NULL), MARL_ERR_INSUFFICIENT);
    none.info.columns |= MARL_COLUMNS_MAG;
    none.n = 900; /* 9 s */
    ck_assert_int_eq(marl_hard_iron_find(&none, &found, NULL), MARL_ERR_INSUFFICIENT);
    none.n = 9000;
    marl_log_free(&none);
}
END_TEST

/* Along the axis of a turntable nothing is seen, for however long scale and misalignment look like an iron there. */
START_TEST(a_turntable_shows_none_along_its_axis)
{
    static const double usual[3] = {2, -3, 1};
    for (uint64_t seed = 101; seed < 105; seed++) {
        marl_log log = log_of(MARL_SCENE_SPIN, 600, seed, usual);
        marl_hard_iron found;
        ck_assert_int_eq(marl_hard_iron_find(&log, &found, NULL), MARL_OK);
        ck_assert_int_eq(found.is_large, 0);
        ck_assert_msg(found.sigma[2] > 20 && fabs(found.bias[2] - usual[2]) < found.sigma[2], "%g +- %g",
                      found.bias[2], found.sigma[2]);
        marl_log_free(&log);
    }
}
END_TEST

/* Who says that such a magnetometer is calibrated is wrong; the attitudes are those without that claim. */
START_TEST(a_claim_against_it_is_named)
{
    marl_log log = log_with(MARL_SCENE_HANDLE, 61, irons[1]);
    marl_smoothed raw, claimed;
    ck_assert_int_eq(marl_smooth(&log, NULL, &raw, NULL), MARL_OK);
    log.info.corrected = 1;
    ck_assert_int_eq(marl_smooth(&log, NULL, &claimed, NULL), MARL_OK);
    ck_assert_int_eq(raw.calibration_is_wrong, 0);
    ck_assert_int_eq(claimed.calibration_is_wrong, 1);
    ck_assert_int_eq(claimed.sensors_are_raw, 1);
    ck_assert_mem_eq(&claimed.row[log.n / 2].q, &raw.row[log.n / 2].q, sizeof(marl_quat));
    marl_smoothed_free(&raw);
    marl_smoothed_free(&claimed);
    marl_log_free(&log);
}
END_TEST

/* A shaken board that keeps its attitude does not show it; one that is calibrated needs not to. */
START_TEST(an_iron_that_no_turn_shows_is_named)
{
    static const double usual[3] = {3, -4, 2};
    marl_log log = log_with(MARL_SCENE_SHAKE, 71, usual), good = corrected_log(MARL_SCENE_SHAKE, 60, 71);
    marl_smoothed s;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_int_eq(marl_smoothed_hides_iron(&s), 1);
    marl_smoothed_free(&s);
    ck_assert_int_eq(marl_smooth(&good, NULL, &s, NULL), MARL_OK);
    ck_assert_int_eq(marl_smoothed_hides_iron(&s), 0);
    marl_smoothed_free(&s);
    marl_log_free(&log);
    marl_log_free(&good);
}
END_TEST

/* Steel that passes is none: a disturbance of some seconds does not become a constant of the board. */
START_TEST(steel_is_no_hard_iron)
{
    marl_log log = corrected_log(MARL_SCENE_STEEL, 120, 81);
    marl_smoothed s;
    ck_assert_int_eq(marl_smooth(&log, NULL, &s, NULL), MARL_OK);
    ck_assert_int_eq(s.calibration_is_wrong, 0);
    for (int k = 0; k < 3; k++) {
        ck_assert_double_lt(fabs(s.errors[MARL_MAG].bias[k]), 5);
    }
    marl_smoothed_free(&s);
    marl_log_free(&log);
}
END_TEST

MARL_SUITE_OF_TRIALS("smooth iron", irons, a_large_hard_iron_is_found, a_turntable_shows_none_along_its_axis,
                     turns_alone_show_it, a_claim_against_it_is_named, an_iron_that_no_turn_shows_is_named,
                     steel_is_no_hard_iron)
