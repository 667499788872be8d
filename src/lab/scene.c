/* SPDX-License-Identifier: MIT
 * The scenes: what the pod on the hook block goes through. The Earth's own turning (0.004 deg/s) is left
 * out. */
#include "jet.h"
#include "marlinspike/simulate.h"
#include <string.h>

#define PI 3.141592653589793
#define DEGREE (PI / 180)
#define GRAVITY 9.80665
#define FIELD 48.7          /* uT */
#define DIP (61.2 * DEGREE) /* below the horizon, towards magnetic north */
#define TEMPERATURE 24.0    /* degC */
#define LIFT_PERIOD 120.0   /* s */

static const char *const names[MARL_SCENE_COUNT] = {"still", "lift"};

const char *marl_scene_name(marl_scene_kind kind)
{
    return (unsigned)kind < MARL_SCENE_COUNT ? names[kind] : "?";
}

marl_status marl_scene_from_name(const char *name, marl_scene_kind *kind)
{
    for (int i = 0; i < MARL_SCENE_COUNT; i++) {
        if (strcmp(name, names[i]) == 0) {
            *kind = (marl_scene_kind)i;
            return MARL_OK;
        }
    }
    return MARL_ERR_ARGUMENT;
}

marl_scene marl_scene_make(marl_scene_kind kind, uint64_t seed)
{
    marl_scene scene = {.kind = kind};
    marl_random random = marl_random_seeded(seed, 0);
    for (size_t i = 0; i < sizeof scene.draw / sizeof scene.draw[0]; i++) {
        scene.draw[i] = marl_random_uniform(&random);
    }
    return scene;
}

/* A draw of the seed, spread evenly from low to high. */
static double drawn(const marl_scene *scene, int i, double low, double high)
{
    return low + (high - low) * scene->draw[i];
}

/* Where the pod is, which way it turns, and how it is shaken. */
typedef struct pose {
    jet_quat q;
    jet position[3]; /* m, world */
    double shake[3]; /* m/s^2, body: vibration too small and fast to be a path */
} pose;

/* How the pod sits on whatever carries it: a few degrees out of level. */
static jet_quat seat(const marl_scene *scene)
{
    jet_quat roll = jet_quat_about(0, jet_constant(drawn(scene, 0, -4, 4) * DEGREE));
    jet_quat pitch = jet_quat_about(1, jet_constant(drawn(scene, 1, -4, 4) * DEGREE));
    return jet_quat_product(pitch, roll);
}

static void pose_still(const marl_scene *scene, pose *p)
{
    jet_quat heading = jet_quat_about(2, jet_constant(drawn(scene, 2, -PI, PI)));
    p->q = jet_quat_product(heading, seat(scene));
}

/* Rises from 0 to 1 between a and b, falls back between c and d. */
static jet hump(jet t, double a, double b, double c, double d)
{
    return jet_sub(jet_ramp(t, a, b), jet_ramp(t, c, d));
}

static jet wave(jet t, double frequency, double phase)
{
    return jet_sin(jet_add(jet_scale(t, 2 * PI * frequency), jet_constant(phase)));
}

/* amplitude times envelope times wave */
static jet swung(double amplitude, jet envelope, jet w)
{
    return jet_scale(jet_product(envelope, w), amplitude);
}

static void shake_by_hoist(const marl_scene *scene, double t, double strength, double shake[3])
{
    double f = drawn(scene, 8, 11, 15);
    double a = sin(2 * PI * f * t), b = sin(2 * PI * 2.37 * f * t + 1), c = sin(2 * PI * 0.61 * f * t + 2);
    shake[0] = strength * (0.7 * a + 0.4 * b);
    shake[1] = strength * (0.5 * b + 0.5 * c);
    shake[2] = strength * (1.2 * a + 0.6 * c);
}

/* 0-10 s rest; the hoist lifts 10-22 s and lowers 90-104 s; the crane slews out 25-60 s and back
 * 62-95 s; meanwhile the block swings and twists on its rope; rest from 106 s. */
static void pose_lift(const marl_scene *scene, double seconds, pose *p)
{
    jet t = jet_time(fmod(seconds, LIFT_PERIOD));
    jet swing = hump(t, 10.5, 18, 80, 105), twist = hump(t, 12, 24, 84, 105);
    jet hoist = hump(t, 10, 11, 21, 22);
    hoist = jet_add(hoist, hump(t, 90, 91, 103, 104));
    jet rope = jet_add(jet_constant(14), jet_scale(hump(t, 10, 22, 90, 104), -4));
    jet slew = jet_scale(hump(t, 25, 60, 62, 95), drawn(scene, 3, 70, 100) * DEGREE);

    double f = sqrt(GRAVITY / 11) / (2 * PI);
    double phase = drawn(scene, 4, 0, 2 * PI);
    jet about_x = swung(drawn(scene, 5, 5, 8) * DEGREE, swing, wave(t, f, phase));
    jet about_y = swung(drawn(scene, 6, 4, 7) * DEGREE, swing, wave(t, 1.03 * f, phase + 1.8));
    jet turn = jet_add(slew, swung(drawn(scene, 7, 15, 30) * DEGREE, twist, wave(t, 1 / 19.0, 0)));
    jet rattle = swung(0.15 * DEGREE, hoist, wave(t, drawn(scene, 9, 8, 10), 0));

    jet_quat rope_q = jet_quat_product(jet_quat_about(0, about_x), jet_quat_about(1, about_y));
    jet_quat heading = jet_quat_about(2, jet_add(turn, jet_constant(drawn(scene, 2, -PI, PI))));
    jet_quat shiver = jet_quat_about(1, rattle);
    p->q = jet_quat_product(jet_quat_product(rope_q, heading), jet_quat_product(shiver, seat(scene)));

    /* the rope's end, `rope` below the trolley at 18 m from the tower */
    jet_quat down = {jet_constant(0), jet_constant(0), jet_constant(0), jet_scale(rope, -1)};
    jet_quat end = jet_quat_product(jet_quat_product(rope_q, down), jet_quat_conjugate(rope_q));
    p->position[0] = jet_add(end.x, jet_scale(jet_cos(slew), 18));
    p->position[1] = jet_add(end.y, jet_scale(jet_sin(slew), 18));
    p->position[2] = end.z;
    shake_by_hoist(scene, seconds, hoist.v, p->shake);
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
static void body_rate(const jet_quat *q, double rate[3])
{
    double w = q->w.v, x = q->x.v, y = q->y.v, z = q->z.v;
    rate[0] = 2 * (w * q->x.d - x * q->w.d - y * q->z.d + z * q->y.d);
    rate[1] = 2 * (w * q->y.d - y * q->w.d - z * q->x.d + x * q->z.d);
    rate[2] = 2 * (w * q->z.d - z * q->w.d - x * q->y.d + y * q->x.d);
}

marl_motion marl_scene_at(const marl_scene *scene, double t)
{
    const double field[3] = {0, FIELD * cos(DIP), -FIELD * sin(DIP)};
    marl_motion m = {.temp = TEMPERATURE};
    pose p;
    memset(&p, 0, sizeof p);
    if (scene->kind == MARL_SCENE_LIFT) {
        pose_lift(scene, t, &p);
    } else {
        pose_still(scene, &p);
    }
    const double force[3] = {p.position[0].dd, p.position[1].dd, p.position[2].dd + GRAVITY};
    m.q[0] = p.q.w.v;
    m.q[1] = p.q.x.v;
    m.q[2] = p.q.y.v;
    m.q[3] = p.q.z.v;
    body_rate(&p.q, m.rate);
    to_body(m.q, force, m.force);
    to_body(m.q, field, m.field);
    for (int i = 0; i < 3; i++) {
        m.force[i] += p.shake[i];
    }
    return m;
}
