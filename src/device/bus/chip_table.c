/* SPDX-License-Identifier: MIT
 * Checking chip tables and parts, and choosing settings. */
#include "device/bus/transfer.h"

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
           w->coding > MARL_OFFSET_BINARY || (w->coding == MARL_UNSIGNED && w->bits > 31);
}

/* A reading is a count less the count at zero. */
static int bad_zero(const marl_chip_sensor *s)
{
    int32_t min, max;
    marl_chip_word_range(&s->word, &min, &max);
    return s->zero < min || s->zero > max || (s->zero != 0 && s->word.bits > 31);
}

static int outside_burst(const marl_chip *chip, uint8_t reg, uint8_t bytes)
{
    int at = burst_at(chip, reg);
    return at < 0 || at + bytes > chip->burst_n;
}

/* A register whose bytes would go on at register 0. */
static int around_the_end(const marl_chip *chip, const uint8_t reg[3], uint8_t bytes)
{
    int last = 256 * register_bytes(chip) - bytes;
    int bad = 0;
    for (int k = 0; k < 3; k++) {
        bad |= reg[k] * register_bytes(chip) > last;
    }
    return bad;
}

/* Wide registers have wide masks, narrow ones do not. */
static int bad_mask(const marl_chip *chip, const marl_chip_bits *bits)
{
    return chip->registers == MARL_REGISTERS_BYTE && bits->mask > 0xff;
}

static int bad_number(float x)
{
    return !(x > 0.0f && x < 1e30f);
}

static int bad_sign(int8_t sign)
{
    return sign != 1 && sign != -1;
}

static int bad_setting(const marl_chip *chip, const marl_chip_setting *s, int min, int is_range)
{
    int bad = s->n < min || (s->n > 0 && s->choice == NULL) || (s->at.mask == 0 && s->n > 1) ||
              bad_mask(chip, &s->at);
    for (int i = 0; i < s->n && !bad; i++) {
        const marl_chip_choice *c = &s->choice[i];
        bad = (s->at.mask != 0 && c->code * lowest_bit(s->at.mask) > s->at.mask) || !(c->value >= 0.0f) ||
              (is_range && (bad_number(c->value) || bad_number(c->per_count))) ||
              (min && bad_number(c->value));
    }
    return bad;
}

static int is_read_by_burst(const marl_chip *chip, const marl_chip_sensor *s)
{
    return !chip->fifo.present || !(chip->fifo.holds & 1u << (s - chip->sensor));
}

static void check_sensor(const marl_chip *chip, const marl_chip_sensor *s, const char *const text[6],
                         const char **what)
{
    int bad = complain(bad_word(&s->word), text[0], what);
    for (int k = 0; k < 3 && !bad; k++) {
        complain(is_read_by_burst(chip, s) && outside_burst(chip, s->reg[k], s->word.bytes), text[1], what);
        complain(bad_sign(s->sign[k]), text[1], what);
    }
    complain(bad_zero(s), text[0], what);
    complain(s->ready.mask != 0 &&
                 (outside_burst(chip, s->ready.reg, register_bytes(chip)) || bad_mask(chip, &s->ready)),
             text[1], what);
    complain(bad_setting(chip, &s->range, 1, 1), text[2], what);
    complain(bad_setting(chip, &s->rate, 1, 0), text[3], what);
    complain(bad_setting(chip, &s->filter, 0, 0), text[4], what);
    complain(s->offset.present &&
                 (bad_word(&s->offset.word) || s->offset.word.coding == MARL_UNSIGNED ||
                  s->offset.word.bits > 31 || around_the_end(chip, s->offset.reg, s->offset.word.bytes) ||
                  bad_number(s->offset.per_count) || bad_sign(s->offset.sign)),
             text[5], what);
}

static int bad_setup(const marl_chip *chip)
{
    int bad = chip->setups > 0 && chip->setup == NULL;
    for (int i = 0; i < chip->setups && !bad; i++) {
        bad = chip->registers == MARL_REGISTERS_BYTE && chip->setup[i].value > 0xff;
    }
    return bad;
}

static int bad_temperature_place(const marl_chip *chip)
{
    int in_frame = chip->fifo.present && (chip->fifo.holds & MARL_FRESH_TEMP);
    return !in_frame && outside_burst(chip, chip->temp.reg, chip->temp.word.bytes);
}

/* What a frame holds must be there, and lie in it. */
static int bad_fifo(const marl_chip *chip)
{
    const marl_chip_fifo *f = &chip->fifo;
    unsigned known = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG | MARL_FRESH_TEMP;
    int bad = f->bytes < 1 || f->bytes > MARL_CHIP_MAX_BURST || f->depth < 1 || bad_word(&f->count) ||
              f->count_unit < 1 || f->bytes % f->count_unit != 0 || bad_mask(chip, &f->overflow) ||
              (f->holds & ~known) != 0 || (f->holds & ~(unsigned)MARL_FRESH_TEMP) == 0;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT && !bad; i++) {
        const marl_chip_sensor *s = &chip->sensor[i];
        bad = (f->holds & 1u << i) && (!s->present || f->at[i] + 3 * s->word.bytes > f->bytes);
    }
    return bad || ((f->holds & MARL_FRESH_TEMP) &&
                   (!chip->temp.present || f->at[3] + chip->temp.word.bytes > f->bytes));
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
    complain(chip->registers > MARL_REGISTERS_LOW_FIRST, "registers", &first);
    complain(bad_mask(chip, &chip->identity) ||
                 (chip->registers == MARL_REGISTERS_BYTE && chip->identity_value > 0xff),
             "identity", &first);
    complain(bad_setup(chip), "setup", &first);
    complain(chip->burst_n < 1 || chip->burst_n > MARL_CHIP_MAX_BURST ||
                 chip->burst_reg * register_bytes(chip) + chip->burst_n > 256 * register_bytes(chip) ||
                 chip->burst_n % register_bytes(chip) != 0,
             "burst", &first);
    complain(chip->zeros.mask != 0 &&
                 (outside_burst(chip, chip->zeros.reg, register_bytes(chip)) || bad_mask(chip, &chip->zeros)),
             "zeros", &first);
    for (int i = 0; i < MARL_SENSOR_COUNT && first == NULL; i++) {
        sensors += chip->sensor[i].present;
        if (chip->sensor[i].present) {
            check_sensor(chip, &chip->sensor[i], text[i], &first);
        }
    }
    complain(chip->temp.present && (bad_word(&chip->temp.word) || bad_temperature_place(chip) ||
                                    bad_number(chip->temp.per_count)),
             "temp", &first);
    complain(first == NULL && sensors == 0, "sensors", &first);
    complain(first == NULL && chip->fifo.present && bad_fifo(chip), "fifo", &first);
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

/* Sensors that share frames share a rate, of at least 4 Hz, so that times of some frames fit into 32 bits; one that is
 * in no frame is read once a fetching, and must not be faster. */
static int bad_frames(const marl_part *part)
{
    const marl_chip_fifo *fifo = &part->chip->fifo;
    float rate = 0.0f;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT && fifo->present; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        float own = fifo->holds & 1u << i ? s->rate.choice[part->rate[i]].value : 0.0f;
        if ((fifo->holds & 1u << i) && (own < 4.0f || (rate > 0.0f && own != rate))) {
            return 1;
        }
        rate = own > 0.0f ? own : rate;
    }
    for (unsigned i = 0; i < MARL_SENSOR_COUNT && fifo->present; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        unsigned single = marlp_part_sensors(part) & ~(unsigned)fifo->holds;
        float fetches = rate / (float)(part->batch > 0 ? part->batch : 1);
        if ((single & 1u << i) && s->rate.choice[part->rate[i]].value > 1.001f * fetches) {
            return 1;
        }
    }
    return 0;
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
    complain(first == NULL && bad_frames(part), "rate", &first);
    complain(part->batch > 1 && (!part->chip->fifo.present || part->batch > part->chip->fifo.depth / 2),
             "batch", &first);
    complain(part->ready_line && part->chip->fifo.present, "ready_line", &first);
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
