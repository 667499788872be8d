/* SPDX-License-Identifier: MIT
 * Classes of motion with their truth in memory, for the accuracy of filters; errors count from five seconds
 * after the start. */
#ifndef ACCURACY_SCENES_H
#define ACCURACY_SCENES_H

#include "marlinspike/lab.h"
#include "plain.h"

/* A class of motion: a scene, where in it the recording starts, whether a speed is recorded. */
typedef struct accuracy_class {
    const char *name;
    marl_scene_kind kind;
    double skip_s, seconds;
    int speed;
} accuracy_class;

enum { ACCURACY_CLASSES = 16, ACCURACY_UNTUNED = 5, ACCURACY_HARDER = 5 };
extern const accuracy_class accuracy_classes[ACCURACY_CLASSES];
/* Motions and starts that no seed was tuned on. */
extern const accuracy_class accuracy_untuned[ACCURACY_UNTUNED];
/* Driving without a stop, and tumbling faster than any of the others; no constant was chosen by these. */
extern const accuracy_class accuracy_harder[ACCURACY_HARDER];

/* All of them, in this order, from 0 on. */
const accuracy_class *accuracy_class_of(int c);

/* Seeds for tuning, and others for reporting. */
enum { ACCURACY_SEEDS = 10, ACCURACY_TUNED_FROM = 1001, ACCURACY_REPORTED_FROM = 1 };

typedef struct accuracy_run {
    uint64_t seed;
    int calibrated; /* the gyroscope's bias counts as known, as the pipeline has it */
    size_t n;
    marl_sheet sheet;
    marl_sample *sample;
    marl_quat *truth;
} accuracy_run;

/* Sums of squares in degrees^2, over `n` attitudes; and of squared errors over their stated variance. */
typedef struct accuracy_sum {
    double total, tilt, heading;
    double tilt_ratio, heading_ratio;
    size_t n, stated;
} accuracy_sum;

/* Consumer-grade sensors after calibration, drawn anew for each seed: 0.3 to 0.6 deg/s of gyroscope bias,
 * 0.012 m/s^2 and 0.15 uT per axis, 0.05 to 0.1 % of scale; 200 Hz, magnetometer 25 Hz. */
marl_sheet accuracy_sheet(uint64_t seed);

/* At 200 Hz, the magnetometer at 25 Hz, or at other rates; calibrated. Stops the program without memory. */
accuracy_run accuracy_run_make(const accuracy_class *of, uint64_t seed);
accuracy_run accuracy_run_make_at(const accuracy_class *of, uint64_t seed, double rate_hz, double mag_hz);
/* With the gyroscope's bias so many times as large, and nothing known of it. */
accuracy_run accuracy_run_make_biased(const accuracy_class *of, uint64_t seed, double factor);
/* What is wrong with sensors before calibration, or what calibration has left. */
typedef struct accuracy_grade {
    const char *name;
    int declared;               /* the log says that it is corrected */
    double gyro_low, gyro_high; /* length of the gyroscope's bias, deg/s; 0: that of accuracy_sheet */
    double scale, misalignment; /* standard deviation of each element; 0: those of accuracy_sheet */
    double accel_bias, mag_bias;
    double gyro_scale;             /* of the gyroscope alone, half of it beside the diagonal; 0: as above */
    double accel_times, mag_times; /* what calibration left of these, so many times; 0: once */
    double shaken;                 /* m/s^2 rms: shaken in all directions besides, 0.3 to 6 Hz */
    double noise_times, dip_deg;   /* 0: once, 61.2 */
    double gyro_noise_times, by_force; /* 0: once; deg/s per g on each axis for each axis (one sigma) */
    double
        warm_gyro; /* deg/s: the gyroscope's bias moves by so much on each axis (one sigma), to its end within half
                         a minute to ten minutes (time constant) */
} accuracy_grade;
/* Errors by the grade, drawn anew for each seed; nothing known of them unless they are declared calibrated. */
accuracy_run accuracy_run_make_graded(const accuracy_class *of, uint64_t seed, const accuracy_grade *grade);
/* With these sensors at these rates; nothing known of them. */
accuracy_run accuracy_run_make_with(const accuracy_class *of, uint64_t seed, const marl_sheet *sheet);
void accuracy_run_free(accuracy_run *run);
/* Every sample with a gap of `gap_s` before it, one in `every_s`, is gone. */
void accuracy_run_cut(accuracy_run *run, double gap_s, double every_s);

/* Adds one estimate where it lies after the run's first five seconds. */
void accuracy_add(accuracy_sum *sum, const accuracy_run *run, size_t i, marl_quat q);
/* Square root of a mean square. */
double accuracy_rms(double squares, size_t n);

/* The textbook loop of each filter and the one tuning that `bench plain` found for it on the tuning seeds. */
typedef struct accuracy_plain {
    plain_step *step;
    float gain, bias_gain;
    float accel_gate,
        mag_gate; /* readings whose length is off by more do not correct, m/s^2, uT; 0: all do */
} accuracy_plain;

extern const accuracy_plain accuracy_textbook[MARL_FILTER_COUNT];

/* It is given the true field. */
void accuracy_run_plain(const accuracy_plain *plain, const accuracy_run *run, accuracy_sum *sum);
/* Stops the program when the tuning is refused. */
void accuracy_run_ours(const marl_tuning *tuning, const accuracy_run *run, accuracy_sum *sum);

/* Position of the pod from the axis of the tower, m, in the body, in the middle of the slew. */
marl_vec3 accuracy_lever(uint64_t seed);

#endif
