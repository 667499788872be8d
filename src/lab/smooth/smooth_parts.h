/* SPDX-License-Identifier: MIT
 * Parts of the smoother. Numbers in brackets are the sections of docs/methods/smoother.md. */
#ifndef LAB_SMOOTH_PARTS_H
#define LAB_SMOOTH_PARTS_H

#include "marlinspike/sample.h"
#include "marlinspike/smooth.h"

/* States that change: turn of the nominal attitude (world), gyroscope bias (body), horizontal velocity. */
enum { THETA = 0, BIAS = 3, VELOCITY = 6, STATES = 8 };

/* Constants: bias of magnetometer and accelerometer (body), field north and up, matrix of the gyroscope (E), place of
 * the accelerometer from the point whose velocity is estimated (m, body), matrices of accelerometer and magnetometer
 * (D), how late the readings of these two are against the gyroscope's (s), what a force adds to the rate that is read
 * (S, rad/s per m/s^2, beside the mean force). Of a reading = (1 + E or D) truth + bias; matrices by rows. */
enum {
    MAG = 0,
    ACCEL = 3,
    FIELD = 6,
    GYRO_MATRIX = 8,
    ARM = 17,
    ACCEL_DELAY = 20,
    ACCEL_MATRIX = 21,
    MAG_MATRIX = 30,
    MAG_DELAY = 39,
    GYRO_FORCE = 40,
    CONSTANTS = 49
};

#define LAB_MAG_NOISE 0.5 /* sigma_m, uT: of one reading */
#define LAB_SMOOTH_MIN_S 10.0
#define LAB_STEADY_WALK 5e-6 /* n_b of a part that is warm, the least that is assumed, rad/s/sqrt(s) */

/* Means over the readings of a vector sensor in a block, turned into the world; they refer to the knot. With a 9 by
 * 3 entry [r][3 i + j]: by row r of the world, and element (i, j) of a matrix. */
typedef struct lab_block_vector {
    int n;
    double mean[3];
    double turn[9];       /* rotation: what a bias adds */
    double matrix[3][9];  /* what a matrix D adds to the expected reading */
    double by_delay[3];   /* what a second of delay adds */
    double by_bias[9];    /* (I_b) rotation, integrated from the reading to the knot, s */
    double by_rate[3][9]; /* (I_E) the same times the rate, rad */
} lab_block_vector;

/* One block of rows, of 0.1 s or of one row, and the knot at its end. */
typedef struct lab_knot {
    size_t first, last; /* rows of the block; `last` is the knot's */
    int64_t t_ns;
    double length;          /* T, s; 0 for the first knot */
    int gap;                /* a single step over which rows are missing */
    double unseen2;         /* rad^2 per axis that the gyroscope may have missed */
    double q[4];            /* nominal attitude at the knot */
    double state[STATES];   /* the turn is applied to q at the end of each pass */
    double delta[3];        /* (3a) rotation by which the block's nominal motion misses the knot */
    double turn[9];         /* mean rotation over the block */
    double by_rate[3][9];   /* the same times the rate, rad/s */
    double by_force[3][9];  /* and times the force, m/s^2 */
    lab_block_vector force; /* m/s^2 */
    double arm[9];          /* mean acceleration of a point by its place in the body, 1/s^2 */
    lab_block_vector field; /* uT */
    double field_age;       /* s since the last block with a field */
    double rate2;           /* squared angular rate, (rad/s)^2 */
    double gyro[3], gyro2, accel[3], accel2; /* sums over the block's rows, for still spans */
    int gyros;
    double motion, vertical, speed, disturbance; /* (3b) A, A_z, V, e */
    /* variance that steps of a sensor leave, times how long it lasts: (m/s^2)^2 s, rad^2/s, uT^2 s */
    double coarse[MARL_SENSOR_COUNT];
    int still, moves_fast;
    double covariance[12]; /* of the turn: xx yy zz xy xz yz; variances of bias and of the velocity */
} lab_knot;

/* What is assumed of the sensors: standard deviation of each constant, 0 where it is exact. */
typedef struct lab_assumption {
    double sigma[CONSTANTS];
} lab_assumption;

typedef struct lab_progress {
    marl_smooth_progress *call; /* may be NULL */
    void *context;
    double from, length; /* the part of the log that is being smoothed, as a share of it */
} lab_progress;

typedef struct lab_smoother {
    const char *path; /* of the log, for messages */
    const lab_progress *progress;
    size_t rows, knots;
    marl_sample *sample;            /* corrected, in the sensors' frame */
    double *rate;                   /* three for each row: mean readings since the row before */
    double mean_force[3];           /* of all rows: under it the gyroscope's bias is what is called so */
    double usual_step;              /* from row to row, the median, s */
    double step[MARL_SENSOR_COUNT]; /* in which a sensor reads where that is coarse, SI; else 0 */
    int64_t gap_ns;                 /* rows are missing over longer steps */
    marl_quat from_body;            /* turns vectors of the body into the sensors' frame */
    lab_knot *knot;
    int has_mag;
    int has_iron;                  /* it is large, and taken off the samples */
    double iron[3], iron_sigma[3]; /* hard iron by the turns alone, uT */
    lab_assumption raw;            /* of sensors that nobody has calibrated */
    lab_assumption assumed;
    double constant[CONSTANTS], constant_sigma[CONSTANTS]; /* of the last pass */
    double *store;                                         /* (3c) the filter's estimates, for the way back */
    float *slopes;                                         /* ... and how they change with the constants */
    int passes;                                            /* that were made from the last start */
    double made;                                           /* in all */
    double walk;                                           /* n_b: of the gyroscope's bias, rad/s/sqrt(s) */
    double noise;                                          /* n_g: of its rate, rad/s/sqrt(Hz) */
    double change;   /* u: mean square of the turn in the last pass over its variance */
    double deviance; /* J: -2 log likelihood of the last pass, up to a constant */
} lab_smoother;

/* (2) Cuts the rows into blocks. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_smooth_cut(lab_smoother *s, marl_error *error);
/* (2) Finds the hard iron by the turns; one of over 10 uT is taken off the samples. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_smooth_find_iron(lab_smoother *s, marl_error *error);
/* (2) Takes the start from the causal filter, with or without its weighting. */
MARL_CHECKED marl_status lab_smooth_start(lab_smoother *s, int weighting, marl_error *error);
/* (3a) Nominal motion within the blocks. */
void lab_smooth_move(lab_smoother *s);
/* (3b) Evidence over the knots. */
MARL_CHECKED marl_status lab_smooth_find_evidence(lab_smoother *s, marl_error *error);
/* (3c) to (3e). MARL_ERR_INSUFFICIENT when the covariance cannot be inverted. */
MARL_CHECKED marl_status lab_smooth_filter(lab_smoother *s, marl_error *error);

/* (3f) The walk of the gyroscope's bias by its last pass. */
void lab_smooth_find_walk(lab_smoother *s);

/* Mean force or field of a block, world, without what the constants say of bias and matrix and, of the force,
 * gravity and the motion of the arm. */
void lab_smooth_force(const lab_smoother *s, const lab_knot *k, double force[3]);
void lab_smooth_field(const lab_smoother *s, const lab_knot *k, double field[3]);

/* Attitudes in double: w first. */
void lab_turn_world(const double rotation[3], double q[4]); /* q := exp(rotation) q */
void lab_turn_body(double q[4], const double rotation[3]);  /* q := q exp(rotation) */
void lab_matrix_of(const double q[4], double matrix[9]);
/* The rotation vector of a q^-1, world. */
void lab_rotation_between(const double a[4], const double b[4], double rotation[3]);

/* Mean rates from row to row, and how long a step may be. Two rows or more. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_smooth_find_rates(lab_smoother *s, marl_error *error);
/* (2) What the blocks are off by where a sensor reads in coarse steps. */
void lab_smooth_find_coarseness(lab_smoother *s);
/* The noise of the gyroscope's rate by its readings alone, rad/s/sqrt(Hz). MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status lab_smooth_find_noise(lab_smoother *s, marl_error *error);
/* From the row before row i to it, s; 0 for the first. */
double lab_step_s(const lab_smoother *s, size_t i);
/* The rotation from the row before row i to it, body there, without bias and matrix. */
void lab_turn_into(const lab_smoother *s, size_t i, const double bias[3], double turned[3]);
/* The rate that is read at row i, without bias and matrix. */
void lab_rate_at(const lab_smoother *s, size_t i, const double bias[3], double rate[3]);
/* The force that is read at row i, beside the mean one. */
void lab_force_at(const lab_smoother *s, size_t i, double force[3]);
/* Mean square per axis of what that rotation may miss, rad^2. */
double lab_unseen2(const lab_smoother *s, size_t i);

/* What came of all passes. */
typedef struct lab_verdict {
    int claimed;       /* somebody says that sensors are calibrated */
    int calibrated;    /* the result is that of the claim */
    int contradicted;  /* a magnetometer that is said to be calibrated has a large hard iron */
    double preference; /* J as claimed less J as raw */
    double change;     /* u: mean square of the last turns over their variance */
    double
        missed; /* k: of what the gyroscope's motion misses, mean square over 2 s over its variance; largest */
    double worst;      /* largest constant over its raw assumption; 0 where the claim was kept */
    const char *worse; /* which that is, in words */
} lab_verdict;

/* (4) All passes, first as raw, then as `claimed`; the result is the one that the log supports. */
MARL_CHECKED marl_status lab_smooth_settle(lab_smoother *s, const lab_assumption *claimed,
                                           lab_verdict *verdict, marl_error *error);
/* Why such a result is not trusted, or NULL. */
const char *lab_smooth_distrust(double change, double missed, double worst, const char *worse);
/* What is assumed of sensors that nobody has calibrated. */
lab_assumption lab_assume_raw(void);
/* And of one that is calibrated, by this fit and its standard errors; NULL: in full. */
void lab_assume_calibrated(lab_assumption *assumed, marl_sensor sensor, const marl_fit *fit);

/* As marl_smooth, the log in one piece. */
MARL_CHECKED marl_status lab_smooth_whole(const marl_log *log, const marl_smooth_options *options,
                                          const lab_progress *progress, marl_smoothed *smoothed,
                                          marl_error *error);

#endif
