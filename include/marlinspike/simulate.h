/* SPDX-License-Identifier: MIT
 * The motion and sensor simulator: a scene gives the true motion of the pod, the sensor model turns it
 * into readings. Same seed, same log. */
#ifndef MARLINSPIKE_SIMULATE_H
#define MARLINSPIKE_SIMULATE_H

#include "marlinspike/error.h"
#include "marlinspike/quat.h"
#include "marlinspike/sample.h"
#include "marlinspike/sheet.h"
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

/* Random numbers of a seed: "Fast splittable pseudorandom number generators" (2014). */
typedef struct marl_random {
    uint64_t state;
} marl_random;

marl_random marl_random_seeded(uint64_t seed, uint64_t stream);
double marl_random_uniform(marl_random *random); /* [0, 1) */
double marl_random_normal(marl_random *random);  /* mean 0, deviation 1 */

/* The same normal numbers in the same order, drawn in advance many at once, which is faster. */
enum { MARL_NORMALS_AHEAD = 64 };
typedef struct marl_normals {
    marl_random random;
    int left;
    double value[MARL_NORMALS_AHEAD];
} marl_normals;

marl_normals marl_normals_of(marl_random random);
void marl_normals_draw(marl_normals *normals);
static inline double marl_normals_next(marl_normals *normals)
{
    if (normals->left == 0) {
        marl_normals_draw(normals);
    }
    return normals->value[MARL_NORMALS_AHEAD - normals->left--];
}

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

/* 1/f noise as a sum of first-order processes whose time constants rise by a factor of four, each stepped
 * exactly: "On the noise spectra of semi-conductor noise and of flicker effect" (1950). Slow ones are stepped
 * rarely. */
#define MARL_FLICKER_MOST 16

typedef struct marl_flicker {
    int n;
    double sigma;                      /* deviation of each process */
    double keep[MARL_FLICKER_MOST];    /* share of the value that a step leaves */
    double kick[MARL_FLICKER_MOST];    /* deviation of what a step adds */
    uint32_t every[MARL_FLICKER_MOST]; /* samples between steps */
    uint32_t due[MARL_FLICKER_MOST];   /* the sample of the next step */
    double value[3][MARL_FLICKER_MOST], sum[3];
} marl_flicker;

/* A second-order low-pass section, x'' + 2 d w x' + w^2 x = w^2 u: what a step of fixed length does, exactly;
 * the same for all axes. */
typedef struct marl_section {
    double w, damping; /* rad/s, 1 */
    double step;       /* s */
    double free[2][2]; /* what is left of (x, x') without input */
    double kick[3];    /* lower triangle by rows of what a step adds of unit white noise */
    double rest[2];    /* deviations of x and x' under unit white noise for ever */
} marl_section;

/* The way of the truth through the part: its moving mass, then its low-pass, where the sheet has them. */
typedef struct marl_sensor_path {
    int has_mass, has_low_pass, begun;
    marl_section mass, low_pass;
    double felt[3], moved[3]; /* inputs of the two at the sample before */
    double mass_state[3][2], pass_state[3][2], noise_state[3][2];
} marl_sensor_path;

/* One sensor's errors, in this order: scale and cross-axis, bias with its temperature, 1/f noise and walk,
 * white noise, saturation, rounding to counts. */
typedef struct marl_sensor_model {
    marl_sensor_sheet sheet;
    double bias[3]; /* of this power-on */
    double sigma;   /* of one sample's white noise without low-pass */
    double step;    /* of the walk, per sample */
    double walked[3];
    double count; /* one count */
    uint32_t sample;
    marl_flicker flicker;
    marl_sensor_path path;
    marl_normals normals;
} marl_sensor_model;

marl_sensor_model marl_sensor_model_make(const marl_sensor_sheet *sheet, double rate_hz, marl_random random);
marl_vec3 marl_sensor_model_read(marl_sensor_model *model, const double truth[3], double degC);

typedef struct marl_simulator {
    marl_scene scene;
    marl_sensor_model accel, gyro, mag;
    double rate_hz;  /* rows */
    double mag_step; /* magnetometer readings per row, at most 1 */
    uint64_t tick;   /* next row */
    double mag_phase;
    double skip_s;      /* the log starts so late in the scene; its time starts at 0 */
    int with_speed;     /* ten times a second a row holds the speed along body x */
    double speed_scale; /* what a wheel of not quite the right size makes of it */
} marl_simulator;

/* rate_hz 0 = that of the sheet. The magnetometer keeps its own rate where that is slower.
 * MARL_ERR_ARGUMENT when the rate is not in [1, 100000]. */
MARL_CHECKED marl_status marl_simulator_init(marl_simulator *simulator, marl_scene_kind scene,
                                             const marl_sheet *sheet, double rate_hz, uint64_t seed);
/* The log starts `skip_s` s late in the scene, and with `with_speed` holds the speed along body x, ten times
 * a second, in steps of 0.02 m/s, its scale off by up to 1 %. To be called before the first row.
 * MARL_ERR_ARGUMENT when skip_s is negative or not finite. */
MARL_CHECKED marl_status marl_simulator_set(marl_simulator *simulator, double skip_s, int with_speed);
/* The next row, and the true attitude at its time. */
void marl_simulator_next(marl_simulator *simulator, marl_sample *sample, marl_quat *truth);

#ifdef __cplusplus
}
#endif
#endif
