/* SPDX-License-Identifier: MIT
 * Scenes made by hand on the bench: the recordings that calibrations need. */
#include "lab/simulate/scene_pose.h"

void lab_scene_still(const marl_scene *scene, double t, lab_pose *pose)
{
    (void)t;
    pose->q = lab_seated(scene, jet_quat_about(2, lab_heading(scene, jet_constant(0))));
}

/* Cold and warm ends are held for half a minute. */
void lab_scene_soak(const marl_scene *scene, double t, lab_pose *pose)
{
    lab_scene_still(scene, t, pose);
    pose->temp = -5 + 50 * jet_ramp(jet_time(t), 30, 570).v;
}

/* From one attitude to the next between two times, along the shortest way; constant before and after. */
static jet_quat between(const double from[4], const double to[4], jet t, double leave, double arrive)
{
    jet_quat a = jet_quat_constant(from);
    jet_quat turn = jet_quat_product(jet_quat_conjugate(a), jet_quat_constant(to));
    double sign = turn.w.v < 0 ? -1 : 1;
    double v[3] = {sign * turn.x.v, sign * turn.y.v, sign * turn.z.v};
    double n = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
    if (n < 1e-9) {
        return a;
    }
    const double axis[3] = {v[0] / n, v[1] / n, v[2] / n};
    jet angle = jet_scale(jet_ramp(t, leave, arrive), 2 * atan2(n, sign * turn.w.v));
    return jet_quat_product(a, jet_quat_turn(axis, angle));
}

/* The attitude that brings the body direction `up` to the vertical, turned about it by `twist`. */
static void upright(const double up[3], double twist, double q[4])
{
    jet_quat tilt = {jet_constant(1 + up[2]), jet_constant(up[1]), jet_constant(-up[0]), jet_constant(0)};
    double n = sqrt((1 + up[2]) * (1 + up[2]) + up[1] * up[1] + up[0] * up[0]);
    if (n < 1e-6) {
        tilt = (jet_quat){jet_constant(0), jet_constant(1), jet_constant(0), jet_constant(0)};
        n = 1;
    }
    jet_quat whole = jet_quat_product(jet_quat_about(2, jet_constant(twist)), tilt);
    q[0] = whole.w.v / n;
    q[1] = whole.x.v / n;
    q[2] = whole.y.v / n;
    q[3] = whole.z.v / n;
}

#define POSES 24
#define POSE_S 5.0  /* from one pose to the next */
#define CARRY_S 2.0 /* of these in the hand */

/* Six faces first, then directions spread evenly over the sphere along a spiral. */
static void pose_number(const marl_scene *scene, int i, double q[4])
{
    static const double faces[6][3] = {{0, 0, 1}, {0, 0, -1}, {1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}};
    double twist = lab_drawn(scene, 2 + i % 14, -LAB_PI, LAB_PI);
    if (i < 6) {
        upright(faces[i], twist, q);
        return;
    }
    double z = 1 - (2 * (i - 6) + 1) / (double)(POSES - 6), level = sqrt(1 - z * z);
    double around = 2.399963229728653 * i + lab_drawn(scene, 3, 0, 2 * LAB_PI);
    const double up[3] = {level * cos(around), level * sin(around), z};
    upright(up, twist, q);
}

/* Laid down, left for 3 s, picked up, turned, laid down again. */
void lab_scene_poses(const marl_scene *scene, double seconds, lab_pose *pose)
{
    double now = fmod(seconds, POSES * POSE_S), from[4], to[4];
    int i = (int)(now / POSE_S);
    double leave = (i + 1) * POSE_S - CARRY_S, arrive = (i + 1) * POSE_S;
    jet t = jet_time(now), carried = lab_hump(t, leave, leave + 0.7, arrive - 0.7, arrive);
    pose_number(scene, i, from);
    pose_number(scene, (i + 1) % POSES, to);
    pose->q = lab_seated(scene, between(from, to, t, leave, arrive));
    lab_move(pose, 2, jet_scale(carried, 0.08));
    lab_move(pose, 0, lab_vibration(0.8, 2.1, carried, t, 0));
    lab_move(pose, 1, lab_vibration(0.6, 2.9, carried, t, 1));
}

#define AXIS_S 24.0 /* for one axis of turns */

/* On a turntable: the axis is brought upright, then 3 s rest, a full turn in 6 s, rest, and back. Nobody
 * aligns an axis to a degree: the seat tilts it. */
void lab_scene_turns(const marl_scene *scene, double seconds, lab_pose *pose)
{
    static const double up[3][3] = {{0, 0, 1}, {1, 0, 0}, {0, 1, 0}};
    double now = fmod(seconds, 3 * AXIS_S), from[4], to[4];
    int i = (int)(now / AXIS_S);
    jet t = jet_time(now - i * AXIS_S);
    upright(up[i], 0, from);
    upright(up[(i + 1) % 3], 0, to);
    jet angle = jet_scale(lab_hump(t, 3, 9, 12, 18), 2 * LAB_PI);
    jet_quat table = jet_quat_seated(jet_quat_about(2, lab_heading(scene, angle)), scene->seat);
    pose->q = lab_jet_attitude_of(jet_quat_product(table, between(from, to, t, 21, 23.5)));
}

/* Turned in the hand about all axes at rates that have no common period; the hand moves it about as well. */
void lab_scene_tumble(const marl_scene *scene, double seconds, lab_pose *pose)
{
    jet t = jet_time(seconds), moving = jet_ramp(t, 2, 4);
    double pace = lab_drawn(scene, 3, 0.9, 1.1);
    jet roll = jet_scale(jet_product(moving, jet_add(t, jet_constant(-2))), 1.31 * pace);
    jet yaw = jet_scale(jet_product(moving, jet_add(t, jet_constant(-2))), 0.47 * pace);
    jet pitch = lab_swung(1.4, moving, t, 0.113 * pace, lab_drawn(scene, 4, 0, 2 * LAB_PI));
    jet_quat turned = jet_quat_turned(jet_quat_about(2, lab_heading(scene, yaw)), 1, pitch);
    pose->q = lab_seated(scene, jet_quat_turned(turned, 0, roll));
    lab_move(pose, 0, lab_vibration(0.5, 0.7, moving, t, 0));
    lab_move(pose, 1, lab_vibration(0.4, 0.9, moving, t, 1));
    lab_move(pose, 2, lab_vibration(0.6, 1.1, moving, t, 2));
}
