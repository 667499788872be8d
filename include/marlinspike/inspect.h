/* SPDX-License-Identifier: MIT
 * What a recording is: rates, gaps, rest, axes, units, noise and its spectrum. Every call takes a log in
 * memory and fills a struct; those that hold memory have a _free. */
#ifndef MARLINSPIKE_INSPECT_H
#define MARLINSPIKE_INSPECT_H

#include "marlinspike/log.h"
#include "marlinspike/simulate.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- axes ---- */

/* Which axis of one sensor is which of another, found from motion. A direction fixed in the world, seen from
 * a body that turns at the rate w, changes by -w x direction: gravity in the accelerometer does so for the
 * right arrangement of the gyroscope's axes, and the Earth's field for the right one of the magnetometer's.
 * */

/* A signed permutation: the accelerometer's axis i is the sensor's axis |axis[i]| (1 = x), with its sign. */
typedef struct marl_arrangement {
    int axis[3];
} marl_arrangement;

int marl_arrangement_is_plain(const marl_arrangement *arrangement); /* x = +x, y = +y, z = +z */
/* "x = -y, y = +x, z = +z" */
void marl_arrangement_text(const marl_arrangement *arrangement, char text[32]);

typedef enum marl_axes_verdict {
    MARL_AXES_ABSENT,    /* a sensor is not there */
    MARL_AXES_UNDECIDED, /* this motion does not determine it */
    MARL_AXES_DECIDED
} marl_axes_verdict;

typedef struct marl_axes_fit {
    marl_axes_verdict verdict;
    marl_arrangement best;
    double residual, next; /* share of the change that is left unexplained, by the best and the next best */
    double scale;          /* gyroscope only: its rate must be multiplied by this */
    int sign_decided; /* magnetometer only: the motion determines it up to its sign, the dip determines the
                         sign */
} marl_axes_fit;

typedef struct marl_axes {
    marl_axes_fit gyro, mag;
    marl_axes_fit
        mag_by_gyro; /* of the magnetometer, against the gyroscope, whose axes count as the accelerometer's: only
                                  where the accelerometer does not determine the gyroscope's, as in flight; else absent */
    double dip_deg; /* of the field by the arrangement found, below the horizon; NaN when it was not */
} marl_axes;

/* With the accelerometer as the reference: 48 arrangements of the gyroscope, with its scale and bias free;
 * 24 of the magnetometer up to their sign, with its offset free. The sign is the one that makes the field
 * point down, as it does in the northern hemisphere, unless the dip is under 10 degrees. Needs turning
 * about two axes at least; the same for a mirrored accelerometer axis as for a turned gyroscope: only a
 * known attitude distinguishes them. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_axes_find(const marl_log *log, marl_axes *axes, marl_error *error);

/* ---- speed ---- */

/* Along which axis of the board the speed of a log is, and whether in the unit that it says: filters take it to be along
 * body x. Where the body goes with the speed v along u, the forces over some seconds, turned by the gyroscope, change with
 * v u; a bias of the gyroscope is free. In a hand, which goes sideways, too, u is off by up to 40 degrees. Needs speeding up and down, or bends, for a minute or so. */

typedef enum marl_speed_verdict {
    MARL_SPEED_ABSENT,    /* no speed, accelerometer or gyroscope in the log */
    MARL_SPEED_UNDECIDED, /* this motion does not determine it */
    MARL_SPEED_PLAIN,     /* within 30 degrees and three standard errors of x, and within a factor of 1.9 */
    MARL_SPEED_OTHER_AXIS,
    MARL_SPEED_OTHER_UNIT,
    MARL_SPEED_UNSEEN /* the forces do not follow it along any axis */
} marl_speed_verdict;

typedef struct marl_speed_axis {
    marl_speed_verdict verdict;
    double axis[3]; /* u in the body: length 1 where the unit is right */
    double sigma
        [3]; /* its standard errors: the scatter between twentieths of the log, and 5 % of the length for lean, lever arms and scales */
    double force[3];  /* direction of the mean force, in the body: about up */
    double r_squared; /* share of the forces' changes that speed along u explains */
} marl_speed_axis;

/* `mount` turns the sensors' axes into the body's, as a calibration's does; identity without. */
marl_speed_axis marl_speed_axis_find(const marl_log *log, marl_quat mount);
/* Warnings speed-axis, speed-unit and speed-unseen. */
void marl_speed_axis_warn(marl_warnings *warnings, const char *path, const marl_speed_axis *axis);

/* ---- delay ---- */

/* How late a sensor's readings are against the gyroscope's, by the log's own stamps: its low-pass is slower, or it is read after
 * the others. By the turning that both show (marl_clock_offset_find) in the first five minutes of the log. */
typedef struct marl_sensor_delay {
    int found;
    double delay_s, sigma_s; /* NaN where it was not found; negative: early, or the gyroscope is late */
} marl_sensor_delay;

typedef struct marl_sensor_delays {
    marl_sensor_delay of[MARL_SENSOR_COUNT]; /* the gyroscope's own is never found */
} marl_sensor_delays;

/* MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_sensor_delays_find(const marl_log *log, marl_sensor_delays *delays,
                                                 marl_error *error);
/* Those of over 15 ms and five standard errors; where a sensor is early, the gyroscope is late, and the others count from it. */
marl_sensor_delays marl_sensor_delays_named(const marl_sensor_delays *found);
/* Warnings sensor-delay, of those; none of a log with readings that are held (marl_log_is_held): they are late for that. */
void marl_sensor_delays_warn(marl_warnings *warnings, const marl_log *log, const marl_sensor_delays *delays);
/* Moves the readings of a sensor to the rows nearest to where they belong, delay_s before their own. Readings that then lie
 * outside the log are dropped, and those that another one is nearer to. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_sensor_delay_remove(marl_log *log, marl_sensor sensor, double delay_s,
                                                  marl_error *error);

/* ---- row times ---- */

/* Many boards read at an even rate, and their rows get their times elsewhere: when a radio or a host received them, in clumps
 * of a packet, or by a clock that counts in 16 ms. A filter then turns too far in one row and not at all in the next. */
typedef struct marl_row_times {
    double step_s;    /* usual, between rows */
    double scatter_s; /* rms, of the times about those of rows that come evenly */
    size_t breaks;    /* where rows are missing, and even times begin anew */
    /* Mean square that the readings of the gyroscope (else of the accelerometer) are apart from the line between their
     * neighbours, by the times of the rows over that by even times: over 1, they fit even times better. */
    double gain;
    int are_uneven; /* gain over 1.05 by more than chance, and a scatter of over 0.5 ms; or rows come in clumps, and no readings
                       contradict even times */
} marl_row_times;

/* MARL_ERR_INSUFFICIENT with fewer than 40 rows, or where neither gyroscope nor accelerometer has readings in nine of ten;
 * MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_row_times_find(const marl_log *log, marl_row_times *times, marl_error *error);
/* The rows get even times, late by what the rows are in the mean of about two seconds. As marl_row_times_find;
 * MARL_ERR_INSUFFICIENT, and nothing is changed, where the readings fit the times that there are clearly better (gain under 0.8). */
MARL_CHECKED marl_status marl_row_times_set_even(marl_log *log, marl_row_times *times, marl_error *error);
/* Warning time-jitter, by the first five minutes, where they are uneven. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_row_times_warn(marl_warnings *warnings, const marl_log *log, marl_error *error);

/* ---- spikes ---- */

/* Readings that stand alone, as a bus leaves that fails now and then: apart from the median of the five about them, in an axis,
 * by over eight times what three quarters of those nearby are, and by 20 m/s^2, 0.5 rad/s or 20 uT; less for one whose axes are
 * all the same. Where a quarter of it is in a reading beside, it is a knock, which came through a low-pass. Of accelerometers
 * and gyroscopes at 40 Hz and more, of magnetometers at 10 Hz. */

/* Sets the MARL_FRESH_... of such readings in of_row, which is for log->n rows. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_spikes_find(const marl_log *log, uint8_t *of_row, marl_error *error);
/* The same readings, *n of them, are fresh no more. */
MARL_CHECKED marl_status marl_spikes_remove(marl_log *log, size_t *n, marl_error *error);

/* ---- inspect ---- */

/* What a recording is: rates, gaps, means, rest. */

/* Rest, found by the device's stillness detector with its default limits, wider where the sensors' own noise
 * would not fit into them; at least 1 s each. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_inspect_still(const marl_log *log, marl_spans *spans, marl_error *error);

typedef struct marl_sensor_summary {
    unsigned axes;          /* bit 0 x, 1 y, 2 z: which are in the log; 0 = sensor absent */
    size_t readings;        /* rows where it is fresh */
    double rate_hz;         /* 1 / usual step between fresh rows (median; of clumps mean); NaN under two */
    double jitter_ms;       /* rms deviation of the steps from that, gaps left out */
    size_t gaps;            /* steps over 1.5 usual ones */
    double longest_gap_s;   /* 0 without gaps */
    int64_t longest_gap_ns; /* when it began */
    size_t duplicates;      /* readings equal in all axes to the one before */
    size_t spikes;          /* readings that stand alone */
    int64_t first_spike_ns;
    double mean[3], deviation[3]; /* SI, over the whole recording */
    size_t clipped[3]; /* readings in runs of five and more at the axis's own extreme, which moves in far
                          smaller steps elsewhere */
    size_t stuck[3]; /* readings in runs of a second and more that keep one value while another axis moves */
} marl_sensor_summary;

typedef struct marl_inspection {
    double duration_s; /* first to last row */
    marl_sensor_summary sensor[MARL_SENSOR_COUNT];
    marl_spans still;
} marl_inspection;

MARL_CHECKED marl_status marl_inspect(const marl_log *log, marl_inspection *inspection, marl_error *error);
void marl_inspection_free(marl_inspection *inspection);

/* Warns of axes that are clipped or stuck. MARL_ERR_SYSTEM without memory. */
MARL_CHECKED marl_status marl_axis_faults_warn(marl_warnings *warnings, const marl_log *log,
                                               marl_error *error);

/* What the units of the columns probably are, where that differs from the log; "" = nothing to suspect.
 * From the length of gravity (at rest, or the median of all), and from how much the gyroscope must be scaled
 * to turn it. */
typedef struct marl_unit_suspicions {
    char accel[160], gyro[160];
    double gravity; /* length of the accelerometer's readings, m/s^2 by the log; NaN without */
} marl_unit_suspicions;

marl_unit_suspicions marl_suspect_units(const marl_log *log, const marl_spans *still, const marl_axes *axes);

/* ---- spectrum ---- */

/* The spectrum of a sensor: its noise by frequency, the corner of its own low-pass, and lines. */

enum {
    MARL_SPECTRUM_MIN = 256, /* readings */
    MARL_SPECTRUM_SEGMENT = 8192,
    MARL_SPECTRUM_BINS = MARL_SPECTRUM_SEGMENT / 2 + 1,
    MARL_SPECTRUM_BANDS = 48,
    MARL_SPECTRUM_LINES = 8
};

/* A third of an octave. */
typedef struct marl_band {
    double hz;        /* geometric middle */
    double density;   /* as below */
    double low, high; /* 99 % confidence interval */
} marl_band;

/* Something that swings at one frequency. */
typedef struct marl_line {
    double hz;
    double amplitude; /* of the swing, in the sensor's unit */
    double above;     /* its density over that of its surroundings */
} marl_line;

typedef struct marl_spectrum {
    double rate_hz, step_hz; /* of the readings; between bins */
    size_t segments;         /* that were averaged, half overlapping */
    double dof;              /* equivalent degrees of freedom of a bin */
    size_t bins;
    double
        density[MARL_SPECTRUM_BINS]; /* unit/sqrt(Hz) at bin * step_hz: square root of the two-sided density,
                                        so that white noise stands at its `white`; bin 0 is left out (NaN) */
    size_t bands;
    marl_band band[MARL_SPECTRUM_BANDS];
    size_t lines;
    marl_line line[MARL_SPECTRUM_LINES]; /* strongest first */
    double low_pass_hz, low_pass_sigma;  /* corner of a flattest second-order low-pass that the noise went
                                            through, and its standard error; NaN where none is seen */
} marl_spectrum;

/* The spectra of one sensor. */
typedef struct marl_sensor_spectrum {
    unsigned axes;  /* bit 0 x, ...: which are there; 0 = none */
    int at_rest;    /* else from the longest run of readings without a gap, motion and all; without corner */
    double seconds; /* that it is from */
    int64_t from_ns;
    marl_spectrum spectrum[3];
} marl_sensor_spectrum;

/* From the longest rest without a gap, or from the longest run without a gap at all. `axes` is 0 when that
 * has fewer than MARL_SPECTRUM_MIN readings. */
MARL_CHECKED marl_status marl_spectrum_of_log(const marl_log *log, const marl_inspection *inspection,
                                              marl_sensor sensor, int at_rest, marl_sensor_spectrum *spectrum,
                                              marl_error *error);

/* ---- noise ---- */

/* Allan deviation, the noise of a sensor from it, and whether that of two recordings is alike. */

enum { MARL_ALLAN_MAX = 112 };

/* One averaging time. */
typedef struct marl_allan_point {
    uint32_t samples; /* averaged */
    double tau_s;
    double deviation; /* the sensor's unit */
    double low, high; /* 99 % confidence interval */
    double dof;       /* equivalent degrees of freedom, for white noise */
} marl_allan_point;

typedef struct marl_allan {
    size_t samples;
    double step_s;
    size_t n;
    marl_allan_point point[MARL_ALLAN_MAX]; /* four an octave, up to a quarter of the recording */
} marl_allan;

/* NaN = the recording cannot show it. */
typedef struct marl_noise {
    double white;   /* unit/sqrt(Hz), square root of the two-sided density; Allan deviation white / sqrt(T) */
    double flicker; /* unit; Allan deviation 0.664 flicker at all times */
    double walk;    /* unit/sqrt(s); Allan deviation walk sqrt(T/3) */
    double floor;   /* the least Allan deviation, where the curve has risen again behind it */
    double white_sigma, flicker_sigma, walk_sigma;
    double flicker_max, walk_max; /* where they are NaN: larger ones would have been seen */
} marl_noise;

/* The noise of one sensor at rest. */
typedef struct marl_sensor_noise {
    unsigned axes;  /* bit 0 x, ...: which were there; 0 = none */
    double seconds; /* of the longest rest without a gap, from which it is */
    int64_t from_ns;
    marl_allan allan[3];
    marl_noise noise[3];
} marl_sensor_noise;

/* A sheet of the sensors whose noise was seen, for the simulator: rate, noise, corner of the spectrum, resolution, and
 * the gyroscope's bias are those of the rest. What a rest does not show (range, scale, cross-axis, the bias of the others,
 * its spread and its temperature) is that of `base`, the part's sheet, or where that is NULL or has not the sensor of
 * marl_sheet_grommet; so are flicker and walk where they are not seen, but no more than the rest leaves room for. White
 * noise is the root mean square over the axes, flicker and walk the mean of those seen. MARL_ERR_INSUFFICIENT when no
 * sensor's noise was seen. */
MARL_CHECKED marl_status marl_sheet_of_recording(const marl_log *log,
                                                 const marl_sensor_noise noise[MARL_SENSOR_COUNT],
                                                 const marl_sensor_spectrum spectrum[MARL_SENSOR_COUNT],
                                                 const marl_sheet *base, marl_sheet *sheet,
                                                 marl_error *error);

/* From the longest still span of the log without a gap (of over one and a half usual steps). `axes` is 0 when
 * there is none of at least 16 readings. */
MARL_CHECKED marl_status marl_noise_of_log(const marl_log *log, const marl_inspection *inspection,
                                           marl_sensor sensor, marl_sensor_noise *noise, marl_error *error);

/* To see whether a sheet is right, by a recording and one that was simulated by it: where the second differs
 * most from the first, measured by what may be by chance. */
typedef struct marl_difference {
    int holds;
    double at;    /* averaging time in s, or frequency in Hz */
    double ratio; /* of the second one's deviation or density to the first one's */
    double limit; /* greatest ratio (or 1 / ratio) that would hold there */
} marl_difference;

typedef struct marl_consistency {
    unsigned axes; /* bit 0 x, ...: in both at rest; 0 = nothing to compare */
    int holds;     /* all of them */
    marl_difference allan[3], spectrum[3];
} marl_consistency;

/* Allan deviations an octave apart, and the spectrum in thirds of an octave, of one sensor. They hold within
 * 10 %, or within the scatter that 1 % of all sensors with the same noise exceed anywhere, whichever is
 * wider.
 */
marl_consistency marl_compare_noise(const marl_sensor_noise *noise, const marl_sensor_spectrum *spectrum,
                                    const marl_sensor_noise *other_noise,
                                    const marl_sensor_spectrum *other_spectrum);

#ifdef __cplusplus
}
#endif
#endif
