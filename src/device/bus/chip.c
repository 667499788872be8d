/* SPDX-License-Identifier: MIT
 * The driver that serves every chip table. */
#include "device/bus/transfer.h"
#include "device/math/vec_quat.h"

static int is_itself(const marl_chip *chip, uint16_t value)
{
    return (value & chip->identity.mask) == (chip->identity_value & chip->identity.mask);
}

/* Another chip sends the same value each time; a disturbed bus does not. */
static marl_status identify(const marl_port *port, const marl_part *part, uint16_t *found)
{
    uint16_t value = 0, before = 0;
    marl_status status = MARL_OK;
    for (int i = 0; i < MARL_BUS_TRIES; i++) {
        before = value;
        status = marlp_register_read(port, part, part->chip->identity.reg, &value);
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
static marl_status wait_for_identity(const marl_port *port, const marl_part *part, uint16_t *found)
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
        marl_status status = marlp_register_write(port, part, w->reg, w->value);
        if (status == MARL_OK && w->wait_ms > 0) {
            status = port->sleep(port->context, w->wait_ms * UINT32_C(1000));
        }
        if (status != MARL_OK) {
            return status;
        }
    }
    return MARL_OK;
}

static marl_status set(const marl_port *port, const marl_part *part, const marl_chip_setting *setting,
                       uint8_t choice)
{
    uint16_t mask = setting->at.mask, value;
    if (mask == 0 || setting->n == 0) {
        return MARL_OK;
    }
    unsigned code = setting->choice[choice].code * lowest_bit(mask);
    MARL_TRY(marlp_register_read_surely(port, part, setting->at.reg, &value));
    return marlp_register_write_surely(port, part, setting->at.reg, (uint16_t)((value & ~mask) | code));
}

marl_status marl_part_start(const marl_port *port, const marl_part *part, int wait, uint16_t *identity)
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

marl_vec3 marlp_mounted(const int8_t mount[3], const float chip[3])
{
    float body[3];
    for (int i = 0; i < 3; i++) {
        int axis = mount[i] < 0 ? -mount[i] : mount[i];
        body[i] = axis == 0 ? chip[i] : mount[i] < 0 ? -chip[axis - 1] : chip[axis - 1];
    }
    return (marl_vec3){body[0], body[1], body[2]};
}

marl_vec3 marlp_part_convert(const marl_part *part, marl_sensor which, const uint8_t *const at[3])
{
    const marl_chip_sensor *s = &part->chip->sensor[which];
    float per_count = s->range.choice[part->range[which]].per_count, chip[3];
    for (int k = 0; k < 3; k++) {
        int32_t count = marl_chip_word_get(&s->word, at[k]) - s->zero;
        chip[k] = (float)count * (s->sign[k] < 0 ? -per_count : per_count);
    }
    return marlp_mounted(part->mount, chip);
}

void marlp_part_take(const marl_part *part, marl_sensor which, const uint8_t *const at[3],
                     marl_sample *sample)
{
    marl_vec3 *to = which == MARL_ACCEL ? &sample->accel : which == MARL_GYRO ? &sample->gyro : &sample->mag;
    *to = marlp_part_convert(part, which, at);
    sample->fresh = (uint8_t)(sample->fresh | 1u << which);
}

void marlp_part_take_temperature(const marl_part *part, const uint8_t *at, marl_sample *sample)
{
    const marl_chip_thermometer *temp = &part->chip->temp;
    sample->temp = temp->at_zero + (float)marl_chip_word_get(&temp->word, at) * temp->per_count;
    sample->fresh |= MARL_FRESH_TEMP;
}

uint8_t marlp_part_sensors(const marl_part *part)
{
    uint8_t use = part->chip->temp.present ? MARL_FRESH_TEMP : 0;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        use = (uint8_t)(use | (part->chip->sensor[i].present ? 1u << i : 0u));
    }
    return part->use ? (uint8_t)(use & part->use) : use;
}

static int makes_sense(const marl_chip *chip, const uint8_t *burst)
{
    int at = burst_at(chip, chip->identity.reg);
    int named = at < 0 || at >= chip->burst_n || is_itself(chip, register_value(chip, burst + at));
    return named && (chip->zeros.mask == 0 ||
                     (register_value(chip, burst + burst_at(chip, chip->zeros.reg)) & chip->zeros.mask) == 0);
}

static int is_ready(const marl_chip *chip, const marl_chip_bits *ready, const uint8_t *burst)
{
    return ready->mask == 0 || (register_value(chip, burst + burst_at(chip, ready->reg)) & ready->mask) != 0;
}

/* The burst, read again while it makes no sense. */
static marl_status read_burst(const marl_port *port, const marl_part *part, uint8_t *burst)
{
    for (int i = 0; i < MARL_BUS_TRIES; i++) {
        marl_status status = marlp_bus_read(port, part, part->chip->burst_reg, burst, part->chip->burst_n);
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
    unsigned use = marlp_part_sensors(part) & ~(chip->fifo.present ? chip->fifo.holds : 0u);
    *sample = (marl_sample){0};
    MARL_TRY(read_burst(port, part, burst));
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *s = &chip->sensor[i];
        if ((use & 1u << i) && is_ready(chip, &s->ready, burst)) {
            const uint8_t *const at[3] = {burst + burst_at(chip, s->reg[0]),
                                          burst + burst_at(chip, s->reg[1]),
                                          burst + burst_at(chip, s->reg[2])};
            marlp_part_take(part, (marl_sensor)i, at, sample);
        }
    }
    if (sample->fresh == 0 && !(chip->fifo.present && (use & MARL_FRESH_TEMP))) {
        return MARL_ERR_NOT_READY;
    }
    if (use & MARL_FRESH_TEMP) {
        marlp_part_take_temperature(part, burst + burst_at(chip, chip->temp.reg), sample);
    }
    return port->clock(port->context, &sample->t_ns);
}
