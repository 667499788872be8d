/* SPDX-License-Identifier: MIT
 * The arithmetic of renewals: symmetric matrices, and the surface through readings. */
#include "check_main.h"
#include "device/renew/normal.h"
#include "device/renew/surface.h"
#include "device/renew/symmetric.h"
#include "random_values.h"

/* B B^T of a random matrix, whose eigenvalues are at least `least`. */
static void positive(dice *d, float least, float a[6])
{
    double b[3][3];
    static const int row[6] = {0, 1, 2, 0, 0, 1}, column[6] = {0, 1, 2, 1, 2, 2};
    for (int k = 0; k < 9; k++) {
        b[k / 3][k % 3] = dice_normal(d);
    }
    for (int k = 0; k < 6; k++) {
        double sum = row[k] == column[k] ? (double)least : 0;
        for (int i = 0; i < 3; i++) {
            sum += b[row[k]][i] * b[column[k]][i];
        }
        a[k] = (float)sum;
    }
}

START_TEST(roots_squared_and_inverses_applied_give_the_matrix_back)
{
    dice d = {21};
    for (int i = 0; i < 2000; i++) {
        float a[6], inverse[6], root[6], square[6];
        positive(&d, 0.3f, a);
        float size = a[0] + a[1] + a[2];
        ck_assert(marlp_symmetric_inverse(a, inverse));
        ck_assert(marlp_symmetric_root(a, root));
        marlp_symmetric_square(root, square);
        marl_vec3 v = dice_vector(&d, 1), back = marlp_symmetric_apply(inverse, marlp_symmetric_apply(a, v));
        for (int k = 0; k < 6; k++) {
            ck_assert_float_eq_tol(square[k], a[k], 3e-5f * size);
        }
        ck_assert_float_eq_tol(back.x, v.x, 1e-3f);
        ck_assert_float_eq_tol(back.y, v.y, 1e-3f);
        ck_assert_float_eq_tol(back.z, v.z, 1e-3f);
        float product = marlp_symmetric_determinant(a) * marlp_symmetric_determinant(inverse);
        ck_assert_float_eq_tol(product, 1.0f, 1e-2f);
    }
}
END_TEST

START_TEST(a_matrix_that_is_not_positive_has_neither)
{
    static const float bad[][6] = {{-1, 2, 2, 0, 0, 0},  {1, -2, 2, 0, 0, 0},  {1, 2, -2, 0, 0, 0},
                                   {0, 0, 0, 0, 0, 0},   {1, 1, 1, 2, 0, 0},   {-1, -1, -1, 0, 0, 0},
                                   {NAN, 1, 1, 0, 0, 0}, {-1, -1, 5, 0, 0, 0}, {1, 1, 1, 0, 2, 0},
                                   {1, 1, 1, NAN, 0, 0}};
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        float out[6];
        ck_assert(!marlp_symmetric_inverse(bad[i], out));
        ck_assert(!marlp_symmetric_root(bad[i], out));
    }
}
END_TEST

/* An ellipsoid's readings give it back, by the closed form of its bias and matrix. */
START_TEST(readings_of_an_ellipsoid_give_it_back)
{
    static const float bias[3] = {0.1f, -0.2f, 0.15f}, axes[6] = {1.1f, 0.95f, 1.0f, 0.02f, -0.03f, 0.01f};
    dice d = {22};
    marl_surface s;
    marl_surface_fit fit;
    float inverse[6];
    marlp_surface_init(&s);
    ck_assert(marlp_symmetric_inverse(axes, inverse));
    for (int i = 0; i < 400; i++) {
        marl_quat q = dice_attitude(&d);
        marl_vec3 x = marlp_symmetric_apply(inverse, marl_quat_rotate(q, (marl_vec3){1, 0, 0}));
        marlp_surface_add(&s, (marl_vec3){x.x + bias[0], x.y + bias[1], x.z + bias[2]});
    }
    ck_assert(marlp_surface_begin(&s, MARL_SURFACE_FULL, &fit));
    while (!fit.settled && !fit.lost) {
        marlp_surface_step(&s, &fit);
    }
    ck_assert(fit.settled && !fit.lost);
    for (int k = 0; k < 3; k++) {
        ck_assert_float_eq_tol(fit.unknown[k], bias[k], 1e-3f);
        ck_assert_float_eq_tol(fit.unknown[3 + k], axes[k], 1e-3f);
        ck_assert_float_eq_tol(fit.unknown[6 + k], axes[3 + k], 1e-3f);
    }
    ck_assert_float_le(marlp_surface_residual(&s, &fit), 1e-3f);
    ck_assert(marlp_surface_errors(&s, &fit, 0.01f, 0.0f, 1));
    ck_assert(fit.bias_sigma[0] > 0 && fit.bias_sigma[0] < 0.01f);
    marlp_surface_init(&s); /* one reading determines none of it */
    marlp_surface_add(&s, (marl_vec3){1, 0, 0});
    ck_assert(!marlp_surface_errors(&s, &fit, 0.01f, 0.0f, 1));
}
END_TEST

/* None, one place, a line, a plane, and what no steps make an ellipsoid of: no surface, and no errors of one. */
START_TEST(readings_that_do_not_determine_a_surface_give_none)
{
    for (int kind = 0; kind < 5; kind++) {
        dice d = {(uint64_t)(23 + kind)};
        marl_surface s;
        marl_surface_fit fit;
        marlp_surface_init(&s);
        for (int i = 0; i < 60 && kind > 0; i++) {
            marl_vec3 x = dice_vector(&d, 1);
            x.y = kind < 3 ? 0.5f : x.y;
            x.x = kind < 2 ? 0.5f : x.x;
            x.z = kind < 4 ? 0.25f : x.x * x.y; /* a saddle */
            marlp_surface_add(&s, x);
        }
        int begun = marlp_surface_begin(&s, MARL_SURFACE_FULL, &fit);
        for (int i = 0; i < 100 && begun && !fit.settled && !fit.lost; i++) {
            marlp_surface_step(&s, &fit);
        }
        ck_assert(!begun || fit.lost || !marlp_surface_errors(&s, &fit, 0.01f, 0.0f, 1) ||
                  fit.matrix_sigma > 0.01f);
        ck_assert(kind > 0 || !begun);
    }
}
END_TEST

START_TEST(equations_that_are_not_positive_have_no_root)
{
    float one[4] = {4, 0, 2, 5}, none[4] = {1, 0, 2, 1}, right[2] = {10, 13};
    ck_assert(marlp_normal_factor(2, one));
    marlp_normal_solve(2, one, right); /* 4 x + 2 y = 10, 2 x + 5 y = 13 */
    ck_assert_float_eq_tol(right[0], 1.5f, 1e-5f);
    ck_assert_float_eq_tol(right[1], 2.0f, 1e-5f);
    ck_assert(!marlp_normal_factor(2, none));
}
END_TEST

MARL_SUITE("surface", roots_squared_and_inverses_applied_give_the_matrix_back,
           a_matrix_that_is_not_positive_has_neither, readings_of_an_ellipsoid_give_it_back,
           readings_that_do_not_determine_a_surface_give_none, equations_that_are_not_positive_have_no_root)
