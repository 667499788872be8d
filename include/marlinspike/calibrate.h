/* SPDX-License-Identifier: MIT
 * Calibrations from recordings, their proof, and the session that does the whole of it: see
 * marl_session_create for the usual order of calls. */
#ifndef MARLINSPIKE_CALIBRATE_H
#define MARLINSPIKE_CALIBRATE_H

#include "marlinspike/files.h"
#include "marlinspike/inspect.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- calibrate ---- */

/* Calibrations from recordings, named as the recordings are: still, poses, tumble, turns, soak, axes; and the
 * mount. Each calibration gives its standard errors, how well the directions are covered, and, when it is not
 * accepted, what to record next; then it also returns MARL_ERR_INSUFFICIENT, with what was found filled in.
 * */

/* What every calibration ends with. */
typedef struct marl_calibrated {
    marl_sensor sensor;
    marl_fit fit;
    int accepted;
    const char *model; /* what was free in the fit */
    char next[300];    /* what to record next, when not accepted; "" = nothing */
    char remark[300];  /* what to know about a result that is accepted; "" = nothing */
} marl_calibrated;

/* A gyroscope bias from a recording at rest. */
typedef struct marl_still_result {
    marl_calibrated outcome; /* fit: bias, its standard error, points, residual_rms, temperature */
    double still_s;          /* rest that was used, s */
    double deviation[3];     /* of the readings at rest, rad/s */
    marl_span moved;         /* first motion; from == to when there was none */
    double moved_s;          /* motion in all, s */
    /* MARL_FRESH_ACCEL, _MAG: the sensors that would show a steady turn of the board. The accelerometer does not show one
     * about the vertical, the magnetometer none about the field. */
    unsigned turn_seen_by;
    double drift
        [3]; /* of a bias that runs away while the board rests, rad/s a second; 0 where it is not seen to */
    /* How far the bias may be off ten minutes later, rad/s: bias_sigma with the bias instability and the
     * random walk of this recording; NaN when it is too short for them. */
    double later_sigma[3];
    int later_is_bound[3]; /* 1: one of the two is not seen, and the largest that would not be seen stands for
                              it */
    double
        later_seen[3]; /* the same with the noise alone that is seen: less than that is not to be expected */
} marl_still_result;

/* Mean rate over the rest of a recording. The standard error is the larger of white noise alone and the
 * scatter of block means (5 blocks or more, of 5 s where the recording allows), so that noise which is not
 * white does not give too small an error; so does a slow change of the accelerometer's or magnetometer's
 * direction. A bias that runs away along a straight line, by more than seven standard errors of its slope, widens the error
 * by the spread of that line, and is remarked. Not accepted, with *rest filled, when such a change is a turn of the board, when the board moved
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
    /* How far the drift goes from the result, at the start or at the end; half of it where it is straight. */
    double drift_farthest[3];
    double
        place_rms; /* change of the field's strength along the way of the hand, rms uT: 0 where none shows beside the
                         noise, NaN where the recording is too short for it */
    /* In which the hard iron is another, by so much, corrected uT, and which is left out; empty where there is none. */
    marl_span moved;
    double moved_by[3];
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

/* ---- verify ---- */

/* Proof of a calibration by a recording that it has not seen. */

/* One sensor of a calibration against a recording that it has not seen. */
typedef struct marl_verified {
    int present; /* the calibration and the recording have it, and there was something to see */
    int holds;
    double found_rms;    /* m/s^2, rad/s, uT */
    double expected_rms; /* by the noise and by the standard errors of the calibration */
    double limit;        /* of found_rms: noise alone exceeds it once in a hundred recordings */
    double would_show;   /* the error of one axis's bias that would have reached the limit; NaN where no
                            size would along some axis */
    size_t n;            /* poses, rests, readings */
    size_t left_out;     /* broken readings of the magnetometer, not in n: no field that the others show */
} marl_verified;

typedef struct marl_verification {
    int holds; /* all that were seen; 0 when there was nothing */
    marl_verified sensor[MARL_SENSOR_COUNT];
    double dip_deg, dip_deviation; /* of the corrected field at rest or slow motion, degrees; NaN without */
    /* The magnetometer's bias that is left, uT, by the lengths over directions, and the size that this
     * recording would have shown, the calibration's own error included; NaN where its directions do not determine it. */
    double mag_bias[3], mag_bias_limit[3];
    /* The element of the magnetometer's matrix that the lengths over directions contradict most, in standard errors of both
     * recordings, and by how much; NaN where the directions do not determine it. A turn of all three axes shows in no
     * length. */
    double mag_matrix_off, mag_matrix_z;
    /* The gyroscope's bias that is left at rest, rad/s. Within 0.05 deg/s it is drift, which every filter
     * follows, and no failed calibration; `drifted`: it is more than this recording's noise. NaN without
     * rest. */
    double gyro_drift[3];
    int drifted;
    /* The element of the gyroscope's matrix that moves between rests contradict most, in its standard errors,
     * and by how much; NaN where they do not determine the matrix. */
    double gyro_matrix_off, gyro_matrix_z;
    int outside;             /* readings at temperatures beyond the curve's range were met */
    double temperature_degC; /* mean of the recording; NaN without a thermometer */
    /* How much warmer that is than the recording by which the sensor was calibrated, where the calibration has no curve
     * over temperature; NaN where one of the two is not known. */
    double warmer_degC[MARL_SENSOR_COUNT];
} marl_verification;

/* A sensor without a curve over temperature that is so much warmer or colder may fail by that alone. */
#define MARL_TEMPERATURE_EXPLAINS 5.0 /* degC */

/* 1 when the log has temperatures beyond the range of a curve of the calibration, by more than half a degree:
 * there the correction holds the curve's end value. */
int marl_temperature_outside(const marl_calibration_record *record, const marl_log *log);

/* Accelerometer: lengths in still poses against `gravity`, m/s^2. Gyroscope: mean rates at rest, and its
 * matrix where moves between rests determine it. Magnetometer: the spread of corrected lengths about the
 * field, and the bias along each axis that they show. MARL_ERR_INPUT when the recording is corrected,
 * MARL_ERR_INSUFFICIENT when nothing can be verified by it.
 */
MARL_CHECKED marl_status marl_verify(const marl_calibration_record *record, const marl_log *log,
                                     double gravity, marl_verification *verification, marl_error *error);

/* ---- session ---- */

/* A calibration session: recordings of one kind, the fit that they are for, and the calibration into which
 * its result goes. The usual order of calls:
 *
 *   marl_session *session = marl_session_create(MARL_RECORDING_POSES);      NULL without memory
 *   session->options.gravity = 9.81;                                        as needed
 *   marl_session_add_log(session, "poses.csv", NULL, &error);               one or more
 *   marl_session_start_record(session, "pod-07.json", &error);              NULL: an empty one
 *   marl_session_fit(session, &error);
 *   if (session->outcome->accepted)
 *       marl_calibration_write(&session->record, "pod-07.json", &error);
 *   marl_session_free(session); */

/* Recordings have the names of what the hand does. */
typedef enum marl_recording {
    MARL_RECORDING_STILL,
    MARL_RECORDING_TURNS,
    MARL_RECORDING_POSES,
    MARL_RECORDING_TUMBLE,
    MARL_RECORDING_SOAK,
    MARL_RECORDING_AXES,  /* a tumble, for the arrangement of the axes */
    MARL_RECORDING_MOVES, /* poses, for the gyroscope */
    MARL_RECORDING_COUNT
} marl_recording;

/* "still", "turns", "poses", "tumble", "soak", "axes", "moves" */
const char *marl_recording_name(marl_recording recording);

typedef struct marl_session_options {
    double turn_angle; /* turns: the angle of each, rad */
    double gravity;    /* poses: m/s^2 */
    double field;      /* tumble: uT that corrected lengths shall have; NaN: as found */
    int quick;         /* tumble: midpoint of the extremes only */
    double latitude;   /* still: rad, takes off the Earth's rate; NaN: it stays in the bias */
    int hemisphere;    /* axes: 1 north, -1 south; 0: north is assumed, with a warning */
    int up;            /* axes: see marl_calibrate_axes */
} marl_session_options;

typedef struct marl_session {
    marl_recording recording;
    marl_session_options options;
    marl_log log; /* of all recordings */
    marl_warnings warnings;
    marl_calibration_record record; /* with the result in it */
    const marl_calibrated *outcome; /* of the first sensor; never NULL */
    marl_still_result still;        /* of these, that of `recording` is filled */
    marl_turns_result turns;
    marl_poses_result poses;
    marl_tumble_result tumble;
    marl_soak_result soak[2]; /* gyroscope, accelerometer */
    marl_axes_result axes;
    marl_moves_result moves;
    marl_calibrated none; /* private: the outcome before a fit */
} marl_session;

/* Options for full turns, standard gravity, the field as found. NULL without memory. */
marl_session *marl_session_create(marl_recording recording);
void marl_session_free(marl_session *session); /* NULL is allowed */

/* Loads a recording; a further one goes on two seconds behind the last, with a warning. */
MARL_CHECKED marl_status marl_session_add_log(marl_session *session, const char *path,
                                              const marl_log_options *options, marl_error *error);

/* The calibration that the result goes into: this file, where there is one, else an empty one. MARL_ERR_INPUT
 * when it cannot be read or is of another device than the log. */
MARL_CHECKED marl_status marl_session_start_record(marl_session *session, const char *path,
                                                   marl_error *error);

/* Fits, warns, and merges the result into the record; once a session. MARL_ERR_INSUFFICIENT with
 * outcome->next when it is not accepted, MARL_ERR_ARGUMENT without a log; other errors as of the calibration
 * above. */
MARL_CHECKED marl_status marl_session_fit(marl_session *session, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
