/* SPDX-License-Identifier: MIT
 * Scenes of the hook block on the crane. */
#include "lab/simulate/scene_pose.h"

/* The natural frequency of a load on a rope, Hz. */
static double swing_frequency(double rope)
{
    return sqrt(MARL_STANDARD_GRAVITY / rope) / (2 * LAB_PI);
}

/* The rope's end `rope` below a trolley that stands `radius` from the tower, the jib turned by `slew`. */
static void hang(lab_pose *pose, jet_quat rope_q, jet rope, double radius, jet slew)
{
    jet s, c, end[3];
    jet_quat_third(rope_q, jet_scale(rope, -1), end);
    jet_sin_cos(slew, &s, &c);
    lab_move(pose, 0, jet_add(end[0], jet_scale(c, radius)));
    lab_move(pose, 1, jet_add(end[1], jet_scale(s, radius)));
    lab_move(pose, 2, end[2]);
}

static void vibrate(const marl_scene *scene, lab_pose *pose, jet t, jet envelope, double strength)
{
    double f = lab_drawn(scene, 8, 11, 15);
    lab_move(pose, 0, lab_vibration(0.7 * strength, f, envelope, t, 0));
    lab_move(pose, 1, lab_vibration(0.5 * strength, 2.37 * f, envelope, t, 1));
    lab_move(pose, 2, lab_vibration(1.2 * strength, f, envelope, t, 2));
    lab_move(pose, 2, lab_vibration(0.6 * strength, 0.61 * f, envelope, t, 3));
}

/* 0-10 s rest; the hoist lifts 10-22 s and lowers 90-104 s; the crane slews out 25-60 s and back
 * 62-95 s; meanwhile the block swings and twists on its rope; rest from 106 s. */
void lab_scene_lift(const marl_scene *scene, double seconds, lab_pose *pose)
{
    jet t = jet_time(fmod(seconds, 120));
    jet swing = lab_hump(t, 10.5, 18, 80, 105), twist = lab_hump(t, 12, 24, 84, 105);
    jet hoist = jet_add(lab_hump(t, 10, 11, 21, 22), lab_hump(t, 90, 91, 103, 104));
    jet rope = jet_add(jet_constant(14), jet_scale(lab_hump(t, 10, 22, 90, 104), -4));
    jet slew = jet_scale(lab_hump(t, 25, 60, 62, 95), lab_drawn(scene, 3, 70, 100) * MARL_DEGREE);

    double f = swing_frequency(11), phase = lab_drawn(scene, 4, 0, 2 * LAB_PI);
    jet about_x = lab_swung(lab_drawn(scene, 5, 5, 8) * MARL_DEGREE, swing, t, f, phase);
    jet about_y = lab_swung(lab_drawn(scene, 6, 4, 7) * MARL_DEGREE, swing, t, 1.03 * f, phase + 1.8);
    jet turn = lab_swung(lab_drawn(scene, 7, 15, 30) * MARL_DEGREE, twist, t, 1 / 19.0, 0);
    jet rattle = lab_swung(0.15 * MARL_DEGREE, hoist, t, lab_drawn(scene, 9, 8, 10), 0);

    jet_quat rope_q = jet_quat_turned(jet_quat_about(0, about_x), 1, about_y);
    jet_quat block = jet_quat_turned(rope_q, 2, lab_heading(scene, jet_add(slew, turn)));
    pose->q = lab_seated(scene, jet_quat_turned(block, 1, rattle));
    hang(pose, rope_q, rope, 18, slew);
    vibrate(scene, pose, t, hoist, 1.0);
}

/* 0-10 s rest; the crane speeds up, slews steadily 18-82 s, slows down; rest from 90 s. The rope hangs
 * outwards (18 m at 0.25 rad/s: 1.1 m/s^2), so the accelerometer keeps pointing along it. */
void lab_scene_slew(const marl_scene *scene, double seconds, lab_pose *pose)
{
    const double radius = 18, rate = lab_drawn(scene, 3, 0.2, 0.27);
    jet t = jet_time(fmod(seconds, 100)), share = lab_hump(t, 10, 18, 82, 90);
    jet once = jet_sub(jet_ramp_integral(t, 10, 18), jet_ramp_integral(t, 82, 90));
    jet before = jet_constant(72 * floor(seconds / 100)); /* it begins again where it ended */
    jet slew = jet_scale(jet_add(before, once), rate);
    jet lean = jet_scale(jet_product(share, share), atan2(radius * rate * rate, MARL_STANDARD_GRAVITY));
    jet sway = lab_swung(lab_drawn(scene, 5, 0.5, 1.5) * MARL_DEGREE, lab_hump(t, 12, 24, 76, 88), t,
                         swing_frequency(14), 0);
    jet_quat outward = jet_quat_turned(jet_quat_about(2, slew), 1, jet_scale(jet_add(lean, sway), -1));
    jet_quat rope_q = jet_quat_turned(outward, 2, jet_scale(slew, -1));
    pose->q = lab_seated(scene, jet_quat_turned(rope_q, 2, lab_heading(scene, slew)));
    hang(pose, rope_q, jet_constant(14), radius, slew);
}

/* 0-5 s rest; hoist vibration throughout, three jerks of the rope, a little swing; rest from 55 s. */
void lab_scene_shake(const marl_scene *scene, double seconds, lab_pose *pose)
{
    jet t = jet_time(fmod(seconds, 60));
    jet hoist = lab_hump(t, 5, 7, 53, 55);
    double f = swing_frequency(12);
    jet about_x = lab_swung(lab_drawn(scene, 5, 1, 3) * MARL_DEGREE, hoist, t, f, 0);
    jet about_y = lab_swung(lab_drawn(scene, 6, 1, 3) * MARL_DEGREE, hoist, t, f, 2);
    jet rattle = lab_swung(0.3 * MARL_DEGREE, hoist, t, lab_drawn(scene, 9, 8, 10), 0);
    jet rope = jet_constant(12);
    for (int i = 0; i < 3; i++) { /* 0.1 m in 0.3 s: some 8 m/s^2 */
        double at = 12 + 13 * i + lab_drawn(scene, 10 + i, 0, 5);
        rope = jet_add(rope, jet_scale(lab_hump(t, at, at + 0.3, at + 3, at + 3.5), -0.1));
    }
    jet_quat rope_q = jet_quat_turned(jet_quat_about(0, about_x), 1, about_y);
    jet_quat block = jet_quat_turned(rope_q, 2, lab_heading(scene, jet_constant(0)));
    pose->q = lab_seated(scene, jet_quat_turned(block, 0, rattle));
    hang(pose, rope_q, rope, 18, jet_constant(0));
    vibrate(scene, pose, t, hoist, 3.0);
}

/* A smooth rise and fall of the field while the block passes a column: 4 s wide, up to 30 uT, turning as it
 * goes. */
static void pass_column(const marl_scene *scene, int column, double t, double field[3])
{
    double at = 15 + 22 * column + lab_drawn(scene, 10 + column, -3, 3);
    double u = (t - at) / 2,
           strength = fabs(u) < 1 ? 0.25 * (1 + cos(LAB_PI * u)) * (1 + cos(LAB_PI * u)) : 0;
    double size = lab_drawn(scene, 13 - column, 15, 30),
           from = lab_drawn(scene, 4, 0, 2 * LAB_PI) + 1.5 * column;
    field[0] += size * strength * cos(from + 0.8 * u);
    field[1] += size * strength * sin(from + 0.8 * u);
    field[2] += 0.4 * size * strength * u;
}

/* The block is carried along a row of steel columns, swinging and turning a little. */
void lab_scene_steel(const marl_scene *scene, double seconds, lab_pose *pose)
{
    double now = fmod(seconds, 90);
    jet t = jet_time(now), moving = lab_hump(t, 5, 12, 75, 85);
    double f = swing_frequency(14);
    jet about_x = lab_swung(lab_drawn(scene, 5, 1, 3) * MARL_DEGREE, moving, t, f, 0);
    jet about_y = lab_swung(lab_drawn(scene, 6, 1, 3) * MARL_DEGREE, moving, t, f, 1);
    jet turn = lab_swung(lab_drawn(scene, 7, 10, 20) * MARL_DEGREE, moving, t, 1 / 23.0, 0);
    jet_quat rope_q = jet_quat_turned(jet_quat_about(0, about_x), 1, about_y);
    pose->q = lab_seated(scene, jet_quat_turned(rope_q, 2, lab_heading(scene, turn)));
    hang(pose, rope_q, jet_constant(14), 18, jet_constant(0));
    for (int column = 0; column < 3; column++) {
        pass_column(scene, column, now, pose->field);
    }
}

/* The pod hangs upside down for 5 s, is turned over twice about its y axis, through both poles, then swings.
 */
void lab_scene_upside(const marl_scene *scene, double seconds, lab_pose *pose)
{
    jet t = jet_time(fmod(seconds, 60));
    jet over = jet_scale(lab_hump(t, 5, 17, 40, 55), 3 * LAB_PI);
    jet roll = lab_swung(lab_drawn(scene, 5, 5, 12) * MARL_DEGREE, lab_hump(t, 18, 22, 35, 39), t, 0.3, 0);
    jet_quat block = jet_quat_about(2, lab_heading(scene, jet_constant(0)));
    jet_quat turned = jet_quat_turned(block, 1, jet_add(over, jet_constant(LAB_PI)));
    pose->q = lab_seated(scene, jet_quat_turned(turned, 0, roll));
    lab_move(pose, 0, lab_vibration(0.4, 0.9, lab_hump(t, 5, 8, 52, 55), t, 0));
    lab_move(pose, 2, lab_vibration(0.3, 1.3, lab_hump(t, 5, 8, 52, 55), t, 1));
}
