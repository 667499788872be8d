/* SPDX-License-Identifier: MIT
 * The parameters of a filter that follow from a sensor's sheet, without any search. */
#include "marlinspike/files.h"
#include "marlinspike/quat.h"
#include <math.h>

/* Flicker noise as the random walk with its Allan deviation at 50 s: 0.664^2 * 3 / 50. */
#define FLICKER_AS_WALK 0.0265
/* Slow noise of an accelerometer whose sheet gives no flicker, m/s^2. */
#define MIN_ACCEL_FLOOR 0.002
/* Warming moves the bias of a gyroscope further than the walk of its sheet, which is that of a warm part, rad/s/sqrt(s). */
#define MIN_GYRO_WALK 3e-5
/* Bias limit: this many times what the sheet expects. */
#define LIMIT_FACTOR 4.0
/* No gyroscope is better than this: rad/s, spread of the bias and its limit. */
#define MIN_BIAS_SPREAD 1e-4
#define MIN_BIAS_LIMIT 0.02
/* Thresholds of the weighting of a perfectly calibrated sensor, m/s^2 and uT, and how they widen with the
 * errors that the sheet states: five times the accelerometer's, three times the magnetometer's, as mean
 * squares. */
#define ACCEL_THRESHOLD 0.12
#define ACCEL_WIDENING 5.0
#define MAG_THRESHOLD 1.0
#define MAG_WIDENING 3.0
/* Strength of the Earth's field in which a scale error of the magnetometer shows, uT. */
#define FIELD 50.0

static double mean_square(const double x[3])
{
    return (x[0] * x[0] + x[1] * x[1] + x[2] * x[2]) / 3;
}

static double largest(const double x[3])
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

/* Mean square of the scale and cross-axis errors, as a share of the reading. */
static double matrix_error2(const marl_sensor_sheet *s)
{
    double cross = 0;
    for (int i = 0; i < 3; i++) {
        cross += mean_square(s->cross_axis[i]);
    }
    return mean_square(s->scale_error) + cross;
}

/* Mean square per axis of what is wrong with a reading of the given size, beside its noise. */
static double error2(const marl_sensor_sheet *s, double size)
{
    return mean_square(s->bias) + s->bias_spread * s->bias_spread + size * size * matrix_error2(s);
}

static void set_gyro(marl_tuning *t, const marl_sensor_sheet *gyro)
{
    double bias = largest(gyro->bias) + 2 * gyro->bias_spread;
    double walk = sqrt(gyro->walk * gyro->walk + FLICKER_AS_WALK * gyro->flicker * gyro->flicker);
    set(t, MARL_PARAMETER_GYRO_WHITE, gyro->white);
    set(t, MARL_PARAMETER_GYRO_WALK, fmax(walk, MIN_GYRO_WALK));
    set(t, MARL_PARAMETER_GYRO_SCALE, sqrt(matrix_error2(gyro)));
    set(t, MARL_PARAMETER_BIAS_SPREAD, fmax(bias, MIN_BIAS_SPREAD));
    set(t, MARL_PARAMETER_BIAS_LIMIT, fmax(LIMIT_FACTOR * bias, MIN_BIAS_LIMIT));
}

static void set_accel(marl_tuning *t, const marl_sensor_sheet *accel)
{
    double widened = ACCEL_WIDENING * ACCEL_WIDENING * error2(accel, MARL_STANDARD_GRAVITY);
    set(t, MARL_PARAMETER_ACCEL_FLOOR, fmax(accel->flicker, MIN_ACCEL_FLOOR));
    set(t, MARL_PARAMETER_ACCEL_BIAS_SPREAD, sqrt(error2(accel, MARL_STANDARD_GRAVITY)));
    set(t, MARL_PARAMETER_ACCEL_THRESHOLD, sqrt(ACCEL_THRESHOLD * ACCEL_THRESHOLD + widened));
}

static void set_mag(marl_tuning *t, const marl_sensor_sheet *mag)
{
    double noise2 = mag->white * mag->white * mag->rate_hz, left2 = error2(mag, FIELD);
    set(t, MARL_PARAMETER_MAG_BIAS_SPREAD, sqrt(left2));
    set(t, MARL_PARAMETER_MAG_NOISE, sqrt(noise2 + left2));
    set(t, MARL_PARAMETER_MAG_THRESHOLD,
        sqrt(MAG_THRESHOLD * MAG_THRESHOLD + MAG_WIDENING * MAG_WIDENING * left2));
}

marl_tuning marl_tuning_for_sheet(marl_filter filter, const marl_sheet *sheet)
{
    marl_tuning tuning = marl_tuning_default(filter);
    if (sheet->gyro.present) {
        set_gyro(&tuning, &sheet->gyro);
    }
    if (sheet->accel.present) {
        set_accel(&tuning, &sheet->accel);
    }
    if (sheet->mag.present) {
        set_mag(&tuning, &sheet->mag);
    }
    return tuning;
}
