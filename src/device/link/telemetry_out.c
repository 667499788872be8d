/* SPDX-License-Identifier: MIT
 * What the board sends. */
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "device/link/telemetry_keys.h"

static void put_head(wire_writer *w, marl_item_kind kind, uint32_t number)
{
    marlp_wire_put_array(w, 3);
    marlp_wire_put_int(w, kind);
    marlp_wire_put_int(w, number);
}

static void put_vec(wire_writer *w, int key, marl_vec3 v)
{
    const float value[3] = {v.x, v.y, v.z};
    marlp_wire_put_int(w, key);
    marlp_wire_put_floats(w, value, 3);
}

static void put_int(wire_writer *w, int key, int64_t value)
{
    marlp_wire_put_int(w, key);
    marlp_wire_put_int(w, value);
}

static void put_text(wire_writer *w, int key, const char *text)
{
    marlp_wire_put_int(w, key);
    marlp_wire_put_text(w, text);
}

static void put_quat(wire_writer *w, int key, marl_quat q)
{
    const float value[4] = {q.w, q.x, q.y, q.z};
    marlp_wire_put_int(w, key);
    marlp_wire_put_floats(w, value, 4);
}

void marlp_item_put_sample(wire_writer *w, uint32_t number, const marl_sample *s, const marl_quat *q)
{
    size_t pairs = 1u + (q != NULL);
    for (unsigned flag = MARL_FRESH_ACCEL; flag <= MARL_FRESH_SPEED; flag <<= 1) {
        pairs += (s->fresh & flag) != 0;
    }
    put_head(w, MARL_ITEM_SAMPLE, number);
    marlp_wire_put_map(w, pairs);
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
        marlp_wire_put_int(w, KEY_TEMP);
        marlp_wire_put_float(w, s->temp);
    }
    if (s->fresh & MARL_FRESH_SPEED) {
        marlp_wire_put_int(w, KEY_SPEED);
        marlp_wire_put_float(w, s->speed);
    }
    if (q != NULL) {
        put_quat(w, KEY_Q, *q);
    }
}

void marlp_item_put_identity(wire_writer *w, uint32_t number, const item_identity *identity)
{
    put_head(w, MARL_ITEM_IDENTITY, number);
    marlp_wire_put_map(w, 5);
    put_int(w, KEY_T, identity->t_ns);
    put_text(w, KEY_DEVICE, identity->device);
    put_text(w, KEY_FIRMWARE, identity->firmware);
    put_int(w, KEY_SENSORS, identity->sensors);
    put_int(w, KEY_PERIOD, identity->period_us);
}

void marlp_item_put_ack(wire_writer *w, uint32_t number, uint32_t answered, marl_outcome outcome,
                        const char *text)
{
    put_head(w, MARL_ITEM_ACK, number);
    marlp_wire_put_map(w, 3);
    put_int(w, KEY_ANSWERED, answered);
    put_int(w, KEY_OUTCOME, outcome);
    put_text(w, KEY_TEXT, text);
}

void marlp_item_put_event(wire_writer *w, uint32_t number, const item_event *event)
{
    const uint32_t count[5] = {event->silent, event->late, event->garbage, event->restarts, event->overflows};
    put_head(w, MARL_ITEM_EVENT, number);
    marlp_wire_put_map(w, event->fault == MARL_ERR_IDENTITY ? 7 : 6);
    put_int(w, KEY_T, event->t_ns);
    put_int(w, KEY_PART, event->part);
    put_int(w, KEY_BUS, event->bus);
    put_int(w, KEY_ADDRESS, event->address);
    put_text(w, KEY_FAULT, event->fault == MARL_OK ? "" : marl_status_text(event->fault));
    marlp_wire_put_int(w, KEY_COUNTS);
    marlp_wire_put_array(w, 5);
    for (int i = 0; i < 5; i++) {
        marlp_wire_put_int(w, count[i]);
    }
    if (event->fault == MARL_ERR_IDENTITY) {
        put_int(w, KEY_IDENTITY, event->identity);
    }
}

static void put_correction(wire_writer *w, int key, const marl_correction *c)
{
    const float range[3] = {c->curve.reference_degC, c->curve.low_degC, c->curve.high_degC};
    marlp_wire_put_int(w, key);
    marlp_wire_put_map(w, c->has_curve ? 5 : 2);
    put_vec(w, KEY_BIAS, c->bias);
    marlp_wire_put_int(w, KEY_MATRIX);
    marlp_wire_put_floats(w, &c->matrix.m[0][0], 9);
    if (c->has_curve) {
        marlp_wire_put_int(w, KEY_CURVE);
        marlp_wire_put_floats(w, range, 3);
        put_vec(w, KEY_PER_DEGC, c->curve.per_degC);
        put_vec(w, KEY_PER_DEGC2, c->curve.per_degC2);
    }
}

void marlp_item_put_calibration(wire_writer *w, const marl_calibration *c)
{
    size_t pairs = c->has_mount != 0;
    pairs += c->accel.present != 0;
    pairs += c->gyro.present != 0;
    pairs += c->mag.present != 0;
    marlp_wire_put_map(w, pairs);
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

static void put_float(wire_writer *w, int key, float value)
{
    marlp_wire_put_int(w, key);
    marlp_wire_put_float(w, value);
}

void marlp_item_put_renewal(wire_writer *w, uint32_t number, int64_t t_ns, const item_renewal *renewal)
{
    const marl_renewed *f = renewal->found;
    const float numbers[3] = {f->matrix_sigma, f->residual_rms, f->length};
    int done = renewal->stage == MARL_RENEWAL_DONE || renewal->stage == MARL_RENEWAL_AGAIN;
    put_head(w, MARL_ITEM_RENEWAL, number);
    marlp_wire_put_map(w, done ? 11 : 7);
    put_int(w, KEY_T, t_ns);
    put_int(w, KEY_RENEWAL_KIND, renewal->kind);
    put_int(w, KEY_STAGE, renewal->stage);
    put_int(w, KEY_REASON, renewal->reason);
    put_float(w, KEY_COVERAGE, f->coverage);
    put_int(w, KEY_POINTS, f->points);
    put_int(w, KEY_MISSING, f->missing);
    if (done) {
        put_correction(w, KEY_FOUND, &f->correction);
        put_vec(w, KEY_CHANGE, f->change);
        put_vec(w, KEY_BIAS_SIGMA, f->bias_sigma);
        marlp_wire_put_int(w, KEY_NUMBERS);
        marlp_wire_put_floats(w, numbers, 3);
    }
}

void marlp_item_put_tuning(wire_writer *w, const marl_tuning *tuning)
{
    size_t pairs = 0;
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        pairs += (size_t)marl_parameter_is_of((marl_parameter_id)i, tuning->filter);
    }
    marlp_wire_put_map(w, 3);
    put_text(w, KEY_FILTER, marl_filter_name(tuning->filter));
    put_text(w, KEY_WORLD, marl_world_name(tuning->world));
    marlp_wire_put_int(w, KEY_PARAMETERS);
    marlp_wire_put_map(w, pairs);
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        if (marl_parameter_is_of((marl_parameter_id)i, tuning->filter)) {
            marlp_wire_put_text(w, marl_parameter_name((marl_parameter_id)i));
            marlp_wire_put_float(w, tuning->value[i]);
        }
    }
}

void marlp_item_put_offsets(wire_writer *w, const marl_vec3 taken[MARL_SENSOR_COUNT], uint8_t takes)
{
    size_t pairs = 0;
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        pairs += (unsigned)takes >> i & 1u;
    }
    marlp_wire_put_map(w, pairs);
    for (unsigned i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (takes & 1u << i) {
            put_vec(w, (int)i, taken[i]);
        }
    }
}
