/* SPDX-License-Identifier: MIT
 * The estimators on the scenes of the crane, with the defaults that follow from the sheet, against simulated
 * truth and against the textbook loop of each. Other seeds than those of the benchmark and of the loops'
 * tunings. */
#include "accuracy_scenes.h"
#include "check_main.h"
#include <math.h>

enum { SEEDS = 5, FROM = 301 };

/* Root mean square in degrees of all seeds. */
typedef struct figures {
    double tilt, total;
} figures;

static figures figures_of(const accuracy_sum *sum)
{
    return (figures){accuracy_rms(sum->tilt, sum->n), accuracy_rms(sum->total, sum->n)};
}

static marl_tuning tuned(marl_filter filter)
{
    marl_sheet sheet = accuracy_sheet();
    return marl_tuning_for_sheet(filter, &sheet);
}

static figures ours_on(marl_scene_kind kind, const marl_tuning *tuning)
{
    marl_sheet sheet = accuracy_sheet();
    accuracy_sum sum = {0};
    for (uint64_t seed = FROM; seed < FROM + SEEDS; seed++) {
        accuracy_run run = accuracy_run_make(kind, &sheet, seed);
        accuracy_run_ours(tuning, &run, &sum);
        accuracy_run_free(&run);
    }
    return figures_of(&sum);
}

static figures theirs_on(marl_scene_kind kind, marl_filter filter)
{
    marl_sheet sheet = accuracy_sheet();
    accuracy_sum sum = {0};
    for (uint64_t seed = FROM; seed < FROM + SEEDS; seed++) {
        accuracy_run run = accuracy_run_make(kind, &sheet, seed);
        accuracy_run_plain(&accuracy_textbook[filter], &run, &sum);
        accuracy_run_free(&run);
    }
    return figures_of(&sum);
}

/* What the errors left in the magnetometer, half a degree to one, allow. */
#define FIELD_FLOOR 0.7

/* Shaking, a steady turn and steel: at most half of the textbook's error, or 1.2 times what the magnetometer
 * allows, and as much again for the scatter of so few seeds. */
START_TEST(shaking_turning_and_steel_do_not_drag)
{
    const marl_scene_kind scenes[] = {MARL_SCENE_SHAKE, MARL_SCENE_SLEW, MARL_SCENE_STEEL};
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = tuned((marl_filter)f);
        for (int s = 0; s < 3; s++) {
            figures ours = ours_on(scenes[s], &tuning), theirs = theirs_on(scenes[s], (marl_filter)f);
            ck_assert_msg(ours.total <= fmax(0.5 * theirs.total, 1.44 * FIELD_FLOOR),
                          "%s on %s: %.2f, textbook %.2f", marl_filter_name((marl_filter)f),
                          marl_scene_name(scenes[s]), ours.total, theirs.total);
        }
    }
}
END_TEST

START_TEST(calm_and_upside_down_lose_nothing)
{
    const marl_scene_kind scenes[] = {MARL_SCENE_LIFT, MARL_SCENE_UPSIDE};
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = tuned((marl_filter)f);
        for (int s = 0; s < 2; s++) {
            figures ours = ours_on(scenes[s], &tuning), theirs = theirs_on(scenes[s], (marl_filter)f);
            ck_assert_msg(ours.total <= fmax(theirs.total, 1.2 * FIELD_FLOOR),
                          "%s on %s: %.2f, textbook %.2f", marl_filter_name((marl_filter)f),
                          marl_scene_name(scenes[s]), ours.total, theirs.total);
        }
    }
}
END_TEST

START_TEST(kalman_is_far_better_over_all)
{
    marl_tuning tuning = tuned(MARL_FILTER_KALMAN);
    double ratio = 0;
    for (int s = 0; s < ACCURACY_SCENES; s++) {
        figures ours = ours_on(accuracy_scenes[s], &tuning),
                theirs = theirs_on(accuracy_scenes[s], MARL_FILTER_KALMAN);
        ratio += log(ours.total / theirs.total) / ACCURACY_SCENES;
    }
    ck_assert_double_le(exp(ratio), 0.6);
}
END_TEST

START_TEST(steel_does_not_move_the_tilt)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        marl_tuning with = tuned((marl_filter)f), without = with;
        without.value[MARL_PARAMETER_USE_MAG] = 0.0f;
        ck_assert_double_le(ours_on(MARL_SCENE_STEEL, &with).tilt,
                            1.05 * ours_on(MARL_SCENE_STEEL, &without).tilt);
    }
}
END_TEST

/* Trust turned off by slacks without end, the turn drags the tilt; the lever arm takes the pull out. */
START_TEST(a_lever_arm_takes_the_turn_out)
{
    marl_sheet sheet = accuracy_sheet();
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        accuracy_sum given = {0}, trusted = {0}, neither = {0};
        for (uint64_t seed = FROM; seed < FROM + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(MARL_SCENE_SLEW, &sheet, seed);
            marl_tuning tuning = tuned((marl_filter)f);
            marl_vec3 lever = accuracy_lever(seed);
            tuning.value[MARL_PARAMETER_LEVER_X] = lever.x;
            tuning.value[MARL_PARAMETER_LEVER_Y] = lever.y;
            tuning.value[MARL_PARAMETER_LEVER_Z] = lever.z;
            accuracy_run_ours(&tuning, &run, &given);
            for (int i = MARL_PARAMETER_ACCEL_SLACK; i <= MARL_PARAMETER_TILT_SLACK; i++) {
                tuning.value[i] = 1e6f;
            }
            accuracy_run_ours(&tuning, &run, &trusted);
            for (int i = MARL_PARAMETER_LEVER_X; i <= MARL_PARAMETER_LEVER_Z; i++) {
                tuning.value[i] = 0.0f;
            }
            accuracy_run_ours(&tuning, &run, &neither);
            accuracy_run_free(&run);
        }
        ck_assert_double_lt(figures_of(&given).tilt, 0.5);
        ck_assert_double_gt(figures_of(&neither).tilt, 3);
        ck_assert_double_lt(figures_of(&trusted).tilt, 0.33 * figures_of(&neither).tilt);
    }
}
END_TEST

/* Picked up while it is shaken by 0.4 g, the first vectors are off by up to 30 degrees. Ten seconds later,
 * shaken all the time, the tilt is within a few degrees; the heading follows. */
START_TEST(a_start_in_motion_settles)
{
    marl_sheet sheet = accuracy_sheet();
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        double first = 0, settled = 0;
        for (uint64_t seed = FROM; seed < FROM + 10; seed++) {
            accuracy_run run = accuracy_run_make(MARL_SCENE_SHAKE, &sheet, seed);
            marl_tuning tuning = tuned((marl_filter)f);
            marl_estimator e;
            ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
            for (size_t i = 1000; i < 3500; i++) {
                marl_quat q;
                (void)!marl_estimator_update(&e, &run.sample[i]);
                (void)!marl_estimator_attitude(&e, &q);
                double tilt = marl_error_between(q, run.truth[i]).tilt_deg;
                first += i == 1000 ? tilt * tilt / 10 : 0;
                settled += i >= 2000 ? tilt * tilt / 15000 : 0;
            }
            accuracy_run_free(&run);
        }
        ck_assert_msg(sqrt(settled) < 3 && settled < 0.1 * first, "%s: %.1f deg, first %.1f",
                      marl_filter_name((marl_filter)f), sqrt(settled), sqrt(first));
    }
}
END_TEST

/* Tilt errors of the filter and of the vectors alone, switched on after 35 s of the scene. */
static double late_over_vectors(marl_filter f, marl_scene_kind kind)
{
    marl_sheet sheet = accuracy_sheet();
    marl_tuning tuning = tuned(f), vectors = tuned(MARL_FILTER_VECTORS);
    accuracy_sum ours = {0}, none = {0};
    for (uint64_t seed = FROM; seed < FROM + 10; seed++) {
        accuracy_run run = accuracy_run_make(kind, &sheet, seed);
        accuracy_run late = accuracy_run_from(&run, 35);
        accuracy_run_ours(&tuning, &late, &ours);
        accuracy_run_ours(&vectors, &late, &none);
        accuracy_run_free(&run);
    }
    return accuracy_rms(ours.tilt, ours.n) / accuracy_rms(none.tilt, none.n);
}

/* Switched on while the block swings on its hoist, where the accelerometer points along the rope all the
 * time: the swing is not taken for a bias, and its mean, not its moment, for "up". */
START_TEST(a_start_in_a_swing_settles)
{
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        double lift = late_over_vectors((marl_filter)f, MARL_SCENE_LIFT);
        double steel = late_over_vectors((marl_filter)f, MARL_SCENE_STEEL);
        ck_assert_msg(lift < 0.85, "%s: %.2f of the vectors' error", marl_filter_name((marl_filter)f), lift);
        ck_assert_msg(steel < 1.3, "%s: %.2f of the vectors' error", marl_filter_name((marl_filter)f), steel);
    }
}
END_TEST

/* Samples lost, stamps that jitter, and the magnetometer at any rate of its own change little. */
START_TEST(rates_and_losses_hardly_matter)
{
    marl_sheet sheet = accuracy_sheet();
    const double rates[] = {50, 100, 400}, mag_rates[] = {10, 25, 100};
    for (int f = MARL_FILTER_COMPLEMENTARY; f < MARL_FILTER_COUNT; f++) {
        for (int r = 0; r < 3; r++) {
            accuracy_sum sum = {0};
            sheet.accel.rate_hz = sheet.gyro.rate_hz = rates[r];
            sheet.mag.rate_hz = mag_rates[r];
            for (uint64_t seed = FROM; seed < FROM + 3; seed++) {
                accuracy_run run = accuracy_run_make(MARL_SCENE_LIFT, &sheet, seed);
                marl_random dice = marl_random_seeded(seed, 9);
                for (size_t i = 1; i < run.n; i++) { /* lost: a sample in twenty comes with nothing in it */
                    run.sample[i].fresh = marl_random_uniform(&dice) < 0.05 ? 0 : run.sample[i].fresh;
                }
                marl_tuning tuning = marl_tuning_for_sheet((marl_filter)f, &sheet);
                accuracy_run_ours(&tuning, &run, &sum);
                accuracy_run_free(&run);
            }
            ck_assert_msg(figures_of(&sum).total < 1.5, "%s at %g Hz: %.2f", marl_filter_name((marl_filter)f),
                          rates[r], figures_of(&sum).total);
        }
    }
}
END_TEST

/* What a sheet says arrives in the parameters, inside their ranges, whatever it says. */
START_TEST(a_sheet_makes_a_tuning)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_tuning t = marl_tuning_for_sheet(MARL_FILTER_KALMAN, &sheet);
    ck_assert_double_eq_tol((double)t.value[MARL_PARAMETER_GYRO_WHITE], sheet.gyro.white, 1e-9);
    ck_assert_double_eq_tol((double)t.value[MARL_PARAMETER_ACCEL_WHITE], sheet.accel.white, 1e-9);
    ck_assert_double_eq_tol((double)t.value[MARL_PARAMETER_MAG_WHITE], sheet.mag.white, 1e-7);
    marl_random dice = marl_random_seeded(5, 5);
    for (int i = 0; i < 2000; i++) {
        sheet.gyro.white = pow(10, 20 * marl_random_uniform(&dice) - 14);
        sheet.accel.white = pow(10, 20 * marl_random_uniform(&dice) - 14);
        sheet.mag.white = pow(10, 20 * marl_random_uniform(&dice) - 14);
        sheet.gyro.flicker = i % 2 ? 0 : sheet.gyro.white;
        sheet.gyro.walk = i % 3 ? 0 : sheet.gyro.white;
        sheet.gyro.bias[0] = marl_random_normal(&dice);
        sheet.mag.present = i % 5 != 0;
        for (int f = 0; f < MARL_FILTER_COUNT; f++) {
            t = marl_tuning_for_sheet((marl_filter)f, &sheet);
            ck_assert_int_eq(marl_tuning_check(&t), MARL_OK);
        }
    }
}
END_TEST

MARL_SUITE("estimators", shaking_turning_and_steel_do_not_drag, calm_and_upside_down_lose_nothing,
           kalman_is_far_better_over_all, steel_does_not_move_the_tilt, a_lever_arm_takes_the_turn_out,
           a_start_in_motion_settles, a_start_in_a_swing_settles, rates_and_losses_hardly_matter,
           a_sheet_makes_a_tuning)
