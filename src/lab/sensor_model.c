/* SPDX-License-Identifier: MIT
 * The model of one sensor. */
#include "marlinspike/simulate.h"
#include <math.h>

marl_sensor_model marl_sensor_model_make(const marl_sensor_sheet *sheet, double rate_hz, marl_random random)
{
    marl_sensor_model model = {.sheet = *sheet, .random = random};
    model.sigma = sheet->white * sqrt(rate_hz);
    model.count = ldexp(sheet->full_scale, 1 - sheet->bits);
    for (int i = 0; i < 3; i++) {
        model.bias[i] = sheet->bias[i] + sheet->bias_spread * marl_random_normal(&model.random);
    }
    return model;
}

/* Whole counts from -2^(bits-1) to 2^(bits-1) - 1. */
static double digitise(const marl_sensor_model *model, double value)
{
    double most = ldexp(1.0, model->sheet.bits - 1);
    double counts = nearbyint(value / model->count);
    return fmin(fmax(counts, -most), most - 1) * model->count;
}

marl_vec3 marl_sensor_model_read(marl_sensor_model *model, const double truth[3])
{
    float out[3];
    for (int i = 0; i < 3; i++) {
        double value = truth[i] * (1.0 + model->sheet.scale_error[i]) + model->bias[i];
        value += model->sigma * marl_random_normal(&model->random);
        out[i] = (float)digitise(model, value);
    }
    return (marl_vec3){out[0], out[1], out[2]};
}
