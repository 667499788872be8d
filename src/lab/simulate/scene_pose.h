/* SPDX-License-Identifier: MIT
 * The state of a scene at one moment, and the functions scenes are written in. */
#ifndef LAB_SCENE_POSE_H
#define LAB_SCENE_POSE_H

#include "lab/maths/statistics.h"
#include "lab/simulate/jet.h"
#include "marlinspike/quat.h"
#include "marlinspike/simulate.h"

/* A quaternion and its first derivative: the second derivative is not used. */
typedef struct lab_jet_attitude {
    double v[4], d[4];
} lab_jet_attitude;

/* Rates and specific force follow from these by their derivatives. */
typedef struct lab_pose {
    lab_jet_attitude q; /* body to world */
    jet position[3];    /* m, world */
    double field[3];    /* added to the Earth's, uT, world */
    double temp;        /* degC */
} lab_pose;

/* The scenes: fill a pose that stands at the origin, untilted, at room temperature. t in s from the start. */
typedef void lab_scene_pose(const marl_scene *scene, double t, lab_pose *pose);
lab_scene_pose lab_scene_still, lab_scene_turns, lab_scene_poses, lab_scene_tumble, lab_scene_soak;
lab_scene_pose lab_scene_lift, lab_scene_slew, lab_scene_shake, lab_scene_steel, lab_scene_upside;
lab_scene_pose lab_scene_handle, lab_scene_carry, lab_scene_drive, lab_scene_swing, lab_scene_spin,
    lab_scene_day, lab_scene_road, lab_scene_whirl;

/* A draw of the seed, spread evenly from low to high. */
static inline double lab_drawn(const marl_scene *scene, int i, double low, double high)
{
    return low + (high - low) * scene->draw[i];
}

/* Rises from 0 to 1 between a and b, falls back between c and d. */
static inline jet lab_hump(jet t, double a, double b, double c, double d)
{
    return jet_sub(jet_ramp(t, a, b), jet_ramp(t, c, d));
}

static inline jet lab_wave(jet t, double frequency, double phase)
{
    return jet_sin(jet_add(jet_scale(t, 2 * LAB_PI * frequency), jet_constant(phase)));
}

/* amplitude times envelope times a wave, which is not asked for while the envelope is zero */
static inline jet lab_swung(double amplitude, jet envelope, jet t, double frequency, double phase)
{
    return jet_is_zero(envelope) ? envelope
                                 : jet_scale(jet_product(envelope, lab_wave(t, frequency, phase)), amplitude);
}

/* A vibration whose acceleration has the given amplitude, m/s^2, as a path. */
static inline jet lab_vibration(double acceleration, double frequency, jet envelope, jet t, double phase)
{
    double w = 2 * LAB_PI * frequency;
    return lab_swung(acceleration / (w * w), envelope, t, frequency, phase);
}

static inline void lab_move(lab_pose *pose, int axis, jet path)
{
    pose->position[axis] = jet_add(pose->position[axis], path);
}

static inline lab_jet_attitude lab_jet_attitude_of(jet_quat q)
{
    return (lab_jet_attitude){{q.w.v, q.x.v, q.y.v, q.z.v}, {q.w.d, q.x.d, q.y.d, q.z.d}};
}

/* The attitude of what carries the pod, and on it the pod's seat. */
static inline lab_jet_attitude lab_seated(const marl_scene *scene, jet_quat carrier)
{
    return lab_jet_attitude_of(jet_quat_seated(carrier, scene->seat));
}

/* The angle about the vertical: where it points at the start is anywhere. */
static inline jet lab_heading(const marl_scene *scene, jet turn)
{
    return jet_add(turn, jet_constant(lab_drawn(scene, 2, -LAB_PI, LAB_PI)));
}

#endif
