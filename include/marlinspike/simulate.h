/* SPDX-License-Identifier: MIT
 * The motion and sensor simulator: a scene gives the true motion of the pod, the sensor model turns it
 * into readings. Same seed, same log. */
#ifndef MARLINSPIKE_SIMULATE_H
#define MARLINSPIKE_SIMULATE_H

#include "marlinspike/error.h"
#include "marlinspike/files.h"
#include "marlinspike/quat.h"
#include "marlinspike/sample.h"
#include "marlinspike/scene.h"
#include "marlinspike/sensor_model.h"

#ifdef __cplusplus
extern "C" {
#endif

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
