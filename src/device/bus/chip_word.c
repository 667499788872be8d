/* SPDX-License-Identifier: MIT
 * Numbers in registers. */
#include "marlinspike/chip.h"

void marl_chip_word_range(const marl_chip_word *word, int32_t *min, int32_t *max)
{
    int64_t span = (int64_t)1 << word->bits;
    *min = word->is_unsigned ? 0 : (int32_t)(-span / 2);
    *max = (int32_t)((word->is_unsigned && word->bits < 32 ? span : span / 2) - 1);
}

static unsigned padding(const marl_chip_word *word)
{
    return word->left_aligned ? 8u * word->bytes - word->bits : 0u;
}

int32_t marl_chip_word_get(const marl_chip_word *word, const uint8_t *bytes)
{
    uint32_t raw = 0;
    for (unsigned i = 0; i < word->bytes; i++) {
        raw = raw << 8 | bytes[word->little_endian ? word->bytes - 1u - i : i];
    }
    raw >>= padding(word);
    uint32_t top = (uint32_t)1 << (word->bits - 1u);
    raw &= top - 1u + top;
    /* the sign bit counts negative: no shift of a negative number, no conversion out of range */
    return !word->is_unsigned && (raw & top) ? (int32_t)(raw - top) - (int32_t)(top - 1u) - 1
                                             : (int32_t)(raw & 0x7fffffffu);
}

void marl_chip_word_put(const marl_chip_word *word, int32_t count, uint8_t *bytes)
{
    int32_t min, max;
    marl_chip_word_range(word, &min, &max);
    count = count < min ? min : count > max ? max : count;
    uint32_t top = (uint32_t)1 << (word->bits - 1u);
    uint32_t raw = ((uint32_t)count & (top - 1u + top)) << padding(word);
    for (unsigned i = 0; i < word->bytes; i++) {
        bytes[word->little_endian ? i : word->bytes - 1u - i] = (uint8_t)(raw >> (8u * i));
    }
}
