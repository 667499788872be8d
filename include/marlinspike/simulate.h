/* SPDX-License-Identifier: MIT
 * Simulated motions and sensors. The usual order of calls:
 *
 *   marl_simulator_create(&simulator, MARL_SCENE_LIFT, &sheet, rate_hz, seed);
 *   marl_simulator_next(simulator, &sample, &truth);     for every row
 *   marl_simulator_free(simulator); */
#ifndef MARLINSPIKE_SIMULATE_H
#define MARLINSPIKE_SIMULATE_H

#include "marlinspike/error.h"
#include "marlinspike/sample.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- sheet ---- */

/* Sensor sheets: the values of a sensor's data sheet, for the simulator and for logs in raw counts. */

#define MARL_SHEET_REFERENCE_DEGC 24.0 /* where a sheet gives none */

/* One sensor, in SI whatever unit the file uses. */
typedef struct marl_sensor_sheet {
    int present;
    double rate_hz;          /* output rate */
    double full_scale;       /* range is -full_scale to +full_scale */
    int bits;                /* of the converter, 2 to 32; one count = full_scale / 2^(bits - 1) */
    double white;            /* unit/sqrt(Hz), square root of the two-sided density: a sample at rate f
                                has the deviation white * sqrt(f) */
    double bias[3];          /* at every power-on */
    double bias_spread;      /* deviation of the bias from one power-on to the next */
    double scale_error[3];   /* reads (1 + scale_error) times the truth */
    double cross_axis[3][3]; /* share of the column's axis that the row's axis reads as well; diagonal 0 */
    double flicker;          /* unit: 1/f noise of two-sided density flicker^2 / (2 pi f); alone, its Allan
                                deviation is 0.664 flicker at every time */
    double walk;           /* unit/sqrt(s): the bias walks at random; alone, its Allan deviation at time T is
                              walk sqrt(T/3) */
    double low_pass_hz;    /* corner of the flattest second-order low-pass; 0 = none */
    double resonance_hz;   /* of the moving mass; 0 = it follows at once */
    double damping;        /* of the moving mass, share of the critical */
    double reference_degC; /* at which the bias is as given */
    double bias_per_degC[3];
} marl_sensor_sheet;

typedef struct marl_sheet {
    char name[64];
    marl_sensor_sheet accel, gyro, mag;
} marl_sheet;

/* ---- scene ---- */

/* Scenes: the true motion of the pod, in closed form. */

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
    MARL_SCENE_ROAD,
    MARL_SCENE_WHIRL,
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

/* ---- simulate ---- */

/* The motion and sensor simulator: a scene gives the true motion of the pod, the sensor model turns it
 * into readings. Same seed, same log. */

typedef struct marl_simulator marl_simulator;

/* rate_hz 0 = that of the sheet. The magnetometer keeps its own rate where that is slower.
 * MARL_ERR_ARGUMENT when the rate is not in [1, 100000], MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_simulator_create(marl_simulator **simulator, marl_scene_kind scene,
                                               const marl_sheet *sheet, double rate_hz, uint64_t seed);
void marl_simulator_free(marl_simulator *simulator); /* NULL is allowed */
/* The log starts `skip_s` s late in the scene, and with `with_speed` holds the speed along body x, ten times
 * a second, in steps of 0.02 m/s, its scale off by up to 1 %. To be called before the first row.
 * MARL_ERR_ARGUMENT when skip_s is negative or not finite. */
MARL_CHECKED marl_status marl_simulator_set(marl_simulator *simulator, double skip_s, int with_speed);
double marl_simulator_rate(const marl_simulator *simulator); /* rows per second */
/* The next row, and the true attitude at its time. */
void marl_simulator_next(marl_simulator *simulator, marl_sample *sample, marl_quat *truth);

#ifdef __cplusplus
}
#endif
#endif
