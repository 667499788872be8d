/* SPDX-License-Identifier: MIT
 * The JSON files (docs/formats.md): calibrations, tunings, sensor sheets, chip tables. Each has a read and
 * most have a write call; errors name file, line and key. */
#ifndef MARLINSPIKE_FILES_H
#define MARLINSPIKE_FILES_H

#include "marlinspike/chip.h"
#include "marlinspike/error.h"
#include "marlinspike/simulate.h"
#include "marlinspike/tuning.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- calibration ---- */

/* Calibrations as JSON (docs/formats.md): what the fits found, how sure they are, and for which
 * device. Numbers are double here, so that reading and writing lose nothing. */

/* NaN in a sigma = the data cannot determine it (null in JSON); NaN elsewhere = not given. */
typedef struct marl_fit {
    int present;
    double bias[3], matrix[3][3];
    int has_sigma;
    double bias_sigma[3], matrix_sigma[3][3];
    int has_curve;
    double reference_degC, range_degC[2], bias_per_degC[3], bias_per_degC2[3];
    double points, residual_rms, coverage, temperature_degC;
    double field, dip_deg; /* magnetometer only: uT, degrees */
} marl_fit;

typedef struct marl_calibration_record {
    char device[64]; /* "" = not given */
    char made[32];   /* UTC, as 2026-11-23T08:00:00Z; "" = not given */
    marl_fit fit[MARL_SENSOR_COUNT];
    int has_mount;
    double mount[4];
    double declination_deg; /* NaN = not given */
} marl_calibration_record;

/* Nothing calibrated. */
marl_calibration_record marl_calibration_record_empty(void);
/* A fit that changes nothing, with everything else not given. */
marl_fit marl_fit_none(void);

/* A corrected reading in double, without the mount: matrix * (raw - bias(T)). degC NaN = at the reference. */
void marl_fit_apply(const marl_fit *fit, const double raw[3], double degC, double corrected[3]);

/* MARL_ERR_INPUT names file, line and key. */
MARL_CHECKED marl_status marl_calibration_read(marl_calibration_record *record, const char *path,
                                               marl_error *error);
MARL_CHECKED marl_status marl_calibration_write(const marl_calibration_record *record, const char *path,
                                                marl_error *error);
/* The JSON text, to be freed by the caller; NULL without memory. */
char *marl_calibration_text(const marl_calibration_record *record);

/* What the device uses of it. */
marl_calibration marl_calibration_for_device(const marl_calibration_record *record);

/* MARL_ERR_INPUT when both names are given and differ. */
MARL_CHECKED marl_status marl_device_match(const char *device_a, const char *path_a, const char *device_b,
                                           const char *path_b, marl_error *error);

/* ---- files ---- */

/* Tunings, sensor sheets and chip tables as JSON files (docs/formats.md). Errors of all readers:
 * MARL_ERR_INPUT names file, line and key. */

typedef struct marl_named_tuning {
    char name[200];
    char about[200]; /* what it is for; may be empty */
    marl_tuning tuning;
    int recorded; /* 1: no filter of ours, but the attitude that the log itself holds */
} marl_named_tuning;

/* A tuning as the command line gives it: a filter's name (its defaults; with a sheet, which may be NULL,
 * those that follow from it) or a file, and behind a colon changes of single parameters:
 * "complementary:tilt_time=0.5,damping=1", "calm.json:weighting=off". Switches are on or off. The text is
 * part of the name. MARL_ERR_INPUT names file, line and key, and lists the known keys when one is unknown;
 * MARL_ERR_USE when a change has an unknown name or a value out of its range. */
MARL_CHECKED marl_status marl_tuning_read(marl_named_tuning *tuning, const char *text,
                                          const marl_sheet *sheet, marl_error *error);
MARL_CHECKED marl_status marl_tuning_write(const marl_named_tuning *tuning, const char *path,
                                           marl_error *error);

/* The JSON text, to be freed by the caller; NULL without memory. */
char *marl_tuning_text(const marl_named_tuning *tuning);

/* A C header for the firmware: the calibration as the device uses it, and the tuning (may be NULL), as constants
 * `DEVICE_calibration` and `DEVICE_tuning` in hexadecimal floats, so that they are those of the files bit for bit. C11
 * and C++17 take it without a warning; a library with other parameters does not compile it. */
MARL_CHECKED marl_status marl_calibration_write_header(const marl_calibration_record *record,
                                                       const marl_named_tuning *tuning, const char *path,
                                                       marl_error *error);

/* What a chip's offset registers do about the bias of one sensor. Arrays are for the body's x, y and z, SI. */
typedef struct marl_chip_offsets {
    int present;
    uint8_t reg[3];
    int32_t count[3];
    double step;     /* of one count */
    double takes[3]; /* away from every reading */
    double left[3];  /* of the bias, for software */
    int clipped[3];  /* the register holds no more: more is left than half a step */
} marl_chip_offsets;

/* The biases of a calibration (at its reference temperature) as register values, as marl_part_offset_counts rounds them;
 * *rest is the calibration of readings from which the registers have taken theirs. MARL_ERR_USE when the part is invalid,
 * MARL_ERR_INPUT when the chip has no such registers for what is calibrated. */
MARL_CHECKED marl_status marl_calibration_to_offsets(const marl_calibration_record *record,
                                                     const marl_part *part,
                                                     marl_chip_offsets offsets[MARL_SENSOR_COUNT],
                                                     marl_calibration_record *rest, marl_error *error);

/* A C header with these values as writes `DEVICE_offsets` of the kind that a chip's set-up is made of. */
MARL_CHECKED marl_status marl_offsets_write_header(const marl_calibration_record *record,
                                                   const marl_part *part,
                                                   const marl_chip_offsets offsets[MARL_SENSOR_COUNT],
                                                   const char *path, marl_error *error);

/* The defaults of a filter for the sensors of a sheet: noise densities as they stand there, uncertainties and
 * the thresholds of the weighting from the errors that the sheet states. Nothing is searched. Sensors that
 * the sheet does not have keep the general defaults. */
marl_tuning marl_tuning_for_sheet(marl_filter filter, const marl_sheet *sheet);

/* The made-up nine-axis Grommet chip, consumer grade; the same as data/sheets/grommet.json. */
marl_sheet marl_sheet_grommet(void);

MARL_CHECKED marl_status marl_sheet_read(marl_sheet *sheet, const char *path, marl_error *error);
/* In SI units; what is zero is left out. */
MARL_CHECKED marl_status marl_sheet_write(const marl_sheet *sheet, const char *path, marl_error *error);

/* A chip table with room for the lists that it points to: not to be copied or moved. */
enum { MARL_CHIP_FILE_CHOICES = 32, MARL_CHIP_FILE_SETUP = 64 };
typedef struct marl_chip_file {
    marl_chip chip;
    marl_chip_choice choice[MARL_SENSOR_COUNT][3][MARL_CHIP_FILE_CHOICES]; /* of range, rate, filter */
    marl_chip_write setup[MARL_CHIP_FILE_SETUP];
} marl_chip_file;

/* MARL_ERR_INPUT names the allowed range, too. */
MARL_CHECKED marl_status marl_chip_read_file(marl_chip_file *file, const char *path, marl_error *error);

#ifdef __cplusplus
}
#endif
#endif
