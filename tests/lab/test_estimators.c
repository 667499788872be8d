/* SPDX-License-Identifier: MIT
 * The estimators on every class of motion against simulated truth, beside the textbook loop of each. Other
 * seeds than those of the tuning and of the benchmark; bounds leave room for the scatter of few seeds. */
#include "accuracy_scenes.h"
#include "check_main.h"
#include "lab/maths/random.h"
#include "sensor_faults.h"
#include <math.h>
#include <string.h>

enum { SEEDS = 2, FROM = 301, FILTERS = 3, FIRST = MARL_FILTER_COMPLEMENTARY };

static const accuracy_class *class_named(const char *name)
{
    for (int c = 0; c < ACCURACY_CLASSES; c++) {
        if (strcmp(accuracy_classes[c].name, name) == 0) {
            return &accuracy_classes[c];
        }
    }
    ck_abort_msg("no class %s", name);
    return NULL;
}

static double total(const accuracy_sum *sum)
{
    return accuracy_rms(sum->total, sum->n);
}

/* The ratios to the textbook's error: how they come together, and what no class may exceed. */
START_TEST(every_class_of_motion_beside_the_textbook)
{
    const double mean_limit[FILTERS] = {0.6, 0.75, 0.7}, worst_limit[FILTERS] = {1.25, 1.25, 1.7};
    double mean[FILTERS] = {0};
    for (int c = 0; c < ACCURACY_CLASSES; c++) {
        accuracy_sum ours[FILTERS] = {{0}}, theirs[FILTERS] = {{0}};
        for (uint64_t seed = FROM; seed < FROM + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make(&accuracy_classes[c], seed);
            for (int f = 0; f < FILTERS; f++) {
                marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST + f));
                accuracy_run_ours(&tuning, &run, &ours[f]);
                accuracy_run_plain(&accuracy_textbook[FIRST + f], &run, &theirs[f]);
            }
            accuracy_run_free(&run);
        }
        for (int f = 0; f < FILTERS; f++) {
            double ratio = total(&ours[f]) / total(&theirs[f]);
            mean[f] += log(ratio) / ACCURACY_CLASSES;
            ck_assert_msg(ratio < worst_limit[f], "%s, %s: %.2f of the textbook's %.2f deg",
                          accuracy_classes[c].name, marl_filter_name((marl_filter)(FIRST + f)), ratio,
                          total(&theirs[f]));
        }
        const accuracy_sum *k = &ours[MARL_FILTER_KALMAN - FIRST];
        double tilt = k->tilt_ratio / (double)k->stated, heading = k->heading_ratio / (double)k->stated;
        ck_assert_msg(tilt > 0.04 && tilt < 8 && heading > 0.04 && heading < 8,
                      "%s: squared error over stated variance: tilt %.2f, heading %.2f",
                      accuracy_classes[c].name, tilt, heading);
    }
    for (int f = 0; f < FILTERS; f++) {
        ck_assert_msg(exp(mean[f]) < mean_limit[f], "%s: %.2f in the mean",
                      marl_filter_name((marl_filter)(FIRST + f)), exp(mean[f]));
    }
}
END_TEST

/* A gyroscope as it comes, 3 to 6 deg/s off, which nobody knows: in the hand no filter is lost, and kalman is as good as
 * with a bias that it knows. */
START_TEST(a_bias_that_nobody_knows_is_learned)
{
    static const char *const classes[] = {"handle", "tumble", "shake"};
    const double limit[FILTERS] = {5, 8, 1};
    for (size_t c = 0; c < sizeof classes / sizeof classes[0]; c++) {
        accuracy_sum sum[FILTERS] = {{0}};
        for (uint64_t seed = FROM; seed < FROM + SEEDS; seed++) {
            accuracy_run run = accuracy_run_make_biased(class_named(classes[c]), seed, 10);
            for (int f = 0; f < FILTERS; f++) {
                marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST + f));
                accuracy_run_ours(&tuning, &run, &sum[f]);
            }
            accuracy_run_free(&run);
        }
        for (int f = 0; f < FILTERS; f++) {
            ck_assert_msg(total(&sum[f]) < limit[f], "%s, %s: %.2f deg", classes[c],
                          marl_filter_name((marl_filter)(FIRST + f)), total(&sum[f]));
        }
        const accuracy_sum *k = &sum[MARL_FILTER_KALMAN - FIRST];
        ck_assert_double_lt(k->tilt_ratio / (double)k->stated, 4);
        ck_assert_double_lt(k->heading_ratio / (double)k->stated, 4);
    }
}
END_TEST

/* A bias beyond its limit is counted at nearly every correction, one within it never. */
START_TEST(a_bias_beyond_its_limit_is_counted)
{
    for (int f = 0; f < FILTERS; f++) {
        accuracy_run run = accuracy_run_make_biased(class_named("handle"), FROM, 4); /* 1.2 to 2.4 deg/s */
        marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST + f));
        marl_estimator e;
        for (int limited = 0; limited < 2; limited++) {
            tuning.value[MARL_PARAMETER_BIAS_LIMIT] = limited ? 0.005f : 0.15f;
            ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
            for (size_t i = 0; i < run.n; i++) {
                ck_assert_int_eq(marl_estimator_update(&e, &run.sample[i]), MARL_OK);
            }
            ck_assert(limited ? marl_estimator_count(&e).limited_bias > 300
                              : marl_estimator_count(&e).limited_bias == 0);
        }
        accuracy_run_free(&run);
    }
}
END_TEST

/* A sideways acceleration that lasts needs a speed: turns and bends do not drag the Kalman filter's tilt. */
START_TEST(steady_turns_do_not_drag_kalman)
{
    const char *const names[] = {"slew", "spin", "drive"};
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    for (int i = 0; i < 3; i++) {
        accuracy_sum ours = {0}, theirs = {0};
        for (uint64_t seed = FROM; seed < FROM + 3; seed++) {
            accuracy_run run = accuracy_run_make(class_named(names[i]), seed);
            accuracy_run_ours(&tuning, &run, &ours);
            accuracy_run_plain(&accuracy_textbook[MARL_FILTER_KALMAN], &run, &theirs);
            accuracy_run_free(&run);
        }
        ck_assert_msg(total(&ours) < 0.4 * total(&theirs), "%s: %.2f, textbook %.2f", names[i], total(&ours),
                      total(&theirs));
    }
}
END_TEST

/* Switched on while a hand whirls it, the first tilt is wrong by up to 60 degrees, and with it the first headings and
 * what the field seems to be. Seed 8015 was lost for a minute (20 degrees, stated 4). */
START_TEST(a_first_tilt_that_is_wrong_does_not_last_in_the_heading)
{
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    for (uint64_t seed = 8011; seed < 8019; seed++) {
        accuracy_run run = accuracy_run_make(&accuracy_harder[ACCURACY_HARDER - 1], seed);
        accuracy_sum sum = {0};
        accuracy_run_ours(&tuning, &run, &sum);
        accuracy_run_free(&run);
        double ratio = sum.heading_ratio / (double)sum.stated;
        ck_assert_msg(total(&sum) < 2 && ratio < 2, "seed %d: %.2f deg, squared error over variance %.2f",
                      (int)seed, total(&sum), ratio);
    }
}
END_TEST

START_TEST(a_known_speed_or_lever_arm_takes_the_turn_out)
{
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)f), levered = tuning;
        accuracy_sum without = {0}, speed = {0}, turn = {0}, lever = {0};
        for (uint64_t seed = FROM; seed < FROM + 3; seed++) {
            accuracy_run blind = accuracy_run_make(class_named("drive"), seed);
            accuracy_run reported = accuracy_run_make(class_named("drive, speed known"), seed);
            accuracy_run slew = accuracy_run_make(class_named("slew"), seed);
            marl_vec3 at = accuracy_lever(seed);
            levered.value[MARL_PARAMETER_LEVER_X] = at.x;
            levered.value[MARL_PARAMETER_LEVER_Y] = at.y;
            levered.value[MARL_PARAMETER_LEVER_Z] = at.z;
            accuracy_run_ours(&tuning, &blind, &without);
            accuracy_run_ours(&tuning, &reported, &speed);
            accuracy_run_ours(&tuning, &slew, &turn);
            accuracy_run_ours(&levered, &slew, &lever);
            accuracy_run_free(&blind);
            accuracy_run_free(&reported);
            accuracy_run_free(&slew);
        }
        const char *name = marl_filter_name((marl_filter)f);
        ck_assert_msg(total(&speed) < 1.2 && total(&speed) < total(&without),
                      "%s: speed known %.2f, without %.2f", name, total(&speed), total(&without));
        ck_assert_msg(total(&lever) < 0.8 && total(&lever) < total(&turn),
                      "%s: lever known %.2f, without %.2f", name, total(&lever), total(&turn));
    }
}
END_TEST

/* A magnetometer that is 40 ms late and known to be is as good as one in time; unknown it does harm. */
START_TEST(a_known_delay_is_none)
{
    enum { LATE = 8 };
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = marl_tuning_default((marl_filter)f), knows = tuning;
        accuracy_sum prompt = {0}, late = {0}, known = {0};
        knows.value[MARL_PARAMETER_MAG_DELAY] = 0.04f;
        for (uint64_t seed = FROM; seed < FROM + 3; seed++) {
            accuracy_run run = accuracy_run_make(class_named("tumble"), seed);
            accuracy_run_ours(&tuning, &run, &prompt);
            for (size_t i = run.n; i-- > LATE;) {
                late_reading(&run.sample[i], &run.sample[i - LATE], MARL_MAG);
            }
            accuracy_run_ours(&tuning, &run, &late);
            accuracy_run_ours(&knows, &run, &known);
            accuracy_run_free(&run);
        }
        ck_assert_msg(total(&known) < 1.1 * total(&prompt) && total(&late) > 1.3 * total(&prompt),
                      "%s: in time %.2f, late %.2f, and known %.2f", marl_filter_name((marl_filter)f),
                      total(&prompt), total(&late), total(&known));
    }
}
END_TEST

START_TEST(steel_does_not_move_the_tilt)
{
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        marl_tuning with = marl_tuning_default((marl_filter)f), without = with;
        accuracy_sum a = {0}, b = {0};
        without.value[MARL_PARAMETER_USE_MAG] = 0.0f;
        for (uint64_t seed = FROM; seed < FROM + 5; seed++) {
            accuracy_run run = accuracy_run_make(class_named("steel"), seed);
            accuracy_run_ours(&with, &run, &a);
            accuracy_run_ours(&without, &run, &b);
            accuracy_run_free(&run);
        }
        ck_assert_msg(a.tilt <= 1.05 * 1.05 * b.tilt, "%s: tilt %.3f with, %.3f without magnetometer",
                      marl_filter_name((marl_filter)f), accuracy_rms(a.tilt, a.n), accuracy_rms(b.tilt, b.n));
    }
}
END_TEST

/* The board is turned at rest while its gyroscope sees nothing: half a minute of rest, the turn, ten seconds.
 */
START_TEST(kalman_heals_an_unseen_turn)
{
    const accuracy_class rest = {"still", MARL_SCENE_STILL, 0, 40, 0};
    const float degrees[] = {20, 60, 120};
    for (int k = 0; k < 9; k++) {
        accuracy_run run = accuracy_run_make(&rest, (uint64_t)(FROM + k));
        marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
        marl_quat q = {1, 0, 0, 0}, turn = marl_quat_from_rpy(degrees[k % 3] * (float)MARL_DEGREE, 0, 0),
                  truth = q;
        marl_estimator e;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        for (size_t i = 0; i < run.n; i++) {
            marl_sample s = run.sample[i];
            truth = run.truth[i];
            if (s.t_ns > INT64_C(30000000000)) {
                s.accel = marl_quat_rotate_back(turn, s.accel);
                s.mag = marl_quat_rotate_back(turn, s.mag);
                truth = marl_quat_product(truth, turn);
            }
            (void)!marl_estimator_update(&e, &s);
        }
        ck_assert_int_eq(marl_estimator_attitude(&e, &q), MARL_OK);
        double error = marl_error_between(q, truth).total_deg;
        ck_assert_msg(error < 1.5, "%g deg, seed %d: %.2f deg left", (double)degrees[k % 3], FROM + k, error);
        accuracy_run_free(&run);
    }
}
END_TEST

/* Rms of the tilt's scatter about its mean at rest, degrees, and the mean tilt error. */
static double tilt_at_rest(const marl_tuning *tuning, double bias_deg_s, double *offset)
{
    const accuracy_class rest = {"still", MARL_SCENE_STILL, 0, 90, 0};
    accuracy_run run = accuracy_run_make(&rest, FROM);
    marl_estimator e;
    double sum[2] = {0}, square[2] = {0}, n = 0;
    ck_assert_int_eq(marl_estimator_init(&e, tuning), MARL_OK);
    for (size_t i = 0; i < run.n; i++) {
        marl_quat q;
        marl_sample s = run.sample[i];
        s.gyro.x = s.gyro.y = s.gyro.z = 0;
        s.gyro.x = (float)(bias_deg_s * MARL_DEGREE);
        (void)!marl_estimator_update(&e, &s);
        if (s.t_ns < INT64_C(30000000000) || marl_estimator_attitude(&e, &q) != MARL_OK) {
            continue;
        }
        marl_vec3 true_up = marl_quat_rotate_back(run.truth[i], (marl_vec3){0, 0, 1});
        marl_vec3 up = marl_quat_rotate(q, true_up);
        const double x[2] = {(double)up.x / MARL_DEGREE, (double)up.y / MARL_DEGREE};
        for (int k = 0; k < 2; k++) {
            sum[k] += x[k];
            square[k] += x[k] * x[k];
        }
        n++;
    }
    accuracy_run_free(&run);
    *offset = hypot(sum[0] / n, sum[1] / n);
    return sqrt((square[0] + square[1]) / n - *offset * *offset);
}

/* What a user tunes: a larger gain lets in more of the accelerometer's noise and leaves less of a bias. The
 * published complementary filter without its integral is off by bias over gain. */
START_TEST(gains_act_as_published)
{
    const float times[] = {4, 1, 0.25f}, betas[] = {0.0125f, 0.05f, 0.2f};
    for (int weighted = 0; weighted < 2; weighted++) {
        double noise = 0, before = 1e9, offset, line = 0;
        for (int k = 0; k < 3; k++) {
            marl_tuning c = marl_tuning_default(MARL_FILTER_COMPLEMENTARY);
            marl_tuning g = marl_tuning_default(MARL_FILTER_GRADIENT_DESCENT);
            c.value[MARL_PARAMETER_WEIGHTING] = g.value[MARL_PARAMETER_WEIGHTING] = (float)weighted;
            c.value[MARL_PARAMETER_BIAS_LIMIT] = g.value[MARL_PARAMETER_BIAS_LIMIT] = 0;
            c.value[MARL_PARAMETER_TILT_TIME] = times[k];
            g.value[MARL_PARAMETER_BETA] = betas[k];
            double now = tilt_at_rest(&c, 0, &offset), step = tilt_at_rest(&g, 0, &offset);
            /* gradient descent at rest steps no further than the error, however large its beta */
            ck_assert_msg(now > noise && step > 0.999 * line,
                          "gain %d: noise %.4f and %.4f deg, before %.4f and %.4f", k, now, step, noise,
                          line);
            noise = now;
            line = step;
            (void)tilt_at_rest(&c, 0.3, &offset);
            ck_assert_double_lt(offset, before);
            before = offset;
            if (!weighted) { /* 0.1 degrees: what calibration left of the accelerometer */
                ck_assert_double_eq_tol(offset, 0.3 * (double)times[k], 0.12 + 0.05 * (double)times[k]);
            }
        }
    }
}
END_TEST

/* Switched on in the middle of the motion. */
START_TEST(a_start_in_motion_settles)
{
    const struct {
        const char *name;
        double limit[FILTERS]; /* degrees */
    } start[] = {
        {"handle from 30 s", {3, 3, 1}}, {"shake from 20 s", {4, 4, 2.5}}, {"lift from 35 s", {4, 4, 4}}};
    for (int i = 0; i < 3; i++) {
        for (int f = 0; f < FILTERS; f++) {
            marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST + f));
            accuracy_sum sum = {0};
            for (uint64_t seed = FROM; seed < FROM + 4; seed++) {
                accuracy_run run = accuracy_run_make(class_named(start[i].name), seed);
                accuracy_run_ours(&tuning, &run, &sum);
                accuracy_run_free(&run);
            }
            ck_assert_msg(total(&sum) < start[i].limit[f], "%s, %s: %.2f deg", start[i].name,
                          marl_filter_name((marl_filter)(FIRST + f)), total(&sum));
        }
    }
}
END_TEST

/* A lost second in hand motion: under three degrees five seconds later, in nine of ten. */
START_TEST(a_gap_in_hand_motion_heals)
{
    const accuracy_class hand = {"handle", MARL_SCENE_HANDLE, 0, 46, 0};
    for (int f = FIRST; f < MARL_FILTER_COUNT; f++) {
        int healed = 0;
        for (uint64_t seed = FROM; seed < FROM + 10; seed++) {
            accuracy_run run = accuracy_run_make(&hand, seed);
            marl_tuning tuning = marl_tuning_default((marl_filter)f);
            marl_estimator e;
            marl_quat q;
            ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
            for (size_t i = 0; i < run.n; i++) {
                double t = 1e-9 * (double)run.sample[i].t_ns;
                if (t < 40 || t >= 41) {
                    (void)!marl_estimator_update(&e, &run.sample[i]);
                }
            }
            ck_assert_int_eq(marl_estimator_attitude(&e, &q), MARL_OK);
            healed += marl_error_between(q, run.truth[run.n - 1]).total_deg < 3;
            accuracy_run_free(&run);
        }
        ck_assert_msg(healed >= 9, "%s: %d of 10", marl_filter_name((marl_filter)f), healed);
    }
}
END_TEST

/* Samples lost, and any rate of the rows and of the magnetometer, change little. */
START_TEST(rates_and_losses_hardly_matter)
{
    const double rates[] = {25, 100, 400}, mag_rates[] = {10, 25, 100}, limit[FILTERS] = {3, 3, 1};
    for (int r = 0; r < 3; r++) {
        accuracy_sum sum[FILTERS] = {{0}};
        for (uint64_t seed = FROM; seed < FROM + 2; seed++) {
            accuracy_run run = accuracy_run_make_at(class_named("handle"), seed, rates[r], mag_rates[r]);
            lab_random random = lab_random_seeded(seed, 9);
            for (size_t i = 1; i < run.n; i++) { /* lost: a sample in twenty comes with nothing in it */
                run.sample[i].fresh = lab_random_uniform(&random) < 0.05 ? 0 : run.sample[i].fresh;
            }
            for (int f = 0; f < FILTERS; f++) {
                marl_tuning tuning = marl_tuning_default((marl_filter)(FIRST + f));
                accuracy_run_ours(&tuning, &run, &sum[f]);
            }
            accuracy_run_free(&run);
        }
        for (int f = 0; f < FILTERS; f++) {
            ck_assert_msg(total(&sum[f]) < limit[f], "%s at %g Hz: %.2f deg",
                          marl_filter_name((marl_filter)(FIRST + f)), rates[r], total(&sum[f]));
        }
    }
}
END_TEST

/* The shipped tuning is better than the default of its filter at what it says it is for. */
START_TEST(shipped_tunings_are_for_something)
{
    static const char *const classes[] = {"lift", "slew", "spin"};
    enum { CLASSES = sizeof classes / sizeof classes[0] };
    marl_named_tuning named;
    marl_error error = {0};
    double ratio = 0;
    ck_assert_int_eq(marl_tuning_read(&named, TUNINGS "/calm.json", NULL, &error), MARL_OK);
    ck_assert(named.about[0] != '\0');
    marl_tuning plain = marl_tuning_default(named.tuning.filter);
    for (int c = 0; c < CLASSES; c++) {
        accuracy_sum ours = {0}, defaults = {0};
        for (uint64_t seed = FROM; seed < FROM + 3; seed++) {
            accuracy_run run = accuracy_run_make(class_named(classes[c]), seed + (uint64_t)(3 * c));
            accuracy_run_ours(&named.tuning, &run, &ours);
            accuracy_run_ours(&plain, &run, &defaults);
            accuracy_run_free(&run);
        }
        ratio += log(total(&ours) / total(&defaults)) / CLASSES;
    }
    ck_assert_msg(exp(ratio) < 0.9, "%s: %.2f times the default's error", named.name, exp(ratio));
}
END_TEST

/* A gyroscope that moves by a tenth of a degree a second while it warms up: the default has less error than the walk of a part
 * that is warm, and where nothing moves hardly more. */
START_TEST(the_default_has_room_for_warming)
{
    enum { CLASSES = 4, FROM_SEED = 9631, UNTIL = FROM_SEED + 3 };
    static const char *const classes[CLASSES] = {"lift", "steel", "drive, speed known", "drive"};
    static const accuracy_grade grade[] = {{.declared = 1, .warm_gyro = 0.1}, {.declared = 1}};
    marl_tuning warm = marl_tuning_default(MARL_FILTER_KALMAN), plain = warm;
    double ratio[2] = {0, 0};
    warm.value[MARL_PARAMETER_GYRO_WALK] = 5e-6f;
    for (int g = 0; g < 2; g++) {
        for (int c = 0; c < CLASSES; c++) {
            accuracy_sum ours = {0}, steady = {0};
            for (uint64_t seed = FROM_SEED; seed < UNTIL; seed++) {
                accuracy_run run = accuracy_run_make_graded(class_named(classes[c]), seed, &grade[g]);
                accuracy_run_ours(&plain, &run, &ours);
                accuracy_run_ours(&warm, &run, &steady);
                accuracy_run_free(&run);
            }
            ratio[g] += log(total(&ours) / total(&steady)) / CLASSES;
        }
    }
    ck_assert_msg(exp(ratio[0]) < 0.8, "warming: %.2f times the error", exp(ratio[0]));
    ck_assert_msg(exp(ratio[1]) < 1.25, "steady: %.2f times the error", exp(ratio[1]));
}
END_TEST

/* What a sheet states arrives in the parameters, inside their ranges, whatever it states. */
START_TEST(a_sheet_makes_a_tuning)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_tuning t = marl_tuning_for_sheet(MARL_FILTER_KALMAN, &sheet);
    ck_assert_double_eq_tol((double)t.value[MARL_PARAMETER_GYRO_WHITE], sheet.gyro.white, 1e-9);
    ck_assert_double_gt((double)t.value[MARL_PARAMETER_GYRO_WALK], sheet.gyro.walk);
    /* errors of scale, 0.5 %, and bias make the accelerometer wrong by 0.06 m/s^2 */
    ck_assert_float_gt(t.value[MARL_PARAMETER_ACCEL_THRESHOLD], 0.2f);
    ck_assert_float_lt(t.value[MARL_PARAMETER_ACCEL_THRESHOLD], 0.6f);
    lab_random source = lab_random_seeded(5, 5);
    for (int i = 0; i < 2000; i++) {
        sheet.gyro.white = pow(10, 20 * lab_random_uniform(&source) - 14);
        sheet.accel.flicker = pow(10, 20 * lab_random_uniform(&source) - 14);
        sheet.mag.white = pow(10, 20 * lab_random_uniform(&source) - 14);
        sheet.gyro.flicker = i % 2 ? 0 : sheet.gyro.white;
        sheet.gyro.walk = i % 3 ? 0 : sheet.gyro.white;
        sheet.gyro.bias[0] = lab_random_normal(&source);
        sheet.mag.present = i % 5 != 0;
        for (int f = 0; f < MARL_FILTER_COUNT; f++) {
            t = marl_tuning_for_sheet((marl_filter)f, &sheet);
            ck_assert_int_eq(marl_tuning_check(&t), MARL_OK);
        }
    }
}
END_TEST

MARL_SUITE("estimators", CAMPAIGN(every_class_of_motion_beside_the_textbook),
           a_bias_that_nobody_knows_is_learned, a_bias_beyond_its_limit_is_counted,
           a_first_tilt_that_is_wrong_does_not_last_in_the_heading, steady_turns_do_not_drag_kalman,
           CAMPAIGN(a_known_speed_or_lever_arm_takes_the_turn_out), a_known_delay_is_none,
           steel_does_not_move_the_tilt, kalman_heals_an_unseen_turn, gains_act_as_published,
           CAMPAIGN(a_start_in_motion_settles), a_gap_in_hand_motion_heals, rates_and_losses_hardly_matter,
           CAMPAIGN(shipped_tunings_are_for_something), the_default_has_room_for_warming,
           a_sheet_makes_a_tuning)
