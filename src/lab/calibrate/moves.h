/* SPDX-License-Identifier: MIT
 * Moves of a board from rest to rest: what the gyroscope says of them, and what the rests do. */
#ifndef LAB_MOVES_H
#define LAB_MOVES_H

#include "marlinspike/calibrate.h"

enum { LAB_MOVE_ELEMENTS = 9 }; /* of the gyroscope's matrix, row by row */

/* A rest: mean readings, corrected directions of length 1. */
typedef struct lab_rest {
    marl_span span;
    double rate[3]; /* raw mean */
    double temp;    /* degC, NaN without */
    double up[3], north[3];
    int has_north; /* a calibrated magnetometer was read */
} lab_rest;

/* The rests of a recording; directions by the calibration. MARL_ERR_INSUFFICIENT when there is none,
 * MARL_ERR_SYSTEM without memory; *rests is to be freed. */
MARL_CHECKED marl_status lab_rests_find(const marl_log *log, const marl_calibration_record *record,
                                        lab_rest **rests, size_t *n, marl_error *error);

/* The board from one rest to the next by the gyroscope: rotation takes directions of the body at the first
 * rest to the body at the second; slope[i] is the turn, rad, in the body at the second rest, that one more of
 * the matrix's element i would make. */
typedef struct lab_move {
    double rotation[3][3];
    double slope[LAB_MOVE_ELEMENTS][3];
    double angle; /* path of the rotation, rad */
    size_t readings;
} lab_move;

/* The bias is the mean of both rests'. */
void lab_move_integrate(const marl_log *log, const lab_rest *a, const lab_rest *b, const double matrix[3][3],
                        lab_move *move);

#endif
