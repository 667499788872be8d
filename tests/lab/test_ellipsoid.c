/* SPDX-License-Identifier: MIT
 * Ellipsoid fits against the truth and their theoretical bound. */
#include "check_main.h"
#include "fit_trial.h"
#include <stdio.h>

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
    fit_ratios r = fit_trial_run(&cases[_i].how, 400, 11, cases[_i].robust);
    printf("%s: bias %.3f shape %.3f normalised %.3f failed %d\n", cases[_i].name, r.bias, r.shape,
           r.normalised, r.failed);
    ck_assert_msg(r.failed == 0 && r.bias < cases[_i].bias &&
                      (cases[_i].shape == 0 || r.shape < cases[_i].shape),
                  "%s: bias %.3f, shape %.3f, %d failed", cases[_i].name, r.bias, r.shape, r.failed);
}
END_TEST

MARL_SUITE_OF_CASES("ellipsoid", cases, errors_are_near_their_bound, NULL)
