/* SPDX-License-Identifier: MIT
 * Checking chip tables and parts, and choosing settings. */
#include "marlinspike/chip.h"

/* Keeps the first complaint. */
static int complain(int bad, const char *text, const char **what)
{
    if (bad && *what == NULL) {
        *what = text;
    }
    return bad;
}

static int bad_word(const marl_chip_word *w)
{
    return w->bytes < 1 || w->bytes > 4 || w->bits < 2 || w->bits > 8 * w->bytes ||
           (w->is_unsigned && w->bits > 31);
}

static int outside_burst(const marl_chip *chip, uint8_t reg, uint8_t bytes)
{
    return reg < chip->burst_reg || reg + bytes > chip->burst_reg + chip->burst_n;
}

/* A register whose bytes would go on at register 0. */
static int around_the_end(const uint8_t reg[3], uint8_t bytes)
{
    return reg[0] + bytes > 256 || reg[1] + bytes > 256 || reg[2] + bytes > 256;
}

static int bad_number(float x)
{
    return !(x > 0.0f && x < 1e30f);
}

static int bad_sign(int8_t sign)
{
    return sign != 1 && sign != -1;
}

static unsigned lowest_bit(uint8_t mask)
{
    return mask & (0u - mask);
}

static int bad_setting(const marl_chip_setting *s, int min, int is_range)
{
    int bad = s->n < min || s->n > MARL_CHIP_MAX_CHOICES || (s->at.mask == 0 && s->n > 1);
    for (int i = 0; i < s->n && !bad; i++) {
        const marl_chip_choice *c = &s->choice[i];
        bad = (s->at.mask != 0 && c->code * lowest_bit(s->at.mask) > s->at.mask) || !(c->value >= 0.0f) ||
              (is_range && (bad_number(c->value) || bad_number(c->per_count))) ||
              (min && bad_number(c->value));
    }
    return bad;
}

static void check_sensor(const marl_chip *chip, const marl_chip_sensor *s, const char *const text[6],
                         const char **what)
{
    int bad = complain(bad_word(&s->word), text[0], what);
    for (int k = 0; k < 3 && !bad; k++) {
        complain(outside_burst(chip, s->reg[k], s->word.bytes) || bad_sign(s->sign[k]), text[1], what);
    }
    complain(s->ready.mask != 0 && outside_burst(chip, s->ready.reg, 1), text[1], what);
    complain(bad_setting(&s->range, 1, 1), text[2], what);
    complain(bad_setting(&s->rate, 1, 0), text[3], what);
    complain(bad_setting(&s->filter, 0, 0), text[4], what);
    complain(s->offset.present && (bad_word(&s->offset.word) || s->offset.word.is_unsigned ||
                                   around_the_end(s->offset.reg, s->offset.word.bytes) ||
                                   bad_number(s->offset.per_count) || bad_sign(s->offset.sign)),
             text[5], what);
}

marl_status marl_chip_check(const marl_chip *chip, const char **what)
{
    static const char *const text[MARL_SENSOR_COUNT][6] = {
        {"accel.word", "accel.registers", "accel.range", "accel.rate", "accel.low_pass", "accel.offset"},
        {"gyro.word", "gyro.registers", "gyro.range", "gyro.rate", "gyro.low_pass", "gyro.offset"},
        {"mag.word", "mag.registers", "mag.range", "mag.rate", "mag.low_pass", "mag.offset"},
    };
    const char *first = NULL;
    int sensors = 0;
    complain(chip->identity.mask == 0, "identity", &first);
    complain(chip->setups > MARL_CHIP_MAX_SETUP, "setup", &first);
    complain(chip->burst_n < 1 || chip->burst_n > MARL_CHIP_MAX_BURST ||
                 chip->burst_reg + chip->burst_n > 256,
             "burst", &first);
    complain(chip->zeros.mask != 0 && outside_burst(chip, chip->zeros.reg, 1), "zeros", &first);
    for (int i = 0; i < MARL_SENSOR_COUNT && first == NULL; i++) {
        sensors += chip->sensor[i].present;
        if (chip->sensor[i].present) {
            check_sensor(chip, &chip->sensor[i], text[i], &first);
        }
    }
    complain(chip->temp.present &&
                 (bad_word(&chip->temp.word) || outside_burst(chip, chip->temp.reg, chip->temp.word.bytes) ||
                  bad_number(chip->temp.per_count)),
             "temp", &first);
    complain(first == NULL && sensors == 0, "sensors", &first);
    if (what != NULL && first != NULL) {
        *what = first;
    }
    return first == NULL ? MARL_OK : MARL_ERR_ARGUMENT;
}

/* A signed permutation with determinant +1, or all 0. */
static int bad_mount(const int8_t m[3])
{
    int axis[3], product = 1;
    for (int i = 0; i < 3; i++) {
        axis[i] = m[i] < 0 ? -m[i] : m[i];
        product *= m[i] < 0 ? -1 : 1;
    }
    if (axis[0] == 0 && axis[1] == 0 && axis[2] == 0) {
        return 0;
    }
    for (int i = 0; i < 3; i++) {
        if (axis[i] < 1 || axis[i] > 3 || axis[i] == axis[(i + 1) % 3]) {
            return 1;
        }
    }
    int even = axis[1] == axis[0] % 3 + 1;
    return product != (even ? 1 : -1);
}

marl_status marl_part_check(const marl_part *part, const char **what)
{
    const char *first = NULL;
    MARL_TRY(marl_chip_check(part->chip, what));
    complain(bad_mount(part->mount), "mount", &first);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        if (s->present) {
            complain(part->range[i] >= s->range.n, "range", &first);
            complain(part->rate[i] >= s->rate.n, "rate", &first);
            complain(part->filter[i] >= s->filter.n && part->filter[i] != 0, "filter", &first);
        }
    }
    if (what != NULL && first != NULL) {
        *what = first;
    }
    return first == NULL ? MARL_OK : MARL_ERR_ARGUMENT;
}

/* No low-pass lets through more than any. */
static float reach(float value)
{
    return value > 0.0f ? value : 1e30f;
}

uint8_t marl_chip_choose(const marl_chip_setting *setting, float wanted)
{
    uint8_t best = 0;
    for (uint8_t i = 1; i < setting->n; i++) {
        float value = reach(setting->choice[i].value), held = reach(setting->choice[best].value);
        int enough = value >= wanted, held_enough = held >= wanted;
        if (enough != held_enough ? enough : (enough ? value < held : value > held)) {
            best = i;
        }
    }
    return best;
}
