/* SPDX-License-Identifier: MIT
 * The small part of CBOR. */
#include "device/link/cbor.h"
#include <math.h>
#include <string.h>

enum { UNSIGNED = 0, NEGATIVE = 1, BYTES = 2, TEXT = 3, ARRAY = 4, MAP = 5, TAG = 6, SIMPLE = 7 };
enum { HALF = 25, SINGLE = 26, INDEFINITE = 31 };

wire_writer marlp_wire_into(uint8_t *bytes, size_t size)
{
    return (wire_writer){.bytes = bytes, .size = size};
}

static void put(wire_writer *w, const void *bytes, size_t n)
{
    if (w->full || n > w->size - w->n) {
        w->full = 1;
        return;
    }
    memcpy(w->bytes + w->n, bytes, n);
    w->n += n;
}

/* Major type and argument in the shortest form. */
static void put_head(wire_writer *w, unsigned major, uint64_t value)
{
    uint8_t head[9];
    unsigned bytes = value < 24 ? 0 : value <= 0xff ? 1 : value <= 0xffff ? 2 : value <= 0xffffffffu ? 4 : 8;
    unsigned code = bytes == 0   ? (unsigned)value
                    : bytes == 1 ? 24u
                    : bytes == 2 ? 25u
                    : bytes == 4 ? 26u
                                 : 27u;
    head[0] = (uint8_t)(major << 5 | code);
    for (unsigned i = 0; i < bytes; i++) {
        head[1 + i] = (uint8_t)(value >> (8 * (bytes - 1 - i)));
    }
    put(w, head, 1 + bytes);
}

void marlp_wire_put_int(wire_writer *w, int64_t value)
{
    put_head(w, value < 0 ? NEGATIVE : UNSIGNED, value < 0 ? ~(uint64_t)value : (uint64_t)value);
}

void marlp_wire_put_float(wire_writer *w, float value)
{
    uint32_t bits;
    memcpy(&bits, &value, sizeof bits);
    const uint8_t item[5] = {SIMPLE << 5 | SINGLE, (uint8_t)(bits >> 24), (uint8_t)(bits >> 16),
                             (uint8_t)(bits >> 8), (uint8_t)bits};
    put(w, item, sizeof item);
}

void marlp_wire_put_floats(wire_writer *w, const float *value, size_t n)
{
    marlp_wire_put_array(w, n);
    for (size_t i = 0; i < n; i++) {
        marlp_wire_put_float(w, value[i]);
    }
}

void marlp_wire_put_text(wire_writer *w, const char *text)
{
    size_t n = strlen(text);
    put_head(w, TEXT, n);
    put(w, text, n);
}

void marlp_wire_put_array(wire_writer *w, size_t items)
{
    put_head(w, ARRAY, items);
}

void marlp_wire_put_map(wire_writer *w, size_t pairs)
{
    put_head(w, MAP, pairs);
}

wire_reader marlp_wire_from(const uint8_t *bytes, size_t n)
{
    return (wire_reader){.bytes = bytes, .n = n};
}

static void refuse(wire_reader *r)
{
    r->status = MARL_ERR_MESSAGE;
    r->at = r->n;
}

/* The head of an item; `minor` receives how its argument was written. */
static unsigned get_head(wire_reader *r, unsigned *minor, uint64_t *value)
{
    *value = *minor = 0;
    if (r->at >= r->n) {
        refuse(r);
        return SIMPLE;
    }
    unsigned first = r->bytes[r->at++];
    *minor = first & 31u;
    unsigned bytes = *minor < 24 ? 0 : *minor == 24 ? 1 : *minor == 25 ? 2 : *minor == 26 ? 4 : 8;
    if (*minor > 27 || bytes > r->n - r->at) {
        refuse(r);
        return SIMPLE;
    }
    *value = bytes == 0 ? *minor : 0;
    for (unsigned i = 0; i < bytes; i++) {
        *value = *value << 8 | r->bytes[r->at++];
    }
    return first >> 5;
}

/* The argument of an item that must be of one kind; 0 when it is not. */
static uint64_t want(wire_reader *r, unsigned major)
{
    unsigned minor;
    uint64_t value;
    if (get_head(r, &minor, &value) != major) {
        refuse(r);
        return 0;
    }
    return value;
}

int64_t marlp_wire_get_int(wire_reader *r)
{
    unsigned minor;
    uint64_t value;
    unsigned major = get_head(r, &minor, &value);
    if (major > NEGATIVE || value > INT64_MAX) {
        refuse(r);
        return 0;
    }
    return major == NEGATIVE ? -1 - (int64_t)value : (int64_t)value;
}

/* A half float's value: a small whole number times a power of two, all exact. */
static float from_half(uint32_t bits)
{
    uint32_t exponent = bits >> 10 & 31u, fraction = bits & 1023u, wide;
    float value;
    if (exponent == 0) {
        value = (float)fraction * (1.0f / 16777216.0f);
    } else {
        wide = (exponent == 31 ? 255u : exponent + 112u) << 23 | fraction << 13;
        memcpy(&value, &wide, sizeof value);
    }
    return bits & 0x8000u ? -value : value;
}

float marlp_wire_get_reading(wire_reader *r)
{
    unsigned minor;
    uint64_t value;
    unsigned major = get_head(r, &minor, &value);
    uint32_t bits = (uint32_t)value;
    float result = 0.0f;
    if (major == SIMPLE && minor == SINGLE) {
        memcpy(&result, &bits, sizeof result);
    } else if (major == SIMPLE && minor == HALF) {
        result = from_half(bits);
    } else if (major <= NEGATIVE && value <= 16777216) { /* exact as a float */
        result = major == NEGATIVE ? -1.0f - (float)bits : (float)bits;
    } else {
        refuse(r);
    }
    return result;
}

float marlp_wire_get_float(wire_reader *r)
{
    float value = marlp_wire_get_reading(r);
    if (!isfinite(value)) {
        refuse(r);
        return 0.0f;
    }
    return value;
}

void marlp_wire_get_floats(wire_reader *r, float *value, size_t n)
{
    if (marlp_wire_get_array(r) != n) {
        refuse(r);
    }
    for (size_t i = 0; i < n; i++) {
        value[i] = marlp_wire_get_float(r);
    }
}

void marlp_wire_get_text(wire_reader *r, char *text, size_t size)
{
    uint64_t n = want(r, TEXT);
    text[0] = '\0';
    if (r->status != MARL_OK || n >= size || n > r->n - r->at ||
        memchr(r->bytes + r->at, 0, (size_t)n) != NULL) {
        refuse(r);
        return;
    }
    memcpy(text, r->bytes + r->at, (size_t)n);
    text[n] = '\0';
    r->at += (size_t)n;
}

/* More items than bytes are left cannot follow. */
static size_t want_items(wire_reader *r, unsigned major, unsigned bytes_each)
{
    uint64_t n = want(r, major);
    if (n > (r->n - r->at) / bytes_each) {
        refuse(r);
        return 0;
    }
    return (size_t)n;
}

size_t marlp_wire_get_array(wire_reader *r)
{
    return want_items(r, ARRAY, 1);
}

size_t marlp_wire_get_map(wire_reader *r)
{
    return want_items(r, MAP, 2);
}

/* Counts what is still to be passed over instead of calling itself. */
void marlp_wire_skip(wire_reader *r)
{
    uint64_t items = 1;
    while (items > 0 && r->status == MARL_OK) {
        unsigned minor;
        uint64_t value;
        unsigned major = get_head(r, &minor, &value);
        items--;
        if (major == BYTES || major == TEXT) {
            if (value > r->n - r->at) {
                refuse(r);
                return;
            }
            r->at += (size_t)value;
        } else if (major == ARRAY || major == MAP) {
            if (value > r->n - r->at) {
                refuse(r);
                return;
            }
            items += major == MAP ? 2 * value : value;
        } else if (major == TAG) {
            items++;
        }
    }
}
