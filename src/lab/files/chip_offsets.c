/* SPDX-License-Identifier: MIT
 * The biases of a calibration as values of a chip's offset registers. */
#include "lab/files/c_text.h"
#include <math.h>
#include <string.h>

/* The chip's axis that is the body's axis i. */
static int chip_axis(const marl_part *part, int i)
{
    int axis = part->mount[i] < 0 ? -part->mount[i] : part->mount[i];
    return axis == 0 ? i : axis - 1;
}

static marl_status convert(const marl_fit *fit, const marl_part *part, marl_sensor sensor,
                           marl_chip_offsets *offsets)
{
    const marl_chip_offset *o = &part->chip->sensor[sensor].offset;
    const double bound = 0.51 * (double)o->per_count;
    int32_t counts[3];
    marl_vec3 left, bias = {(float)fit->bias[0], (float)fit->bias[1], (float)fit->bias[2]};
    MARL_TRY(marl_part_offset_counts(part, sensor, bias, counts, &left));
    const double rest[3] = {(double)left.x, (double)left.y, (double)left.z};
    offsets->present = 1;
    offsets->step = (double)o->per_count;
    for (int i = 0; i < 3; i++) {
        int k = chip_axis(part, i);
        offsets->reg[i] = o->reg[k];
        offsets->count[i] = counts[k];
        offsets->left[i] = rest[i];
        offsets->takes[i] = fit->bias[i] - rest[i];
        offsets->clipped[i] = fabs(rest[i]) > bound;
    }
    return MARL_OK;
}

/* "accel, gyro". */
static void list_sensors(const marl_chip *chip, char *text, size_t size)
{
    text[0] = '\0';
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (chip->sensor[i].present && chip->sensor[i].offset.present) {
            marl_list_append(text, size, marl_sensor_name((marl_sensor)i));
        }
    }
}

marl_status marl_calibration_to_offsets(const marl_calibration_record *record, const marl_part *part,
                                        marl_chip_offsets offsets[MARL_SENSOR_COUNT],
                                        marl_calibration_record *rest, marl_error *error)
{
    char with[60];
    const char *what = "";
    int n = 0;
    *rest = *record;
    memset(offsets, 0, MARL_SENSOR_COUNT * sizeof *offsets);
    if (marl_part_check(part, &what) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "chip %s: %s cannot be so", part->chip->name, what);
    }
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        if (record->fit[i].present && s->present && s->offset.present &&
            convert(&record->fit[i], part, (marl_sensor)i, &offsets[i]) == MARL_OK) {
            memcpy(rest->fit[i].bias, offsets[i].left, sizeof offsets[i].left);
            n++;
        }
    }
    list_sensors(part->chip, with, sizeof with);
    if (n == 0) {
        return with[0] == '\0'
                   ? marl_fail(error, MARL_ERR_INPUT, "chip %s has no offset registers", part->chip->name)
                   : marl_fail(error, MARL_ERR_INPUT,
                               "chip %s has offset registers for %s alone, and the calibration has no bias "
                               "for that",
                               part->chip->name, with);
    }
    return MARL_OK;
}

/* The writes of one register value: one for each of its registers. */
static void put_writes(marl_outfile *out, const marl_chip *chip, const marl_chip_word *word, uint8_t reg,
                       int32_t count)
{
    uint8_t bytes[4];
    int wide = chip->registers != MARL_REGISTERS_BYTE;
    int low_first = chip->registers == MARL_REGISTERS_LOW_FIRST;
    marl_chip_word_put(word, count, bytes);
    for (int i = 0; i < word->bytes; i += 1 + wide) {
        unsigned value = bytes[i];
        if (wide) {
            value =
                low_first ? bytes[i] | (unsigned)bytes[i + 1] << 8 : (unsigned)bytes[i] << 8 | bytes[i + 1];
        }
        LAB_C_PUT(out, "    {0x%02x, 0x%0*x, 0},", (unsigned)reg + (unsigned)(i / (1 + wide)), wide ? 4 : 2,
                  value);
    }
}

marl_status marl_offsets_write_header(const marl_calibration_record *record, const marl_part *part,
                                      const marl_chip_offsets offsets[MARL_SENSOR_COUNT], const char *path,
                                      marl_error *error)
{
    static const char *const unit[] = {"m/s^2", "rad/s", "uT"};
    char name[LAB_C_NAME], upper[LAB_C_NAME];
    marl_outfile *out;
    lab_c_name(record->device, name, upper);
    MARL_TRY(marl_outfile_open(&out, path, error));
    lab_c_title(out, "Offset registers of ", record);
    LAB_C_PUT(out,
              " * Writes for the chip %s, to follow its set-up after each start; software corrects what they "
              "leave. */\n",
              part->chip->name);
    LAB_C_PUT(out, "#ifndef %s_OFFSETS_H\n#define %s_OFFSETS_H\n\n", upper, upper);
    LAB_C_PUT(out, "#include \"marlinspike/chip.h\"\n\nstatic const marl_chip_write %s_offsets[] = {\n",
              name);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        for (int k = 0; k < 3 && offsets[i].present; k++) {
            put_writes(out, part->chip, &part->chip->sensor[i].offset.word, offsets[i].reg[k],
                       offsets[i].count[k]);
            LAB_C_PUT(out, " /* %s %c: count %d takes %.6g %s away, leaves %.3g */\n",
                      marl_sensor_name((marl_sensor)i), 'x' + k, (int)offsets[i].count[k],
                      offsets[i].takes[k], unit[i], offsets[i].left[k]);
        }
    }
    marl_outfile_text(out, "};\n\n#endif\n");
    return marl_outfile_commit(out, error);
}
