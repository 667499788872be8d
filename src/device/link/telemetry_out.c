/* SPDX-License-Identifier: MIT
 * What the board sends. */
#include "device/link/telemetry_keys.h"
#include "marlinspike/telemetry.h"

static void put_head(marl_cbor_writer *w, marl_item_kind kind, uint32_t number)
{
    marl_cbor_put_array(w, 3);
    marl_cbor_put_int(w, kind);
    marl_cbor_put_int(w, number);
}

static void put_vec(marl_cbor_writer *w, int key, marl_vec3 v)
{
    const float value[3] = {v.x, v.y, v.z};
    marl_cbor_put_int(w, key);
    marl_cbor_put_floats(w, value, 3);
}

static void put_int(marl_cbor_writer *w, int key, int64_t value)
{
    marl_cbor_put_int(w, key);
    marl_cbor_put_int(w, value);
}

static void put_text(marl_cbor_writer *w, int key, const char *text)
{
    marl_cbor_put_int(w, key);
    marl_cbor_put_text(w, text);
}

static void put_quat(marl_cbor_writer *w, int key, marl_quat q)
{
    const float value[4] = {q.w, q.x, q.y, q.z};
    marl_cbor_put_int(w, key);
    marl_cbor_put_floats(w, value, 4);
}

void marl_item_put_sample(marl_cbor_writer *w, uint32_t number, const marl_sample *s, const marl_quat *q)
{
    size_t pairs = 1u + (q != NULL);
    for (unsigned flag = MARL_FRESH_ACCEL; flag <= MARL_FRESH_SPEED; flag <<= 1) {
        pairs += (s->fresh & flag) != 0;
    }
    put_head(w, MARL_ITEM_SAMPLE, number);
    marl_cbor_put_map(w, pairs);
    put_int(w, KEY_T, s->t_ns);
    if (s->fresh & MARL_FRESH_ACCEL) {
        put_vec(w, KEY_ACCEL, s->accel);
    }
    if (s->fresh & MARL_FRESH_GYRO) {
        put_vec(w, KEY_GYRO, s->gyro);
    }
    if (s->fresh & MARL_FRESH_MAG) {
        put_vec(w, KEY_MAG, s->mag);
    }
    if (s->fresh & MARL_FRESH_TEMP) {
        marl_cbor_put_int(w, KEY_TEMP);
        marl_cbor_put_float(w, s->temp);
    }
    if (s->fresh & MARL_FRESH_SPEED) {
        marl_cbor_put_int(w, KEY_SPEED);
        marl_cbor_put_float(w, s->speed);
    }
    if (q != NULL) {
        put_quat(w, KEY_Q, *q);
    }
}

void marl_item_put_identity(marl_cbor_writer *w, uint32_t number, const marl_item_identity *identity)
{
    put_head(w, MARL_ITEM_IDENTITY, number);
    marl_cbor_put_map(w, 5);
    put_int(w, KEY_T, identity->t_ns);
    put_text(w, KEY_DEVICE, identity->device);
    put_text(w, KEY_FIRMWARE, identity->firmware);
    put_int(w, KEY_SENSORS, identity->sensors);
    put_int(w, KEY_PERIOD, identity->period_us);
}

void marl_item_put_ack(marl_cbor_writer *w, uint32_t number, uint32_t answered, marl_outcome outcome,
                       const char *text)
{
    put_head(w, MARL_ITEM_ACK, number);
    marl_cbor_put_map(w, 3);
    put_int(w, KEY_ANSWERED, answered);
    put_int(w, KEY_OUTCOME, outcome);
    put_text(w, KEY_TEXT, text);
}

void marl_item_put_event(marl_cbor_writer *w, uint32_t number, const marl_item_event *event)
{
    const uint32_t count[4] = {event->silent, event->late, event->garbage, event->restarts};
    put_head(w, MARL_ITEM_EVENT, number);
    marl_cbor_put_map(w, event->fault == MARL_ERR_IDENTITY ? 7 : 6);
    put_int(w, KEY_T, event->t_ns);
    put_int(w, KEY_PART, event->part);
    put_int(w, KEY_BUS, event->bus);
    put_int(w, KEY_ADDRESS, event->address);
    put_text(w, KEY_FAULT, event->fault == MARL_OK ? "" : marl_status_text(event->fault));
    marl_cbor_put_int(w, KEY_COUNTS);
    marl_cbor_put_array(w, 4);
    for (int i = 0; i < 4; i++) {
        marl_cbor_put_int(w, count[i]);
    }
    if (event->fault == MARL_ERR_IDENTITY) {
        put_int(w, KEY_IDENTITY, event->identity);
    }
}

static void put_correction(marl_cbor_writer *w, int key, const marl_correction *c)
{
    const float range[3] = {c->curve.reference_degC, c->curve.low_degC, c->curve.high_degC};
    marl_cbor_put_int(w, key);
    marl_cbor_put_map(w, c->has_curve ? 5 : 2);
    put_vec(w, KEY_BIAS, c->bias);
    marl_cbor_put_int(w, KEY_MATRIX);
    marl_cbor_put_floats(w, &c->matrix.m[0][0], 9);
    if (c->has_curve) {
        marl_cbor_put_int(w, KEY_CURVE);
        marl_cbor_put_floats(w, range, 3);
        put_vec(w, KEY_PER_DEGC, c->curve.per_degC);
        put_vec(w, KEY_PER_DEGC2, c->curve.per_degC2);
    }
}

void marl_item_put_calibration(marl_cbor_writer *w, const marl_calibration *c)
{
    size_t pairs = c->has_mount != 0;
    pairs += c->accel.present != 0;
    pairs += c->gyro.present != 0;
    pairs += c->mag.present != 0;
    marl_cbor_put_map(w, pairs);
    if (c->accel.present) {
        put_correction(w, KEY_CAL_ACCEL, &c->accel);
    }
    if (c->gyro.present) {
        put_correction(w, KEY_CAL_GYRO, &c->gyro);
    }
    if (c->mag.present) {
        put_correction(w, KEY_CAL_MAG, &c->mag);
    }
    if (c->has_mount) {
        put_quat(w, KEY_MOUNT, c->mount);
    }
}

void marl_item_put_tuning(marl_cbor_writer *w, const marl_tuning *tuning)
{
    size_t pairs = 0;
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        pairs += (marl_parameter_row((marl_parameter_id)i)->filters >> tuning->filter) & 1u;
    }
    marl_cbor_put_map(w, 3);
    put_text(w, KEY_FILTER, marl_filter_name(tuning->filter));
    put_text(w, KEY_WORLD, marl_world_name(tuning->world));
    marl_cbor_put_int(w, KEY_PARAMETERS);
    marl_cbor_put_map(w, pairs);
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
        if ((row->filters >> tuning->filter) & 1u) {
            marl_cbor_put_text(w, row->name);
            marl_cbor_put_float(w, tuning->value[i]);
        }
    }
}
