/* SPDX-License-Identifier: MIT
 * Chip tables as JSON. */
#include "lab/files/chip_parts.h"
#include <stdio.h>
#include <string.h>

#define KIND "chip/1"

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
    MARL_TRY(lab_chip_byte(&at, "register", LAB_NEEDED, &t->reg));
    MARL_TRY(lab_chip_word(&at, LAB_NEEDED, &t->word));
    MARL_TRY(lab_json_number(&at, "per_count", LAB_NEEDED, (lab_json_range){1e-9, 1e3}, &per_count));
    MARL_TRY(lab_json_number(&at, "at_zero", LAB_OPTIONAL, (lab_json_range){-1e3, 1e3}, &at_zero));
    t->per_count = (float)per_count;
    t->at_zero = (float)at_zero;
    return MARL_OK;
}

static marl_status read_setup(const lab_json_at *root, marl_chip_file *file)
{
    static const char *const known[] = {"register", "value", "wait_ms", NULL};
    const json_t *list = json_object_get(root->object, "setup");
    size_t n = json_is_array(list) ? json_array_size(list) : 0;
    if (list != NULL && (!json_is_array(list) || n > MARL_CHIP_FILE_SETUP)) {
        return lab_json_fail(root, "setup", "wanted a list of at most %d writes", MARL_CHIP_FILE_SETUP);
    }
    int wide = file->chip.registers != MARL_REGISTERS_BYTE;
    file->chip.setups = (uint8_t)n;
    file->chip.setup = file->setup;
    for (size_t i = 0; i < n; i++) {
        lab_json_at at = *root;
        at.object = json_array_get(list, i);
        snprintf(at.keys, sizeof at.keys, "setup");
        MARL_TRY(json_is_object(at.object) ? lab_json_only(&at, known)
                                           : lab_json_fail(root, "setup", "each write is an object"));
        MARL_TRY(lab_chip_byte(&at, "register", LAB_NEEDED, &file->setup[i].reg));
        MARL_TRY(lab_chip_value(&at, "value", LAB_NEEDED, wide, &file->setup[i].value));
        MARL_TRY(lab_chip_byte(&at, "wait_ms", LAB_OPTIONAL, &file->setup[i].wait_ms));
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
    MARL_TRY(lab_chip_byte(&at, "register", LAB_NEEDED, &chip->burst_reg));
    MARL_TRY(lab_chip_whole(&at, "bytes", (lab_json_range){1, MARL_CHIP_MAX_BURST}, &n));
    chip->burst_n = (uint8_t)n;
    return MARL_OK;
}

static marl_status read_identity(const lab_json_at *root, marl_chip *chip)
{
    static const char *const known[] = {"register", "mask", "value", NULL};
    lab_json_at at;
    int wide = chip->registers != MARL_REGISTERS_BYTE;
    chip->identity.mask = wide ? 0xffff : 0xff;
    MARL_TRY(lab_json_object(root, "identity", LAB_NEEDED, &at));
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_byte(&at, "register", LAB_NEEDED, &chip->identity.reg));
    MARL_TRY(lab_chip_value(&at, "mask", LAB_OPTIONAL, wide, &chip->identity.mask));
    return lab_chip_value(&at, "value", LAB_NEEDED, wide, &chip->identity_value);
}

/* Registers of 16 bits. */
static marl_status read_registers(const lab_json_at *root, uint8_t *registers)
{
    static const char *const known[] = {"bits", "order", NULL};
    int bits = 8;
    uint8_t low_first = 0;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, "registers", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_whole(&at, "bits", (lab_json_range){8, 16}, &bits));
    MARL_TRY(lab_chip_either(&at, "order", "high-first", "low-first", &low_first));
    if (bits != 8 && bits != 16) {
        return lab_json_fail(&at, "bits", "wanted 8 or 16");
    }
    *registers = bits == 8   ? MARL_REGISTERS_BYTE
                 : low_first ? MARL_REGISTERS_LOW_FIRST
                             : MARL_REGISTERS_HIGH_FIRST;
    return MARL_OK;
}

static marl_status read_root(const lab_json *json, marl_chip_file *file)
{
    static const char *const known[] = {"marlinspike", "name",  "registers", "identity", "start_ms",
                                        "setup",       "burst", "zeros",     "accel",    "gyro",
                                        "mag",         "temp",  "fifo",      NULL};
    const char *what = "";
    marl_chip *chip = &file->chip;
    lab_json_at root = lab_json_root(json);
    MARL_TRY(lab_json_only(&root, known));
    MARL_TRY(lab_json_string(&root, "name", LAB_OPTIONAL, chip->name, sizeof chip->name));
    MARL_TRY(read_registers(&root, &chip->registers));
    MARL_TRY(read_identity(&root, chip));
    MARL_TRY(lab_chip_byte(&root, "start_ms", LAB_OPTIONAL, &chip->start_ms));
    MARL_TRY(read_setup(&root, file));
    MARL_TRY(read_burst(&root, chip));
    MARL_TRY(
        lab_chip_bits(&root, "zeros", LAB_OPTIONAL, chip->registers != MARL_REGISTERS_BYTE, &chip->zeros));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        MARL_TRY(lab_chip_sensor(&root, (marl_sensor)i, file));
    }
    MARL_TRY(read_thermometer(&root, &chip->temp));
    MARL_TRY(lab_chip_fifo(&root, chip));
    if (marl_chip_check(chip, &what) != MARL_OK) {
        return marl_fail(
            json->error, MARL_ERR_INPUT,
            "%s: %s: contradicts the rest of the table (registers must lie in the burst, codes in "
            "their mask, what a FIFO holds in its frame)",
            json->path, what);
    }
    return MARL_OK;
}

marl_status marl_chip_read_file(marl_chip_file *file, const char *path, marl_error *error)
{
    lab_json json;
    memset(file, 0, sizeof *file);
    marl_status status = lab_json_load(&json, path, KIND, error);
    if (status == MARL_OK) {
        status = read_root(&json, file);
        lab_json_free(&json);
    }
    return status;
}
