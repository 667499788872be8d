/* SPDX-License-Identifier: MIT
 * Items of a device stream. */
#include "lab/stream/stream_item.h"
#include "lab/stream/stream_keys.h"
#include <cbor.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

static int get_int(const cbor_item_t *item, int64_t *value)
{
    if (!cbor_is_int(item) || cbor_get_int(item) > INT64_MAX) {
        return 0;
    }
    int64_t size = (int64_t)cbor_get_int(item);
    *value = cbor_isa_negint(item) ? -1 - size : size;
    return 1;
}

static int get_float(const cbor_item_t *item, float *value)
{
    int64_t whole;
    if (get_int(item, &whole)) {
        *value = (float)whole;
        return 1;
    }
    if (!cbor_isa_float_ctrl(item) || cbor_float_ctrl_is_ctrl(item)) {
        return 0;
    }
    *value = (float)cbor_float_get_float(item);
    return 1;
}

static int get_floats(const cbor_item_t *item, float *value, size_t n)
{
    if (!cbor_isa_array(item) || cbor_array_size(item) != n) {
        return 0;
    }
    cbor_item_t **part = cbor_array_handle(item);
    for (size_t i = 0; i < n; i++) {
        if (!get_float(part[i], &value[i])) {
            return 0;
        }
    }
    return 1;
}

static int get_vec(const cbor_item_t *item, marl_vec3 *v)
{
    float value[3];
    int good = get_floats(item, value, 3);
    *v = good ? (marl_vec3){value[0], value[1], value[2]} : *v;
    return good;
}

/* Characters that do not belong into a message or a file become '?'. */
static int get_text(const cbor_item_t *item, char *text, size_t size)
{
    if (!cbor_isa_string(item) || !cbor_string_is_definite(item)) {
        return 0;
    }
    size_t n = cbor_string_length(item);
    n = n < size ? n : size - 1;
    for (size_t i = 0; i < n; i++) {
        unsigned char c = cbor_string_handle(item)[i];
        text[i] = (char)(c >= ' ' && c < 127 ? c : '?');
    }
    text[n] = '\0';
    return 1;
}

static int read_q(const cbor_item_t *value, marl_log_row *row)
{
    float q[4];
    if (!get_floats(value, q, 4)) {
        return 0;
    }
    row->q = (marl_quat){q[0], q[1], q[2], q[3]};
    marl_quat unit = row->q;
    row->has_q = marl_quat_normalize(&unit) == MARL_OK;
    double norm2 = (double)q[0] * (double)q[0] + (double)q[1] * (double)q[1] + (double)q[2] * (double)q[2] +
                   (double)q[3] * (double)q[3];
    if (fabs(norm2 - 1) > 1e-5) { /* else the board's own bits stay */
        row->q = unit;
    }
    return row->has_q;
}

static int sample_pair(int64_t key, const cbor_item_t *value, lab_item *item)
{
    marl_sample *s = &item->row.sample;
    int good = 1;
    switch (key) {
    case SAMPLE_T:
        return get_int(value, &item->t_ns);
    case SAMPLE_ACCEL:
        good = get_vec(value, &s->accel);
        break;
    case SAMPLE_GYRO:
        good = get_vec(value, &s->gyro);
        break;
    case SAMPLE_MAG:
        good = get_vec(value, &s->mag);
        break;
    case SAMPLE_TEMP:
        good = get_float(value, &s->temp);
        break;
    case SAMPLE_SPEED:
        good = get_float(value, &s->speed);
        break;
    case SAMPLE_Q:
        return read_q(value, &item->row);
    default:
        return 1;
    }
    s->fresh = (uint8_t)(s->fresh | 1u << (key - SAMPLE_ACCEL));
    return good;
}

static int identity_pair(int64_t key, const cbor_item_t *value, lab_item *item)
{
    lab_identity *identity = &item->identity;
    int64_t number;
    switch (key) {
    case IDENTITY_T:
        return get_int(value, &item->t_ns);
    case IDENTITY_DEVICE:
        return get_text(value, identity->device, sizeof identity->device);
    case IDENTITY_FIRMWARE:
        return get_text(value, identity->firmware, sizeof identity->firmware);
    case IDENTITY_SENSORS:
        if (!get_int(value, &number) || number < 0 || number > 255) {
            return 0;
        }
        identity->sensors = (uint8_t)number;
        return 1;
    default:
        return 1;
    }
}

static int ack_pair(int64_t key, const cbor_item_t *value, lab_item *item)
{
    int64_t number = 0;
    switch (key) {
    case ACK_TO:
        if (!get_int(value, &number) || number < 0 || number > UINT32_MAX) {
            return 0;
        }
        item->ack.answered = (uint32_t)number;
        return 1;
    case ACK_OUTCOME:
        if (!get_int(value, &number) || number < 0 || number > 255) {
            return 0;
        }
        item->ack.outcome = (marl_outcome)number;
        return 1;
    case ACK_TEXT:
        return get_text(value, item->ack.text, sizeof item->ack.text);
    default:
        return 1;
    }
}

static int get_small(const cbor_item_t *item, int64_t high, int64_t *value)
{
    return get_int(item, value) && *value >= 0 && *value <= high;
}

static int found_pair(const cbor_item_t *map, marl_correction *c)
{
    if (!cbor_isa_map(map)) {
        return 0;
    }
    struct cbor_pair *pair = cbor_map_handle(map);
    int has_bias = 0, has_matrix = 0;
    for (size_t i = 0; i < cbor_map_size(map); i++) {
        int64_t key;
        if (!get_int(pair[i].key, &key)) {
            return 0;
        }
        has_bias = has_bias || (key == FIT_BIAS && get_vec(pair[i].value, &c->bias));
        has_matrix = has_matrix || (key == FIT_MATRIX && get_floats(pair[i].value, &c->matrix.m[0][0], 9));
    }
    c->present = 1;
    return has_bias && has_matrix;
}

static int renewal_pair(int64_t key, const cbor_item_t *value, lab_item *item)
{
    marl_renewal_report *r = &item->renewal;
    int64_t number = 0;
    float numbers[3];
    int good = 1;
    switch (key) {
    case RENEWAL_T:
        return get_int(value, &r->t_ns);
    case RENEWAL_KIND:
        good = get_small(value, MARL_RENEW_TUMBLE, &number);
        r->kind = (marl_renewal_kind)number;
        return good;
    case RENEWAL_STAGE:
        good = get_small(value, MARL_RENEWAL_AGAIN, &number);
        r->stage = (marl_renewal_stage)number;
        return good;
    case RENEWAL_REASON:
        good = get_small(value, UINT8_MAX, &number);
        r->reason = (marl_renewal_reason)number;
        return good;
    case RENEWAL_COVERAGE:
        return get_float(value, &r->found.coverage);
    case RENEWAL_POINTS:
        good = get_small(value, UINT32_MAX, &number);
        r->found.points = (uint32_t)number;
        return good;
    case RENEWAL_MISSING:
        good = get_small(value, 6, &number);
        r->found.missing = (uint8_t)number;
        return good;
    case RENEWAL_FOUND:
        return found_pair(value, &r->found.correction);
    case RENEWAL_CHANGE:
        return get_vec(value, &r->found.change);
    case RENEWAL_BIAS_SIGMA:
        return get_vec(value, &r->found.bias_sigma);
    case RENEWAL_NUMBERS:
        good = get_floats(value, numbers, 3);
        r->found.matrix_sigma = good ? numbers[0] : 0;
        r->found.residual_rms = good ? numbers[1] : 0;
        r->found.length = good ? numbers[2] : 0;
        return good;
    default:
        return 1;
    }
}

/* The parts of an event's text. */
typedef struct event {
    int64_t part, bus, address, identity; /* -1: not given */
    char fault[80];
} event;

static int event_pair(int64_t key, const cbor_item_t *value, lab_item *item, event *e)
{
    switch (key) {
    case EVENT_T:
        return get_int(value, &item->t_ns);
    case EVENT_PART:
        return get_int(value, &e->part);
    case EVENT_BUS:
        return get_int(value, &e->bus);
    case EVENT_ADDRESS:
        return get_int(value, &e->address);
    case EVENT_IDENTITY:
        return get_int(value, &e->identity);
    case EVENT_FAULT:
        return get_text(value, e->fault, sizeof e->fault);
    default:
        return 1;
    }
}

static void put_event_into_words(const event *e, lab_item *item)
{
    int used = snprintf(item->event, sizeof item->event, "%.3f s: chip %lld (bus %lld, address 0x%02llx): %s",
                        (double)item->t_ns * 1e-9, (long long)e->part, (long long)e->bus,
                        (unsigned long long)e->address, e->fault[0] ? e->fault : "works again");
    if (e->identity >= 0 && used < (int)sizeof item->event) {
        snprintf(item->event + used, sizeof item->event - (size_t)used, ": it identifies as 0x%02llx",
                 (unsigned long long)e->identity);
    }
}

static int read_body(const cbor_item_t *body, lab_item *item)
{
    event reported = {.identity = -1};
    struct cbor_pair *pair = cbor_map_handle(body);
    for (size_t i = 0; i < cbor_map_size(body); i++) {
        int64_t key;
        int good = get_int(pair[i].key, &key);
        if (good && item->kind == MARL_ITEM_SAMPLE) {
            good = sample_pair(key, pair[i].value, item);
        } else if (good && item->kind == MARL_ITEM_IDENTITY) {
            good = identity_pair(key, pair[i].value, item);
        } else if (good && item->kind == MARL_ITEM_ACK) {
            good = ack_pair(key, pair[i].value, item);
        } else if (good && item->kind == MARL_ITEM_EVENT) {
            good = event_pair(key, pair[i].value, item, &reported);
        } else if (good && item->kind == MARL_ITEM_RENEWAL) {
            good = renewal_pair(key, pair[i].value, item);
        }
        if (!good) {
            return 0;
        }
    }
    put_event_into_words(&reported, item);
    return 1;
}

int lab_item_is_ours(const lab_item *item)
{
    return item->kind == MARL_ITEM_SAMPLE || item->kind == MARL_ITEM_IDENTITY ||
           item->kind == MARL_ITEM_ACK || item->kind == MARL_ITEM_EVENT || item->kind == MARL_ITEM_RENEWAL;
}

static int read_item(const cbor_item_t *root, lab_item *item)
{
    int64_t kind, number;
    if (!cbor_isa_array(root) || cbor_array_size(root) != 3) {
        return 0;
    }
    cbor_item_t **part = cbor_array_handle(root);
    if (!get_int(part[0], &kind) || kind < 1 || kind > 255 || !get_int(part[1], &number) || number < 0 ||
        number > UINT32_MAX) {
        return 0;
    }
    item->kind = (marl_item_kind)kind;
    item->number = (uint32_t)number;
    return !lab_item_is_ours(item) || (cbor_isa_map(part[2]) && read_body(part[2], item));
}

lab_item_result lab_item_read(const uint8_t *bytes, size_t n, lab_item *item)
{
    struct cbor_load_result result;
    memset(item, 0, sizeof *item);
    if (!marl_item_is_whole(bytes, n)) { /* libcbor allocates whatever length is claimed */
        return LAB_ITEM_BAD;
    }
    cbor_item_t *root = cbor_load(bytes, n, &result);
    if (root == NULL) {
        return result.error.code == CBOR_ERR_MEMERROR ? LAB_ITEM_NO_MEMORY : LAB_ITEM_BAD;
    }
    int good = result.read == n && read_item(root, item);
    cbor_decref(&root);
    return good ? LAB_ITEM_GOOD : LAB_ITEM_BAD;
}
