/* SPDX-License-Identifier: MIT
 * The table of scenes, and how rates, forces and fields follow from a pose. The Earth's own turning
 * (0.004 deg/s) is left out. */
#include "lab/maths/random.h"
#include "lab/simulate/scene_pose.h"
#include <string.h>

#define FIELD 48.7               /* uT */
#define DIP (61.2 * MARL_DEGREE) /* below the horizon, towards magnetic north */
#define ROOM_TEMPERATURE 24.0    /* degC */

static const struct {
    const char *name;
    double seconds;
    lab_scene_pose *pose;
    const char *about;
} scenes[MARL_SCENE_COUNT] = {
    [MARL_SCENE_STILL] = {"still", 60, lab_scene_still, "the pod lies on the bench, nobody touches it"},
    [MARL_SCENE_TURNS] = {"turns", 72, lab_scene_turns,
                          "full turns to and fro about each axis, rest between"},
    [MARL_SCENE_POSES] = {"poses", 120, lab_scene_poses, "six faces, then 18 more attitudes, still in each"},
    [MARL_SCENE_TUMBLE] = {"tumble", 60, lab_scene_tumble, "turned by hand through all directions"},
    [MARL_SCENE_SOAK] = {"soak", 600, lab_scene_soak, "still, while it warms from -5 to 45 degC"},
    [MARL_SCENE_LIFT] = {"lift", 120, lab_scene_lift, "picked up, swings and slews, hoist vibration"},
    [MARL_SCENE_SLEW] = {"slew", 100, lab_scene_slew,
                         "the crane slews steadily: a long centripetal acceleration"},
    [MARL_SCENE_SHAKE] = {"shake", 60, lab_scene_shake, "hard hoist vibration and jerks"},
    [MARL_SCENE_STEEL] = {"steel", 90, lab_scene_steel, "steel columns pass by the magnetometer"},
    [MARL_SCENE_UPSIDE] = {"upside", 60, lab_scene_upside,
                           "starts upside down, passes pitch +90 and -90 degrees"},
    [MARL_SCENE_HANDLE] = {"handle", 120, lab_scene_handle, "turned by hand about all axes, few rests"},
    [MARL_SCENE_CARRY] = {"carry", 120, lab_scene_carry, "carried by somebody who walks and turns"},
    [MARL_SCENE_DRIVE] = {"drive", 150, lab_scene_drive, "on the truck at 5 to 15 m/s, bends and stops"},
    [MARL_SCENE_SWING] = {"swing", 90, lab_scene_swing, "a pendulum that swings from the first sample"},
    [MARL_SCENE_SPIN] = {"spin", 120, lab_scene_spin, "a turntable, then a slow circle on the jib"},
    [MARL_SCENE_DAY] = {"day", 1800, lab_scene_day, "half an hour of a calm day, long waits"},
    [MARL_SCENE_ROAD] = {"road", 150, lab_scene_road, "on the truck for a long way, no stops"},
    [MARL_SCENE_WHIRL] = {"whirl", 120, lab_scene_whirl, "whirled by hand about all axes, no rests"},
};

const char *marl_scene_name(marl_scene_kind kind)
{
    return (unsigned)kind < MARL_SCENE_COUNT ? scenes[kind].name : "?";
}

const char *marl_scene_about(marl_scene_kind kind)
{
    return (unsigned)kind < MARL_SCENE_COUNT ? scenes[kind].about : "?";
}

double marl_scene_seconds(marl_scene_kind kind)
{
    return (unsigned)kind < MARL_SCENE_COUNT ? scenes[kind].seconds : 0.0;
}

marl_status marl_scene_from_name(const char *name, marl_scene_kind *kind)
{
    for (int i = 0; i < MARL_SCENE_COUNT; i++) {
        if (strcmp(name, scenes[i].name) == 0) {
            *kind = (marl_scene_kind)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}

marl_scene marl_scene_make(marl_scene_kind kind, uint64_t seed)
{
    marl_scene scene = {.kind = kind};
    lab_random random = lab_random_seeded(seed, 0);
    for (size_t i = 0; i < sizeof scene.draw / sizeof scene.draw[0]; i++) {
        scene.draw[i] = lab_random_uniform(&random);
    }
    jet_quat roll = jet_quat_about(0, jet_constant(lab_drawn(&scene, 0, -4, 4) * MARL_DEGREE));
    jet_quat pitch = jet_quat_about(1, jet_constant(lab_drawn(&scene, 1, -4, 4) * MARL_DEGREE));
    jet_quat seat = jet_quat_product(pitch, roll);
    scene.seat[0] = seat.w.v;
    scene.seat[1] = seat.x.v;
    scene.seat[2] = seat.y.v;
    scene.seat[3] = seat.z.v;
    return scene;
}

/* q* v q */
static void to_body(const double q[4], const double v[3], double out[3])
{
    double u[3] = {-q[1], -q[2], -q[3]}, t[3];
    for (int i = 0; i < 3; i++) {
        t[i] = 2 * (u[(i + 1) % 3] * v[(i + 2) % 3] - u[(i + 2) % 3] * v[(i + 1) % 3]);
    }
    for (int i = 0; i < 3; i++) {
        out[i] = v[i] + q[0] * t[i] + u[(i + 1) % 3] * t[(i + 2) % 3] - u[(i + 2) % 3] * t[(i + 1) % 3];
    }
}

/* rate = 2 q* dq/dt */
static void body_rate(const lab_jet_attitude *q, double rate[3])
{
    const double *v = q->v, *d = q->d;
    rate[0] = 2 * (v[0] * d[1] - v[1] * d[0] - v[2] * d[3] + v[3] * d[2]);
    rate[1] = 2 * (v[0] * d[2] - v[2] * d[0] - v[3] * d[1] + v[1] * d[3]);
    rate[2] = 2 * (v[0] * d[3] - v[3] * d[0] - v[1] * d[2] + v[2] * d[1]);
}

marl_motion marl_scene_at(const marl_scene *scene, double t)
{
    lab_pose p = {.q = {.v = {1}}, .temp = ROOM_TEMPERATURE};
    scenes[scene->kind].pose(scene, t, &p);
    const double north = FIELD * cos(DIP), down = FIELD * sin(DIP);
    const double field[3] = {p.field[0], p.field[1] + north, p.field[2] - down};
    const double force[3] = {p.position[0].dd, p.position[1].dd, p.position[2].dd + MARL_STANDARD_GRAVITY};
    marl_motion m = {.q = {p.q.v[0], p.q.v[1], p.q.v[2], p.q.v[3]},
                     .position = {p.position[0].v, p.position[1].v, p.position[2].v},
                     .temp = p.temp};
    const double velocity[3] = {p.position[0].d, p.position[1].d, p.position[2].d};
    body_rate(&p.q, m.rate);
    to_body(m.q, velocity, m.velocity);
    to_body(m.q, force, m.force);
    to_body(m.q, field, m.field);
    return m;
}
