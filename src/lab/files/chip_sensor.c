/* SPDX-License-Identifier: MIT
 * One sensor of a chip table. */
#include "lab/files/chip_parts.h"
#include "lab/log/units.h"
#include <math.h>

static marl_status read_signs(const lab_json_at *at, int8_t sign[3])
{
    double number[3] = {1, 1, 1};
    marl_status s = lab_json_numbers(at, "signs", LAB_OPTIONAL, 3, number);
    for (int i = 0; i < 3; i++) {
        sign[i] = number[i] < 0 ? -1 : 1;
        if (s == MARL_OK && fabs(number[i]) != 1) {
            s = lab_json_fail(at, "signs", "must be 1 or -1");
        }
    }
    return s;
}

/* What a choice is called, and whether it is in the sensor's unit. */
typedef struct setting_kind {
    const char *key, *value;
    int needed, is_range;
    int number;     /* place among the settings of a sensor */
    double factor;  /* of its unit */
    int bits, wide; /* of the sensor's readings; whether registers have 16 bits */
} setting_kind;

static marl_status read_choice(const lab_json_at *at, const setting_kind *kind, marl_chip_choice *choice)
{
    const char *const known[] = {"code", kind->value, kind->is_range ? "per_count" : NULL, NULL};
    double value = 0;
    MARL_TRY(lab_json_only(at, known));
    MARL_TRY(lab_chip_value(at, "code", LAB_OPTIONAL, kind->wide, &choice->code));
    MARL_TRY(
        lab_json_number(at, kind->value, LAB_NEEDED, (lab_json_range){kind->needed ? 1e-6 : 0, 1e9}, &value));
    double per_count = ldexp(value, 1 - kind->bits);
    if (kind->is_range) {
        MARL_TRY(lab_json_number(at, "per_count", LAB_OPTIONAL, (lab_json_range){1e-12, 1e9}, &per_count));
    }
    choice->value = (float)(value * kind->factor);
    choice->per_count = kind->is_range ? (float)(per_count * kind->factor) : 0.0f;
    return MARL_OK;
}

static marl_status read_setting(const lab_json_at *outer, const setting_kind *kind, marl_chip_file *file,
                                marl_sensor which)
{
    static const char *const known[] = {"register", "mask", "choices", NULL};
    marl_chip_sensor *sensor = &file->chip.sensor[which];
    marl_chip_setting *const settings[3] = {&sensor->range, &sensor->rate, &sensor->filter};
    marl_chip_setting *setting = settings[kind->number];
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, kind->key, kind->needed, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    const json_t *list = json_object_get(at.object, "choices");
    size_t n = json_is_array(list) ? json_array_size(list) : 0;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_byte(&at, "register", LAB_OPTIONAL, &setting->at.reg));
    MARL_TRY(lab_chip_value(&at, "mask", LAB_OPTIONAL, kind->wide, &setting->at.mask));
    if (n < 1 || n > MARL_CHIP_FILE_CHOICES || (setting->at.mask == 0 && n > 1)) {
        return lab_json_fail(&at, "choices", "wanted 1 to %d choices, one without a mask",
                             MARL_CHIP_FILE_CHOICES);
    }
    setting->n = (uint8_t)n;
    setting->choice = file->choice[which][kind->number];
    for (size_t i = 0; i < n; i++) {
        lab_json_at choice = at;
        choice.object = json_array_get(list, i);
        if (!json_is_object(choice.object)) {
            return lab_json_fail(&at, "choices", "each choice is an object");
        }
        MARL_TRY(read_choice(&choice, kind, &file->choice[which][kind->number][i]));
    }
    return MARL_OK;
}

static marl_status read_offset(const lab_json_at *outer, double factor, marl_chip_offset *offset)
{
    static const char *const known[] = {"registers", "word", "per_count", "sign", NULL};
    double per_count = 0, sign = 1;
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, "offset", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    offset->present = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_registers(&at, offset->reg));
    MARL_TRY(lab_chip_word(&at, LAB_NEEDED, &offset->word));
    MARL_TRY(lab_json_number(&at, "per_count", LAB_NEEDED, (lab_json_range){1e-12, 1e9}, &per_count));
    MARL_TRY(lab_json_number(&at, "sign", LAB_OPTIONAL, (lab_json_range){-1, 1}, &sign));
    if (fabs(sign) != 1) {
        return lab_json_fail(&at, "sign", "is 1 where the chip adds the offset, -1 where it subtracts it");
    }
    offset->per_count = (float)(per_count * factor);
    offset->sign = sign < 0 ? -1 : 1;
    return MARL_OK;
}

marl_status lab_chip_sensor(const lab_json_at *root, marl_sensor which, marl_chip_file *file)
{
    static const char *const known[] = {"unit",  "registers", "signs",    "word",   "zero", "ready",
                                        "range", "rate",      "low_pass", "offset", NULL};
    static const lab_quantity quantity[] = {LAB_ACCEL, LAB_GYRO, LAB_MAG};
    marl_chip_sensor *sensor = &file->chip.sensor[which];
    int wide = file->chip.registers != MARL_REGISTERS_BYTE;
    double zero = 0;
    char name[16] = "", units[120];
    lab_json_at at;
    MARL_TRY(lab_json_object(root, marl_sensor_name(which), LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    sensor->present = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_json_string(&at, "unit", LAB_NEEDED, name, sizeof name));
    const lab_unit *unit = lab_unit_find(quantity[which], name);
    if (unit == NULL) {
        lab_unit_list(quantity[which], units, sizeof units);
        return lab_json_fail(&at, "unit", "unknown unit '%s'; known: %s", name, units);
    }
    double factor = unit->factor;
    MARL_TRY(lab_chip_registers(&at, sensor->reg));
    MARL_TRY(read_signs(&at, sensor->sign));
    MARL_TRY(lab_chip_word(&at, LAB_NEEDED, &sensor->word));
    MARL_TRY(
        lab_json_number(&at, "zero", LAB_OPTIONAL, (lab_json_range){-2147483647.0, 2147483647.0}, &zero));
    if (zero != floor(zero)) {
        return lab_json_fail(&at, "zero", "is a count: a whole number");
    }
    sensor->zero = (int32_t)zero;
    MARL_TRY(lab_chip_bits(&at, "ready", LAB_OPTIONAL, wide, &sensor->ready));
    const setting_kind range = {"range", "full_scale", LAB_NEEDED, 1, 0, factor, sensor->word.bits, wide},
                       rate = {"rate", "hz", LAB_NEEDED, 0, 1, 1, 0, wide},
                       filter = {"low_pass", "hz", LAB_OPTIONAL, 0, 2, 1, 0, wide};
    MARL_TRY(read_setting(&at, &range, file, which));
    MARL_TRY(read_setting(&at, &rate, file, which));
    MARL_TRY(read_setting(&at, &filter, file, which));
    return read_offset(&at, factor, &sensor->offset);
}
