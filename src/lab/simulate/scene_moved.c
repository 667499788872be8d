/* SPDX-License-Identifier: MIT
 * Scenes of the pod in hands and on machines: turned, carried, driven, swung, spun, and a mild day. How fast,
 * how far and how hard is drawn from the seed over a broad range. */
#include "lab/simulate/scene_pose.h"

/* Time that stands still now and then: in every cycle of `cycle` s it rests for `rest` s, and starts and
 * stops within `soft` s. The motion begins after `begin` s. */
typedef struct pauses {
    double start, cycle, rest, soft;
} pauses;

static jet warped(const pauses *p, double seconds)
{
    double since = seconds - p->start, whole = since > 0 ? floor(since / p->cycle) : 0;
    double moving = p->cycle - p->rest - p->soft;
    jet t = jet_time(since - whole * p->cycle);
    jet once = jet_sub(jet_ramp_integral(t, 0, p->soft),
                       jet_ramp_integral(t, p->cycle - p->rest - p->soft, p->cycle - p->rest));
    return jet_add(jet_constant(whole * moving), once);
}

/* The rate at which that time goes, 0 to 1, as an envelope. */
static jet pace_of(const pauses *p, double seconds)
{
    double since = seconds - p->start, whole = since > 0 ? floor(since / p->cycle) : 0;
    double stop = p->cycle - p->rest;
    return lab_hump(jet_time(since - whole * p->cycle), 0, p->soft, stop - p->soft, stop);
}

static jet sum_of_waves(jet t, double size, double rate, const double phase[2])
{
    double f = rate / (2 * LAB_PI);
    return jet_add(jet_scale(lab_wave(t, f, phase[0]), size),
                   jet_scale(lab_wave(t, 1.713 * f, phase[1]), 0.4 * size));
}

/* Turned by hand about all axes at 20 to 200 deg/s, a short rest in 15 to 30 s; the hand moves, every second
 * one shakes by up to 3 m/s^2 at 5 to 40 Hz, and the pod sits off the wrist by up to 0.25 m. */
void lab_scene_handle(const marl_scene *scene, double seconds, lab_pose *pose)
{
    const pauses rests = {lab_drawn(scene, 3, 1, 4), lab_drawn(scene, 4, 15, 30), lab_drawn(scene, 5, 1.5, 3),
                          0.7};
    const double pace = 0.5 * exp(lab_drawn(scene, 6, 0, 1.8)), phase = lab_drawn(scene, 7, 0, 2 * LAB_PI);
    const double roll_at[2] = {phase, 2.1 * phase}, pitch_at[2] = {1.7 * phase, 0.3},
                 yaw_at[2] = {2.9 * phase, 1.1};
    jet warp = warped(&rests, seconds), envelope = pace_of(&rests, seconds), t = jet_time(seconds);
    jet roll = sum_of_waves(warp, lab_drawn(scene, 8, 0.6, 1.5), 0.9 * pace, roll_at);
    jet pitch = sum_of_waves(warp, lab_drawn(scene, 9, 0.4, 1.1), 1.1 * pace, pitch_at);
    jet yaw = jet_add(sum_of_waves(warp, lab_drawn(scene, 10, 0.8, 1.8), 0.7 * pace, yaw_at),
                      jet_scale(warp, lab_drawn(scene, 11, -0.3, 0.3) * pace));
    jet_quat turned = jet_quat_turned(jet_quat_about(2, lab_heading(scene, yaw)), 1, pitch);
    jet_quat hand = jet_quat_turned(turned, 0, roll);
    pose->q = lab_seated(scene, hand);
    jet_quat_third(hand, jet_constant(lab_drawn(scene, 12, 0, 0.25)), pose->position);
    double shake = fmax(0, lab_drawn(scene, 13, -3, 3)), f = lab_drawn(scene, 14, 5, 40);
    for (int axis = 0; axis < 3; axis++) {
        double reach = lab_drawn(scene, 15 + axis, 0.03, 0.25);
        lab_move(pose, axis, jet_scale(lab_wave(warp, (0.11 + 0.05 * axis) * pace, phase + axis), reach));
        lab_move(pose, axis, lab_vibration(shake, (1 + 0.31 * axis) * f, envelope, t, axis));
    }
}

/* Whirled about all axes by hand, without rest after the first seconds: 120 to 450 deg/s, 0.05 to 0.3 m from the
 * wrist. */
void lab_scene_whirl(const marl_scene *scene, double seconds, lab_pose *pose)
{
    const double pace = lab_drawn(scene, 3, 0.7, 1.1), phase = lab_drawn(scene, 4, 0, 2 * LAB_PI);
    const double roll_at[2] = {phase, 1.3 * phase}, yaw_at[2] = {2.1 * phase, 0.7};
    double start = lab_drawn(scene, 5, 1, 4);
    jet t = jet_time(seconds), moving = jet_ramp(t, start, start + 1.5);
    jet warp = jet_ramp_integral(t, start, start + 1.5);
    jet roll = jet_add(jet_scale(warp, lab_drawn(scene, 6, -2.5, 2.5) * pace),
                       sum_of_waves(warp, lab_drawn(scene, 7, 2, 4), 0.6 * pace, roll_at));
    jet pitch =
        lab_swung(lab_drawn(scene, 8, 0.6, 1.3), moving, t, lab_drawn(scene, 9, 0.15, 0.25) * pace, phase);
    jet yaw = sum_of_waves(warp, lab_drawn(scene, 10, 1, 3), 0.45 * pace, yaw_at);
    jet_quat turned = jet_quat_turned(jet_quat_about(2, lab_heading(scene, yaw)), 1, pitch);
    jet_quat hand = jet_quat_turned(turned, 0, roll);
    pose->q = lab_seated(scene, hand);
    jet_quat_third(hand, jet_constant(lab_drawn(scene, 11, 0.05, 0.3)), pose->position);
    for (int axis = 0; axis < 3; axis++) {
        double f = (0.4 + 0.17 * axis) * pace;
        lab_move(pose, axis, lab_vibration(lab_drawn(scene, 12 + axis, 0.3, 2), f, moving, t, axis));
    }
}

/* The direction of travel of a level path, from east to north; where it stands, that of its last move. */
static jet direction_of(jet x, jet y, double rate)
{
    /* the path is a function of the warped time, whose rate cancels */
    double square = x.d * x.d + y.d * y.d;
    return (jet){atan2(y.d, x.d), square > 0 ? rate * (x.d * y.dd - y.d * x.dd) / square : 0, 0};
}

/* A figure of eight, `length` long and `width` wide, travelled with the angle. Returns the direction. */
static jet travel_eight(lab_pose *pose, jet warp, double length, double width, double rate)
{
    jet own = jet_time(warp.v); /* along the path, whatever the clock does */
    double f = rate / (2 * LAB_PI);
    jet x = jet_scale(lab_wave(own, f, 0), 0.5 * length), y = jet_scale(lab_wave(own, 2 * f, 0), 0.5 * width);
    lab_move(pose, 0, jet_scale(lab_wave(warp, f, 0), 0.5 * length));
    lab_move(pose, 1, jet_scale(lab_wave(warp, 2 * f, 0), 0.5 * width));
    return direction_of(x, y, warp.d);
}

/* Carried by somebody who walks at 0.9 to 1.6 m/s: two steps a second bounce by 1 to 4 m/s^2, the body sways
 * from foot to foot, turns come every few seconds, now and then a halt. */
void lab_scene_carry(const marl_scene *scene, double seconds, lab_pose *pose)
{
    const pauses halts = {lab_drawn(scene, 3, 1, 3), lab_drawn(scene, 4, 25, 50), lab_drawn(scene, 5, 2, 5),
                          1};
    jet warp = warped(&halts, seconds), walking = pace_of(&halts, seconds), t = jet_time(seconds);
    double length = lab_drawn(scene, 6, 6, 16), speed = lab_drawn(scene, 7, 0.9, 1.6);
    jet heading =
        travel_eight(pose, warp, length, lab_drawn(scene, 8, 0.3, 0.6) * length, 1.5 * speed / length);
    double step = lab_drawn(scene, 9, 1.7, 2.2), bounce = lab_drawn(scene, 10, 1, 4);
    lab_move(pose, 2, lab_vibration(bounce, step, walking, t, 0));
    lab_move(pose, 2, lab_vibration(0.3 * bounce, 2 * step, walking, t, 1));
    lab_move(pose, 0, lab_vibration(lab_drawn(scene, 11, 0.3, 1.2), step, walking, t, 2));
    lab_move(pose, 1, lab_vibration(lab_drawn(scene, 12, 0.3, 1.0), 0.5 * step, walking, t, 3));
    jet sway = lab_swung(lab_drawn(scene, 13, 1, 6) * MARL_DEGREE, walking, t, 0.5 * step, 1);
    jet nod = lab_swung(lab_drawn(scene, 14, 1, 5) * MARL_DEGREE, walking, t, step, 2);
    jet held =
        lab_swung(lab_drawn(scene, 15, 3, 20) * MARL_DEGREE, walking, t, lab_drawn(scene, 16, 0.04, 0.1), 0);
    jet_quat body = jet_quat_turned(jet_quat_about(2, lab_heading(scene, heading)), 1, jet_add(nod, held));
    pose->q = lab_seated(scene, jet_quat_turned(body, 0, sway));
}

/* The truck along its eight, on a road that vibrates while it drives. The body's x axis points ahead. */
static void drive(const marl_scene *scene, lab_pose *pose, jet t, jet warp, jet driving, double speed)
{
    double length = lab_drawn(scene, 8, 14, 22) * speed;
    jet heading =
        travel_eight(pose, warp, length, lab_drawn(scene, 9, 0.35, 0.5) * length, 1.6 * speed / length);
    double f = lab_drawn(scene, 10, 8, 15), rough = lab_drawn(scene, 11, 0.3, 1.5);
    lab_move(pose, 2, lab_vibration(rough, f, driving, t, 0));
    lab_move(pose, 2, lab_vibration(0.7 * rough, 0.13 * f, driving, t, 1));
    lab_move(pose, 1, lab_vibration(0.4 * rough, 1.7 * f, driving, t, 2));
    jet roll = lab_swung(lab_drawn(scene, 12, 0.5, 2) * MARL_DEGREE, driving, t, 0.4, 1);
    jet pitch = lab_swung(lab_drawn(scene, 13, 0.5, 3) * MARL_DEGREE, driving, t, 0.07, 2);
    jet_quat truck = jet_quat_turned(jet_quat_about(2, heading), 1, pitch);
    pose->q = lab_seated(scene, jet_quat_turned(truck, 0, roll));
}

/* On the truck that brings the block: 5 to 15 m/s, bends of up to 3 m/s^2, stops. */
void lab_scene_drive(const marl_scene *scene, double seconds, lab_pose *pose)
{
    const pauses stops = {lab_drawn(scene, 3, 4, 8), lab_drawn(scene, 4, 40, 70), lab_drawn(scene, 5, 4, 10),
                          lab_drawn(scene, 6, 4, 8)};
    drive(scene, pose, jet_time(seconds), warped(&stops, seconds), pace_of(&stops, seconds),
          lab_drawn(scene, 7, 6, 12));
}

/* The same truck on a long way, bends of up to 4 m/s^2: it starts once, then it is slower and quicker by a quarter
 * and never stops. */
void lab_scene_road(const marl_scene *scene, double seconds, lab_pose *pose)
{
    double start = lab_drawn(scene, 3, 4, 8), soft = lab_drawn(scene, 6, 6, 12);
    jet t = jet_time(seconds), driving = jet_ramp(t, start, start + soft);
    jet change =
        lab_swung(2, driving, t, lab_drawn(scene, 4, 0.01, 0.025), lab_drawn(scene, 5, 0, 2 * LAB_PI));
    jet warp = jet_add(jet_ramp_integral(t, start, start + soft), change);
    drive(scene, pose, t, warp, driving, lab_drawn(scene, 7, 7, 12));
}

/* A pendulum of 3 to 10 m that swings by 4 to 18 degrees from the first sample, round and about, and twists.
 */
void lab_scene_swing(const marl_scene *scene, double seconds, lab_pose *pose)
{
    double length = lab_drawn(scene, 3, 3, 10), f = sqrt(MARL_STANDARD_GRAVITY / length) / (2 * LAB_PI);
    double size = lab_drawn(scene, 4, 4, 18) * MARL_DEGREE, phase = lab_drawn(scene, 5, 0, 2 * LAB_PI);
    jet t = jet_time(seconds), always = jet_constant(1);
    jet about_x = lab_swung(size, always, t, f, phase);
    jet about_y = lab_swung(lab_drawn(scene, 6, 0.1, 0.9) * size, always, t, 1.01 * f,
                            phase + lab_drawn(scene, 7, 0, 3));
    jet twist =
        lab_swung(lab_drawn(scene, 8, 5, 60) * MARL_DEGREE, always, t, lab_drawn(scene, 9, 0.03, 0.08), 1);
    jet_quat rope = jet_quat_turned(jet_quat_about(0, about_x), 1, about_y);
    pose->q = lab_seated(scene, jet_quat_turned(rope, 2, lab_heading(scene, twist)));
    jet_quat_third(rope, jet_constant(-length), pose->position);
}

/* On a circle about the vertical: the turn is `angle`, the pod sits `radius` from its centre. */
static void circle(lab_pose *pose, jet angle, double radius)
{
    jet s, c;
    jet_sin_cos(angle, &s, &c);
    lab_move(pose, 0, jet_scale(c, radius));
    lab_move(pose, 1, jet_scale(s, radius));
}

/* A turntable at 15 to 35 turns a minute, the pod 0.1 to 0.3 m from its centre, then a slow circle of 5 to
 * 12 m on the crane's jib; a rest before, between and after. It begins again after 120 s. */
void lab_scene_spin(const marl_scene *scene, double seconds, lab_pose *pose)
{
    jet t = jet_time(fmod(seconds, 120));
    double rounds = floor(seconds / 120), table = lab_drawn(scene, 3, 1.6, 3.7),
           jib = lab_drawn(scene, 4, 0.12, 0.3);
    jet fast = jet_sub(jet_ramp_integral(t, 5, 8), jet_ramp_integral(t, 50, 53));
    jet slow = jet_sub(jet_ramp_integral(t, 60, 66), jet_ramp_integral(t, 110, 116));
    jet spun = jet_scale(jet_add(fast, jet_constant(45 * rounds)),
                         table * (lab_drawn(scene, 5, 0, 1) < 0.5 ? -1 : 1));
    jet slewed =
        jet_scale(jet_add(slow, jet_constant(50 * rounds)), jib * (lab_drawn(scene, 6, 0, 1) < 0.5 ? -1 : 1));
    circle(pose, spun, lab_drawn(scene, 7, 0.1, 0.3));
    circle(pose, slewed, lab_drawn(scene, 8, 5, 12));
    pose->q = lab_seated(scene, jet_quat_about(2, lab_heading(scene, jet_add(spun, slewed))));
}

/* Half an hour of a calm day: long waits, a slow move now and then, a breeze; it warms by some degrees. */
void lab_scene_day(const marl_scene *scene, double seconds, lab_pose *pose)
{
    const pauses waits = {10, lab_drawn(scene, 3, 60, 120), lab_drawn(scene, 4, 25, 40), 3};
    double pace = lab_drawn(scene, 5, 0.15, 0.5), phase = lab_drawn(scene, 6, 0, 2 * LAB_PI);
    const double roll_at[2] = {phase, 1.3}, pitch_at[2] = {2.3 * phase, 0.4}, yaw_at[2] = {1.9 * phase, 2.2};
    jet warp = warped(&waits, seconds), t = jet_time(seconds), breeze = jet_constant(1);
    jet roll = sum_of_waves(warp, lab_drawn(scene, 7, 0.05, 0.4), 0.9 * pace, roll_at);
    jet pitch = sum_of_waves(warp, lab_drawn(scene, 8, 0.05, 0.3), 1.2 * pace, pitch_at);
    jet yaw = sum_of_waves(warp, lab_drawn(scene, 9, 0.5, 2.5), 0.4 * pace, yaw_at);
    jet_quat turned = jet_quat_turned(jet_quat_about(2, lab_heading(scene, yaw)), 1, pitch);
    pose->q = lab_seated(scene, jet_quat_turned(turned, 0, roll));
    lab_move(pose, 0, lab_vibration(0.05, 0.31, breeze, t, 0));
    lab_move(pose, 1, lab_vibration(0.04, 0.43, breeze, t, 1));
    pose->temp += 5 * jet_ramp(t, 0, 1800).v;
}
