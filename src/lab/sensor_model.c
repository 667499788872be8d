/* SPDX-License-Identifier: MIT
 * The model of one sensor. */
#include "marlinspike/simulate.h"
#include <math.h>

#define PI 3.141592653589793
#define FLICKER_RATIO 4.0
#define SLOWEST_S 1e5 /* the slowest process: 1/f noise has to end somewhere */

/* The density of the sum is that of 1/f noise when each process has the variance flicker^2 ln(ratio) / pi. */
static void make_flicker(marl_flicker *f, double flicker, double rate_hz, marl_random *random)
{
    f->sigma = flicker * sqrt(log(FLICKER_RATIO) / PI);
    f->n = 0;
    for (double time = 1 / rate_hz; time < SLOWEST_S && f->n < MARL_FLICKER_MOST; time *= FLICKER_RATIO) {
        double every = fmax(1, floor(time * rate_hz / 16));
        f->every[f->n] = (uint32_t)every;
        f->keep[f->n] = exp(-every / (rate_hz * time));
        f->kick[f->n] = f->sigma * sqrt(1 - f->keep[f->n] * f->keep[f->n]);
        f->n++;
    }
    for (int axis = 0; axis < 3; axis++) { /* as if it had run for ever */
        f->sum[axis] = 0;
        for (int i = 0; i < f->n; i++) {
            f->value[axis][i] = f->sigma * marl_random_normal(random);
            f->sum[axis] += f->value[axis][i];
        }
    }
}

static void step_flicker(marl_flicker *f, uint32_t sample, marl_random *random)
{
    for (int i = 0; i < f->n; i++) {
        if (sample % f->every[i] != 0) {
            continue;
        }
        for (int axis = 0; axis < 3; axis++) {
            double before = f->value[axis][i];
            f->value[axis][i] = before * f->keep[i] + f->kick[i] * marl_random_normal(random);
            f->sum[axis] += f->value[axis][i] - before;
        }
    }
}

marl_sensor_model marl_sensor_model_make(const marl_sensor_sheet *sheet, double rate_hz, marl_random random)
{
    marl_sensor_model model = {.sheet = *sheet, .random = random};
    model.sigma = sheet->white * sqrt(rate_hz);
    model.step = sheet->walk / sqrt(rate_hz);
    model.count = ldexp(sheet->full_scale, 1 - sheet->bits);
    for (int i = 0; i < 3; i++) {
        model.bias[i] = sheet->bias[i] + sheet->bias_spread * marl_random_normal(&model.random);
    }
    if (sheet->flicker > 0) {
        make_flicker(&model.flicker, sheet->flicker, rate_hz, &model.random);
    }
    return model;
}

/* Whole counts from -2^(bits-1) to 2^(bits-1) - 1. */
static double digitise(const marl_sensor_model *model, double value)
{
    double most = (double)(INT64_C(1) << (model->sheet.bits - 1));
    double counts = nearbyint(value / model->count);
    return fmin(fmax(counts, -most), most - 1) * model->count;
}

/* What the axis reads of the truth. */
static double mix(const marl_sensor_sheet *sheet, const double truth[3], int axis)
{
    const double *cross = sheet->cross_axis[axis];
    return truth[axis] * (1.0 + sheet->scale_error[axis]) + cross[0] * truth[0] + cross[1] * truth[1] +
           cross[2] * truth[2];
}

marl_vec3 marl_sensor_model_read(marl_sensor_model *model, const double truth[3], double degC)
{
    const marl_sensor_sheet *sheet = &model->sheet;
    float out[3];
    if (model->flicker.n > 0) {
        step_flicker(&model->flicker, model->sample, &model->random);
    }
    for (int i = 0; i < 3; i++) {
        if (model->step > 0) {
            model->walked[i] += model->step * marl_random_normal(&model->random);
        }
        double value = mix(sheet, truth, i) + model->bias[i] + model->walked[i] + model->flicker.sum[i] +
                       sheet->bias_per_degC[i] * (degC - sheet->reference_degC);
        value += model->sigma * marl_random_normal(&model->random);
        out[i] = (float)digitise(model, value);
    }
    model->sample++;
    return (marl_vec3){out[0], out[1], out[2]};
}
