/* SPDX-License-Identifier: MIT */
#include "check_main.h"
#include "marlinspike/frame.h"
#include "random_values.h"

/* The same body vector, told in both worlds, names the same place: north is y in enu and x in ned. */
START_TEST(worlds_tell_the_same_thing)
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

MARL_SUITE("frame", worlds_tell_the_same_thing, headings_of_the_compass, no_heading_when_x_is_upright)
