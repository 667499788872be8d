/* SPDX-License-Identifier: MIT
 * The driver that serves every chip table. */
#include "marlinspike/chip.h"
#include <string.h>

#define PAUSE_US 200u /* between the tries of a transfer */

static marl_status read_bytes(const marl_port *port, const marl_part *part, uint8_t reg, uint8_t *bytes,
                              size_t n)
{
    marl_status status = port->bus_read(port->context, part->at, reg, bytes, n);
    for (int i = 1; i < MARL_BUS_TRIES && status != MARL_OK; i++) {
        status = port->sleep(port->context, PAUSE_US);
        status = status != MARL_OK ? status : port->bus_read(port->context, part->at, reg, bytes, n);
    }
    return status;
}

static marl_status write_bytes(const marl_port *port, const marl_part *part, uint8_t reg,
                               const uint8_t *bytes, size_t n)
{
    marl_status status = port->bus_write(port->context, part->at, reg, bytes, n);
    for (int i = 1; i < MARL_BUS_TRIES && status != MARL_OK; i++) {
        status = port->sleep(port->context, PAUSE_US);
        status = status != MARL_OK ? status : port->bus_write(port->context, part->at, reg, bytes, n);
    }
    return status;
}

static int is_itself(const marl_chip *chip, uint8_t value)
{
    return (value & chip->identity.mask) == (chip->identity_value & chip->identity.mask);
}

/* Another chip sends the same value each time; a disturbed bus does not. */
static marl_status identify(const marl_port *port, const marl_part *part, uint8_t *found)
{
    uint8_t value = 0, before = 0;
    marl_status status = MARL_OK;
    for (int i = 0; i < MARL_BUS_TRIES; i++) {
        before = value;
        status = read_bytes(port, part, part->chip->identity.reg, &value, 1);
        if (status != MARL_OK || is_itself(part->chip, value)) {
            break;
        }
        status = i > 0 && value != before ? MARL_ERR_BUS_GARBAGE : MARL_ERR_IDENTITY;
    }
    if (found != NULL) {
        *found = value;
    }
    return status;
}

/* After power-on a chip may be silent for a while. */
static marl_status wait_for_identity(const marl_port *port, const marl_part *part, uint8_t *found)
{
    marl_status status = identify(port, part, found);
    for (int ms = 0; ms < part->chip->start_ms && status == MARL_ERR_BUS_SILENT; ms++) {
        marl_status slept = port->sleep(port->context, 1000);
        status = slept != MARL_OK ? slept : identify(port, part, found);
    }
    return status;
}

static marl_status wake_up(const marl_port *port, const marl_part *part)
{
    for (int i = 0; i < part->chip->setups; i++) {
        const marl_chip_write *w = &part->chip->setup[i];
        marl_status status = write_bytes(port, part, w->reg, &w->value, 1);
        if (status == MARL_OK && w->wait_ms > 0) {
            status = port->sleep(port->context, w->wait_ms * UINT32_C(1000));
        }
        if (status != MARL_OK) {
            return status;
        }
    }
    return MARL_OK;
}

/* Writes bytes and reads them back. */
static marl_status write_surely(const marl_port *port, const marl_part *part, uint8_t reg,
                                const uint8_t *bytes, size_t n)
{
    uint8_t back[4];
    for (int i = 0; i < MARL_BUS_TRIES; i++) {
        MARL_TRY(write_bytes(port, part, reg, bytes, n));
        MARL_TRY(read_bytes(port, part, reg, back, n));
        if (memcmp(back, bytes, n) == 0) {
            return MARL_OK;
        }
    }
    return MARL_ERR_BUS_GARBAGE;
}

/* A register as two reads in a row have it: what is written back of it must not come from a disturbed bus. */
static marl_status read_surely(const marl_port *port, const marl_part *part, uint8_t reg, uint8_t *value)
{
    uint8_t before = 0;
    for (int i = 0; i < 2 * MARL_BUS_TRIES; i++) {
        marl_status status = read_bytes(port, part, reg, value, 1);
        if (status != MARL_OK || (i > 0 && *value == before)) {
            return status;
        }
        before = *value;
    }
    return MARL_ERR_BUS_GARBAGE;
}

static marl_status set(const marl_port *port, const marl_part *part, const marl_chip_setting *setting,
                       uint8_t choice)
{
    uint8_t mask = setting->at.mask, value;
    if (mask == 0 || setting->n == 0) {
        return MARL_OK;
    }
    uint8_t code = (uint8_t)(setting->choice[choice].code * (mask & (0u - mask)));
    MARL_TRY(read_surely(port, part, setting->at.reg, &value));
    value = (uint8_t)((value & ~mask) | code);
    return write_surely(port, part, setting->at.reg, &value, 1);
}

marl_status marl_part_start(const marl_port *port, const marl_part *part, int wait, uint8_t *identity)
{
    MARL_TRY(wait ? wait_for_identity(port, part, identity) : identify(port, part, identity));
    MARL_TRY(wake_up(port, part));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        if (s->present) {
            MARL_TRY(set(port, part, &s->range, part->range[i]));
            MARL_TRY(set(port, part, &s->filter, part->filter[i]));
            MARL_TRY(set(port, part, &s->rate, part->rate[i]));
        }
    }
    return MARL_OK;
}

/* From the chip's axes to the body's. */
static marl_vec3 mounted(const int8_t mount[3], const float chip[3])
{
    float body[3];
    for (int i = 0; i < 3; i++) {
        int axis = mount[i] < 0 ? -mount[i] : mount[i];
        body[i] = axis == 0 ? chip[i] : mount[i] < 0 ? -chip[axis - 1] : chip[axis - 1];
    }
    return (marl_vec3){body[0], body[1], body[2]};
}

static marl_vec3 convert(const marl_part *part, marl_sensor which, const uint8_t *burst)
{
    const marl_chip_sensor *s = &part->chip->sensor[which];
    float per_count = s->range.choice[part->range[which]].per_count, chip[3];
    for (int k = 0; k < 3; k++) {
        int32_t count = marl_chip_word_get(&s->word, burst + (s->reg[k] - part->chip->burst_reg));
        chip[k] = (float)count * (s->sign[k] < 0 ? -per_count : per_count);
    }
    return mounted(part->mount, chip);
}

static int makes_sense(const marl_chip *chip, const uint8_t *burst)
{
    unsigned at = (unsigned)chip->identity.reg - chip->burst_reg;
    int named = at >= chip->burst_n || is_itself(chip, burst[at]);
    return named &&
           (chip->zeros.mask == 0 || (burst[chip->zeros.reg - chip->burst_reg] & chip->zeros.mask) == 0);
}

static uint8_t fresh_in(const marl_part *part, const uint8_t *burst)
{
    uint8_t fresh = 0;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &part->chip->sensor[i];
        if (s->present &&
            (s->ready.mask == 0 || (burst[s->ready.reg - part->chip->burst_reg] & s->ready.mask))) {
            fresh = (uint8_t)(fresh | 1u << i);
        }
    }
    return fresh;
}

/* The burst, read again while it makes no sense. */
static marl_status read_burst(const marl_port *port, const marl_part *part, uint8_t *burst)
{
    for (int i = 0; i < MARL_BUS_TRIES; i++) {
        marl_status status = read_bytes(port, part, part->chip->burst_reg, burst, part->chip->burst_n);
        if (status != MARL_OK || makes_sense(part->chip, burst)) {
            return status;
        }
    }
    return MARL_ERR_BUS_GARBAGE;
}

marl_status marl_part_read(const marl_port *port, const marl_part *part, marl_sample *sample)
{
    uint8_t burst[MARL_CHIP_MAX_BURST];
    const marl_chip *chip = part->chip;
    *sample = (marl_sample){0};
    MARL_TRY(read_burst(port, part, burst));
    uint8_t use = part->use ? part->use : 0xff;
    uint8_t fresh = fresh_in(part, burst) & use;
    if (fresh == 0) {
        return MARL_ERR_NOT_READY;
    }
    sample->accel = fresh & MARL_FRESH_ACCEL ? convert(part, MARL_ACCEL, burst) : sample->accel;
    sample->gyro = fresh & MARL_FRESH_GYRO ? convert(part, MARL_GYRO, burst) : sample->gyro;
    sample->mag = fresh & MARL_FRESH_MAG ? convert(part, MARL_MAG, burst) : sample->mag;
    if (chip->temp.present && (use & MARL_FRESH_TEMP)) {
        int32_t count = marl_chip_word_get(&chip->temp.word, burst + (chip->temp.reg - chip->burst_reg));
        sample->temp = chip->temp.at_zero + (float)count * chip->temp.per_count;
        fresh |= MARL_FRESH_TEMP;
    }
    sample->fresh = fresh;
    return port->clock(port->context, &sample->t_ns);
}

/* From the body's axes back to the chip's. */
static void unmounted(const int8_t mount[3], marl_vec3 v, float chip[3])
{
    const float body[3] = {v.x, v.y, v.z};
    for (int i = 0; i < 3; i++) {
        int axis = mount[i] < 0 ? -mount[i] : mount[i];
        chip[axis == 0 ? i : axis - 1] = mount[i] < 0 ? -body[i] : body[i];
    }
}

marl_status marl_part_write_offset(const marl_port *port, const marl_part *part, marl_sensor sensor,
                                   marl_vec3 bias)
{
    const marl_chip_sensor *s = &part->chip->sensor[sensor];
    float chip[3] = {0.0f, 0.0f, 0.0f};
    uint8_t bytes[3][4];
    int32_t min, max;
    if (!s->present || !s->offset.present) {
        return MARL_ERR_ARGUMENT;
    }
    unmounted(part->mount, bias, chip);
    marl_chip_word_range(&s->offset.word, &min, &max);
    for (int k = 0; k < 3; k++) {
        float counts = -chip[k] * (float)(s->sign[k] * s->offset.sign) / s->offset.per_count;
        if (!(counts > (float)min && counts < (float)max)) { /* also NaN */
            return MARL_ERR_ARGUMENT;
        }
        marl_chip_word_put(&s->offset.word, (int32_t)(counts + (counts < 0.0f ? -0.5f : 0.5f)), bytes[k]);
    }
    marl_status status = MARL_OK;
    for (int k = 0; k < 3 && status == MARL_OK; k++) {
        status = write_surely(port, part, s->offset.reg[k], bytes[k], s->offset.word.bytes);
    }
    return status;
}
