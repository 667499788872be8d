/* SPDX-License-Identifier: MIT
 * Tunings: which estimator, and its parameters. Every parameter is physical and independent of the
 * sample rate. One table holds name, unit, default, range and the filters that use it; the JSON
 * reader, the documentation and the estimators all go by it. */
#ifndef MARLINSPIKE_TUNING_H
#define MARLINSPIKE_TUNING_H

#include "marlinspike/quat.h"
#include "marlinspike/status.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef enum marl_filter {
    MARL_FILTER_GYRO = 0,         /* integration of the angular rate */
    MARL_FILTER_VECTORS,          /* attitude from two vectors: accelerometer and magnetometer */
    MARL_FILTER_COMPLEMENTARY,    /* constant gains, proportional and integral */
    MARL_FILTER_GRADIENT_DESCENT, /* constant speed down the gradient of the error */
    MARL_FILTER_KALMAN,           /* error-state Kalman filter */
    MARL_FILTER_COUNT
} marl_filter;

typedef enum marl_parameter_id {
    MARL_PARAMETER_USE_MAG = 0,
    MARL_PARAMETER_WEIGHTING,
    MARL_PARAMETER_RUN_DOWN,
    MARL_PARAMETER_TILT_TIME,
    MARL_PARAMETER_HEADING_TIME,
    MARL_PARAMETER_DAMPING,
    MARL_PARAMETER_BETA,
    MARL_PARAMETER_ZETA,
    MARL_PARAMETER_HEADING_BETA,
    MARL_PARAMETER_HEADING_ZETA,
    MARL_PARAMETER_GYRO_WHITE,
    MARL_PARAMETER_GYRO_SCALE,
    MARL_PARAMETER_GYRO_WALK,
    MARL_PARAMETER_BIAS_SPREAD,
    MARL_PARAMETER_ATTITUDE_SPREAD,
    MARL_PARAMETER_ACCEL_FLOOR,
    MARL_PARAMETER_ACCEL_NOISE,
    MARL_PARAMETER_ACCEL_BIAS_SPREAD,
    MARL_PARAMETER_SPEED_FLOOR,
    MARL_PARAMETER_MAG_NOISE,
    MARL_PARAMETER_MAG_BIAS_SPREAD,
    MARL_PARAMETER_DISTURBANCE_TIME,
    MARL_PARAMETER_VELOCITY_TIME,
    MARL_PARAMETER_BIAS_LIMIT,
    MARL_PARAMETER_GAP_LIMIT,
    MARL_PARAMETER_LEVER_X,
    MARL_PARAMETER_LEVER_Y,
    MARL_PARAMETER_LEVER_Z,
    MARL_PARAMETER_MAG_DELAY,
    MARL_PARAMETER_ACCEL_THRESHOLD,
    MARL_PARAMETER_FORCE_TIME,
    MARL_PARAMETER_BIAS_SHARE,
    MARL_PARAMETER_MAG_THRESHOLD,
    MARL_PARAMETER_SPEED_TIME,
    MARL_PARAMETER_START_SPEED,
    MARL_PARAMETER_START_ARM,
    MARL_PARAMETER_RESET_SPEED,
    MARL_PARAMETER_COUNT
} marl_parameter_id;

typedef enum marl_parameter_kind { MARL_KIND_NUMBER, MARL_KIND_SWITCH } marl_parameter_kind;

/* In which object of a tuning file a parameter stands. */
typedef enum marl_parameter_group {
    MARL_GROUP_PARAMETERS,
    MARL_GROUP_WEIGHTING, /* acts only while the weighting is on: how disturbed readings lose weight */
    MARL_GROUP_COUNT
} marl_parameter_group;

/* bias_spread where the gyroscope's bias is corrected, rad/s: its standard error and what it drifts. The default, 2.3
 * deg/s, is for a part that was never calibrated. */
#define MARL_BIAS_SPREAD_CALIBRATED 0.01f
/* gyro_scale and mag_threshold (uT) where no sensor is calibrated: the defaults are for what calibration leaves. */
#define MARL_GYRO_SCALE_RAW 0.002f
#define MARL_MAG_THRESHOLD_RAW 3.0f
/* accel_bias_spread, m/s^2, and mag_bias_spread, uT, of a sensor that is not calibrated. */
#define MARL_ACCEL_BIAS_SPREAD_RAW 0.2f
#define MARL_MAG_BIAS_SPREAD_RAW 3.0f

/* Capacities that buffers are sized by: of a name with its NUL, and of the parameters of one filter. */
enum { MARL_PARAMETER_NAME_MAX = 18, MARL_FILTER_PARAMETERS_MAX = 25 };

typedef struct marl_parameter {
    char name[MARL_PARAMETER_NAME_MAX];
    const char *unit; /* "" for a switch */
    marl_parameter_kind kind;
    marl_parameter_group group;
    float standard;    /* default */
    float low, high;   /* allowed range, both ends included */
    unsigned filters;  /* bit 1 << marl_filter for each filter that uses it */
    const char *about; /* one line */
} marl_parameter;

typedef struct marl_tuning {
    marl_filter filter;
    marl_world world; /* frame of the attitudes given out */
    float value[MARL_PARAMETER_COUNT];
} marl_tuning;

/* "gyro", "vectors", "complementary", "gradient-descent", "kalman"; "?" for a number that is no filter. */
const char *marl_filter_name(marl_filter filter);
/* MARL_ERR_ARGUMENT for an unknown name. */
MARL_CHECKED marl_status marl_filter_from_name(const char *name, marl_filter *filter);

/* "use_mag", ...; "?" for a number that is no parameter. */
const char *marl_parameter_name(marl_parameter_id id);
/* 1 when the filter uses the parameter. */
int marl_parameter_is_of(marl_parameter_id id, marl_filter filter);

/* The row of the table, with its texts, which a firmware that never asks for one does not carry; NULL for a number that is
 * no parameter. */
const marl_parameter *marl_parameter_row(marl_parameter_id id);
/* MARL_ERR_ARGUMENT when no parameter of that filter has this name. */
MARL_CHECKED marl_status marl_parameter_find(marl_filter filter, const char *name, marl_parameter_id *id);

/* "parameters", "weighting": also the key of a tuning file. */
const char *marl_parameter_group_name(marl_parameter_group group);

/* Defaults, world enu. */
marl_tuning marl_tuning_default(marl_filter filter);

/* MARL_ERR_ARGUMENT when the filter is unknown or a value is not finite or out of its range. */
MARL_CHECKED marl_status marl_tuning_check(const marl_tuning *tuning);

#ifdef __cplusplus
}
#endif
#endif
