/* SPDX-License-Identifier: MIT
 * The simulator's state, for those who keep it themselves. */
#ifndef LAB_SIMULATOR_H
#define LAB_SIMULATOR_H

#include "lab/simulate/sensor_model.h"
#include "marlinspike/simulate.h"

struct marl_simulator {
    marl_scene scene;
    lab_sensor_model accel, gyro, mag;
    double rate_hz;  /* rows */
    double mag_step; /* magnetometer readings per row, at most 1 */
    uint64_t tick;   /* next row */
    double mag_phase;
    double skip_s;      /* the log starts so late in the scene; its time starts at 0 */
    int with_speed;     /* ten times a second a row holds the speed along body x */
    double speed_scale; /* what a wheel of not quite the right size makes of it */
};

/* As marl_simulator_create, in memory of the caller's. */
MARL_CHECKED marl_status lab_simulator_init(marl_simulator *simulator, marl_scene_kind scene,
                                            const marl_sheet *sheet, double rate_hz, uint64_t seed);

#endif
