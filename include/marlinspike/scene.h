/* SPDX-License-Identifier: MIT
 * Scenes: the true motion of the pod, in closed form. */
#ifndef MARLINSPIKE_SCENE_H
#define MARLINSPIKE_SCENE_H

#include "marlinspike/status.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The true state of the pod at one moment. World enu, body frame as the sensors have it. */
typedef struct marl_motion {
    double q[4];        /* body to world, w first */
    double position[3]; /* m, world; any origin */
    double velocity[3]; /* m/s, body */
    double rate[3];     /* rad/s, body */
    double force[3];    /* specific force, m/s^2, body */
    double field[3];    /* magnetic field, uT, body */
    double temp;        /* degC */
} marl_motion;

/* Recordings made by hand, named as the calibrations that need them, then motions of the hook block. */
typedef enum marl_scene_kind {
    MARL_SCENE_STILL,
    MARL_SCENE_TURNS,
    MARL_SCENE_POSES,
    MARL_SCENE_TUMBLE,
    MARL_SCENE_SOAK,
    MARL_SCENE_LIFT,
    MARL_SCENE_SLEW,
    MARL_SCENE_SHAKE,
    MARL_SCENE_STEEL,
    MARL_SCENE_UPSIDE,
    MARL_SCENE_HANDLE, /* from here on: what hands and machines do to the pod */
    MARL_SCENE_CARRY,
    MARL_SCENE_DRIVE,
    MARL_SCENE_SWING,
    MARL_SCENE_SPIN,
    MARL_SCENE_DAY,
    MARL_SCENE_COUNT
} marl_scene_kind;

typedef struct marl_scene {
    marl_scene_kind kind;
    double draw[32]; /* what the seed decides: attitudes, amplitudes, phases; each in [0, 1) */
    double seat[4];  /* how the pod sits on what carries it: a few degrees out of level */
} marl_scene;

const char *marl_scene_name(marl_scene_kind kind);
/* One line. */
const char *marl_scene_about(marl_scene_kind kind);
/* How long the scene takes, s; afterwards the scenes of the crane, poses, turns and spin begin again, the
 * others go on (soak stays warm). */
double marl_scene_seconds(marl_scene_kind kind);
/* MARL_ERR_ARGUMENT for an unknown name. */
MARL_CHECKED marl_status marl_scene_from_name(const char *name, marl_scene_kind *kind);
marl_scene marl_scene_make(marl_scene_kind kind, uint64_t seed);
/* Closed form: any time, in any order. */
marl_motion marl_scene_at(const marl_scene *scene, double t);

#ifdef __cplusplus
}
#endif
#endif
