/* SPDX-License-Identifier: MIT
 * Parts of the smoother. Numbers in brackets are the sections of docs/methods/smoother.md. */
#ifndef LAB_SMOOTH_PARTS_H
#define LAB_SMOOTH_PARTS_H

#include "marlinspike/sample.h"
#include "marlinspike/smooth.h"

/* States: turn of the nominal attitude (world), gyroscope bias (body), horizontal velocity, remainder of the
 * magnetometer's bias, of the accelerometer's (body), field north and up, and what calibration left of the
 * gyroscope's matrix, by rows. All but the turn are absolute; all from MAG on are constant. */
enum {
    THETA = 0,
    BIAS = 3,
    VELOCITY = 6,
    MAG = 8,
    ACCEL = 11,
    FIELD = 14,
    MATRIX = 16,
    STATES = 25,
    CHANGING = MAG
};

#define LAB_MAG_NOISE 0.5 /* sigma_m, uT: of one reading */

#define LAB_SMOOTH_MIN_S 10.0

/* One block of rows, about 0.1 s, and the knot at its end. */
typedef struct lab_knot {
    size_t first, last; /* rows of the block; `last` is the knot's */
    int64_t t_ns;
    double length;                  /* T, s; 0 for the first knot */
    int gap;                        /* a single step of over 0.1 s */
    double gap_turn2;               /* rad^2 that the gyroscope may have missed in it */
    double q[4];                    /* nominal attitude at the knot */
    double state[STATES];           /* the turn is applied to q at the end of each pass */
    double delta[3];                /* (3a) rotation by which the block's nominal motion misses the knot */
    double turn[9];                 /* mean rotation over the block */
    double turn_by_rate[3][9];      /* the same times the rate about each axis, rad/s */
    double force[3], force_turn[9]; /* mean world force, and its mean rotation; of `forces` readings */
    double field[3], field_turn[9];
    int forces, fields;
    double field_age;                        /* s since the last block with a field */
    double rate2;                            /* squared angular rate, (rad/s)^2 */
    double gyro[3], gyro2, accel[3], accel2; /* sums over the block's rows, for still spans */
    int gyros;
    double motion, speed, disturbance; /* (3b) A, V, e */
    int still, moves_fast;
    double covariance[12]; /* of the turn: xx yy zz xy xz yz; variances of bias and of the velocity */
} lab_knot;

typedef struct lab_smoother {
    size_t rows, knots;
    marl_sample *sample; /* corrected, in the sensors' frame */
    marl_quat from_body; /* turns vectors of the body into the sensors' frame */
    lab_knot *knot;
    double unmodelled_tilt, unmodelled_heading; /* rad: scale and misalignment that nothing has corrected */
    double *store;                              /* (3c) the filter's estimates, for the way back */
    int has_mag;
    double mag_prior, accel_prior, matrix_prior; /* uT, m/s^2, 1 */
    int gyro_is_calibrated;                      /* its bias is known */
    double last_covariance[STATES];
} lab_smoother;

/* (2) Cuts the rows into blocks and takes the start from the causal filter. */
MARL_CHECKED marl_status lab_smooth_start(lab_smoother *s, const char *path, marl_error *error);
/* (3a) Nominal motion within the blocks. */
void lab_smooth_move(lab_smoother *s);
/* (3b) Evidence over the knots, `pass` from 0. */
MARL_CHECKED marl_status lab_smooth_find_evidence(lab_smoother *s, int pass, marl_error *error);
/* (3c) to (3e). MARL_ERR_INSUFFICIENT when the covariance cannot be inverted. */
MARL_CHECKED marl_status lab_smooth_filter(lab_smoother *s, marl_error *error);

/* Attitudes in double: w first. */
void lab_turn_world(const double rotation[3], double q[4]); /* q := exp(rotation) q */
void lab_turn_body(double q[4], const double rotation[3]);  /* q := q exp(rotation) */
void lab_matrix_of(const double q[4], double matrix[9]);
/* The rotation vector of a q^-1, world. */
void lab_rotation_between(const double a[4], const double b[4], double rotation[3]);
/* The rate that turns from one row to the next, without bias and remainder of the matrix. */
void lab_rate_between(const marl_sample *before, const marl_sample *after, const double state[STATES],
                      double rate[3]);

/* The part of a log that is being smoothed, as a share of it, for the progress. */
typedef struct lab_smooth_part {
    double from, length;
} lab_smooth_part;

/* As marl_smooth, the log in one piece. */
MARL_CHECKED marl_status lab_smooth_whole(const marl_log *log, const marl_smooth_options *options,
                                          const lab_smooth_part *part, marl_smoothed *smoothed,
                                          marl_error *error);

#endif
