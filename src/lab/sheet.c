/* SPDX-License-Identifier: MIT
 * Sensor sheets. */
#include "marlinspike/sheet.h"
#include "json_file.h"
#include "units.h"
#include <math.h>
#include <string.h>

#define KIND "sheet/1"

/* In the units in which data/sheets/grommet.json says it, so that both give the same bits. */
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
                  .scale_error = {0.002, -0.001, 0.0015}},
        .gyro = {.present = 1,
                 .rate_hz = 100,
                 .full_scale = 500 * deg_s,
                 .bits = 16,
                 .white = 0.006 * deg_s,
                 .bias = {0.8 * deg_s, -0.5 * deg_s, 0.3 * deg_s},
                 .bias_spread = 0.12 * deg_s,
                 .scale_error = {0.006, -0.004, 0.005}},
        .mag = {.present = 1,
                .rate_hz = 25,
                .full_scale = 1200,
                .bits = 16,
                .white = 0.08,
                .bias = {0.3, -0.2, 0.25},
                .bias_spread = 0.05,
                .scale_error = {0.004, -0.003, 0.002}},
    };
}

/* A data sheet gives its density one-sided or two-sided; exactly one of the two keys. */
static marl_status read_density(const lab_json_at *at, double factor, double *white, marl_error *error)
{
    int one_sided = lab_json_has(at, "white_one_sided");
    if (one_sided == lab_json_has(at, "white")) {
        return lab_json_fail(at, "white", error, "one of white and white_one_sided is needed");
    }
    marl_status s =
        lab_json_number(at, one_sided ? "white_one_sided" : "white", LAB_NEEDED, 0, 1e6, white, error);
    *white *= factor * (one_sided ? sqrt(0.5) : 1.0);
    return s;
}

static marl_status read_unit(const lab_json_at *at, lab_quantity quantity, double *factor, marl_error *error)
{
    char name[16] = "", known[120];
    marl_status s = lab_json_string(at, "unit", LAB_NEEDED, name, sizeof name, error);
    const lab_unit *unit = lab_unit_find(quantity, name);
    if (s == MARL_OK && unit == NULL) {
        lab_unit_list(quantity, known, sizeof known);
        s = lab_json_fail(at, "unit", error, "unknown unit '%s'; known: %s", name, known);
    }
    *factor = unit != NULL ? unit->factor : 1.0;
    return s;
}

static marl_status read_sensor(const lab_json_at *root, const char *name, lab_quantity quantity,
                               marl_sensor_sheet *sensor, marl_error *error)
{
    static const char *const known[] = {"unit", "rate_hz",         "full_scale",  "bits",        "white",
                                        "bias", "white_one_sided", "bias_spread", "scale_error", NULL};
    double factor = 1.0, bits = 16;
    lab_json_at at;
    marl_status s = lab_json_object(root, name, LAB_OPTIONAL, &at, error);
    *sensor = (marl_sensor_sheet){0};
    if (s != MARL_OK || at.object == NULL) {
        return s;
    }
    sensor->present = 1;
    s = lab_json_only(&at, known, error);
    s = s ? s : read_unit(&at, quantity, &factor, error);
    s = s ? s : lab_json_number(&at, "rate_hz", LAB_NEEDED, 0.01, 1e5, &sensor->rate_hz, error);
    s = s ? s : lab_json_number(&at, "full_scale", LAB_NEEDED, 1e-9, 1e9, &sensor->full_scale, error);
    s = s ? s : lab_json_number(&at, "bits", LAB_NEEDED, 2, 32, &bits, error);
    s = s ? s : read_density(&at, factor, &sensor->white, error);
    s = s ? s : lab_json_numbers(&at, "bias", LAB_OPTIONAL, 0, 3, sensor->bias, error);
    s = s ? s : lab_json_number(&at, "bias_spread", LAB_OPTIONAL, 0, 1e6, &sensor->bias_spread, error);
    s = s ? s : lab_json_numbers(&at, "scale_error", LAB_OPTIONAL, 0, 3, sensor->scale_error, error);
    if (s == MARL_OK && bits != floor(bits)) {
        s = lab_json_fail(&at, "bits", error, "must be a whole number");
    }
    for (int i = 0; i < 3; i++) {
        sensor->bias[i] *= factor;
        if (s == MARL_OK && !(fabs(sensor->scale_error[i]) < 1.0)) {
            s = lab_json_fail(&at, "scale_error", error, "must lie between -1 and 1");
        }
    }
    sensor->bits = (int)bits;
    sensor->full_scale *= factor;
    sensor->bias_spread *= factor;
    return s;
}

static marl_status read_root(const lab_json *file, marl_sheet *sheet, marl_error *error)
{
    static const char *const known[] = {"marlinspike", "name", "accel", "gyro", "mag", NULL};
    lab_json_at root = lab_json_root(file);
    marl_status s = lab_json_only(&root, known, error);
    s = s ? s : lab_json_string(&root, "name", LAB_OPTIONAL, sheet->name, sizeof sheet->name, error);
    s = s ? s : read_sensor(&root, "accel", LAB_ACCEL, &sheet->accel, error);
    s = s ? s : read_sensor(&root, "gyro", LAB_GYRO, &sheet->gyro, error);
    s = s ? s : read_sensor(&root, "mag", LAB_MAG, &sheet->mag, error);
    if (s == MARL_OK && !sheet->accel.present && !sheet->gyro.present && !sheet->mag.present) {
        s = lab_json_fail(&root, "accel", error, "the sheet describes no sensor");
    }
    return s;
}

marl_status marl_sheet_read(marl_sheet *sheet, const char *path, marl_error *error)
{
    lab_json file;
    memset(sheet, 0, sizeof *sheet);
    marl_status status = lab_json_load(&file, path, KIND, error);
    if (status == MARL_OK) {
        status = read_root(&file, sheet, error);
        lab_json_free(&file);
    }
    return status;
}
