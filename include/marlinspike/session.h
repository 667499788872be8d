/* SPDX-License-Identifier: MIT
 * A calibration session: recordings of one kind, the fit that they are for, and the calibration into which
 * its result goes. The usual order of calls:
 *
 *   marl_session *session = marl_session_create(MARL_RECORDING_POSES);      NULL without memory
 *   session->options.gravity = 9.81;                                        as needed
 *   marl_session_add_log(session, "poses.csv", NULL, &error);               one or more
 *   marl_session_start_record(session, "pod-07.json", &error);              NULL: an empty one
 *   marl_session_fit(session, &error);
 *   if (session->outcome->accepted)
 *       marl_calibration_write(&session->record, "pod-07.json", &error);
 *   marl_session_free(session);
 */
#ifndef MARLINSPIKE_SESSION_H
#define MARLINSPIKE_SESSION_H

#include "marlinspike/calibrate.h"

#ifdef __cplusplus
extern "C" {
#endif

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

/* Fits, warns, and merges the result into the record. MARL_ERR_INSUFFICIENT with outcome->next when it is not
 * accepted; other errors as of the calibration (calibrate.h). */
MARL_CHECKED marl_status marl_session_fit(marl_session *session, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
