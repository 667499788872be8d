/* SPDX-License-Identifier: MIT
 * What the guides of the different recordings share. */
#ifndef LAB_GUIDE_KINDS_H
#define LAB_GUIDE_KINDS_H

#include "marlinspike/record.h"
#include "marlinspike/sample.h"

/* When a sensor's readings come. */
typedef struct lab_pace {
    unsigned long n, gaps;
    int64_t first_ns, last_ns;
    double step_s; /* usual step, running */
} lab_pace;

/* What every kind sees: the sample, rest, time. */
typedef struct lab_watch {
    marl_still still;
    marl_still_verdict verdict; /* of the window that this sample ended */
    int64_t first_ns, last_ns;
    int started;
    lab_pace pace[MARL_SENSOR_COUNT];
} lab_watch;

typedef struct lab_poses {
    int n;
    struct {
        marl_vec3 direction;
        int windows; /* at rest in it */
    } pose[64];
    int current; /* -1: none */
} lab_poses;

enum { LAB_MAX_TURNS = 64 };
typedef struct lab_turns {
    double angle; /* wanted, degrees */
    double sum[3], bias[3], rate[3];
    int64_t rate_ns;
    int rated;
    int rested, was_still;
    int n[3][2];       /* turns about each axis, forward and back */
    int last_axis;     /* of the last turn, -1: none */
    double last_angle; /* degrees, signed */
} lab_turns;

enum { LAB_TUMBLE_POINTS = 4096, LAB_TUMBLE_CELLS = 60 };
typedef struct lab_tumble {
    int n, covered;
    int64_t covered_ns, kept_ns;
    float low[3], high[3];
    marl_vec3 missing; /* middle of what is not covered */
    char in[LAB_TUMBLE_CELLS];
    marl_vec3 point[LAB_TUMBLE_POINTS];
} lab_tumble;

typedef struct lab_soak {
    int heard;
    float now, low, high, reported_low, reported_high;
    int64_t changed_ns;
    unsigned long moved;
} lab_soak;

typedef struct lab_resting {
    double seconds;
} lab_resting;

struct marl_guide {
    marl_guide_kind kind;
    double amount;
    lab_watch watch;
    union {
        lab_resting still;
        lab_turns turns;
        lab_poses poses;
        lab_tumble tumble;
        lab_soak soak;
    } of;
};

/* A kind: start, feed a sample, progress (1 = enough), and text of what is in and what to do. */
typedef struct lab_guide_kind {
    const char *name;
    void (*start)(marl_guide *guide);
    void (*feed)(marl_guide *guide, const marl_sample *sample);
    double (*progress)(const marl_guide *guide);
    void (*show)(const marl_guide *guide, char *state, char *now);
} lab_guide_kind;

extern const lab_guide_kind lab_guide_still, lab_guide_turns, lab_guide_poses, lab_guide_tumble,
    lab_guide_soak;

/* "+x", "-x", "+y", ... of the axis nearest to a direction. */
const char *lab_face_name(int face);
int lab_nearest_face(marl_vec3 direction, double *cosine);

#endif
