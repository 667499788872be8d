/* SPDX-License-Identifier: MIT
 * Scenes with their truth in memory, for the accuracy of filters; and the error after the first five seconds.
 */
#ifndef ACCURACY_SCENES_H
#define ACCURACY_SCENES_H

#include "marlinspike/lab.h"
#include "plain.h"

enum { ACCURACY_SCENES = 5 };
static const marl_scene_kind accuracy_scenes[ACCURACY_SCENES] = {
    MARL_SCENE_LIFT, MARL_SCENE_SHAKE, MARL_SCENE_SLEW, MARL_SCENE_STEEL, MARL_SCENE_UPSIDE};

typedef struct accuracy_run {
    marl_scene_kind kind;
    uint64_t seed;
    size_t n;
    marl_sample *sample;
    marl_quat *truth;
} accuracy_run;

/* Mean squares in degrees^2, over `n` samples. */
typedef struct accuracy_sum {
    double total, tilt, heading;
    size_t n;
} accuracy_sum;

/* The Grommet as calibration leaves it: some of the accelerometer's and the gyroscope's errors, the
 * magnetometer's, and a gyroscope bias of some 0.3 to 0.6 deg/s of this power-on. */
marl_sheet accuracy_sheet(void);

/* Stops the program without memory. */
accuracy_run accuracy_run_make(marl_scene_kind kind, const marl_sheet *sheet, uint64_t seed);
void accuracy_run_free(accuracy_run *run);
/* The same without its first seconds, as if switched on then. It shares the memory: free `run` alone. */
accuracy_run accuracy_run_from(const accuracy_run *run, double seconds);

/* Takes one estimate in, where it lies after the run's first five seconds. */
void accuracy_add(accuracy_sum *sum, const accuracy_run *run, size_t i, marl_quat q);
/* Square root of a mean square. */
double accuracy_rms(double squares, size_t n);

/* The textbook loop of each filter and the one tuning that `bench plain` found for it on other seeds. */
typedef struct accuracy_plain {
    plain_step *step;
    float gain, bias_gain;
} accuracy_plain;

extern const accuracy_plain accuracy_textbook[MARL_FILTER_COUNT];

void accuracy_run_plain(const accuracy_plain *plain, const accuracy_run *run, accuracy_sum *sum);
/* Stops the program when the tuning is refused. */
void accuracy_run_ours(const marl_tuning *tuning, const accuracy_run *run, accuracy_sum *sum);

/* What the magnetometer's left-over errors alone make of the heading, the tilt being known: the run must be
 * of a sheet whose magnetometer has no noise. */
void accuracy_run_field(const accuracy_run *run, accuracy_sum *sum);

/* The place of the pod from the axis of the tower, m, in the body, in the middle of the slew. */
marl_vec3 accuracy_lever(uint64_t seed);

#endif
