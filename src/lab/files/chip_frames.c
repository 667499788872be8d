/* SPDX-License-Identifier: MIT
 * The FIFO of a chip table. */
#include "lab/files/chip_parts.h"
#include <string.h>

static marl_status read_frame(const lab_json_at *outer, marl_chip_fifo *fifo)
{
    static const char *const known[] = {"bytes", "accel", "gyro", "mag", "temp", NULL};
    static const uint8_t flag[] = {MARL_FRESH_ACCEL, MARL_FRESH_GYRO, MARL_FRESH_MAG, MARL_FRESH_TEMP};
    int bytes = 0;
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, "frame", LAB_NEEDED, &at));
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_whole(&at, "bytes", (lab_json_range){1, MARL_CHIP_MAX_BURST}, &bytes));
    fifo->bytes = (uint8_t)bytes;
    for (int i = 0; i < 4; i++) {
        MARL_TRY(lab_chip_byte(&at, known[1 + i], LAB_OPTIONAL, &fifo->at[i]));
        fifo->holds = (uint8_t)(fifo->holds | (lab_json_has(&at, known[1 + i]) ? flag[i] : 0));
    }
    return MARL_OK;
}

static marl_status read_count(const lab_json_at *outer, marl_chip_fifo *fifo)
{
    static const char *const known[] = {"register", "word", "unit", NULL};
    char unit[16] = "frames";
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, "count", LAB_NEEDED, &at));
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_byte(&at, "register", LAB_NEEDED, &fifo->count_reg));
    MARL_TRY(lab_chip_word(&at, LAB_NEEDED, &fifo->count));
    MARL_TRY(lab_json_string(&at, "unit", LAB_OPTIONAL, unit, sizeof unit));
    fifo->count_unit = strcmp(unit, "frames") == 0  ? fifo->bytes
                       : strcmp(unit, "words") == 0 ? 2
                       : strcmp(unit, "bytes") == 0 ? 1
                                                    : 0;
    return fifo->count_unit > 0
               ? MARL_OK
               : lab_json_fail(&at, "unit", "is '%s', wanted frames, words (of two bytes) or bytes", unit);
}

marl_status lab_chip_fifo(const lab_json_at *root, marl_chip *chip)
{
    static const char *const known[] = {"data", "frame", "depth", "count", "overflow", NULL};
    marl_chip_fifo *fifo = &chip->fifo;
    int depth = 0;
    lab_json_at at;
    MARL_TRY(lab_json_object(root, "fifo", LAB_OPTIONAL, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    fifo->present = 1;
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_byte(&at, "data", LAB_NEEDED, &fifo->data));
    MARL_TRY(read_frame(&at, fifo));
    MARL_TRY(lab_chip_whole(&at, "depth", (lab_json_range){1, 65535}, &depth));
    fifo->depth = (uint16_t)depth;
    MARL_TRY(read_count(&at, fifo));
    return lab_chip_bits(&at, "overflow", LAB_OPTIONAL, chip->registers != MARL_REGISTERS_BYTE,
                         &fifo->overflow);
}
