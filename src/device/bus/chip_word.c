/* SPDX-License-Identifier: MIT
 * Numbers in registers. */
#include "marlinspike/chip.h"

/* The middle of the range of an offset-binary number, or of the bits of a sign. */
static uint32_t top_bit(const marl_chip_word *word)
{
    return (uint32_t)1 << (word->bits - 1u);
}

void marl_chip_word_range(const marl_chip_word *word, int32_t *min, int32_t *max)
{
    uint32_t top = top_bit(word);
    int32_t half = (int32_t)(top - 1u);
    *min = word->coding == MARL_UNSIGNED ? 0 : word->coding == MARL_SIGN_MAGNITUDE ? -half : -half - 1;
    *max = word->coding == MARL_UNSIGNED ? (int32_t)((top | (top - 1u)) & 0x7fffffffu) : half;
}

static unsigned padding(const marl_chip_word *word)
{
    return word->left_aligned ? 8u * word->bytes - word->bits : 0u;
}

int32_t marl_chip_word_get(const marl_chip_word *word, const uint8_t *bytes)
{
    uint32_t raw = 0, top = top_bit(word);
    for (unsigned i = 0; i < word->bytes; i++) {
        raw = raw << 8 | bytes[word->little_endian ? word->bytes - 1u - i : i];
    }
    raw = raw >> padding(word) & (top - 1u + top);
    int32_t low = (int32_t)(raw & (top - 1u));
    int set = (raw & top) != 0;
    switch (word->coding) {
    case MARL_UNSIGNED:
        return (int32_t)(raw & 0x7fffffffu);
    case MARL_SIGN_MAGNITUDE:
        return set ? -low : low;
    case MARL_OFFSET_BINARY:
        set = !set;
        break;
    default:
        break;
    }
    /* the sign bit counts negative: no shift of a negative number, no conversion out of range */
    return set ? low - (int32_t)(top - 1u) - 1 : low;
}

void marl_chip_word_put(const marl_chip_word *word, int32_t count, uint8_t *bytes)
{
    int32_t min, max;
    uint32_t top = top_bit(word);
    marl_chip_word_range(word, &min, &max);
    count = count < min ? min : count > max ? max : count;
    uint32_t raw = (uint32_t)count;
    if (word->coding == MARL_SIGN_MAGNITUDE && count < 0) {
        raw = (0u - raw) | top;
    } else if (word->coding == MARL_OFFSET_BINARY) {
        raw ^= top;
    }
    raw = (raw & (top - 1u + top)) << padding(word);
    for (unsigned i = 0; i < word->bytes; i++) {
        bytes[word->little_endian ? i : word->bytes - 1u - i] = (uint8_t)(raw >> (8u * i));
    }
}
