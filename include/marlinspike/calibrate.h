/* SPDX-License-Identifier: MIT
 * Calibrations from recordings, named as the recordings are: still, poses, tumble, turns, soak, axes; and the
 * mount. Each calibration gives its standard errors, how well the directions are covered, and, when it is not
 * accepted, what to record next; then it also returns MARL_ERR_INSUFFICIENT, with what was found filled in.
 */
#ifndef MARLINSPIKE_CALIBRATE_H
#define MARLINSPIKE_CALIBRATE_H

#include "marlinspike/calibration.h"
#include "marlinspike/error.h"
#include "marlinspike/inspect.h"
#include "marlinspike/log.h"
#include "marlinspike/spans.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What every calibration ends with. */
typedef struct marl_calibrated {
    marl_sensor sensor;
    marl_fit fit;
    int accepted;
    const char *model; /* what was free in the fit */
    char next[300];    /* what to record next, when not accepted; "" = nothing */
    char remark[300];  /* what to know about a result that is accepted; "" = nothing */
} marl_calibrated;

/* The raw log that a sensor is to be calibrated from: MARL_ERR_INPUT when it is corrected already,
 * MARL_ERR_INSUFFICIENT when axes are missing, clipped or stuck. */
MARL_CHECKED marl_status marl_calibration_log_check(const marl_log *log, marl_sensor sensor,
                                                    marl_calibrated *outcome, marl_error *error);

/* A gyroscope bias from a recording at rest. */
typedef struct marl_still_result {
    marl_calibrated outcome; /* fit: bias, its standard error, points, residual_rms, temperature */
    double still_s;          /* rest that was used, s */
    double deviation[3];     /* of the readings at rest, rad/s */
    marl_span moved;         /* first motion; from == to when there was none */
    double moved_s;          /* motion in all, s */
    int turn_unseen; /* 1: no magnetometer, so that a steady turn about the vertical would not be seen */
    /* How far the bias may be off ten minutes later, rad/s: bias_sigma with the bias instability and the
     * random walk of this recording; NaN when it is too short for them. */
    double later_sigma[3];
    int later_is_bound[3]; /* 1: one of the two is not seen, and the largest that would not be seen stands for
                              it */
} marl_still_result;

/* Mean rate over the rest of a recording. The standard error is the larger of white noise alone and the
 * scatter of block means (5 blocks or more, of 5 s where the recording allows), so that noise which is not
 * white does not give too small an error; so does a slow change of the accelerometer's or magnetometer's
 * direction. Not accepted, with *rest filled, when such a change is a turn of the board, when the board moved
 * in more than 5 % of the recording and rest is shorter than a minute, rest is shorter than 5 s, or an axis
 * never changes; that is MARL_ERR_INSUFFICIENT. */
MARL_CHECKED marl_status marl_calibrate_still(const marl_log *log, marl_still_result *rest,
                                              marl_error *error);

/* Where the board lay in one attitude. */
typedef struct marl_pose {
    marl_span span;
    double accel[3]; /* mean reading, m/s^2 */
    double noise;    /* standard error of the mean along an axis, from parts of the pose */
    double temp;     /* degC, NaN without */
    int used;        /* 0: disturbed, or it does not fit the others */
    double distance; /* of the mean from the fitted surface, m/s^2; NaN before the fit */
    const char *why; /* it is not used; "" */
} marl_pose;

typedef struct marl_pose_list {
    size_t n;
    marl_pose *pose;
} marl_pose_list;

/* Attitudes that were held for a second and more, at rest but for the noise that the recording itself shows
 * at its quietest: no threshold. One that was disturbed is listed, not used. MARL_ERR_INSUFFICIENT when there
 * is none at rest, MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_poses_find(const marl_log *log, marl_pose_list *poses, marl_error *error);
void marl_poses_free(marl_pose_list *poses);

typedef struct marl_poses_result {
    marl_calibrated outcome;
    marl_pose_list poses;
} marl_poses_result;

/* The accelerometer from poses: bias and scale from six faces, the full symmetric matrix where twelve
 * attitudes and more determine it, by maximum likelihood, robust to a bad pose. Where the misalignment is not
 * determined, the standard errors hold for one of 1 %. Corrected lengths equal `gravity`, m/s^2. Coverage is
 * of 26 cells of equal area. */
MARL_CHECKED marl_status marl_calibrate_poses(const marl_log *log, double gravity, marl_poses_result *result,
                                              marl_error *error);
void marl_poses_result_free(marl_poses_result *result);

enum { MARL_DIRECTIONS_MAX = 64 };

/* The middles, of length 1, of those cells of equal area that no vector lies in: of 60 for a magnetometer, of
 * 26 else. Returns how many. */
size_t marl_missing_directions(const double (*v)[3], size_t n, marl_sensor sensor,
                               double missing[MARL_DIRECTIONS_MAX][3]);

typedef struct marl_tumble_options {
    double field;          /* uT that corrected lengths shall have; NaN: the matrix has determinant 1 */
    int quick;             /* midpoint of the extremes only */
    const marl_fit *accel; /* for the dip; NULL = the raw accelerometer */
} marl_tumble_options;

typedef struct marl_tumble_result {
    marl_calibrated outcome;
    size_t repeats;      /* readings equal to the one before, which are not counted */
    marl_spans outliers; /* something passed by, or readings that do not belong */
    size_t outliers_n;
    /* Standard error of fit.dip_deg, and how much the dip differs between attitudes; NaN without a dip. */
    double dip_sigma_deg, dip_spread_deg;
    double drift[3],
        drift_sigma[3]; /* of the hard iron from first to last reading, corrected uT; NaN: open */
} marl_tumble_result;

/* The magnetometer from a tumble: hard iron and the symmetric soft iron by maximum likelihood, what does not
 * belong left out; hard iron only (sphere model) where soft iron is not observable. Coverage is of 60
 * cells of equal area. Field strength comes with it, and with an accelerometer the dip. Axes that disagree
 * with the accelerometer's and a hard iron that drifts are remarked upon. */
MARL_CHECKED marl_status marl_calibrate_tumble(const marl_log *log, const marl_tumble_options *options,
                                               marl_tumble_result *result, marl_error *error);
void marl_tumble_result_free(marl_tumble_result *result);

/* One turn between two rests. */
typedef struct marl_turn {
    marl_span span;
    int axis;       /* 0 x, 1 y, 2 z: about which it went */
    double raw_rad; /* length of the integrated rate, bias removed */
    double wanted;  /* the angle that it was, rad: a multiple of the given one */
    double error;   /* of the corrected length, rad */
    int used;       /* 0: it does not fit the others, and is left out */
} marl_turn;

typedef struct marl_turns_result {
    marl_calibrated outcome;
    size_t n;
    marl_turn *turn;
    size_t left_out;  /* turns that are not used */
    double spread[3]; /* deviation of the repeats about an axis, as a share of the angle; NaN under two */
} marl_turns_result;

/* The gyroscope's scale from turns through a known angle (rad), rest between, both ways about each axis.
 * The length of the corrected, integrated rate is fitted: nobody aligns an axis to a degree, so cross-axis
 * terms are not determined. Bias from the rests. */
MARL_CHECKED marl_status marl_calibrate_turns(const marl_log *log, double angle, marl_turns_result *result,
                                              marl_error *error);
void marl_turns_result_free(marl_turns_result *result);

/* A move of the board from one rest to the next. */
typedef struct marl_move {
    marl_span span;
    size_t from;  /* number of the rest before it */
    double angle; /* path of the rotation, rad */
    double error; /* by which the direction carried over misses, rad, after the fit */
    int used;     /* 0: it does not fit the others, and is left out */
} marl_move;

typedef struct marl_moves_result {
    marl_calibrated outcome;
    size_t n;
    marl_move *move;
    size_t left_out;
} marl_moves_result;

/* The gyroscope's whole matrix, scale and cross-axis, from moves between rests in at least nine attitudes (a
 * recording of poses, or any handling with rests): gravity's direction at a rest, carried to the next by the
 * integrated rate, must be the one found there; so must the field's, where `record` has a magnetometer. Gauss
 * and Newton; each move's bias from its two rests. Directions are corrected by `record`, whose axes the
 * gyroscope's become. Sizes of the errors from what is left. MARL_ERR_INSUFFICIENT, with outcome.next, where
 * the moves do not determine all nine elements to 0.01. */
MARL_CHECKED marl_status marl_calibrate_moves(const marl_log *log, const marl_calibration_record *record,
                                              marl_moves_result *result, marl_error *error);
void marl_moves_result_free(marl_moves_result *result);

/* One part of a soak. */
typedef struct marl_soak_point {
    int64_t t_ns;          /* its middle */
    double degC, value[3]; /* mean reading, SI */
} marl_soak_point;

typedef struct marl_soak_result {
    marl_calibrated outcome;
    int order; /* of the curve: 0, 1 or 2 */
    size_t n;
    marl_soak_point *point;
    double change_sigma[3]; /* standard error of the curve across the range recorded */
    /* How long the thermometer lags, s, taken out of the points, and the standard error; NaN for a curve of
     * order 0. */
    double lag_s, lag_sigma_s;
} marl_soak_result;

/* Bias over temperature from a soak at rest; the order is as high as its last term is seen on
 * some axis. Standard errors come from blocks of the recording and hold for noise that is not white. A
 * thermometer that lags is found by warming that changes its pace, or cooling, and taken into account; a
 * cubic truth is remarked upon. The accelerometer's bias itself stays open in one pose: only its change is
 * found, fit.bias is 0. MARL_ERR_INSUFFICIENT when the board moved or the temperature spans under 10 degC. */
MARL_CHECKED marl_status marl_calibrate_soak(const marl_log *log, marl_sensor sensor,
                                             marl_soak_result *result, marl_error *error);
void marl_soak_result_free(marl_soak_result *result);

typedef struct marl_axes_result {
    marl_calibrated outcome; /* without numbers of its own: what was found is in the record */
    marl_axes axes;          /* of the recording as the calibration corrects it */
    int turned;              /* 1: the magnetometer's small rotation is seen, and taken in */
    double rotation_deg[3];  /* of the magnetometer against the accelerometer, about x, y, z */
    double rotation_sigma[3];
} marl_axes_result;

/* Which way the gyroscope's and the magnetometer's axes stand to the accelerometer's, from a tumble: signed
 * permutations, then the small rotation of the magnetometer that keeps the field's dip the same in all
 * attitudes. Both are multiplied onto the matrices of `record` from the left. `southern`: the field points up
 * there. `up`: the axis that points up in the first still pose, 1 to 3 for x to z, negative for down; then
 * the accelerometer's axes are put right, too; 0 = they are the reference. MARL_ERR_INSUFFICIENT, with
 * result->next, where the motion does not determine them. */
MARL_CHECKED marl_status marl_calibrate_axes(const marl_log *log, int southern, int up,
                                             marl_calibration_record *record, marl_axes_result *result,
                                             marl_error *error);

/* The mount by which the attitude of the longest rest becomes the zero: level, and with a magnetometer x to
 * the (magnetic) north. `span` is that rest. MARL_ERR_INSUFFICIENT without a rest of a second. */
MARL_CHECKED marl_status marl_zero(const marl_log *log, marl_calibration_record *record, marl_span *span,
                                   marl_error *error);

/* The Earth's rate of turning in the sensors' axes at the longest rest, rad/s: from the latitude (rad),
 * gravity and the magnetic north. To be taken off a gyroscope's mean at rest. MARL_ERR_INSUFFICIENT without a
 * rest, or without a magnetometer. */
MARL_CHECKED marl_status marl_earth_rate(const marl_log *log, const marl_calibration_record *record,
                                         double latitude, double rate[3], marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
