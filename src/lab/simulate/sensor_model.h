/* SPDX-License-Identifier: MIT
 * The sensor model: it turns the true motion into readings with the errors of a data sheet. */
#ifndef LAB_SENSOR_MODEL_H
#define LAB_SENSOR_MODEL_H

#include "lab/maths/random.h"
#include "marlinspike/quat.h"
#include "marlinspike/simulate.h"

/* 1/f noise as a sum of first-order processes whose time constants rise by a factor of four, each stepped
 * exactly: "On the noise spectra of semi-conductor noise and of flicker effect" (1950). Slow ones are stepped
 * rarely. */
#define LAB_FLICKER_MAX 16

typedef struct lab_flicker {
    int n;
    double sigma;                    /* deviation of each process */
    double keep[LAB_FLICKER_MAX];    /* share of the value that a step leaves */
    double kick[LAB_FLICKER_MAX];    /* deviation of what a step adds */
    uint32_t every[LAB_FLICKER_MAX]; /* samples between steps */
    uint32_t due[LAB_FLICKER_MAX];   /* the sample of the next step */
    double value[3][LAB_FLICKER_MAX], sum[3];
} lab_flicker;

/* A second-order low-pass section, x'' + 2 d w x' + w^2 x = w^2 u: what a step of fixed length does, exactly;
 * the same for all axes. */
typedef struct lab_lowpass2 {
    double w, damping; /* rad/s, 1 */
    double step;       /* s */
    double free[2][2]; /* what is left of (x, x') without input */
    double kick[3];    /* lower triangle by rows of what a step adds of unit white noise */
    double rest[2];    /* deviations of x and x' under unit white noise for ever */
} lab_lowpass2;

/* The way of the truth through the part: its moving mass, then its low-pass, where the sheet has them. */
typedef struct lab_sensor_path {
    int has_mass, has_low_pass, started;
    lab_lowpass2 mass, low_pass;
    double felt[3], moved[3]; /* inputs of the two at the sample before */
    double mass_state[3][2], pass_state[3][2], noise_state[3][2];
} lab_sensor_path;

/* One sensor's errors, in this order: scale and cross-axis, bias with its temperature, 1/f noise and walk,
 * white noise, saturation, rounding to counts. */
typedef struct lab_sensor_model {
    marl_sensor_sheet sheet;
    double bias[3]; /* of this power-on */
    double sigma;   /* of one sample's white noise without low-pass */
    double step;    /* of the walk, per sample */
    double walked[3];
    double count; /* one count */
    uint32_t sample;
    lab_flicker flicker;
    lab_sensor_path path;
    lab_normals normals;
} lab_sensor_model;

lab_sensor_model lab_sensor_model_make(const marl_sensor_sheet *sheet, double rate_hz, lab_random random);
marl_vec3 lab_sensor_model_read(lab_sensor_model *model, const double truth[3], double degC);

#endif
