/* SPDX-License-Identifier: MIT
 * The model of one sensor. */
#include "lab/simulate/sensor_model.h"
#include "lab/maths/random.h"
#include "lab/maths/statistics.h"
#include "lab/simulate/lowpass2.h"
#include <math.h>

#define FLICKER_RATIO 4.0
#define ROUNDER 6755399441055744.0 /* 1.5 * 2^52 */
#define FLATTEST 0.70710678118654752
#define SLOWEST_S 1e5 /* the slowest process: 1/f noise has to end somewhere */

/* The density of the sum is that of 1/f noise when each process has the variance flicker^2 ln(ratio) / pi. */
static void make_flicker(lab_flicker *f, double flicker, double rate_hz, lab_normals *normals)
{
    f->sigma = flicker * sqrt(log(FLICKER_RATIO) / LAB_PI);
    f->n = 0;
    for (double time = 1 / rate_hz; time < SLOWEST_S && f->n < LAB_FLICKER_MAX; time *= FLICKER_RATIO) {
        double every = fmax(1, floor(time * rate_hz / 4));
        f->every[f->n] = (uint32_t)every;
        f->keep[f->n] = exp(-every / (rate_hz * time));
        f->kick[f->n] = f->sigma * sqrt(1 - f->keep[f->n] * f->keep[f->n]);
        f->n++;
    }
    for (int axis = 0; axis < 3; axis++) { /* as if it had run for ever */
        f->sum[axis] = 0;
        for (int i = 0; i < f->n; i++) {
            f->value[axis][i] = f->sigma * lab_normals_next(normals);
            f->sum[axis] += f->value[axis][i];
        }
    }
}

static void step_flicker(lab_flicker *f, uint32_t sample, lab_normals *normals)
{
    for (int i = 0; i < f->n; i++) {
        if (sample != f->due[i]) {
            continue;
        }
        f->due[i] += f->every[i];
        for (int axis = 0; axis < 3; axis++) {
            double before = f->value[axis][i];
            f->value[axis][i] = before * f->keep[i] + f->kick[i] * lab_normals_next(normals);
            f->sum[axis] += f->value[axis][i] - before;
        }
    }
}

static void make_path(lab_sensor_path *path, const marl_sensor_sheet *sheet, double rate_hz,
                      lab_normals *normals)
{
    path->has_mass = sheet->resonance_hz > 0;
    path->has_low_pass = sheet->low_pass_hz > 0;
    if (path->has_mass) {
        path->mass = lab_lowpass2_make(sheet->resonance_hz, sheet->damping, 1 / rate_hz);
    }
    if (!path->has_low_pass) {
        return;
    }
    path->low_pass = lab_lowpass2_make(sheet->low_pass_hz, FLATTEST, 1 / rate_hz);
    for (int axis = 0; axis < 3; axis++) { /* as if it had run for ever */
        path->noise_state[axis][0] = path->low_pass.rest[0] * lab_normals_next(normals);
        path->noise_state[axis][1] = path->low_pass.rest[1] * lab_normals_next(normals);
    }
}

/* What comes out of the part's moving mass and low-pass; at the first sample they have settled. */
static double follow(lab_sensor_path *path, int axis, double truth)
{
    double felt = truth, moved;
    if (!path->started) {
        path->felt[axis] = path->moved[axis] = path->mass_state[axis][0] = path->pass_state[axis][0] = truth;
    }
    moved = path->has_mass ? lab_lowpass2_follow(&path->mass, path->mass_state[axis], path->felt[axis], felt)
                           : felt;
    double passed = path->has_low_pass ? lab_lowpass2_follow(&path->low_pass, path->pass_state[axis],
                                                             path->moved[axis], moved)
                                       : moved;
    path->felt[axis] = felt;
    path->moved[axis] = moved;
    return passed;
}

static double white_noise(lab_sensor_model *model, int axis)
{
    double a = lab_normals_next(&model->normals);
    if (!model->path.has_low_pass) {
        return model->sigma * a;
    }
    double b = lab_normals_next(&model->normals);
    return model->sheet.white *
           lab_lowpass2_noise(&model->path.low_pass, model->path.noise_state[axis], a, b);
}

lab_sensor_model lab_sensor_model_make(const marl_sensor_sheet *sheet, double rate_hz, lab_random random)
{
    lab_sensor_model model = {.sheet = *sheet, .normals = lab_normals_of(random)};
    model.sigma = sheet->white * sqrt(rate_hz);
    model.step = sheet->walk / sqrt(rate_hz);
    model.count = ldexp(sheet->full_scale, 1 - sheet->bits);
    for (int i = 0; i < 3; i++) {
        model.bias[i] = sheet->bias[i] + sheet->bias_spread * lab_normals_next(&model.normals);
    }
    make_path(&model.path, sheet, rate_hz, &model.normals);
    if (sheet->flicker > 0) {
        make_flicker(&model.flicker, sheet->flicker, rate_hz, &model.normals);
    }
    return model;
}

/* Whole counts from -2^(bits-1) to 2^(bits-1) - 1. */
static double digitise(const lab_sensor_model *model, double value)
{
    double max = (double)(INT64_C(1) << (model->sheet.bits - 1));
    /* to the nearest whole number: beyond 2^52 doubles have no fraction */
    double counts = (value / model->count + ROUNDER) - ROUNDER;
    counts = counts < -max ? -max : counts;
    return (counts > max - 1 ? max - 1 : counts) * model->count;
}

/* What the axis reads of the truth. */
static double mix(const marl_sensor_sheet *sheet, const double truth[3], int axis)
{
    const double *cross = sheet->cross_axis[axis];
    return truth[axis] * (1.0 + sheet->scale_error[axis]) + cross[0] * truth[0] + cross[1] * truth[1] +
           cross[2] * truth[2];
}

marl_vec3 lab_sensor_model_read(lab_sensor_model *model, const double truth[3], double degC)
{
    const marl_sensor_sheet *sheet = &model->sheet;
    float out[3];
    if (model->flicker.n > 0) {
        step_flicker(&model->flicker, model->sample, &model->normals);
    }
    for (int i = 0; i < 3; i++) {
        if (model->step > 0) {
            model->walked[i] += model->step * lab_normals_next(&model->normals);
        }
        double value = follow(&model->path, i, mix(sheet, truth, i)) + model->bias[i] + model->walked[i] +
                       model->flicker.sum[i] + sheet->bias_per_degC[i] * (degC - sheet->reference_degC);
        value += white_noise(model, i);
        out[i] = (float)digitise(model, value);
    }
    model->path.started = 1;
    model->sample++;
    return (marl_vec3){out[0], out[1], out[2]};
}
