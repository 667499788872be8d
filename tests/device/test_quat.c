/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/quat.h"
#include "random_values.h"

static double distance(marl_vec3 a, marl_vec3 b)
{
    return (double)marl_vec3_norm(marl_vec3_sub(a, b));
}

START_TEST(product_follows_from_rotating_twice)
{
    dice d = {1};
    for (int i = 0; i < 2000; i++) {
        marl_quat a = dice_attitude(&d), b = dice_attitude(&d);
        marl_vec3 v = dice_vector(&d, 3);
        marl_vec3 twice = marl_quat_rotate(a, marl_quat_rotate(b, v));
        ck_assert_double_lt(distance(marl_quat_rotate(marl_quat_product(a, b), v), twice), 5e-6);
        ck_assert_double_lt(distance(marl_quat_rotate_back(a, marl_quat_rotate(a, v)), v), 5e-6);
        marl_mat3 matrix = marl_quat_to_matrix(a);
        ck_assert_double_lt(distance(marl_mat3_apply(&matrix, v), marl_quat_rotate(a, v)), 5e-6);
    }
}
END_TEST

/* Hamilton: i j = k. A quarter turn about z brings x to y. */
START_TEST(handedness)
{
    marl_quat i = {0, 1, 0, 0}, j = {0, 0, 1, 0};
    marl_quat k = marl_quat_product(i, j);
    ck_assert_float_eq(k.z, 1.0f);
    marl_quat quarter = {0.70710678f, 0, 0, 0.70710678f};
    ck_assert_double_lt(distance(marl_quat_rotate(quarter, (marl_vec3){1, 0, 0}), (marl_vec3){0, 1, 0}),
                        1e-6);
    ck_assert_double_lt(
        distance(marl_vec3_cross((marl_vec3){1, 0, 0}, (marl_vec3){0, 1, 0}), (marl_vec3){0, 0, 1}), 1e-9);
}
END_TEST

START_TEST(matrix_round_trip_everywhere)
{
    dice d = {2};
    const marl_quat half_turns[] = {
        {1, 0, 0, 0}, {0, 1, 0, 0}, {0, 0, 1, 0}, {0, 0, 0, 1}, {0, 0.6f, 0.8f, 0}};
    for (int i = 0; i < 3000; i++) {
        marl_quat q = i < 5 ? half_turns[i] : dice_attitude(&d), back;
        marl_mat3 matrix = marl_quat_to_matrix(q);
        ck_assert_int_eq(marl_quat_from_matrix(&matrix, &back), MARL_OK);
        ck_assert_double_lt(angle_between(q, back), 2e-6);
        ck_assert_float_ge(back.w, 0.0f);
    }
}
END_TEST

START_TEST(vectors_by_hand)
{
    const marl_vec3 a = {1, -2, 3}, b = {4, 5, -6};
    const marl_mat3 turn = {{{0, -1, 0}, {1, 0, 0}, {0, 0, 1}}};
    ck_assert_float_eq(marl_vec3_dot(a, b), -24);
    ck_assert_float_eq_tol(marl_vec3_norm(a), sqrtf(14), 1e-6f);
    ck_assert_float_eq(marl_vec3_sub(a, b).z, 9);
    ck_assert_float_eq(marl_mat3_apply(&turn, a).x, 2);
    ck_assert_float_eq(marl_mat3_apply(&turn, a).y, 1);
    ck_assert_str_eq(marl_version(), MARL_VERSION);
}
END_TEST

START_TEST(what_is_no_rotation_is_refused)
{
    const marl_mat3 bad[] = {
        {{{1, 0, 0}, {0, 1, 0}, {0, 0, -1}}},   /* mirrored */
        {{{2, 0, 0}, {0, 1, 0}, {0, 0, 1}}},    /* stretched */
        {{{1, 0.1f, 0}, {0, 1, 0}, {0, 0, 1}}}, /* skew */
        {{{NAN, 0, 0}, {0, 1, 0}, {0, 0, 1}}},
    };
    marl_quat q;
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        ck_assert_int_eq(marl_quat_from_matrix(&bad[i], &q), MARL_ERR_DEGENERATE);
    }
    const marl_quat zero[] = {
        {0, 0, 0, 0}, {NAN, 0, 0, 1}, {INFINITY, 0, 0, 0}, {1e-30f, 0, 0, 0}, {1e30f, 0, 0, 0}};
    for (size_t i = 0; i < sizeof zero / sizeof zero[0]; i++) {
        q = zero[i];
        ck_assert_int_eq(marl_quat_normalize(&q), MARL_ERR_DEGENERATE);
    }
}
END_TEST

START_TEST(angles_round_trip)
{
    dice d = {3};
    for (int i = 0; i < 3000; i++) {
        marl_quat q = dice_attitude(&d);
        marl_rpy a = marl_quat_to_rpy(q);
        ck_assert_double_lt(angle_between(q, marl_quat_from_rpy(a.roll, a.pitch, a.yaw)), 5e-6);
    }
    /* yaw, then pitch about the new y, then roll about the new x */
    marl_quat q = marl_quat_from_rpy(0.1f, -0.2f, 0.3f);
    marl_quat by_hand =
        marl_quat_product(marl_quat_from_rpy(0, 0, 0.3f),
                          marl_quat_product(marl_quat_from_rpy(0, -0.2f, 0), marl_quat_from_rpy(0.1f, 0, 0)));
    ck_assert_double_lt(angle_between(q, by_hand), 1e-6);
}
END_TEST

START_TEST(poles_are_flagged_and_still_right)
{
    dice d = {4};
    for (int i = 0; i < 200; i++) {
        float pitch = i % 2 ? 1.57079633f : -1.57079633f;
        marl_quat q =
            marl_quat_from_rpy((float)dice_between(&d, -3, 3), pitch, (float)dice_between(&d, -3, 3));
        marl_rpy a = marl_quat_to_rpy(q);
        ck_assert_int_eq(a.at_pole, 1);
        ck_assert_float_eq(a.roll, 0.0f);
        ck_assert_double_lt(angle_between(q, marl_quat_from_rpy(a.roll, a.pitch, a.yaw)), 4e-3);
    }
    ck_assert_int_eq(marl_quat_to_rpy(marl_quat_from_rpy(0, 1.5f, 0)).at_pole, 0);
}
END_TEST

START_TEST(canonical_has_one_sign_and_no_minus_zero)
{
    const marl_quat in[] = {
        {-1, 0, 0, 0}, {0, -1, 0, 0}, {-0.0f, 0, -1, 0}, {0, -0.0f, -0.0f, -1}, {0.5f, -0.5f, 0.5f, -0.0f}};
    for (size_t i = 0; i < sizeof in / sizeof in[0]; i++) {
        marl_quat c = marl_quat_canonical(in[i]);
        marl_quat again = marl_quat_canonical((marl_quat){-in[i].w, -in[i].x, -in[i].y, -in[i].z});
        ck_assert(c.w >= 0);
        ck_assert_mem_eq(&c, &again, sizeof c);
        ck_assert(!signbit(c.w) && !(c.x == 0 && signbit(c.x)) && !(c.z == 0 && signbit(c.z)));
    }
}
END_TEST

MARL_SUITE("quat", product_follows_from_rotating_twice, handedness, matrix_round_trip_everywhere,
           vectors_by_hand, what_is_no_rotation_is_refused, angles_round_trip,
           poles_are_flagged_and_still_right, canonical_has_one_sign_and_no_minus_zero)
