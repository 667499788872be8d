/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/quat.h"
#include "random_values.h"

/* The same body vector, expressed in both worlds, names the same place: north is y in enu and x in ned. */
START_TEST(worlds_are_consistent)
{
    dice d = {5};
    for (int i = 0; i < 2000; i++) {
        marl_quat enu = dice_attitude(&d), ned = marl_frame_swap_world(enu);
        marl_vec3 v = dice_vector(&d, 2), e = marl_quat_rotate(enu, v), n = marl_quat_rotate(ned, v);
        ck_assert_float_eq_tol(e.x, n.y, 2e-6f);
        ck_assert_float_eq_tol(e.y, n.x, 2e-6f);
        ck_assert_float_eq_tol(e.z, -n.z, 2e-6f);
        ck_assert_double_lt(angle_between(marl_frame_swap_world(ned), enu), 1e-6);
        float from_enu, from_ned;
        ck_assert_int_eq(marl_frame_heading(enu, MARL_WORLD_ENU, &from_enu), MARL_OK);
        ck_assert_int_eq(marl_frame_heading(ned, MARL_WORLD_NED, &from_ned), MARL_OK);
        ck_assert_float_le(fabsf(remainderf(from_enu - from_ned, 6.2831853f)), 2e-4f);
    }
}
END_TEST

START_TEST(headings_of_the_compass)
{
    /* yaw in enu turns counter-clockwise from east */
    const struct {
        double yaw, heading;
    } known[] = {{0, 90}, {90, 0}, {45, 45}, {180, 270}, {-90, 180}, {89.999, 0.001}, {90.001, 359.999}};
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        float heading;
        marl_quat q = marl_quat_from_rpy(0.2f, -0.5f, (float)(known[i].yaw * 3.14159265 / 180));
        ck_assert_int_eq(marl_frame_heading(q, MARL_WORLD_ENU, &heading), MARL_OK);
        ck_assert_double_le(fabs(remainder((double)heading * 180 / 3.14159265 - known[i].heading, 360)),
                            1e-3);
        ck_assert(heading >= 0 && heading < 6.2831854f);
    }
}
END_TEST

START_TEST(no_heading_when_x_is_upright)
{
    float heading;
    marl_quat up = marl_quat_from_rpy(0, -1.57079633f, 0);
    ck_assert_int_eq(marl_frame_heading(up, MARL_WORLD_ENU, &heading), MARL_ERR_DEGENERATE);
    ck_assert_int_eq(marl_frame_heading((marl_quat){NAN, 0, 0, 0}, MARL_WORLD_ENU, &heading),
                     MARL_ERR_DEGENERATE);
    ck_assert_str_eq(marl_world_name(MARL_WORLD_NED), "ned");
}
END_TEST

/* Tilt, heading and the acceleration that is left are facts, whatever the world they are told in. */
START_TEST(enu_and_ned_agree)
{
    dice d = {6};
    for (int i = 0; i < 2000; i++) {
        marl_quat enu = dice_attitude(&d), ned = marl_frame_swap_world(enu);
        marl_vec3 a = dice_vector(&d, 20), e = marl_frame_without_gravity(enu, MARL_WORLD_ENU, a);
        marl_vec3 n = marl_frame_without_gravity(ned, MARL_WORLD_NED, a);
        ck_assert_float_eq_tol(marl_frame_tilt(enu, MARL_WORLD_ENU), marl_frame_tilt(ned, MARL_WORLD_NED),
                               1e-5f);
        ck_assert_float_eq_tol(e.x, n.y, 2e-5f);
        ck_assert_float_eq_tol(e.y, n.x, 2e-5f);
        ck_assert_float_eq_tol(e.z, -n.z, 2e-5f);
    }
}
END_TEST

START_TEST(rest_has_no_acceleration_but_gravity)
{
    dice d = {7};
    for (int i = 0; i < 500; i++) {
        marl_quat q = dice_attitude(&d);
        marl_vec3 read = marl_quat_rotate_back(q, (marl_vec3){0.5f, -0.25f, 9.80665f + 1.0f});
        marl_vec3 left = marl_frame_without_gravity(q, MARL_WORLD_ENU, read);
        ck_assert_float_lt(marl_vec3_norm(marl_vec3_sub(left, (marl_vec3){0.5f, -0.25f, 1.0f})), 1e-5f);
    }
    ck_assert_float_eq_tol(marl_frame_tilt(marl_quat_from_rpy(0.3f, 0, 2), MARL_WORLD_ENU), 0.3f, 1e-6f);
    ck_assert_float_eq_tol(marl_frame_tilt((marl_quat){0, 1, 0, 0}, MARL_WORLD_ENU), 3.14159265f, 1e-6f);
}
END_TEST

/* Turning on and on, forward and back: the unwrapped angle is the one turned. */
START_TEST(angles_go_on)
{
    marl_unwrap u = {0};
    double angle = 0.5;
    for (int i = 0; i < 5000; i++) {
        angle += i < 3000 ? 0.4 : -0.55;
        float wrapped = (float)remainder(angle, 6.283185307179586);
        float reported = marl_unwrap_next(&u, wrapped);
        ck_assert_double_eq_tol((double)reported - angle, 0, 1e-3);
    }
    float before = marl_unwrap_next(&u, 0.0f);
    ck_assert_float_eq(marl_unwrap_next(&u, NAN), before);
}
END_TEST

/* Column vectors: the matrix moves the body's axes to where they are, with y up or z up, without mirroring.
 */
START_TEST(a_scene_shows_the_body_as_it_is)
{
    dice d = {8};
    for (int i = 0; i < 500; i++) {
        marl_quat q = dice_attitude(&d);
        marl_vec3 v = dice_vector(&d, 3), w = marl_quat_rotate(q, v);
        float z[16], y[16];
        marl_frame_to_matrix4(q, MARL_HANDED_Z_UP, z);
        marl_frame_to_matrix4(q, MARL_HANDED_Y_UP, y);
        const float want_z[3] = {w.x, w.y, w.z}, want_y[3] = {w.x, w.z, -w.y};
        for (int k = 0; k < 3; k++) {
            ck_assert_float_eq_tol(z[k] * v.x + z[4 + k] * v.y + z[8 + k] * v.z + z[12 + k], want_z[k],
                                   1e-5f);
            ck_assert_float_eq_tol(y[k] * v.x + y[4 + k] * v.y + y[8 + k] * v.z + y[12 + k], want_y[k],
                                   1e-5f);
            ck_assert_float_eq(z[4 * k + 3], 0.0f);
        }
        ck_assert_float_eq(y[15], 1.0f);
    }
}
END_TEST

MARL_SUITE("frame", enu_and_ned_agree, rest_has_no_acceleration_but_gravity, angles_go_on,
           a_scene_shows_the_body_as_it_is, worlds_are_consistent, headings_of_the_compass,
           no_heading_when_x_is_upright)
