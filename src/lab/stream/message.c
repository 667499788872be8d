/* SPDX-License-Identifier: MIT
 * Messages to a board, by libcbor. */
#include "lab/stream/message_items.h"
#include "lab/stream/stream_keys.h"
#include "marlinspike/record.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* Lets an item go that is being made: without memory it becomes NULL, and stays so. */
static void give_up(cbor_item_t **item)
{
    if (*item != NULL) {
        cbor_decref(item);
    }
    *item = NULL;
}

/* Adds a pair to the map and gives both references away. */
static void add_pair(cbor_item_t **map, cbor_item_t *key, cbor_item_t *value)
{
    if (*map == NULL || key == NULL || value == NULL ||
        !cbor_map_add(*map, (struct cbor_pair){.key = key, .value = value})) {
        give_up(map);
    }
    give_up(&key);
    give_up(&value);
}

void lab_item_add(cbor_item_t **map, int key, cbor_item_t *value)
{
    add_pair(map, cbor_build_uint8((uint8_t)key), value);
}

static void push(cbor_item_t **list, cbor_item_t *value)
{
    if (*list == NULL || value == NULL || !cbor_array_push(*list, value)) {
        give_up(list);
    }
    give_up(&value);
}

static cbor_item_t *numbers(const double *value, size_t n)
{
    cbor_item_t *list = cbor_new_definite_array(n);
    for (size_t i = 0; i < n; i++) {
        push(&list, cbor_build_float4((float)value[i]));
    }
    return list;
}

static cbor_item_t *vector(marl_vec3 v)
{
    const double value[3] = {(double)v.x, (double)v.y, (double)v.z};
    return numbers(value, 3);
}

static cbor_item_t *integer(int64_t value)
{
    return value < 0 ? cbor_build_negint64((uint64_t)(-1 - value)) : cbor_build_uint64((uint64_t)value);
}

static cbor_item_t *fit_item(const marl_fit *fit)
{
    const double range[3] = {fit->reference_degC, fit->range_degC[0], fit->range_degC[1]};
    cbor_item_t *map = cbor_new_definite_map(fit->has_curve ? 5 : 2);
    lab_item_add(&map, FIT_BIAS, numbers(fit->bias, 3));
    lab_item_add(&map, FIT_MATRIX, numbers(&fit->matrix[0][0], 9));
    if (fit->has_curve) {
        lab_item_add(&map, FIT_CURVE, numbers(range, 3));
        lab_item_add(&map, FIT_PER_DEGC, numbers(fit->bias_per_degC, 3));
        lab_item_add(&map, FIT_PER_DEGC2, numbers(fit->bias_per_degC2, 3));
    }
    return map;
}

cbor_item_t *lab_calibration_item(const marl_calibration_record *record)
{
    size_t pairs = record->has_mount != 0;
    pairs += record->device[0] != '\0';
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        pairs += record->fit[i].present != 0;
    }
    cbor_item_t *map = cbor_new_definite_map(pairs);
    if (record->device[0] != '\0') {
        lab_item_add(&map, CALIBRATION_FOR, cbor_build_string(record->device));
    }
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (record->fit[i].present) {
            lab_item_add(&map, CALIBRATION_ACCEL + i, fit_item(&record->fit[i]));
        }
    }
    if (record->has_mount) {
        lab_item_add(&map, CALIBRATION_MOUNT, numbers(record->mount, 4));
    }
    return map;
}

static cbor_item_t *parameters(const marl_tuning *tuning)
{
    cbor_item_t *map = cbor_new_definite_map(MARL_PARAMETER_COUNT);
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if (row->filters & (1u << tuning->filter)) {
            add_pair(&map, cbor_build_string(row->name), cbor_build_float4(tuning->value[i]));
        }
    }
    return map;
}

cbor_item_t *lab_tuning_item(const marl_tuning *tuning)
{
    cbor_item_t *map = cbor_new_definite_map(3);
    lab_item_add(&map, TUNING_FILTER, cbor_build_string(marl_filter_name(tuning->filter)));
    lab_item_add(&map, TUNING_WORLD, cbor_build_string(marl_world_name(tuning->world)));
    lab_item_add(&map, TUNING_PARAMETERS, parameters(tuning));
    return map;
}

static cbor_item_t *sample_item(const marl_sample *s)
{
    cbor_item_t *map = cbor_new_definite_map(6);
    lab_item_add(&map, SAMPLE_T, integer(s->t_ns));
    if (s->fresh & MARL_FRESH_ACCEL) {
        lab_item_add(&map, SAMPLE_ACCEL, vector(s->accel));
    }
    if (s->fresh & MARL_FRESH_GYRO) {
        lab_item_add(&map, SAMPLE_GYRO, vector(s->gyro));
    }
    if (s->fresh & MARL_FRESH_MAG) {
        lab_item_add(&map, SAMPLE_MAG, vector(s->mag));
    }
    if (s->fresh & MARL_FRESH_TEMP) {
        lab_item_add(&map, SAMPLE_TEMP, cbor_build_float4(s->temp));
    }
    if (s->fresh & MARL_FRESH_SPEED) {
        lab_item_add(&map, SAMPLE_SPEED, cbor_build_float4(s->speed));
    }
    return map;
}

static cbor_item_t *calibrate_item(const marl_message *m)
{
    const marl_renewal_options *o = m->options;
    cbor_item_t *map = cbor_new_definite_map(o != NULL ? 5 : 1);
    lab_item_add(&map, CALIBRATE_KIND, cbor_build_uint8((uint8_t)m->renewal));
    if (o != NULL) {
        lab_item_add(&map, CALIBRATE_LENGTH, cbor_build_float4(o->length));
        lab_item_add(&map, CALIBRATE_PATIENCE, cbor_build_float4(o->patience_s));
        lab_item_add(&map, CALIBRATE_POSES, cbor_build_uint8(o->poses));
        lab_item_add(&map, CALIBRATE_COVERAGE, cbor_build_float4(o->coverage));
    }
    return map;
}

static int has_contents(const marl_message *m)
{
    switch (m->kind) {
    case MARL_ITEM_CALIBRATION:
        return m->calibration != NULL;
    case MARL_ITEM_TUNING:
        return m->tuning != NULL;
    case MARL_ITEM_SAMPLE:
        return m->sample != NULL;
    default:
        return m->kind == MARL_ITEM_IDENTIFY || m->kind == MARL_ITEM_COMMIT || m->kind == MARL_ITEM_ZERO ||
               m->kind == MARL_ITEM_OFFSETS || m->kind == MARL_ITEM_CALIBRATE || m->kind == MARL_ITEM_UNDO;
    }
}

static cbor_item_t *body_of(const marl_message *m)
{
    switch (m->kind) {
    case MARL_ITEM_CALIBRATION:
        return lab_calibration_item(m->calibration);
    case MARL_ITEM_TUNING:
        return lab_tuning_item(m->tuning);
    case MARL_ITEM_SAMPLE:
        return sample_item(m->sample);
    case MARL_ITEM_CALIBRATE:
        return calibrate_item(m);
    default:
        return cbor_new_definite_map(0);
    }
}

marl_status marl_message_make(const marl_message *m, uint8_t bytes[MARL_MESSAGE_MAX], size_t *n,
                              marl_error *error)
{
    uint8_t contents[MARL_ITEM_MAX];
    *n = 0;
    if (!has_contents(m)) {
        return marl_fail(error, MARL_ERR_ARGUMENT, "a message of this kind lacks its contents");
    }
    cbor_item_t *body = body_of(m), *item = cbor_new_definite_array(3);
    push(&item, cbor_build_uint8((uint8_t)m->kind));
    push(&item, cbor_build_uint32(m->number));
    push(&item, body);
    if (item == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    size_t size = cbor_serialize(item, contents, sizeof contents);
    cbor_decref(&item);
    if (size == 0) {
        return marl_fail(error, MARL_ERR_CAPACITY, "the message is longer than a board accepts (%d bytes)",
                         MARL_ITEM_MAX);
    }
    bytes[0] = 0;
    marl_status status = marl_packet_make(contents, size, bytes + 1, MARL_MESSAGE_MAX - 1, n);
    *n += status == MARL_OK;
    return status;
}
