/* SPDX-License-Identifier: MIT
 * Chip tables as JSON. */
#include "lab/files/json_file.h"
#include "lab/log/units.h"
#include "marlinspike/files.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define KIND "chip/1"

/* A byte, as a number or as a text like "0x1f". */
static marl_status read_byte(const lab_json_at *at, const char *key, int needed, uint8_t *value)
{
    const json_t *item = json_object_get(at->object, key);
    double number = *value;
    if (json_is_string(item)) {
        char *end;
        const char *text = json_string_value(item);
        long byte = strtol(text, &end, 0);
        if (end == text || *end != '\0' || byte < 0 || byte > 255) {
            return lab_json_fail(at, key, "is '%s', wanted a byte from 0x00 to 0xff", text);
        }
        *value = (uint8_t)byte;
        return MARL_OK;
    }
    marl_status s = lab_json_number(at, key, needed, (lab_json_range){0, 255}, &number);
    if (s == MARL_OK && number != floor(number)) {
        s = lab_json_fail(at, key, "must be a whole number");
    }
    *value = (uint8_t)number;
    return s;
}

/* A whole number in a range. */
static marl_status read_whole(const lab_json_at *at, const char *key, lab_json_range range, int *value)
{
    double number = *value;
    marl_status s = lab_json_number(at, key, LAB_NEEDED, range, &number);
    if (s == MARL_OK && number != floor(number)) {
        s = lab_json_fail(at, key, "must be a whole number");
    }
    *value = (int)number;
    return s;
}

static marl_status read_bits(const lab_json_at *outer, const char *key, int needed, marl_chip_bits *bits)
{
    static const char *const known[] = {"register", "mask", NULL};
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, key, needed, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_byte(&at, "register", LAB_NEEDED, &bits->reg));
    return read_byte(&at, "mask", LAB_NEEDED, &bits->mask);
}

/* One of two words. */
static marl_status read_either(const lab_json_at *at, const char *key, const char *standard,
                               const char *other, uint8_t *is_other)
{
    char text[16];
    snprintf(text, sizeof text, "%s", standard);
    marl_status s = lab_json_string(at, key, LAB_OPTIONAL, text, sizeof text);
    *is_other = strcmp(text, other) == 0;
    if (s == MARL_OK && !*is_other && strcmp(text, standard) != 0) {
        s = lab_json_fail(at, key, "is '%s', wanted %s or %s", text, standard, other);
    }
    return s;
}

static marl_status read_word(const lab_json_at *outer, int needed, marl_chip_word *word)
{
    static const char *const known[] = {"bits", "bytes", "order", "aligned", "sign", NULL};
    int bits = 16, bytes = 2;
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, "word", needed, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_whole(&at, "bytes", (lab_json_range){1, 4}, &bytes));
    MARL_TRY(read_whole(&at, "bits", (lab_json_range){2, 8 * bytes}, &bits));
    word->bits = (uint8_t)bits;
    word->bytes = (uint8_t)bytes;
    MARL_TRY(read_either(&at, "order", "high-first", "low-first", &word->little_endian));
    MARL_TRY(read_either(&at, "aligned", "right", "left", &word->left_aligned));
    return read_either(&at, "sign", "twos-complement", "none", &word->is_unsigned);
}

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

/* Three registers, each a number or a text. */
static marl_status read_registers(const lab_json_at *at, uint8_t reg[3])
{
    const json_t *list = json_object_get(at->object, "registers");
    if (!json_is_array(list) || json_array_size(list) != 3) {
        return lab_json_fail(at, "registers", "wanted three registers, of x, y and z");
    }
    for (size_t i = 0; i < 3; i++) {
        json_t *one = json_object();
        lab_json_at inner = *at;
        json_object_set(one, "registers", json_array_get(list, i));
        inner.object = one;
        marl_status s = read_byte(&inner, "registers", LAB_NEEDED, &reg[i]);
        json_decref(one);
        if (s != MARL_OK) {
            return s;
        }
    }
    return MARL_OK;
}

/* What a choice is called, and whether it is in the sensor's unit. */
typedef struct setting_kind {
    const char *key, *value;
    int needed, is_range;
} setting_kind;

static marl_status read_choice(const lab_json_at *at, const setting_kind *kind, double factor,
                               const marl_chip_word *word, marl_chip_choice *choice)
{
    const char *const known[] = {"code", kind->value, kind->is_range ? "per_count" : NULL, NULL};
    double value = 0;
    MARL_TRY(lab_json_only(at, known));
    MARL_TRY(read_byte(at, "code", LAB_OPTIONAL, &choice->code));
    MARL_TRY(
        lab_json_number(at, kind->value, LAB_NEEDED, (lab_json_range){kind->needed ? 1e-6 : 0, 1e9}, &value));
    double per_count = ldexp(value, 1 - word->bits);
    if (kind->is_range) {
        MARL_TRY(lab_json_number(at, "per_count", LAB_OPTIONAL, (lab_json_range){1e-12, 1e9}, &per_count));
    }
    choice->value = (float)(value * (kind->is_range ? factor : 1));
    choice->per_count = kind->is_range ? (float)(per_count * factor) : 0.0f;
    return MARL_OK;
}

static marl_status read_setting(const lab_json_at *outer, const setting_kind *kind, double factor,
                                const marl_chip_word *word, marl_chip_setting *setting)
{
    static const char *const known[] = {"register", "mask", "choices", NULL};
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, kind->key, kind->needed, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    const json_t *list = json_object_get(at.object, "choices");
    size_t n = json_is_array(list) ? json_array_size(list) : 0;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_byte(&at, "register", LAB_OPTIONAL, &setting->at.reg));
    MARL_TRY(read_byte(&at, "mask", LAB_OPTIONAL, &setting->at.mask));
    if (n < 1 || n > MARL_CHIP_MAX_CHOICES || (setting->at.mask == 0 && n > 1)) {
        return lab_json_fail(&at, "choices", "wanted 1 to %d choices, one without a mask",
                             MARL_CHIP_MAX_CHOICES);
    }
    setting->n = (uint8_t)n;
    for (size_t i = 0; i < n; i++) {
        lab_json_at choice = at;
        choice.object = json_array_get(list, i);
        if (!json_is_object(choice.object)) {
            return lab_json_fail(&at, "choices", "each choice is an object");
        }
        MARL_TRY(read_choice(&choice, kind, factor, word, &setting->choice[i]));
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
    MARL_TRY(read_registers(&at, offset->reg));
    MARL_TRY(read_word(&at, LAB_NEEDED, &offset->word));
    MARL_TRY(lab_json_number(&at, "per_count", LAB_NEEDED, (lab_json_range){1e-12, 1e9}, &per_count));
    MARL_TRY(lab_json_number(&at, "sign", LAB_OPTIONAL, (lab_json_range){-1, 1}, &sign));
    if (fabs(sign) != 1) {
        return lab_json_fail(&at, "sign", "is 1 where the chip adds the offset, -1 where it subtracts it");
    }
    offset->per_count = (float)(per_count * factor);
    offset->sign = sign < 0 ? -1 : 1;
    return MARL_OK;
}

static marl_status read_sensor(const lab_json_at *root, marl_sensor which, marl_chip_sensor *sensor)
{
    static const char *const known[] = {"unit",  "registers", "signs",    "word",   "ready",
                                        "range", "rate",      "low_pass", "offset", NULL};
    static const lab_quantity quantity[] = {LAB_ACCEL, LAB_GYRO, LAB_MAG};
    static const setting_kind range = {"range", "full_scale", LAB_NEEDED, 1},
                              rate = {"rate", "hz", LAB_NEEDED, 0},
                              filter = {"low_pass", "hz", LAB_OPTIONAL, 0};
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
    MARL_TRY(read_registers(&at, sensor->reg));
    MARL_TRY(read_signs(&at, sensor->sign));
    MARL_TRY(read_word(&at, LAB_NEEDED, &sensor->word));
    MARL_TRY(read_bits(&at, "ready", LAB_OPTIONAL, &sensor->ready));
    MARL_TRY(read_setting(&at, &range, factor, &sensor->word, &sensor->range));
    MARL_TRY(read_setting(&at, &rate, 1, &sensor->word, &sensor->rate));
    MARL_TRY(read_setting(&at, &filter, 1, &sensor->word, &sensor->filter));
    return read_offset(&at, factor, &sensor->offset);
}

static marl_status read_thermometer(const lab_json_at *root, marl_chip_thermometer *t)
{
    static const char *const known[] = {"register", "word", "per_count", "at_zero", NULL};
    double per_count = 1, at_zero = 0;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, "temp", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    t->present = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_byte(&at, "register", LAB_NEEDED, &t->reg));
    MARL_TRY(read_word(&at, LAB_NEEDED, &t->word));
    MARL_TRY(lab_json_number(&at, "per_count", LAB_NEEDED, (lab_json_range){1e-9, 1e3}, &per_count));
    MARL_TRY(lab_json_number(&at, "at_zero", LAB_OPTIONAL, (lab_json_range){-1e3, 1e3}, &at_zero));
    t->per_count = (float)per_count;
    t->at_zero = (float)at_zero;
    return MARL_OK;
}

static marl_status read_setup(const lab_json_at *root, marl_chip *chip)
{
    static const char *const known[] = {"register", "value", "wait_ms", NULL};
    const json_t *list = json_object_get(root->object, "setup");
    size_t n = json_is_array(list) ? json_array_size(list) : 0;
    if (list != NULL && (!json_is_array(list) || n > MARL_CHIP_MAX_SETUP)) {
        return lab_json_fail(root, "setup", "wanted a list of at most %d writes", MARL_CHIP_MAX_SETUP);
    }
    chip->setups = (uint8_t)n;
    for (size_t i = 0; i < n; i++) {
        lab_json_at at = *root;
        at.object = json_array_get(list, i);
        snprintf(at.keys, sizeof at.keys, "setup");
        MARL_TRY(json_is_object(at.object) ? lab_json_only(&at, known)
                                           : lab_json_fail(root, "setup", "each write is an object"));
        MARL_TRY(read_byte(&at, "register", LAB_NEEDED, &chip->setup[i].reg));
        MARL_TRY(read_byte(&at, "value", LAB_NEEDED, &chip->setup[i].value));
        MARL_TRY(read_byte(&at, "wait_ms", LAB_OPTIONAL, &chip->setup[i].wait_ms));
    }
    return MARL_OK;
}

static marl_status read_burst(const lab_json_at *root, marl_chip *chip)
{
    static const char *const known[] = {"register", "bytes", NULL};
    int n = 0;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, "burst", LAB_NEEDED, &at));
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_byte(&at, "register", LAB_NEEDED, &chip->burst_reg));
    MARL_TRY(read_whole(&at, "bytes", (lab_json_range){1, MARL_CHIP_MAX_BURST}, &n));
    chip->burst_n = (uint8_t)n;
    return MARL_OK;
}

static marl_status read_identity(const lab_json_at *root, marl_chip *chip)
{
    static const char *const known[] = {"register", "mask", "value", NULL};
    lab_json_at at;
    chip->identity.mask = 0xff;
    MARL_TRY(lab_json_object(root, "identity", LAB_NEEDED, &at));
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(read_byte(&at, "register", LAB_NEEDED, &chip->identity.reg));
    MARL_TRY(read_byte(&at, "mask", LAB_OPTIONAL, &chip->identity.mask));
    return read_byte(&at, "value", LAB_NEEDED, &chip->identity_value);
}

static marl_status read_root(const lab_json *file, marl_chip *chip)
{
    static const char *const known[] = {"marlinspike", "name",  "identity", "start_ms", "setup", "burst",
                                        "zeros",       "accel", "gyro",     "mag",      "temp",  NULL};
    const char *what = "";
    lab_json_at root = lab_json_root(file);
    MARL_TRY(lab_json_only(&root, known));
    MARL_TRY(lab_json_string(&root, "name", LAB_OPTIONAL, chip->name, sizeof chip->name));
    MARL_TRY(read_identity(&root, chip));
    MARL_TRY(read_byte(&root, "start_ms", LAB_OPTIONAL, &chip->start_ms));
    MARL_TRY(read_setup(&root, chip));
    MARL_TRY(read_burst(&root, chip));
    MARL_TRY(read_bits(&root, "zeros", LAB_OPTIONAL, &chip->zeros));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        MARL_TRY(read_sensor(&root, (marl_sensor)i, &chip->sensor[i]));
    }
    MARL_TRY(read_thermometer(&root, &chip->temp));
    if (marl_chip_check(chip, &what) != MARL_OK) {
        return marl_fail(
            file->error, MARL_ERR_INPUT,
            "%s: %s: contradicts the rest of the table (registers must lie in the burst, codes in "
            "their mask)",
            file->path, what);
    }
    return MARL_OK;
}

marl_status marl_chip_read_file(marl_chip *chip, const char *path, marl_error *error)
{
    lab_json file;
    memset(chip, 0, sizeof *chip);
    marl_status status = lab_json_load(&file, path, KIND, error);
    if (status == MARL_OK) {
        status = read_root(&file, chip);
        lab_json_free(&file);
    }
    return status;
}
