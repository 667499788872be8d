/* SPDX-License-Identifier: MIT
 * Sensor sheets: the values of a sensor's data sheet, for the simulator and for logs in raw counts. */
#ifndef MARLINSPIKE_SHEET_H
#define MARLINSPIKE_SHEET_H

#define MARL_SHEET_REFERENCE_DEGC 24.0 /* where a sheet gives none */

/* One sensor, in SI whatever unit the file uses. */
typedef struct marl_sensor_sheet {
    int present;
    double rate_hz;          /* output rate */
    double full_scale;       /* range is -full_scale to +full_scale */
    int bits;                /* of the converter, 2 to 32; one count = full_scale / 2^(bits - 1) */
    double white;            /* unit/sqrt(Hz), square root of the two-sided density: a sample at rate f
                                has the deviation white * sqrt(f) */
    double bias[3];          /* at every power-on */
    double bias_spread;      /* deviation of the bias from one power-on to the next */
    double scale_error[3];   /* reads (1 + scale_error) times the truth */
    double cross_axis[3][3]; /* share of the column's axis that the row's axis reads as well; diagonal 0 */
    double flicker;          /* unit: 1/f noise of two-sided density flicker^2 / (2 pi f); alone, its Allan
                                deviation is 0.664 flicker at every time */
    double walk;           /* unit/sqrt(s): the bias walks at random; alone, its Allan deviation at time T is
                              walk sqrt(T/3) */
    double low_pass_hz;    /* corner of the flattest second-order low-pass; 0 = none */
    double resonance_hz;   /* of the moving mass; 0 = it follows at once */
    double damping;        /* of the moving mass, share of the critical */
    double reference_degC; /* at which the bias is as given */
    double bias_per_degC[3];
} marl_sensor_sheet;

typedef struct marl_sheet {
    char name[64];
    marl_sensor_sheet accel, gyro, mag;
} marl_sheet;

#endif
