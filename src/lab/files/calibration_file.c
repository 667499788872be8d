/* SPDX-License-Identifier: MIT
 * Calibrations as JSON, and for the device. */
#include "lab/files/calibration_file.h"
#include "lab/files/fit_merge.h"
#include "marlinspike/files.h"
#include <float.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#define KIND "calibration/1"

marl_fit marl_fit_none(void)
{
    marl_fit fit = {.matrix = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
    fit.points = fit.residual_rms = fit.coverage = fit.temperature_degC = NAN;
    fit.field = fit.dip_deg = NAN;
    return fit;
}

marl_calibration_record marl_calibration_record_empty(void)
{
    marl_calibration_record record = {.mount = {1, 0, 0, 0}, .declination_deg = NAN};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        record.fit[i] = marl_fit_none();
    }
    return record;
}

static marl_status read_curve(const lab_json_at *sensor, marl_fit *fit)
{
    static const char *const known[] = {"reference_degC", "range_degC", "bias_per_degC", "bias_per_degC2",
                                        NULL};
    lab_json_at at;
    MARL_TRY(lab_json_object(sensor, "temperature", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    fit->has_curve = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_json_number(&at, known[0], LAB_NEEDED, (lab_json_range){-300, 300}, &fit->reference_degC));
    MARL_TRY(lab_json_numbers(&at, known[1], LAB_NEEDED, 2, fit->range_degC));
    MARL_TRY(lab_json_numbers(&at, known[2], LAB_NEEDED, 3, fit->bias_per_degC));
    MARL_TRY(lab_json_numbers(&at, known[3], LAB_OPTIONAL, 3, fit->bias_per_degC2));
    if (!(fit->range_degC[0] <= fit->range_degC[1])) {
        return lab_json_fail(&at, known[1], "must rise");
    }
    return MARL_OK;
}

static marl_status read_quality(const lab_json_at *sensor, marl_fit *fit)
{
    static const char *const known[] = {"points", "residual_rms", "coverage", "temperature_degC", NULL};
    lab_json_at at;
    MARL_TRY(lab_json_object(sensor, "fit", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_json_number(&at, known[0], LAB_OPTIONAL, (lab_json_range){0, DBL_MAX}, &fit->points));
    MARL_TRY(lab_json_number(&at, known[1], LAB_OPTIONAL, (lab_json_range){0, DBL_MAX}, &fit->residual_rms));
    MARL_TRY(lab_json_number(&at, known[2], LAB_OPTIONAL, (lab_json_range){0, 1}, &fit->coverage));
    MARL_TRY(
        lab_json_number(&at, known[3], LAB_OPTIONAL, (lab_json_range){-300, 300}, &fit->temperature_degC));
    return MARL_OK;
}

static marl_status read_sigma(const lab_json_at *at, marl_fit *fit)
{
    for (int i = 0; i < 3; i++) {
        fit->bias_sigma[i] = NAN;
        fit->matrix_sigma[i][0] = fit->matrix_sigma[i][1] = fit->matrix_sigma[i][2] = NAN;
    }
    fit->has_sigma = lab_json_has(at, "bias_sigma") || lab_json_has(at, "matrix_sigma");
    MARL_TRY(lab_json_numbers(at, "bias_sigma", LAB_OPTIONAL | LAB_NULLS, 3, fit->bias_sigma));
    return lab_json_matrix(at, "matrix_sigma", LAB_OPTIONAL | LAB_NULLS, fit->matrix_sigma);
}

/* The device's own check, so that no log is corrected here by what a board would not accept. */
static marl_status check_fit(const lab_json_at *root, marl_sensor sensor, const marl_fit *fit)
{
    marl_correction correction = lab_correction_of(fit);
    if (marl_correction_check(&correction) == MARL_OK) {
        return MARL_OK;
    }
    return lab_json_fail(
        root, marl_sensor_name(sensor),
        "is no correction that a board accepts: numbers of ordinary size, a matrix that keeps "
        "volumes within a factor of 1000, a range from low to high");
}

static marl_status read_fit(const lab_json_at *root, marl_sensor sensor, marl_fit *fit)
{
    static const char *const known[] = {"unit",        "bias", "matrix", "bias_sigma", "matrix_sigma",
                                        "temperature", "fit",  NULL,     NULL,         NULL};
    static const char *const known_mag[] = {"unit",        "bias", "matrix", "bias_sigma", "matrix_sigma",
                                            "temperature", "fit",  "field",  "dip_deg",    NULL};
    char unit[16] = "";
    lab_json_at at;
    MARL_TRY(lab_json_object(root, marl_sensor_name(sensor), LAB_OPTIONAL, &at));
    *fit = marl_fit_none();
    if (at.object == NULL || json_object_size(at.object) == 0) {
        return MARL_OK;
    }
    fit->present = 1;
    MARL_TRY(lab_json_only(&at, sensor == MARL_MAG ? known_mag : known));
    MARL_TRY(lab_json_string(&at, "unit", LAB_OPTIONAL, unit, sizeof unit));
    if (unit[0] != '\0' && strcmp(unit, marl_sensor_unit(sensor)) != 0) {
        return lab_json_fail(&at, "unit", "is '%s', wanted '%s'", unit, marl_sensor_unit(sensor));
    }
    MARL_TRY(lab_json_numbers(&at, "bias", LAB_OPTIONAL, 3, fit->bias));
    MARL_TRY(lab_json_matrix(&at, "matrix", LAB_OPTIONAL, fit->matrix));
    MARL_TRY(read_sigma(&at, fit));
    MARL_TRY(read_curve(&at, fit));
    MARL_TRY(read_quality(&at, fit));
    MARL_TRY(lab_json_number(&at, "field", LAB_OPTIONAL, (lab_json_range){0, 1e6}, &fit->field));
    MARL_TRY(lab_json_number(&at, "dip_deg", LAB_OPTIONAL, (lab_json_range){-90, 90}, &fit->dip_deg));
    return check_fit(root, sensor, fit);
}

static marl_status read_mount(const lab_json_at *root, marl_calibration_record *record)
{
    static const char *const known[] = {"q", NULL};
    double *q = record->mount;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, "mount", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    record->has_mount = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_json_numbers(&at, "q", LAB_NEEDED, 4, q));
    double norm = sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    if (!(fabs(norm - 1.0) < 5e-4)) {
        return lab_json_fail(&at, "q", "must have length 1");
    }
    for (int i = 0; i < 4; i++) {
        q[i] /= norm;
    }
    return MARL_OK;
}

static marl_status read_root(const lab_json *file, marl_calibration_record *record)
{
    static const char *const known[] = {"marlinspike", "device",          "made", "accel", "gyro", "mag",
                                        "mount",       "declination_deg", NULL};
    lab_json_at root = lab_json_root(file);
    MARL_TRY(lab_json_only(&root, known));
    MARL_TRY(lab_json_string(&root, "device", LAB_OPTIONAL, record->device, sizeof record->device));
    MARL_TRY(lab_json_string(&root, "made", LAB_OPTIONAL, record->made, sizeof record->made));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        MARL_TRY(read_fit(&root, (marl_sensor)i, &record->fit[i]));
    }
    MARL_TRY(read_mount(&root, record));
    MARL_TRY(lab_json_number(&root, "declination_deg", LAB_OPTIONAL, (lab_json_range){-180, 180},
                             &record->declination_deg));
    return MARL_OK;
}

marl_status marl_calibration_read(marl_calibration_record *record, const char *path, marl_error *error)
{
    lab_json file;
    *record = marl_calibration_record_empty();
    marl_status status = lab_json_load(&file, path, KIND, error);
    if (status == MARL_OK) {
        status = read_root(&file, record);
        lab_json_free(&file);
    }
    return status;
}

marl_status lab_calibration_of_value(marl_calibration_record *record, json_t *value, const char *path,
                                     marl_error *error)
{
    lab_json file;
    *record = marl_calibration_record_empty();
    MARL_TRY(lab_json_of_value(&file, value, path, KIND, error));
    marl_status status = read_root(&file, record);
    lab_json_free(&file);
    return status;
}

static void set_if_given(json_t **object, const char *key, double value)
{
    if (isfinite(value)) {
        lab_json_put(object, key, json_real(value));
    }
}

static json_t *curve_to_json(const marl_fit *fit)
{
    json_t *curve = json_object();
    lab_json_put(&curve, "reference_degC", json_real(fit->reference_degC));
    lab_json_put(&curve, "range_degC", lab_json_from_numbers(fit->range_degC, 2));
    lab_json_put(&curve, "bias_per_degC", lab_json_from_numbers(fit->bias_per_degC, 3));
    lab_json_put(&curve, "bias_per_degC2", lab_json_from_numbers(fit->bias_per_degC2, 3));
    return curve;
}

static json_t *fit_to_json(const marl_fit *fit, const char *unit)
{
    json_t *sensor = json_object();
    json_t *quality = json_object();
    lab_json_put(&sensor, "unit", json_string(unit));
    lab_json_put(&sensor, "bias", lab_json_from_numbers(fit->bias, 3));
    lab_json_put(&sensor, "matrix", lab_json_from_matrix(fit->matrix));
    if (fit->has_sigma) {
        lab_json_put(&sensor, "bias_sigma", lab_json_from_numbers(fit->bias_sigma, 3));
        lab_json_put(&sensor, "matrix_sigma", lab_json_from_matrix(fit->matrix_sigma));
    }
    if (fit->has_curve) {
        lab_json_put(&sensor, "temperature", curve_to_json(fit));
    }
    set_if_given(&sensor, "field", fit->field);
    set_if_given(&sensor, "dip_deg", fit->dip_deg);
    if (isfinite(fit->points)) {
        lab_json_put(&quality, "points", json_integer((json_int_t)fit->points));
    }
    set_if_given(&quality, "residual_rms", fit->residual_rms);
    set_if_given(&quality, "coverage", fit->coverage);
    set_if_given(&quality, "temperature_degC", fit->temperature_degC);
    if (quality == NULL || json_object_size(quality) > 0) {
        lab_json_put(&sensor, "fit", json_incref(quality));
    }
    json_decref(quality);
    return sensor;
}

json_t *lab_calibration_json(const marl_calibration_record *record)
{
    json_t *root = json_object();
    lab_json_put(&root, "marlinspike", json_string(KIND));
    if (record->device[0]) {
        lab_json_put(&root, "device", json_string(record->device));
    }
    if (record->made[0]) {
        lab_json_put(&root, "made", json_string(record->made));
    }
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (record->fit[i].present) {
            lab_json_put(&root, marl_sensor_name((marl_sensor)i),
                         fit_to_json(&record->fit[i], marl_sensor_unit((marl_sensor)i)));
        }
    }
    if (record->has_mount) {
        json_t *mount = json_object();
        lab_json_put(&mount, "q", lab_json_from_numbers(record->mount, 4));
        lab_json_put(&root, "mount", mount);
    }
    set_if_given(&root, "declination_deg", record->declination_deg);
    return root;
}

marl_status marl_calibration_write(const marl_calibration_record *record, const char *path, marl_error *error)
{
    return lab_json_save(lab_calibration_json(record), path, error);
}

char *marl_calibration_text(const marl_calibration_record *record)
{
    return lab_json_text(lab_calibration_json(record));
}
