/* SPDX-License-Identifier: MIT
 * export --as chip-registers: the biases as values of a chip's offset registers. */
#include "cli/export/export_registers.h"
#include <stdio.h>
#include <string.h>

static marl_status read_mount(const char *text, int8_t mount[3], marl_error *error)
{
    int axis[3] = {1, 2, 3}, end = 0;
    if (text != NULL &&
        (sscanf(text, "%d,%d,%d%n", &axis[0], &axis[1], &axis[2], &end) != 3 || text[end] != '\0')) {
        return marl_fail(error, MARL_ERR_USE, "--mount '%s': wanted three axes of the chip, as 2,-1,3", text);
    }
    for (int i = 0; i < 3; i++) {
        if (axis[i] < -3 || axis[i] > 3 || axis[i] == 0) {
            return marl_fail(error, MARL_ERR_USE, "--mount '%s': axes are 1, 2, 3, or with a minus", text);
        }
        mount[i] = (int8_t)axis[i];
    }
    return MARL_OK;
}

static void warn_of(export_registers_options *o)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        double unit = cli_unit_of((marl_sensor)i);
        for (int k = 0; k < 3; k++) {
            if (o->offsets[i].clipped[k]) {
                marl_warn(&o->warnings, "register-overflow",
                          "%s %c: register 0x%02x of %s holds %.4g %s at most: %.4g %s are left for software",
                          marl_sensor_name((marl_sensor)i), 'x' + k, o->offsets[i].reg[k], o->name,
                          o->offsets[i].takes[k] / unit, cli_unit_name((marl_sensor)i),
                          o->offsets[i].left[k] / unit, cli_unit_name((marl_sensor)i));
            }
        }
    }
}

static marl_status write_files(const marl_calibration_record *record, const marl_part *part,
                               export_registers_options *o, const char *out, marl_error *error)
{
    marl_calibration_record rest;
    MARL_TRY(marl_calibration_to_offsets(record, part, o->offsets, &rest, error));
    MARL_TRY(o->rest != NULL ? marl_calibration_write(&rest, o->rest, error) : MARL_OK);
    MARL_TRY(marl_offsets_write_header(record, part, o->offsets, out, error));
    snprintf(o->name, sizeof o->name, "%s", part->chip->name);
    warn_of(o);
    return MARL_OK;
}

marl_status export_registers(const marl_calibration_record *record, export_registers_options *o,
                             const char *out, marl_error *error)
{
    static marl_chip_file file;
    marl_part part = {.chip = o->chip != NULL ? &file.chip : marl_chip_grommet()};
    MARL_TRY(o->chip != NULL ? marl_chip_read_file(&file, o->chip, error) : MARL_OK);
    MARL_TRY(read_mount(o->mount, part.mount, error));
    return write_files(record, &part, o, out, error);
}

void export_registers_print(const export_registers_options *o)
{
    cli_print("\n%s                      takes away     leaves\nsensor  register    count   from readings   "
              "software\n",
              o->name);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_offsets *s = &o->offsets[i];
        double unit = cli_unit_of((marl_sensor)i);
        for (int k = 0; k < 3 && s->present; k++) {
            cli_print("%-5s %c     0x%02x   %6d   %13.4f   %8.4f %s\n", marl_sensor_name((marl_sensor)i),
                      'x' + k, s->reg[k], (int)s->count[k], s->takes[k] / unit, s->left[k] / unit,
                      cli_unit_name((marl_sensor)i));
        }
    }
    if (o->rest != NULL) {
        cli_print("\n%s: the calibration for readings from which the registers have taken theirs\n", o->rest);
    } else {
        cli_print("\nsoftware still corrects scale, misalignment and what is left: --rest FILE writes that "
                  "calibration\n");
    }
}

void export_registers_json(const export_registers_options *o, json_t *root)
{
    json_t *registers = json_object();
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_offsets *s = &o->offsets[i];
        if (s->present) {
            json_t *sensor = json_object();
            json_object_set_new(sensor, "register", json_pack("[iii]", s->reg[0], s->reg[1], s->reg[2]));
            json_object_set_new(sensor, "count", json_pack("[iii]", s->count[0], s->count[1], s->count[2]));
            json_object_set_new(sensor, "step", cli_number(s->step));
            json_object_set_new(sensor, "takes", cli_numbers(s->takes, 3));
            json_object_set_new(sensor, "left", cli_numbers(s->left, 3));
            json_object_set_new(registers, marl_sensor_name((marl_sensor)i), sensor);
        }
    }
    json_object_set_new(root, "chip", cli_text(o->name));
    json_object_set_new(root, "registers", registers);
    json_object_set_new(root, "warnings", cli_warnings_json(&o->warnings));
}
