/* SPDX-License-Identifier: MIT
 * A simulated chip: registers as its table says, readings by its own clock. Filter, saturation and rounding
 * come in this order, as in the part. */
#include "lab/maths/random.h"
#include "lab/simulate/sensor_model.h"
#include "sim.h"
#include <math.h>
#include <string.h>

size_t lab_sim_at(const sim_chip *chip, uint8_t reg)
{
    return (size_t)reg * (chip->part->chip->registers == MARL_REGISTERS_BYTE ? 1 : 2);
}

static unsigned get_register(const sim_chip *chip, uint8_t reg)
{
    const uint8_t *at = chip->reg + lab_sim_at(chip, reg);
    uint8_t kind = chip->part->chip->registers;
    unsigned first = at[0], second = at[1];
    return kind == MARL_REGISTERS_BYTE         ? first
           : kind == MARL_REGISTERS_HIGH_FIRST ? first << 8 | second
                                               : second << 8 | first;
}

static void put_register(sim_chip *chip, uint8_t reg, unsigned value)
{
    uint8_t *at = chip->reg + lab_sim_at(chip, reg);
    uint8_t kind = chip->part->chip->registers;
    if (kind == MARL_REGISTERS_BYTE) {
        at[0] = (uint8_t)value;
    } else {
        at[kind == MARL_REGISTERS_HIGH_FIRST] = (uint8_t)value;
        at[kind != MARL_REGISTERS_HIGH_FIRST] = (uint8_t)(value >> 8);
    }
}

unsigned lab_sim_bits(const sim_chip *chip, const marl_chip_bits *bits)
{
    return get_register(chip, bits->reg) & bits->mask;
}

void lab_sim_put_bits(sim_chip *chip, const marl_chip_bits *bits, unsigned value)
{
    put_register(chip, bits->reg,
                 (get_register(chip, bits->reg) & ~(unsigned)bits->mask) | (value & bits->mask));
}

static uint8_t choice_of(const sim_chip *chip, const marl_chip_setting *setting, uint8_t before)
{
    unsigned mask = setting->at.mask;
    if (mask == 0 || setting->n == 0) {
        return 0;
    }
    unsigned code = lab_sim_bits(chip, &setting->at) / (mask & (0u - mask));
    for (uint8_t i = 0; i < setting->n; i++) {
        if (setting->choice[i].code == code) {
            return i;
        }
    }
    return before; /* a code that the data sheet does not have changes nothing */
}

/* When a reading taken then is ready: the same for all sensors that were read at this moment. */
static double ready_at(const marl_sim *sim, double sampled_s)
{
    double jitter_us = sim->config.faults.jitter_us;
    if (jitter_us > 0 && isfinite(sampled_s)) {
        lab_random moment = lab_random_seeded(sim->config.seed, (uint64_t)(sampled_s * 1e7 + 0.5));
        sampled_s += 1e-6 * jitter_us * lab_random_uniform(&moment);
    }
    return sampled_s;
}

double lab_sim_row_time(const marl_log *log, size_t row)
{
    return SIM_LOG_BEGINS_S + (double)(log->row[row].sample.t_ns - log->row[0].sample.t_ns) * 1e-9;
}

/* Moves on to the next row of the log in which this sensor has a reading. */
static void find_row(const marl_log *log, sim_sensor *s, unsigned which)
{
    while (s->row < log->n && !(log->row[s->row].sample.fresh & (1u << which))) {
        s->row++;
    }
}

/* When the next reading is taken; infinity when there is none. */
static double next_sampled(const marl_sim *sim, const sim_sensor *s)
{
    const marl_log *log = sim->config.log;
    if (log != NULL) {
        return s->row < log->n ? lab_sim_row_time(log, s->row) : INFINITY;
    }
    return s->started_s + (double)s->readings / s->rate_hz;
}

static lab_sensor_model make_model(const marl_sim *sim, const marl_chip_sensor *table, const sim_sensor *s,
                                   unsigned which)
{
    const marl_sheet *sheet = sim->config.sheet;
    const marl_sensor_sheet *of[MARL_SENSOR_COUNT] = {&sheet->accel, &sheet->gyro, &sheet->mag};
    marl_sensor_sheet errors = *of[which];
    errors.bits = table->word.bits;
    errors.full_scale = ldexp((double)table->range.choice[s->range].per_count, table->word.bits - 1);
    errors.rate_hz = (double)table->rate.choice[s->rate].value;
    errors.low_pass_hz = table->filter.n > 0 ? (double)table->filter.choice[s->filter].value : 0.0;
    return lab_sensor_model_make(&errors, errors.rate_hz, lab_random_seeded(sim->config.seed, 1 + which));
}

static int is_awake(const sim_chip *chip)
{
    const marl_chip *table = chip->part->chip;
    for (int i = 0; i < table->setups; i++) {
        if (get_register(chip, table->setup[i].reg) != table->setup[i].value) {
            return 0;
        }
    }
    return 1;
}

static void set_up(marl_sim *sim, sim_chip *chip, unsigned which)
{
    const marl_chip_sensor *table = &chip->part->chip->sensor[which];
    sim_sensor *s = &chip->sensor[which];
    sim_sensor before = *s;
    s->range = choice_of(chip, &table->range, before.range);
    s->rate = choice_of(chip, &table->rate, before.rate);
    s->filter = choice_of(chip, &table->filter, before.filter);
    int awake = is_awake(chip);
    if (awake && before.running && s->range == before.range && s->rate == before.rate &&
        s->filter == before.filter) {
        return;
    }
    s->running = awake;
    s->waiting = 0;
    s->rate_hz = (double)table->rate.choice[s->rate].value * (1 + 1e-6 * sim->config.faults.clock_ppm);
    s->started_s = chip->on_s; /* one oscillator for all sensors of a chip */
    s->readings = 1 + (uint64_t)((sim->now_s - s->started_s) * s->rate_hz);
    if (sim->config.log != NULL) {
        for (s->row = 0; next_sampled(sim, s) < sim->now_s;) {
            s->row++;
        }
        find_row(sim->config.log, s, which);
    } else {
        s->model = make_model(sim, table, s, which);
    }
    s->ready_s = ready_at(sim, next_sampled(sim, s));
}

void lab_sim_chip_written(marl_sim *sim, sim_chip *chip)
{
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (chip->part->chip->sensor[i].present) {
            set_up(sim, chip, i);
        }
    }
}

void lab_sim_chip_power(marl_sim *sim, sim_chip *chip)
{
    const marl_chip *table = chip->part->chip;
    memset(chip->reg, 0, sizeof chip->reg);
    memset(chip->sensor, 0, sizeof chip->sensor);
    memset(&chip->fifo, 0, sizeof chip->fifo);
    chip->edge_s = INFINITY;
    put_register(chip, table->identity.reg, table->identity_value);
    chip->on_s = sim->now_s;
    lab_sim_chip_written(sim, chip);
}

/* From the body's axes to the chip's. */
static void to_chip(const int8_t mount[3], const double body[3], double chip[3])
{
    for (int i = 0; i < 3; i++) {
        int axis = mount[i] < 0 ? -mount[i] : mount[i];
        chip[axis == 0 ? i : axis - 1] = mount[i] < 0 ? -body[i] : body[i];
    }
}

static void logged(const marl_sample *sample, unsigned which, double body[3])
{
    const marl_vec3 v = which == MARL_ACCEL ? sample->accel : which == MARL_GYRO ? sample->gyro : sample->mag;
    body[0] = (double)v.x;
    body[1] = (double)v.y;
    body[2] = (double)v.z;
}

/* What the converter gives for the three axes, SI. */
static void convert(marl_sim *sim, const sim_chip *chip, unsigned which, double sampled_s, double value[3])
{
    sim_sensor *s = (sim_sensor *)&chip->sensor[which];
    double body[3];
    if (sim->config.log != NULL) {
        logged(&sim->config.log->row[s->row].sample, which, body);
        to_chip(chip->part->mount, body, value);
        return;
    }
    const marl_motion *m = lab_sim_motion(sim, sampled_s);
    to_chip(chip->part->mount,
            which == MARL_ACCEL  ? m->force
            : which == MARL_GYRO ? m->rate
                                 : m->field,
            body);
    marl_vec3 read = lab_sensor_model_read(&s->model, body, m->temp);
    value[0] = (double)read.x;
    value[1] = (double)read.y;
    value[2] = (double)read.z;
}

/* The offset registers are added to the counts before these saturate. */
static double offset_counts(const sim_chip *chip, const marl_chip_sensor *table, int axis, double per_count)
{
    const marl_chip_offset *o = &table->offset;
    return o->present
               ? o->sign * (double)marl_chip_word_get(&o->word, chip->reg + lab_sim_at(chip, o->reg[axis])) *
                     (double)o->per_count / per_count
               : 0.0;
}

static void store_reading(marl_sim *sim, sim_chip *chip, unsigned which, const double value[3])
{
    const marl_chip_sensor *table = &chip->part->chip->sensor[which];
    sim_sensor *s = &chip->sensor[which];
    double per_count = (double)table->range.choice[s->range].per_count;
    int stuck = which == MARL_GYRO && sim->now_s >= sim->config.faults.stuck_s;
    for (int k = 0; k < 3; k++) {
        double exact =
            table->sign[k] * value[k] / per_count + offset_counts(chip, table, k, per_count) + table->zero;
        int32_t count = (int32_t)lround(fmin(fmax(exact, -2147483647.0), 2147483647.0));
        if (k == 0 && stuck) {
            s->held = s->is_held ? s->held : count;
            s->is_held = 1;
            count = s->held;
        }
        marl_chip_word_put(&table->word, count, chip->reg + lab_sim_at(chip, table->reg[k]));
    }
}

static void store_temperature(marl_sim *sim, sim_chip *chip, double sampled_s, const marl_sample *row)
{
    const marl_chip_thermometer *t = &chip->part->chip->temp;
    double degC = 25;
    if (!t->present) {
        return;
    }
    if (row == NULL) {
        degC = lab_sim_motion(sim, sampled_s)->temp;
    } else if (row->fresh & MARL_FRESH_TEMP) {
        degC = (double)row->temp;
    }
    marl_chip_word_put(&t->word, (int32_t)lround((degC - (double)t->at_zero) / (double)t->per_count),
                       chip->reg + lab_sim_at(chip, t->reg));
}

static int is_in_frames(const sim_chip *chip, unsigned which)
{
    const marl_chip_fifo *fifo = &chip->part->chip->fifo;
    return fifo->present && (fifo->holds & 1u << which);
}

/* Takes the reading that has become ready. */
static void feed(marl_sim *sim, sim_chip *chip, unsigned which)
{
    const marl_log *log = sim->config.log;
    sim_sensor *s = &chip->sensor[which];
    double sampled_s = next_sampled(sim, s), value[3];
    convert(sim, chip, which, sampled_s, value);
    if (lab_sim_chance(sim, sim->config.faults.drop)) {
        sim->counts.dropped++;
    } else {
        store_reading(sim, chip, which, value);
        store_temperature(sim, chip, sampled_s, log != NULL ? &log->row[s->row].sample : NULL);
        sim->counts.readings++;
        if (is_in_frames(chip, which)) {
            lab_sim_fifo_add(sim, chip, which, s->ready_s);
        } else {
            sim->counts.overwritten += (uint64_t)s->waiting;
            s->waiting = 1;
        }
        chip->edge_s = s->ready_s;
    }
    s->readings++;
    if (log != NULL) {
        s->row++;
        find_row(log, s, which);
    }
    s->ready_s = ready_at(sim, next_sampled(sim, s));
}

/* Ready bits show what waits. */
static void show_ready(sim_chip *chip)
{
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *table = &chip->part->chip->sensor[i];
        if (table->present && table->ready.mask != 0) {
            lab_sim_put_bits(chip, &table->ready, chip->sensor[i].waiting ? 0xffffu : 0u);
        }
    }
}

/* The sensor whose reading is ready first. */
static unsigned next_ready(const sim_chip *chip)
{
    unsigned first = 0;
    for (unsigned i = 1; i < MARL_SENSOR_COUNT; i++) {
        const sim_sensor *s = &chip->sensor[i], *held = &chip->sensor[first];
        first = s->running && (!held->running || s->ready_s < held->ready_s) ? i : first;
    }
    return first;
}

void lab_sim_chip_advance(marl_sim *sim, sim_chip *chip)
{
    if (!chip->dipped && sim->now_s >= sim->config.faults.dip_s) {
        chip->dipped = 1;
        lab_sim_chip_power(sim, chip);
    }
    for (unsigned i = next_ready(chip); chip->sensor[i].running && chip->sensor[i].ready_s <= sim->now_s;
         i = next_ready(chip)) {
        feed(sim, chip, i);
    }
    show_ready(chip);
    lab_sim_fifo_show(chip);
}

void lab_sim_chip_read_done(sim_chip *chip, uint8_t reg, size_t n)
{
    const marl_chip_fifo *fifo = &chip->part->chip->fifo;
    size_t registers = n / lab_sim_at(chip, 1);
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_chip_sensor *table = &chip->part->chip->sensor[i];
        if (table->present && table->reg[0] >= reg && table->reg[0] < reg + registers) {
            chip->sensor[i].waiting = 0;
        }
    }
    show_ready(chip);
    if (fifo->present && fifo->overflow.mask != 0 && reg == fifo->overflow.reg) {
        lab_sim_put_bits(chip, &fifo->overflow, 0);
    }
}
