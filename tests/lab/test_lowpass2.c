/* SPDX-License-Identifier: MIT
 * The second-order section against fine sub-stepping, its frequency response and the theory of noise. */
#include "check_main.h"
#include "lab/simulate/lowpass2.h"
#include "random_values.h"

static const double dampings[] = {0.05, 0.7071067811865476, 1.0, 2.5};

/* The same equation in ten thousand small steps of the midpoint rule. */
static double sub_stepped(double frequency, double damping, double step, const double *input, int n)
{
    const int parts = 10000;
    double w = 2 * 3.14159265358979 * frequency, h = step / parts, x = input[0], v = 0;
    for (int i = 1; i < n; i++) {
        for (int k = 0; k < parts; k++) {
            double u = input[i - 1] + (input[i] - input[i - 1]) * (k + 0.5) / parts;
            double xm = x + 0.5 * h * v, vm = v + 0.5 * h * (w * w * (u - x) - 2 * damping * w * v);
            x += h * vm;
            v += h * (w * w * (u - xm) - 2 * damping * w * vm);
        }
    }
    return x;
}

START_TEST(follows_as_fine_steps_do)
{
    dice d = {71};
    for (int k = 0; k < 4; k++) {
        double input[8], state[2];
        lab_lowpass2 s = lab_lowpass2_make(20, dampings[k], 0.01);
        for (int i = 0; i < 8; i++) {
            input[i] = dice_between(&d, -1, 1);
        }
        state[0] = input[0];
        state[1] = 0;
        for (int i = 1; i < 8; i++) {
            lab_lowpass2_follow(&s, state, input[i - 1], input[i]);
        }
        ck_assert_double_eq_tol(state[0], sub_stepped(20, dampings[k], 0.01, input, 8), 1e-6);
    }
}
END_TEST

START_TEST(two_steps_are_one)
{
    for (int k = 0; k < 4; k++) {
        lab_lowpass2 whole = lab_lowpass2_make(7, dampings[k], 0.02),
                     half = lab_lowpass2_make(7, dampings[k], 0.01);
        double a[2] = {0.3, -2}, b[2] = {0.3, -2};
        lab_lowpass2_follow(&whole, a, 1, 3);
        lab_lowpass2_follow(&half, b, 1, 2);
        lab_lowpass2_follow(&half, b, 2, 3);
        ck_assert_double_eq_tol(a[0], b[0], 1e-12);
        ck_assert_double_eq_tol(a[1], b[1], 1e-10);
    }
}
END_TEST

/* At its own frequency the flattest section passes 1/sqrt(2), a quarter period late. */
START_TEST(corner_is_where_it_was_set)
{
    lab_lowpass2 s = lab_lowpass2_make(5, sqrt(0.5), 1e-4);
    double state[2] = {0, 0}, in_phase = 0, late = 0, before = 0;
    for (int i = 1; i <= 40000; i++) {
        double angle = 2 * 3.14159265358979 * 5 * i * 1e-4, now = sin(angle);
        double x = lab_lowpass2_follow(&s, state, before, now);
        before = now;
        if (i > 20000) { /* ten periods, after it has swung in */
            in_phase += 2 * x * now / 20000;
            late -= 2 * x * cos(angle) / 20000;
        }
    }
    ck_assert_double_eq_tol(late, sqrt(0.5), 1e-4);
    ck_assert_double_eq_tol(in_phase, 0, 1e-4);
}
END_TEST

/* The variance of filtered white noise is w / 4d whatever the step, from the first sample on when it starts
 * there. */
START_TEST(noise_has_the_bandwidth_of_theory)
{
    dice d = {72};
    const double steps[] = {0.0005, 0.005, 0.1};
    for (int k = 0; k < 3; k++) {
        lab_lowpass2 s = lab_lowpass2_make(20, sqrt(0.5), steps[k]);
        double state[2] = {s.rest[0] * dice_normal(&d), s.rest[1] * dice_normal(&d)}, square = 0;
        const int n = 400000;
        for (int i = 0; i < n; i++) {
            double x = lab_lowpass2_noise(&s, state, dice_normal(&d), dice_normal(&d));
            square += x * x / n;
        }
        double theory = 2 * 3.14159265358979 * 20 / (4 * sqrt(0.5));
        /* samples 10 ms apart are independent */
        double independent = n * fmin(1, steps[k] / 0.01);
        ck_assert_double_eq_tol(square / theory, 1, 5 * sqrt(2 / independent));
    }
}
END_TEST

MARL_SUITE("section", follows_as_fine_steps_do, two_steps_are_one, corner_is_where_it_was_set,
           noise_has_the_bandwidth_of_theory)
