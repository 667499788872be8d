/* SPDX-License-Identifier: MIT
 * Bias over temperature: curves, a thermometer that lags, a mount that tilts. */
#include "check_main.h"
#include "marlinspike/calibrate.h"
#include "memory_log.h"
#include <math.h>

/* What the sheet says of the temperature comes out; a bias that does not move gets no slope. */
START_TEST(a_soak_gives_the_curve_and_no_more)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (int order = 0; order <= 2; order++) {
        marl_log log = memory_log_simulated(MARL_SCENE_SOAK, &sheet, 50, 600, 3);
        marl_soak_result r;
        marl_error error = {0};
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *s = &log.row[i].sample;
            float d = s->temp - 24;
            if (order == 0) { /* take out what the sheet puts in */
                s->gyro.x -= (float)sheet.gyro.bias_per_degC[0] * d;
                s->gyro.y -= (float)sheet.gyro.bias_per_degC[1] * d;
                s->gyro.z -= (float)sheet.gyro.bias_per_degC[2] * d;
            } else if (order == 2) {
                s->gyro.x += 4e-6f * d * d;
            }
        }
        ck_assert_msg(marl_calibrate_soak(&log, MARL_GYRO, &r, &error) == MARL_OK, "%s", error.text);
        ck_assert_msg(r.order == order, "%d for %d", r.order, order);
        for (int k = 0; k < 3; k++) {
            double slope = order == 0 ? 0 : sheet.gyro.bias_per_degC[k];
            slope += order == 2 && k == 0 ? 2 * 4e-6 * (20 - 24) : 0;
            ck_assert_msg(fabs(r.outcome.fit.bias_per_degC[k] - slope) < 6e-6, "%d: %g", k,
                          r.outcome.fit.bias_per_degC[k] - slope);
        }
        ck_assert_double_eq_tol(r.outcome.fit.bias_per_degC2[0], order == 2 ? 4e-6 : 0, 4e-7);
        ck_assert_double_eq_tol(r.outcome.fit.range_degC[1], 45, 0.5);
        marl_soak_result_free(&r);
        marl_log_free(&log);
    }
    marl_log cool = memory_log_simulated(MARL_SCENE_STILL, &sheet, 50, 120, 3);
    marl_soak_result r;
    marl_error error = {0};
    ck_assert_int_eq(marl_calibrate_soak(&cool, MARL_GYRO, &r, &error), MARL_ERR_INSUFFICIENT);
    ck_assert_ptr_nonnull(strstr(error.text, "the temperature goes from"));
    ck_assert_ptr_nonnull(strstr(r.outcome.next, "let it warm up"));
    marl_soak_result_free(&r);
    marl_log_free(&cool);
}
END_TEST

/* A mount that tilts by half a degree while it warms: said, and nothing of it along gravity. The pod lies flat, so that z is
 * along gravity. */
START_TEST(a_soak_says_what_a_mount_could_do)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (int creeps = 0; creeps < 2; creeps++) {
        marl_log log = memory_log_simulated(MARL_SCENE_SOAK, &sheet, 50, 600, 11);
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *s = &log.row[i].sample;
            for (int k = 0; k < 3; k++) { /* what the sheet puts in is taken out */
                (k == 0   ? &s->accel.x
                 : k == 1 ? &s->accel.y
                          : &s->accel.z)[0] -= (float)sheet.accel.bias_per_degC[k] * (s->temp - 24);
            }
            s->accel.x += (float)creeps * 9.81f * 0.5f * 0.0174533f * (s->temp - 24) / 50;
            s->accel.z += 0.004f * (s->temp - 24);
        }
        marl_soak_result r;
        ck_assert_int_eq(marl_calibrate_soak(&log, MARL_ACCEL, &r, NULL), MARL_OK);
        ck_assert_int_eq(strstr(r.outcome.remark, "a mount that tilts by 0.5") != NULL, creeps);
        ck_assert_double_eq_tol(r.outcome.fit.bias_per_degC[2], 0.004, 2e-4);
        ck_assert_double_gt(r.change_sigma[0],
                            5 * r.change_sigma[2]); /* a tenth of a degree is never excluded */
        marl_soak_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

/* A thermometer that follows in 30 s, and a cubic truth: both are remarked upon; the first is put right. */
START_TEST(a_soak_notices_what_is_no_curve)
{
    marl_sheet sheet = marl_sheet_grommet();
    for (int k = 0; k < 3; k++) {
        sheet.gyro.bias[k] = sheet.gyro.bias_per_degC[k] = 0;
    }
    sheet.gyro.bias_spread = 0;
    for (int cubic = 0; cubic < 2; cubic++) {
        marl_log log = memory_log_simulated(MARL_SCENE_SOAK, &sheet, 50, 600, 7);
        double shown = (double)log.row[0].sample.temp;
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *s = &log.row[i].sample;
            double x = ((double)s->temp - 20) / 25;
            s->gyro.x += (float)(0.003 * x + (cubic ? 0.001 * x * x * x : 0));
            shown += cubic ? 0 : ((double)s->temp - shown) * 0.02 / 30;
            s->temp = cubic ? s->temp : (float)shown;
        }
        marl_soak_result r;
        ck_assert_int_eq(marl_calibrate_soak(&log, MARL_GYRO, &r, NULL), MARL_OK);
        const char *said = cubic ? "does not follow this sensor" : "the thermometer lags by";
        ck_assert_msg(strstr(r.outcome.remark, said) != NULL, "%s", r.outcome.remark);
        if (!cubic) {
            ck_assert_msg(fabs(r.lag_s - 30) < 4.5 * r.lag_sigma_s, "%.1f +- %.1f", r.lag_s, r.lag_sigma_s);
        }
        ck_assert_msg(fabs(r.outcome.fit.bias[0]) < 4 * r.outcome.fit.bias_sigma[0], "%g +- %g",
                      r.outcome.fit.bias[0], r.outcome.fit.bias_sigma[0]);
        marl_soak_result_free(&r);
        marl_log_free(&log);
    }
}
END_TEST

MARL_SUITE("calibrate soak", a_soak_gives_the_curve_and_no_more, a_soak_says_what_a_mount_could_do,
           a_soak_notices_what_is_no_curve)
