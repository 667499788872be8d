/* SPDX-License-Identifier: MIT
 * Values of chip tables: bytes, masks, words, registers. */
#include "lab/files/chip_parts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

marl_status lab_chip_value(const lab_json_at *at, const char *key, int needed, int wide, uint16_t *value)
{
    const json_t *item = json_object_get(at->object, key);
    int max = wide ? 0xffff : 0xff;
    double number = *value;
    if (json_is_string(item)) {
        char *end;
        const char *text = json_string_value(item);
        long read = strtol(text, &end, 0);
        if (end == text || *end != '\0' || read < 0 || read > max) {
            return lab_json_fail(at, key, "is '%s', wanted %s", text,
                                 wide ? "16 bits from 0x0000 to 0xffff" : "a byte from 0x00 to 0xff");
        }
        *value = (uint16_t)read;
        return MARL_OK;
    }
    marl_status s = lab_json_number(at, key, needed, (lab_json_range){0, max}, &number);
    if (s == MARL_OK && number != floor(number)) {
        s = lab_json_fail(at, key, "must be a whole number");
    }
    *value = (uint16_t)number;
    return s;
}

marl_status lab_chip_byte(const lab_json_at *at, const char *key, int needed, uint8_t *value)
{
    uint16_t read = *value;
    marl_status s = lab_chip_value(at, key, needed, 0, &read);
    *value = (uint8_t)read;
    return s;
}

marl_status lab_chip_whole(const lab_json_at *at, const char *key, lab_json_range range, int *value)
{
    double number = *value;
    marl_status s = lab_json_number(at, key, LAB_NEEDED, range, &number);
    if (s == MARL_OK && number != floor(number)) {
        s = lab_json_fail(at, key, "must be a whole number");
    }
    *value = (int)number;
    return s;
}

marl_status lab_chip_bits(const lab_json_at *outer, const char *key, int needed, int wide,
                          marl_chip_bits *bits)
{
    static const char *const known[] = {"register", "mask", NULL};
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, key, needed, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_byte(&at, "register", LAB_NEEDED, &bits->reg));
    return lab_chip_value(&at, "mask", LAB_NEEDED, wide, &bits->mask);
}

marl_status lab_chip_either(const lab_json_at *at, const char *key, const char *standard, const char *other,
                            uint8_t *is_other)
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

static marl_status read_coding(const lab_json_at *at, uint8_t *coding)
{
    static const char *const name[] = {[MARL_TWOS_COMPLEMENT] = "twos-complement",
                                       [MARL_UNSIGNED] = "none",
                                       [MARL_SIGN_MAGNITUDE] = "sign-magnitude",
                                       [MARL_OFFSET_BINARY] = "offset-binary"};
    char text[24] = "twos-complement";
    MARL_TRY(lab_json_string(at, "sign", LAB_OPTIONAL, text, sizeof text));
    for (size_t i = 0; i < sizeof name / sizeof name[0]; i++) {
        if (strcmp(text, name[i]) == 0) {
            *coding = (uint8_t)i;
            return MARL_OK;
        }
    }
    return lab_json_fail(at, "sign", "is '%s', wanted twos-complement, none, sign-magnitude or offset-binary",
                         text);
}

marl_status lab_chip_word(const lab_json_at *outer, int needed, marl_chip_word *word)
{
    static const char *const known[] = {"bits", "bytes", "order", "aligned", "sign", NULL};
    int bits = 16, bytes = 2;
    lab_json_at at;
    MARL_TRY(lab_json_object(outer, "word", needed, &at));
    if (at.object == NULL) {
        return MARL_OK;
    }
    MARL_TRY(lab_json_only(&at, known));
    MARL_TRY(lab_chip_whole(&at, "bytes", (lab_json_range){1, 4}, &bytes));
    MARL_TRY(lab_chip_whole(&at, "bits", (lab_json_range){2, 8 * bytes}, &bits));
    word->bits = (uint8_t)bits;
    word->bytes = (uint8_t)bytes;
    MARL_TRY(lab_chip_either(&at, "order", "high-first", "low-first", &word->little_endian));
    MARL_TRY(lab_chip_either(&at, "aligned", "right", "left", &word->left_aligned));
    return read_coding(&at, &word->coding);
}

marl_status lab_chip_registers(const lab_json_at *at, uint8_t reg[3])
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
        marl_status s = lab_chip_byte(&inner, "registers", LAB_NEEDED, &reg[i]);
        json_decref(one);
        if (s != MARL_OK) {
            return s;
        }
    }
    return MARL_OK;
}
