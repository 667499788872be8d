/* SPDX-License-Identifier: MIT
 * A calibration and a tuning as constants of a C header. */
#include "lab/files/c_text.h"
#include <stdio.h>
#include <string.h>

/* Hexadecimal, so that the float is the same; the decimal number beside it is for the reader. */
static void put_vector(marl_outfile *out, const char *indent, const char *what, marl_vec3 v)
{
    LAB_C_PUT(out, "%s{%af, %af, %af}, /* %s: %.6g, %.6g, %.6g */\n", indent, (double)v.x, (double)v.y,
              (double)v.z, what, (double)v.x, (double)v.y, (double)v.z);
}

static void put_correction(marl_outfile *out, const char *sensor, const marl_correction *c)
{
    LAB_C_PUT(out, "    {%d, /* %s%s */\n     {{", c->present, sensor, c->present ? "" : ": not calibrated");
    for (int i = 0; i < 3; i++) {
        LAB_C_PUT(out, "%s{%af, %af, %af}%s", i > 0 ? "       " : "", (double)c->matrix.m[i][0],
                  (double)c->matrix.m[i][1], (double)c->matrix.m[i][2], i < 2 ? ",\n" : "}}, /* matrix */\n");
    }
    put_vector(out, "     ", "bias", c->bias);
    LAB_C_PUT(out, "     %d, /* 1: the bias follows the temperature */\n", c->has_curve);
    LAB_C_PUT(out, "     {%af, %af, %af, /* T0, lowest and highest temperature: %.6g, %.6g, %.6g degC */\n",
              (double)c->curve.reference_degC, (double)c->curve.low_degC, (double)c->curve.high_degC,
              (double)c->curve.reference_degC, (double)c->curve.low_degC, (double)c->curve.high_degC);
    put_vector(out, "      ", "per degC", c->curve.per_degC);
    LAB_C_PUT(out, "      {%af, %af, %af}}},\n", (double)c->curve.per_degC2.x, (double)c->curve.per_degC2.y,
              (double)c->curve.per_degC2.z);
}

static void put_calibration(marl_outfile *out, const char *name, const marl_calibration_record *record)
{
    const marl_calibration c = marl_calibration_for_device(record);
    LAB_C_PUT(out, "static const marl_calibration %s_calibration = {\n", name);
    put_correction(out, "accelerometer, m/s^2", &c.accel);
    put_correction(out, "gyroscope, rad/s", &c.gyro);
    put_correction(out, "magnetometer, uT", &c.mag);
    LAB_C_PUT(out, "    %d, /* 1: the sensors are turned against the body */\n", c.has_mount);
    LAB_C_PUT(out, "    {%af, %af, %af, %af}};\n", (double)c.mount.w, (double)c.mount.x, (double)c.mount.y,
              (double)c.mount.z);
}

static void put_tuning(marl_outfile *out, const char *name, const marl_named_tuning *tuning)
{
    static const char *const filters[MARL_FILTER_COUNT] = {
        "MARL_FILTER_GYRO", "MARL_FILTER_VECTORS", "MARL_FILTER_COMPLEMENTARY",
        "MARL_FILTER_GRADIENT_DESCENT", "MARL_FILTER_KALMAN"};
    const marl_tuning *t = &tuning->tuning;
    marl_outfile_text(out, "\n/* ");
    lab_c_comment(out, tuning->name);
    LAB_C_PUT(out, " */\nstatic const marl_tuning %s_tuning = {\n    %s,\n    %s,\n    {\n", name,
              filters[t->filter], t->world == MARL_WORLD_NED ? "MARL_WORLD_NED" : "MARL_WORLD_ENU");
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        const char *unit = strcmp(row->unit, "1") == 0 ? "" : row->unit;
        LAB_C_PUT(out, "        %af, /* %s: %.6g%s%s */\n", (double)t->value[i], row->name,
                  (double)t->value[i], unit[0] != '\0' ? " " : "", unit);
    }
    marl_outfile_text(out, "    }};\n");
}

marl_status marl_calibration_write_header(const marl_calibration_record *record,
                                          const marl_named_tuning *tuning, const char *path,
                                          marl_error *error)
{
    char name[LAB_C_NAME], upper[LAB_C_NAME];
    marl_outfile *out;
    lab_c_name(record->device, name, upper);
    MARL_TRY(marl_outfile_open(&out, path, error));
    lab_c_title(out, "Calibration of ", record);
    LAB_C_PUT(out, " * marl_pipeline_config.calibration = %s_calibration", name);
    if (tuning != NULL) {
        LAB_C_PUT(out, ", .tuning = %s_tuning", name);
    }
    LAB_C_PUT(out, " */\n#ifndef %s_CALIBRATION_H\n#define %s_CALIBRATION_H\n\n", upper, upper);
    marl_outfile_text(out, "#include \"marlinspike/estimator.h\"\n\n");
    LAB_C_PUT(out,
              "#ifdef __cplusplus\nstatic_assert(MARL_PARAMETER_COUNT == %d, \"another library: export "
              "again\");\n#else\n"
              "_Static_assert(MARL_PARAMETER_COUNT == %d, \"another library: export again\");\n#endif\n\n",
              (int)MARL_PARAMETER_COUNT, (int)MARL_PARAMETER_COUNT);
    put_calibration(out, name, record);
    if (tuning != NULL) {
        put_tuning(out, name, tuning);
    }
    LAB_C_PUT(out, "\n#endif\n");
    return marl_outfile_commit(out, error);
}
