/* SPDX-License-Identifier: MIT
 * Ellipsoid fits against the truth and their theoretical bound. */
#include "check_main.h"
#include "fit_trial.h"
#include "lab/maths/random.h"

enum { TRIALS = 400 };

/* Errors over the Cramer-Rao bound of the same data. With 400 trials of three biases the ratio is known to 2
 * or 3 %. */
static const struct {
    const char *name;
    fit_trial how;
    int robust;
    double bias, shape; /* at most; 0 = not asked */
} cases[] = {
    {"all directions, 0.5 uT", {300, 50, 0.5, 180, 0}, 0, 1.10, 1.15},
    {"all directions, 2 uT", {300, 50, 2, 180, 0}, 0, 1.10, 1.15},
    {"half a sphere, 0.5 uT", {300, 50, 0.5, 90, 0}, 0, 1.15, 0},
    {"half a sphere, 2 uT", {300, 50, 2, 90, 0}, 0, 1.15, 0},
    {"a cap of 60 degrees", {300, 50, 0.5, 60, 0}, 0, 1.25, 0},
    {"robust, nothing to reject", {300, 50, 0.5, 180, 0}, 1, 1.10, 1.15},
    {"steel passes, 0.5 uT", {300, 50, 0.5, 180, 1}, 1, 1.20, 0},
    {"steel passes, 2 uT", {300, 50, 2, 180, 1}, 1, 1.20, 0},
    {"24 poses", {24, 9.80665, 0.01, 180, 0}, 0, 1.10, 1.15},
    {"36 poses", {36, 9.80665, 0.01, 180, 0}, 0, 1.10, 1.15},
    {"100 poses", {100, 9.80665, 0.01, 180, 0}, 0, 1.10, 1.15},
};

START_TEST(errors_are_near_their_bound)
{
    fit_ratios r = fit_trial_run(&cases[_i].how, TRIALS, 11, cases[_i].robust);
    ck_assert_msg(r.failed == 0 && r.bias < cases[_i].bias &&
                      (cases[_i].shape == 0 || r.shape < cases[_i].shape),
                  "%s: bias %.3f, shape %.3f, %d failed", cases[_i].name, r.bias, r.shape, r.failed);
    ck_assert_msg(r.bias > 0.85, "%s: %.3f: below its bound", cases[_i].name, r.bias); /* the trial itself */
}
END_TEST

/* What the fit says of its biases is true: the normalised squared error over 3 is an F with 3 and n - 9
 * degrees of freedom; the mean of 400 lies within 2.58 of its deviations in 99 % of such tests. */
START_TEST(standard_errors_are_true)
{
    static const size_t points[] = {24, 36, 100, 300};
    for (size_t i = 0; i < 4; i++) {
        const fit_trial how = {points[i], 50, 0.5, 180, 0};
        double d = (double)points[i] - 9, mean = d / (d - 2);
        double variance = 2 * d * d * (d + 1) / (3 * (d - 2) * (d - 2) * (d - 4));
        fit_ratios r = fit_trial_run(&how, TRIALS, 100 + i, 0);
        ck_assert_msg(fabs(r.normalised - mean) < 2.58 * sqrt(variance / TRIALS),
                      "%zu points: %.3f, wanted %.3f", points[i], r.normalised, mean);
    }
}
END_TEST

/* A model with fewer unknowns finds them where they are the truth. */
START_TEST(spheres_and_diagonals)
{
    static const double axes[6][3] = {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}};
    double x[6][3];
    lab_ellipsoid fit;
    for (int i = 0; i < 6; i++) {
        for (int k = 0; k < 3; k++) {
            x[i][k] = 0.1 * (k + 1) + 9.8 * axes[i][k] / (1 + 0.01 * k);
        }
    }
    ck_assert_int_eq(
        lab_ellipsoid_fit(&(lab_points){(const double(*)[3])x, 6, NULL}, LAB_DIAGONAL, &fit, NULL), MARL_OK);
    for (int k = 0; k < 3; k++) {
        ck_assert_double_eq_tol(fit.bias[k], 0.1 * (k + 1), 1e-6);
        ck_assert_double_eq_tol(fit.shape[k][k] * 9.8, 1 + 0.01 * k, 1e-7);
    }
    ck_assert(isnan(fit.deviation)); /* no reading is left over to tell it */
    lab_random random = lab_random_seeded(3, 1);
    const fit_trial how = {60, 50, 0.001, 40, 0};
    fit_truth truth = {{20, -30, 10}, {{0.02, 0, 0}, {0, 0.02, 0}, {0, 0, 0.02}}};
    double cap[60][3], clean[60][3];
    fit_trial_make(&how, &truth, &random, cap, clean);
    ck_assert_int_eq(
        lab_ellipsoid_fit(&(lab_points){(const double(*)[3])cap, 60, NULL}, LAB_SPHERE, &fit, NULL), MARL_OK);
    for (int k = 0; k < 3; k++) {
        ck_assert_double_eq_tol(fit.bias[k], truth.bias[k], 0.02);
    }
    ck_assert_double_eq_tol(1 / fit.shape[1][1], 50, 0.02);
}
END_TEST

START_TEST(what_is_no_ellipsoid_is_refused)
{
    double x[40][3], same[40][3];
    lab_ellipsoid fit;
    marl_error error = {0};
    for (int i = 0; i < 40; i++) { /* a circle in a plane; one place */
        x[i][0] = 10 * cos(0.3 * i);
        x[i][1] = 10 * sin(0.3 * i);
        x[i][2] = 5;
        same[i][0] = same[i][1] = same[i][2] = 1;
    }
    ck_assert_int_eq(
        lab_ellipsoid_fit(&(lab_points){(const double(*)[3])x, 40, NULL}, LAB_FULL, &fit, &error),
        MARL_ERR_INSUFFICIENT);
    ck_assert_int_eq(
        lab_ellipsoid_fit(&(lab_points){(const double(*)[3])same, 40, NULL}, LAB_FULL, &fit, NULL),
        MARL_ERR_INSUFFICIENT);
    ck_assert_int_eq(lab_ellipsoid_fit(&(lab_points){(const double(*)[3])x, 5, NULL}, LAB_FULL, &fit, NULL),
                     MARL_ERR_INSUFFICIENT);
    ck_assert_int_eq(lab_ellipsoid_fit(&(lab_points){(const double(*)[3])x, 0, NULL}, LAB_SPHERE, &fit, NULL),
                     MARL_ERR_INSUFFICIENT);
}
END_TEST

MARL_SUITE_OF_TRIALS("ellipsoid", cases, errors_are_near_their_bound, CAMPAIGN(standard_errors_are_true),
                     spheres_and_diagonals, what_is_no_ellipsoid_is_refused)
