/* SPDX-License-Identifier: MIT
 * The errors that the simulator gives its sensors, for tests of what finds them. */
#ifndef KNOWN_ERRORS_H
#define KNOWN_ERRORS_H

#include "lab/simulate/sensor_model.h"
#include "lab/simulate/simulator.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include <check.h>
#include <math.h>
#include <string.h>

/* The errors that a simulated sensor has: raw = (1 + E) truth + bias. */
static inline void true_errors(const marl_sensor_sheet *sheet, double matrix[3][3])
{
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            matrix[i][k] = (i == k ? 1 + sheet->scale_error[i] : sheet->cross_axis[i][k]);
        }
    }
}

static inline const double *bias_of(marl_scene_kind scene, const marl_sheet *sheet, double rate,
                                    uint64_t seed, marl_sensor sensor)
{
    static double bias[3];
    marl_simulator simulator;
    ck_assert_int_eq(lab_simulator_init(&simulator, scene, sheet, rate, seed), MARL_OK);
    const lab_sensor_model *model = sensor == MARL_ACCEL  ? &simulator.accel
                                    : sensor == MARL_GYRO ? &simulator.gyro
                                                          : &simulator.mag;
    memcpy(bias, model->bias, sizeof bias);
    return bias;
}

/* Largest error of corrected lengths, as a share, over random directions that the fit has not seen. */
static inline double worst_length(const marl_fit *fit, const double errors[3][3], const double bias[3],
                                  double length)
{
    dice d = {5};
    double worst = 0;
    for (int i = 0; i < 200; i++) {
        double y[3], raw[3], v[3], n = 0, found = 0;
        for (int k = 0; k < 3; k++) {
            y[k] = dice_normal(&d);
            n += y[k] * y[k];
        }
        for (int k = 0; k < 3; k++) {
            raw[k] = bias[k] - fit->bias[k];
            for (int j = 0; j < 3; j++) {
                raw[k] += errors[k][j] * y[j] * length / sqrt(n);
            }
        }
        for (int k = 0; k < 3; k++) {
            v[k] = fit->matrix[k][0] * raw[0] + fit->matrix[k][1] * raw[1] + fit->matrix[k][2] * raw[2];
            found += v[k] * v[k];
        }
        worst = fmax(worst, fabs(sqrt(found) / length - 1));
    }
    return worst;
}

#endif
