/* SPDX-License-Identifier: MIT
 * A calibration renewed on the device itself: in fixed memory, without a desk. The usual order of calls:
 *
 *   marl_renewal_init(&job);
 *   marl_renewal_start(&job, MARL_RENEW_TUMBLE, &stored, NULL);
 *   marl_renewal_feed(&job, &raw);            each sample, until the stage is MARL_RENEWAL_DONE or _REFUSED
 *   marl_renewal_apply(&job, &calibration);   what was found goes into a calibration
 *
 * The streaming application (app.h) makes these calls on a message or by a button. What is found renews the stored
 * correction: a soft iron or a misalignment that it knows stays, as far as the new readings do not show another. */
#ifndef MARLINSPIKE_RENEW_H
#define MARLINSPIKE_RENEW_H

#include "marlinspike/sample.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_renewal_kind {
    MARL_RENEW_NOTHING = 0,
    MARL_RENEW_STILL = 1, /* the gyroscope's bias, at rest for ten seconds */
    MARL_RENEW_POSES = 2, /* the accelerometer, from still poses on all six faces */
    MARL_RENEW_TUMBLE = 3 /* the magnetometer, turned by hand into all directions */
} marl_renewal_kind;

typedef enum marl_renewal_stage {
    MARL_RENEWAL_IDLE = 0,
    MARL_RENEWAL_WAIT = 1,    /* hold on: still, poses: do not move; tumble: the fit is being made */
    MARL_RENEWAL_MOVE_ON = 2, /* poses: this one is in, the next; tumble: go on turning */
    MARL_RENEWAL_DONE = 3,
    MARL_RENEWAL_REFUSED = 4,
    MARL_RENEWAL_AGAIN = 5 /* the field contradicts what is stored: calibrate again (the watch, below) */
} marl_renewal_stage;

/* Why it was refused; these numbers never change. */
typedef enum marl_renewal_reason {
    MARL_RENEWAL_NO_REASON = 0,
    MARL_RENEWAL_MOVES = 1,      /* it was not at rest for long enough */
    MARL_RENEWAL_TURNS = 2,      /* at rest, but turning slowly */
    MARL_RENEWAL_FEW = 3,        /* too few readings or poses */
    MARL_RENEWAL_DIRECTIONS = 4, /* the directions do not determine it */
    MARL_RENEWAL_SCATTER = 5,    /* the readings do not have one length: no field, or not turned, or shaken */
    MARL_RENEWAL_STEEL = 6,      /* the field changes from place to place */
    MARL_RENEWAL_STOPPED = 7,    /* by whoever started it */
    MARL_RENEWAL_WORSE = 8,      /* what is stored has smaller errors and agrees */
    MARL_RENEWAL_STORE = 9       /* the memory did not keep it */
} marl_renewal_reason;

/* "moves", "steel", ...; never NULL. */
const char *marl_renewal_reason_text(marl_renewal_reason reason);

typedef struct marl_renewal_options {
    float length; /* MARL_RENEW_POSES: gravity, m/s^2. MARL_RENEW_TUMBLE: the field, uT; 0: unknown, and the
                     * matrix keeps its determinant */
    float patience_s; /* after so long it ends with what there is */
    uint8_t poses;    /* MARL_RENEW_POSES: enough, when all six faces are among them; 6 to 24 */
    float coverage;   /* MARL_RENEW_TUMBLE: share of 60 cells of equal area that is enough */
} marl_renewal_options;

/* 9.80665 m/s^2 or unknown, 180 s, 6 poses, 0.8. */
marl_renewal_options marl_renewal_default(marl_renewal_kind kind);

/* What was found, or what is known so far. */
typedef struct marl_renewed {
    marl_correction correction; /* of the sensor, in place of the stored one */
    marl_vec3 change;           /* of its bias, in the sensor's unit */
    marl_vec3 bias_sigma;       /* standard errors, in the sensor's unit */
    float matrix_sigma;         /* the largest of the matrix; 0: the matrix is the stored one */
    float residual_rms; /* distance of the readings from the surface, in the sensor's unit; still: scatter */
    float length;       /* tumble: the field found, uT */
    float coverage;     /* 0 to 1: of the directions, faces, or the time */
    uint32_t points;    /* readings, poses, or half seconds at rest */
    uint8_t missing;    /* face that is to be shown next: 0 to 5 for +x -x +y -y +z -z; 6: none.
                                 * Poses: that axis up; tumble: that axis along the field */
    uint8_t sensor;     /* marl_sensor */
} marl_renewed;

/* ---- what follows is the inside ---- */

typedef enum marl_surface_model {
    MARL_SURFACE_SPHERE, /* bias alone */
    MARL_SURFACE_DIAGONAL,
    MARL_SURFACE_FULL
} marl_surface_model;

/* Moments of readings up to the fourth. */
typedef struct marl_surface {
    uint32_t n;
    float sum[55], lost[55];
} marl_surface;

/* |A (x - b)| = 1. */
typedef struct marl_surface_fit {
    float unknown[9]; /* b; the elements xx yy zz xy xz yz of A */
    float bias_sigma[3], matrix_sigma;
    float step; /* size of the last one, of the surface's */
    uint8_t model, steps, settled, lost;
} marl_surface_fit;

enum { MARL_RENEWAL_POINTS = 64, MARL_RENEWAL_POSES = 24 };

typedef struct marl_renewal_rest {
    marl_still still;
    marl_stats gyro[2], accel[2], mag[2]; /* means of quiet windows, in two halves */
} marl_renewal_rest;

typedef struct marl_renewal_poses {
    marl_still still;
    marl_surface surface;
    marl_surface_fit fit;
    marl_vec3 pose[MARL_RENEWAL_POSES], sum, squares, before;
    float noise2[MARL_RENEWAL_POSES]; /* squares of the poses' standard errors */
    uint8_t n, windows, fitting;
} marl_renewal_poses;

typedef struct marl_renewal_tumble {
    marl_surface surface;
    marl_surface_fit fit, seen_by; /* being made; by which directions are counted */
    float residual, full_residual; /* of the fit, and of the one before the simpler one; 0: there was none */
    int16_t point[MARL_RENEWAL_POINTS][3]; /* readings far from each other */
    int32_t apart;                         /* square of half the distance between them */
    marl_vec3 middle, before;
    struct {
        float begin_s, sum[2], means, differences, n;
        uint16_t in[2];
    } blocks;                      /* distances from the surface over blocks of time, in two halves each */
    float distance, steps2, steps; /* the last distance; squares of those from reading to reading */
    uint32_t next_fit;
    uint8_t points, thinning, fitting, phase, seen[8];
} marl_renewal_tumble;

typedef struct marl_renewal {
    uint8_t kind, stage, reason, ending;
    marl_renewal_options options;
    marl_renewed found;
    marl_correction stored; /* of the sensor that is renewed */
    float degC;
    int64_t first_ns;
    float seconds; /* since the first sample */
    union {
        marl_renewal_rest rest;
        marl_renewal_poses poses;
        marl_renewal_tumble tumble;
    } of;
} marl_renewal;

/* ---- calls ---- */

void marl_renewal_init(marl_renewal *job);

/* Begins; one that runs is given up. `stored` is the calibration that the device uses, `options` may be NULL.
 * MARL_ERR_ARGUMENT when a number is out of range; nothing changes then. */
MARL_CHECKED marl_status marl_renewal_start(marl_renewal *job, marl_renewal_kind kind,
                                            const marl_calibration *stored,
                                            const marl_renewal_options *options);

/* Takes a raw sample. A call costs one step of a fit at most. */
void marl_renewal_feed(marl_renewal *job, const marl_sample *raw);

/* No more is coming: the next calls of marl_renewal_feed decide by what there is. */
void marl_renewal_finish(marl_renewal *job);

/* Puts the correction that was found in the place of its sensor's. MARL_ERR_NOT_READY unless the stage is DONE. */
MARL_CHECKED marl_status marl_renewal_apply(const marl_renewal *job, marl_calibration *calibration);

/* ---- watch ---- */

/* Does the field still fit the calibration, while the board is used? A hard iron that has changed makes the field longer
 * on one side than on the other: lengths are fitted over directions, by least squares with a memory of five minutes. Steel
 * that passes by is shorter than that, and a field that is longer or shorter on all sides is that of another place. */
typedef struct marl_field_watch {
    float normal[10], right[4], squares, readings; /* sums that fade */
    float seconds;                                 /* that they stand for */
    float since_tick_s, contradicted_s;
    int64_t last_ns;
    marl_vec3 off,
        sigma;     /* uT: how far the bias seems to be off, in the corrected sensor's axes; standard errors */
    float length;  /* uT, mean */
    uint8_t again; /* it contradicts, and was reported */
} marl_field_watch;

void marl_field_watch_init(marl_field_watch *watch);

/* Takes a corrected reading of the magnetometer, uT. Returns 1 once, when the bias has seemed off for a minute by over 5 %
 * of the field and four standard errors: `off`, `sigma` and `length` are the evidence. */
int marl_field_watch_feed(marl_field_watch *watch, int64_t t_ns, marl_vec3 mag);

#ifdef __cplusplus
}
#endif
#endif
