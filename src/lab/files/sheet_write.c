/* SPDX-License-Identifier: MIT
 * Writing sensor sheets. */
#include "lab/files/json_file.h"
#include "marlinspike/files.h"

static void put_number(json_t **sensor, const char *key, double value)
{
    if (value != 0) {
        lab_json_put(sensor, key, json_real(value));
    }
}

static void put_numbers(json_t **sensor, const char *key, const double value[3])
{
    if (value[0] != 0 || value[1] != 0 || value[2] != 0) {
        lab_json_put(sensor, key, lab_json_from_numbers(value, 3));
    }
}

static int has_cross_axis(const marl_sensor_sheet *s)
{
    for (int i = 0; i < 9; i++) {
        if (s->cross_axis[i / 3][i % 3] != 0) {
            return 1;
        }
    }
    return 0;
}

static json_t *sensor_json(const marl_sensor_sheet *s, const char *unit)
{
    json_t *sensor = json_object();
    lab_json_put(&sensor, "unit", json_string(unit));
    lab_json_put(&sensor, "rate_hz", json_real(s->rate_hz));
    lab_json_put(&sensor, "full_scale", json_real(s->full_scale));
    lab_json_put(&sensor, "bits", json_integer(s->bits));
    lab_json_put(&sensor, "white", json_real(s->white));
    put_numbers(&sensor, "bias", s->bias);
    put_number(&sensor, "bias_spread", s->bias_spread);
    put_numbers(&sensor, "scale_error", s->scale_error);
    if (has_cross_axis(s)) {
        lab_json_put(&sensor, "cross_axis", lab_json_from_matrix(s->cross_axis));
    }
    put_number(&sensor, "flicker", s->flicker);
    put_number(&sensor, "walk", s->walk);
    put_number(&sensor, "low_pass_hz", s->low_pass_hz);
    put_number(&sensor, "resonance_hz", s->resonance_hz);
    put_number(&sensor, "damping", s->damping);
    put_numbers(&sensor, "bias_per_degC", s->bias_per_degC);
    lab_json_put(&sensor, "reference_degC", json_real(s->reference_degC));
    return sensor;
}

marl_status marl_sheet_write(const marl_sheet *sheet, const char *path, marl_error *error)
{
    const marl_sensor_sheet *sensor[MARL_SENSOR_COUNT] = {&sheet->accel, &sheet->gyro, &sheet->mag};
    json_t *root = json_object();
    lab_json_put(&root, "marlinspike", json_string("sheet/1"));
    if (sheet->name[0] != '\0') {
        lab_json_put(&root, "name", json_string(sheet->name));
    }
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (sensor[i]->present) {
            lab_json_put(&root, marl_sensor_name((marl_sensor)i),
                         sensor_json(sensor[i], marl_sensor_unit((marl_sensor)i)));
        }
    }
    return lab_json_save(root, path, error);
}
