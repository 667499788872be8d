/* SPDX-License-Identifier: MIT
 * What the board understands. */
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "device/link/telemetry_keys.h"
#include <math.h>
#include <string.h>

marl_status marlp_item_get_head(wire_reader *r, marl_item_kind *kind, uint32_t *number)
{
    size_t n = marlp_wire_get_array(r);
    int64_t k = marlp_wire_get_int(r), m = marlp_wire_get_int(r);
    *kind = (marl_item_kind)(k >= 0 && k < 256 ? k : 0);
    *number = (uint32_t)m;
    return r->status == MARL_OK && n == 3 && k > 0 && k < 256 && m >= 0 && m <= UINT32_MAX ? MARL_OK
                                                                                           : MARL_ERR_MESSAGE;
}

static marl_vec3 get_vec(wire_reader *r)
{
    float v[3];
    marlp_wire_get_floats(r, v, 3);
    return (marl_vec3){v[0], v[1], v[2]};
}

/* May be anything: what is invalid is for the pipeline to decide and to count. */
static marl_vec3 get_reading(wire_reader *r)
{
    if (marlp_wire_get_array(r) != 3) {
        r->status = MARL_ERR_MESSAGE;
    }
    marl_vec3 v;
    v.x = marlp_wire_get_reading(r);
    v.y = marlp_wire_get_reading(r);
    v.z = marlp_wire_get_reading(r);
    return v;
}

int marl_item_is_whole(const uint8_t *bytes, size_t n)
{
    wire_reader r = marlp_wire_from(bytes, n);
    marlp_wire_skip(&r);
    return r.status == MARL_OK && r.at == n;
}

marl_status marlp_item_get_sample(wire_reader *r, marl_sample *s)
{
    int timed = 0;
    *s = (marl_sample){0};
    for (size_t pairs = marlp_wire_get_map(r); pairs > 0 && r->status == MARL_OK; pairs--) {
        int64_t key = marlp_wire_get_int(r);
        switch (key) {
        case KEY_T:
            s->t_ns = marlp_wire_get_int(r);
            timed = 1;
            break;
        case KEY_ACCEL:
            s->accel = get_reading(r);
            break;
        case KEY_GYRO:
            s->gyro = get_reading(r);
            break;
        case KEY_MAG:
            s->mag = get_reading(r);
            break;
        case KEY_TEMP:
            s->temp = marlp_wire_get_reading(r);
            break;
        case KEY_SPEED:
            s->speed = marlp_wire_get_reading(r);
            break;
        default:
            marlp_wire_skip(r);
            break;
        }
        if (key >= KEY_ACCEL && key <= KEY_SPEED) {
            s->fresh |= (uint8_t)(1u << (key - KEY_ACCEL));
        }
    }
    return r->status == MARL_OK && timed ? MARL_OK : MARL_ERR_MESSAGE;
}

static void get_curve(wire_reader *r, marl_correction *c)
{
    float range[3];
    marlp_wire_get_floats(r, range, 3);
    c->has_curve = 1;
    c->curve.reference_degC = range[0];
    c->curve.low_degC = range[1];
    c->curve.high_degC = range[2];
}

static void get_correction(wire_reader *r, marl_correction *c)
{
    unsigned seen = 0;
    for (size_t pairs = marlp_wire_get_map(r); pairs > 0 && r->status == MARL_OK; pairs--) {
        int64_t key = marlp_wire_get_int(r);
        switch (key) {
        case KEY_BIAS:
            c->bias = get_vec(r);
            break;
        case KEY_MATRIX:
            marlp_wire_get_floats(r, &c->matrix.m[0][0], 9);
            break;
        case KEY_CURVE:
            get_curve(r, c);
            break;
        case KEY_PER_DEGC:
            c->curve.per_degC = get_vec(r);
            break;
        case KEY_PER_DEGC2:
            c->curve.per_degC2 = get_vec(r);
            break;
        default:
            marlp_wire_skip(r);
            break;
        }
        seen |= key >= 0 && key < 32 ? 1u << key : 0;
    }
    c->present = 1;
    if ((seen & (1u << KEY_BIAS | 1u << KEY_MATRIX)) != (1u << KEY_BIAS | 1u << KEY_MATRIX)) {
        r->status = MARL_ERR_MESSAGE;
    }
}

static void get_mount(wire_reader *r, marl_calibration *c)
{
    float q[4];
    marlp_wire_get_floats(r, q, 4);
    c->mount = (marl_quat){q[0], q[1], q[2], q[3]};
    c->has_mount = 1;
}

marl_status marlp_item_get_calibration(wire_reader *r, marl_calibration *c, char device[MARL_DEVICE_NAME])
{
    *c = marl_calibration_none();
    device[0] = '\0';
    for (size_t pairs = marlp_wire_get_map(r); pairs > 0 && r->status == MARL_OK; pairs--) {
        switch (marlp_wire_get_int(r)) {
        case KEY_FOR:
            marlp_wire_get_text(r, device, MARL_DEVICE_NAME);
            break;
        case KEY_CAL_ACCEL:
            get_correction(r, &c->accel);
            break;
        case KEY_CAL_GYRO:
            get_correction(r, &c->gyro);
            break;
        case KEY_CAL_MAG:
            get_correction(r, &c->mag);
            break;
        case KEY_MOUNT:
            get_mount(r, c);
            break;
        default:
            marlp_wire_skip(r);
            break;
        }
    }
    return r->status != MARL_OK ? MARL_ERR_MESSAGE : marl_calibration_check(c);
}

marl_status marlp_item_get_calibrate(wire_reader *r, marl_renewal_kind *kind, marl_renewal_options *options)
{
    int64_t asked = -1, poses = 0;
    float length = NAN, patience = NAN, wanted = NAN;
    for (size_t pairs = marlp_wire_get_map(r); pairs > 0 && r->status == MARL_OK; pairs--) {
        switch (marlp_wire_get_int(r)) {
        case KEY_KIND:
            asked = marlp_wire_get_int(r);
            break;
        case KEY_LENGTH:
            length = marlp_wire_get_float(r);
            break;
        case KEY_PATIENCE:
            patience = marlp_wire_get_float(r);
            break;
        case KEY_POSES:
            poses = marlp_wire_get_int(r);
            break;
        case KEY_WANTED:
            wanted = marlp_wire_get_float(r);
            break;
        default:
            marlp_wire_skip(r);
            break;
        }
    }
    if (r->status != MARL_OK || asked < 0) {
        return MARL_ERR_MESSAGE;
    }
    if (asked > MARL_RENEW_TUMBLE || poses < 0 || poses > UINT8_MAX) {
        return MARL_ERR_ARGUMENT;
    }
    *kind = (marl_renewal_kind)asked;
    *options = marl_renewal_default(*kind);
    options->length = isnan(length) ? options->length : length;
    options->patience_s = isnan(patience) ? options->patience_s : patience;
    options->poses = poses > 0 ? (uint8_t)poses : options->poses;
    options->coverage = isnan(wanted) ? options->coverage : wanted;
    return MARL_OK;
}

void marlp_item_get_offsets(wire_reader *r, marl_vec3 taken[MARL_SENSOR_COUNT], uint8_t *takes)
{
    *takes = 0;
    for (size_t pairs = marlp_wire_get_map(r); pairs > 0 && r->status == MARL_OK; pairs--) {
        int64_t key = marlp_wire_get_int(r);
        if (key >= 0 && key < MARL_SENSOR_COUNT) {
            taken[key] = get_vec(r);
            *takes = (uint8_t)(*takes | 1u << key);
        } else {
            marlp_wire_skip(r);
        }
    }
}

/* Returns 0 for a parameter that the filter does not have. */
static int get_parameter(wire_reader *r, marl_tuning *tuning)
{
    char name[32];
    marl_parameter_id id;
    marlp_wire_get_text(r, name, sizeof name);
    float value = marlp_wire_get_float(r);
    if (r->status != MARL_OK || marl_parameter_find(tuning->filter, name, &id) != MARL_OK) {
        return 0;
    }
    tuning->value[id] = value;
    return 1;
}

/* The filter stands first: the names of the parameters depend on it. */
marl_status marlp_item_get_tuning(wire_reader *r, marl_tuning *tuning)
{
    char name[32];
    marl_filter filter = MARL_FILTER_COMPLEMENTARY;
    int known = 1;
    size_t pairs = marlp_wire_get_map(r);
    int64_t first = marlp_wire_get_int(r);
    marlp_wire_get_text(r, name, sizeof name);
    *tuning = marl_tuning_default(filter);
    if (r->status != MARL_OK || first != KEY_FILTER) {
        return MARL_ERR_MESSAGE;
    }
    if (marl_filter_from_name(name, &filter) != MARL_OK) {
        return MARL_ERR_ARGUMENT;
    }
    *tuning = marl_tuning_default(filter);
    while (--pairs > 0 && r->status == MARL_OK) {
        switch (marlp_wire_get_int(r)) {
        case KEY_WORLD:
            marlp_wire_get_text(r, name, sizeof name);
            tuning->world =
                strcmp(name, marl_world_name(MARL_WORLD_NED)) == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
            known &= strcmp(name, marl_world_name(tuning->world)) == 0;
            break;
        case KEY_PARAMETERS:
            for (size_t n = marlp_wire_get_map(r); n > 0 && r->status == MARL_OK; n--) {
                known &= get_parameter(r, tuning);
            }
            break;
        default:
            marlp_wire_skip(r);
            break;
        }
    }
    if (r->status != MARL_OK) {
        return MARL_ERR_MESSAGE;
    }
    return known ? marl_tuning_check(tuning) : MARL_ERR_ARGUMENT;
}
