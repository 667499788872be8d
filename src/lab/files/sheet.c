/* SPDX-License-Identifier: MIT
 * Sensor sheets. */
#include "lab/files/json_file.h"
#include "lab/log/units.h"
#include "marlinspike/files.h"
#include <math.h>
#include <string.h>

#define KIND "sheet/1"

/* In the units of data/sheets/grommet.json, so that both give the same bits. */
marl_sheet marl_sheet_grommet(void)
{
    const double mg = lab_unit_find(LAB_ACCEL, "mg")->factor;
    const double deg_s = lab_unit_find(LAB_GYRO, "deg/s")->factor;
    return (marl_sheet){
        .name = "grommet",
        .accel = {.present = 1,
                  .rate_hz = 100,
                  .full_scale = 8000 * mg,
                  .bits = 16,
                  .white = 0.12 * mg,
                  .bias = {5 * mg, -4 * mg, 6 * mg},
                  .bias_spread = 1 * mg,
                  .scale_error = {0.002, -0.001, 0.0015},
                  .cross_axis = {{0, 0.002, -0.001}, {0.001, 0, 0.002}, {-0.002, 0.001, 0}},
                  .flicker = 0.04 * mg,
                  .walk = 0.002 * mg,
                  .reference_degC = MARL_SHEET_REFERENCE_DEGC,
                  .bias_per_degC = {0.15 * mg, -0.1 * mg, 0.2 * mg}},
        .gyro = {.present = 1,
                 .rate_hz = 100,
                 .full_scale = 500 * deg_s,
                 .bits = 16,
                 .white = 0.006 * deg_s,
                 .bias = {0.8 * deg_s, -0.5 * deg_s, 0.3 * deg_s},
                 .bias_spread = 0.12 * deg_s,
                 .scale_error = {0.006, -0.004, 0.005},
                 .cross_axis = {{0, 0.004, -0.003}, {-0.002, 0, 0.005}, {0.003, -0.004, 0}},
                 .flicker = 0.002 * deg_s,
                 .walk = 0.0001 * deg_s,
                 .reference_degC = MARL_SHEET_REFERENCE_DEGC,
                 .bias_per_degC = {0.012 * deg_s, -0.02 * deg_s, 0.008 * deg_s}},
        .mag = {.present = 1,
                .rate_hz = 25,
                .full_scale = 1200,
                .bits = 16,
                .white = 0.08,
                .bias = {0.3, -0.2, 0.25},
                .bias_spread = 0.05,
                .scale_error = {0.004, -0.003, 0.002},
                .reference_degC = MARL_SHEET_REFERENCE_DEGC},
    };
}

/* A data sheet gives its density one-sided or two-sided; exactly one of the two keys. */
static marl_status read_density(const lab_json_at *at, double factor, double *white)
{
    int one_sided = lab_json_has(at, "white_one_sided");
    if (one_sided == lab_json_has(at, "white")) {
        return lab_json_fail(at, "white", "one of white and white_one_sided is needed");
    }
    marl_status s = lab_json_number(at, one_sided ? "white_one_sided" : "white", LAB_NEEDED,
                                    (lab_json_range){0, 1e6}, white);
    *white *= factor * (one_sided ? sqrt(0.5) : 1.0);
    return s;
}

static marl_status read_unit(const lab_json_at *at, lab_quantity quantity, double *factor)
{
    char name[16] = "", known[120];
    marl_status s = lab_json_string(at, "unit", LAB_NEEDED, name, sizeof name);
    const lab_unit *unit = lab_unit_find(quantity, name);
    if (s == MARL_OK && unit == NULL) {
        lab_unit_list(quantity, known, sizeof known);
        s = lab_json_fail(at, "unit", "unknown unit '%s'; known: %s", name, known);
    }
    *factor = unit != NULL ? unit->factor : 1.0;
    return s;
}

static marl_status read_converter(const lab_json_at *at, marl_sensor_sheet *sensor)
{
    double bits = 16;
    MARL_TRY(lab_json_number(at, "rate_hz", LAB_NEEDED, (lab_json_range){0.01, 1e5}, &sensor->rate_hz));
    MARL_TRY(lab_json_number(at, "full_scale", LAB_NEEDED, (lab_json_range){1e-9, 1e9}, &sensor->full_scale));
    MARL_TRY(lab_json_number(at, "bits", LAB_NEEDED, (lab_json_range){2, 32}, &bits));
    if (bits != floor(bits)) {
        return lab_json_fail(at, "bits", "must be a whole number");
    }
    sensor->bits = (int)bits;
    return MARL_OK;
}

/* Cross-axis sensitivity must be below 1. */
static marl_status check_shares(const lab_json_at *at, const marl_sensor_sheet *sensor)
{
    for (int i = 0; i < 3; i++) {
        if (!(fabs(sensor->scale_error[i]) < 1.0)) {
            return lab_json_fail(at, "scale_error", "must lie between -1 and 1");
        }
        for (int k = 0; k < 3; k++) {
            if (!(fabs(sensor->cross_axis[i][k]) < 1.0) || (i == k && sensor->cross_axis[i][k] != 0.0)) {
                return lab_json_fail(at, "cross_axis", "must lie between -1 and 1, its diagonal be 0");
            }
        }
    }
    return MARL_OK;
}

/* A resonance needs its damping, and the other way round. */
static marl_status read_dynamics(const lab_json_at *at, marl_sensor_sheet *sensor)
{
    int both = lab_json_has(at, "resonance_hz") || lab_json_has(at, "damping");
    MARL_TRY(
        lab_json_number(at, "low_pass_hz", LAB_OPTIONAL, (lab_json_range){1e-3, 1e6}, &sensor->low_pass_hz));
    MARL_TRY(lab_json_number(at, "resonance_hz", both, (lab_json_range){1e-3, 1e7}, &sensor->resonance_hz));
    return lab_json_number(at, "damping", both, (lab_json_range){1e-4, 100}, &sensor->damping);
}

static marl_status read_errors(const lab_json_at *at, marl_sensor_sheet *sensor)
{
    MARL_TRY(lab_json_numbers(at, "bias", LAB_OPTIONAL, 3, sensor->bias));
    MARL_TRY(
        lab_json_number(at, "bias_spread", LAB_OPTIONAL, (lab_json_range){0, 1e6}, &sensor->bias_spread));
    MARL_TRY(lab_json_numbers(at, "scale_error", LAB_OPTIONAL, 3, sensor->scale_error));
    MARL_TRY(lab_json_matrix(at, "cross_axis", LAB_OPTIONAL, sensor->cross_axis));
    MARL_TRY(check_shares(at, sensor));
    MARL_TRY(lab_json_number(at, "flicker", LAB_OPTIONAL, (lab_json_range){0, 1e6}, &sensor->flicker));
    MARL_TRY(lab_json_number(at, "walk", LAB_OPTIONAL, (lab_json_range){0, 1e6}, &sensor->walk));
    MARL_TRY(read_dynamics(at, sensor));
    MARL_TRY(lab_json_number(at, "reference_degC", LAB_OPTIONAL, (lab_json_range){-100, 200},
                             &sensor->reference_degC));
    return lab_json_numbers(at, "bias_per_degC", LAB_OPTIONAL, 3, sensor->bias_per_degC);
}

/* From the sheet's unit to SI; the density is converted where its key is known. */
static void convert(marl_sensor_sheet *sensor, double factor)
{
    sensor->full_scale *= factor;
    sensor->bias_spread *= factor;
    sensor->flicker *= factor;
    sensor->walk *= factor;
    for (int i = 0; i < 3; i++) {
        sensor->bias[i] *= factor;
        sensor->bias_per_degC[i] *= factor;
    }
}

static marl_status read_sensor(const lab_json_at *root, const char *name, lab_quantity quantity,
                               marl_sensor_sheet *sensor)
{
    static const char *const known[] = {
        "unit",        "rate_hz",      "full_scale",  "bits",           "white",         "white_one_sided",
        "bias",        "bias_spread",  "scale_error", "cross_axis",     "flicker",       "walk",
        "low_pass_hz", "resonance_hz", "damping",     "reference_degC", "bias_per_degC", NULL};
    double factor = 1.0;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, name, LAB_OPTIONAL, &at));
    *sensor = (marl_sensor_sheet){.reference_degC = MARL_SHEET_REFERENCE_DEGC};
    if (at.object == NULL) {
        return MARL_OK;
    }
    sensor->present = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_unit(&at, quantity, &factor));
    MARL_TRY(read_converter(&at, sensor));
    MARL_TRY(read_density(&at, factor, &sensor->white));
    MARL_TRY(read_errors(&at, sensor));
    convert(sensor, factor);
    return MARL_OK;
}

static marl_status read_root(const lab_json *file, marl_sheet *sheet)
{
    static const char *const known[] = {"marlinspike", "name", "accel", "gyro", "mag", NULL};
    lab_json_at root = lab_json_root(file);
    MARL_TRY(lab_json_only(&root, known));
    MARL_TRY(lab_json_string(&root, "name", LAB_OPTIONAL, sheet->name, sizeof sheet->name));
    MARL_TRY(read_sensor(&root, "accel", LAB_ACCEL, &sheet->accel));
    MARL_TRY(read_sensor(&root, "gyro", LAB_GYRO, &sheet->gyro));
    MARL_TRY(read_sensor(&root, "mag", LAB_MAG, &sheet->mag));
    if (!sheet->accel.present && !sheet->gyro.present && !sheet->mag.present) {
        return lab_json_fail(&root, "accel", "the sheet describes no sensor");
    }
    return MARL_OK;
}

marl_status marl_sheet_read(marl_sheet *sheet, const char *path, marl_error *error)
{
    lab_json file;
    memset(sheet, 0, sizeof *sheet);
    marl_status status = lab_json_load(&file, path, KIND, error);
    if (status == MARL_OK) {
        status = read_root(&file, sheet);
        lab_json_free(&file);
    }
    return status;
}
