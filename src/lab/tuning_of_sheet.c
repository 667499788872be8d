/* SPDX-License-Identifier: MIT
 * The parameters of a filter that follow from what a sensor's sheet says, without any search. */
#include "marlinspike/tuning_file.h"
#include <math.h>

/* Flicker noise as the walk that has its Allan deviation at 50 s: 0.664^2 * 3 / 50. */
#define FLICKER_AS_WALK 0.0265
/* A scale error of the gyroscope that no calibration finds; and the share of one that a load on a rope keeps,
 * since on the way back of a swing it cancels. */
#define LEAST_SCALE 0.001
#define SCALE_KEPT 0.125
/* A swing of the load so small is motion already, rad. */
#define LEAST_TILT_SLACK 0.007
/* s: noise would allow less, but pulls of a swing last so long. */
#define LEAST_TILT_TIME 2.0
/* The level field in the temperate zones, uT: it turns the magnetometer's noise into that of a heading. */
#define LEVEL_FIELD 20.0

static double mean_square(const double x[3])
{
    return (x[0] * x[0] + x[1] * x[1] + x[2] * x[2]) / 3;
}

static double greatest(const double x[3])
{
    return fmax(fabs(x[0]), fmax(fabs(x[1]), fabs(x[2])));
}

/* Within the parameter's range. */
static void set(marl_tuning *tuning, marl_parameter_id id, double value)
{
    const marl_parameter *row = marl_parameter_row(id);
    if (row != NULL && isfinite(value)) {
        tuning->value[id] = (float)fmin(fmax(value, (double)row->low), (double)row->high);
    }
}

/* What is wrong with a turn, as a share of it. */
static double scale_left(const marl_sensor_sheet *gyro)
{
    double cross = 0;
    for (int i = 0; i < 3; i++) {
        cross += mean_square(gyro->cross_axis[i]);
    }
    return fmax(SCALE_KEPT * sqrt(mean_square(gyro->scale_error) + cross), LEAST_SCALE);
}

static void set_gyro(marl_tuning *t, const marl_sensor_sheet *gyro)
{
    double bias = greatest(gyro->bias) + 2 * gyro->bias_spread;
    double walk = sqrt(gyro->walk * gyro->walk + FLICKER_AS_WALK * gyro->flicker * gyro->flicker);
    set(t, MARL_PARAMETER_GYRO_WHITE, gyro->white);
    set(t, MARL_PARAMETER_GYRO_FLICKER, gyro->flicker);
    set(t, MARL_PARAMETER_GYRO_WALK, gyro->walk);
    set(t, MARL_PARAMETER_GYRO_SCALE, scale_left(gyro));
    set(t, MARL_PARAMETER_BIAS_SPREAD, fmax(bias, 1e-4));
    set(t, MARL_PARAMETER_BIAS_LIMIT, fmax(4 * bias, 0.02));
    set(t, MARL_PARAMETER_BIAS_TIME, fmin(fmax(gyro->white / walk, 10), 1000));
}

static void set_accel(marl_tuning *t, const marl_sensor_sheet *accel, double gyro_white)
{
    double one_reading = accel->white * sqrt(accel->rate_hz);
    double wrong = greatest(accel->bias) + accel->bias_spread + 9.8 * greatest(accel->scale_error);
    set(t, MARL_PARAMETER_ACCEL_WHITE, accel->white);
    set(t, MARL_PARAMETER_ACCEL_SLACK, fmax(0.1, wrong + 5 * one_reading));
    set(t, MARL_PARAMETER_TILT_SLACK, fmax(LEAST_TILT_SLACK, wrong / 9.8));
    set(t, MARL_PARAMETER_TILT_TIME, fmin(fmax(accel->white / 9.8 / gyro_white, LEAST_TILT_TIME), 30));
}

static void set_mag(marl_tuning *t, const marl_sensor_sheet *mag, double gyro_white)
{
    double left = sqrt(mean_square(mag->bias) + mag->bias_spread * mag->bias_spread);
    double noise = sqrt(mag->white * mag->white + 2 * left * left) / LEVEL_FIELD;
    set(t, MARL_PARAMETER_MAG_WHITE, mag->white);
    set(t, MARL_PARAMETER_MAG_ERROR, left);
    set(t, MARL_PARAMETER_HEADING_TIME, fmin(fmax(noise / gyro_white, 10), 200));
}

marl_tuning marl_tuning_for_sheet(marl_filter filter, const marl_sheet *sheet)
{
    marl_tuning tuning = marl_tuning_default(filter);
    double gyro_white = sheet->gyro.present && sheet->gyro.white > 0
                            ? sheet->gyro.white
                            : (double)tuning.value[MARL_PARAMETER_GYRO_WHITE];
    if (sheet->gyro.present) {
        set_gyro(&tuning, &sheet->gyro);
    }
    if (sheet->accel.present) {
        set_accel(&tuning, &sheet->accel, gyro_white);
    }
    if (sheet->mag.present) {
        set_mag(&tuning, &sheet->mag, gyro_white);
    }
    return tuning;
}
