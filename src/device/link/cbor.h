/* SPDX-License-Identifier: MIT
 * The part of CBOR (RFC 8949) that the stream and the store need: whole numbers, single floats, texts, arrays
 * and maps of known length, in the shortest form. Into and out of a buffer of the caller's. */
#ifndef MARL_CBOR_H
#define MARL_CBOR_H

#include "marlinspike/status.h"
#include <stddef.h>
#include <stdint.h>

/* Writing cannot fail at the call: `full` is set when something did not fit, and stays. */
typedef struct wire_writer {
    uint8_t *bytes;
    size_t size, n;
    int full;
} wire_writer;

wire_writer marlp_wire_into(uint8_t *bytes, size_t size);
void marlp_wire_put_int(wire_writer *w, int64_t value);
void marlp_wire_put_float(wire_writer *w, float value);
void marlp_wire_put_floats(wire_writer *w, const float *value, size_t n); /* as an array */
void marlp_wire_put_text(wire_writer *w, const char *text);
void marlp_wire_put_array(wire_writer *w, size_t items);
void marlp_wire_put_map(wire_writer *w, size_t pairs);

/* Reading: the first failure is kept in `status` (MARL_ERR_MESSAGE) and every later call gives 0. Whole
 * numbers are accepted where a float is asked for, and half and single floats; doubles are not. */
typedef struct wire_reader {
    const uint8_t *bytes;
    size_t n, at;
    marl_status status;
} wire_reader;

wire_reader marlp_wire_from(const uint8_t *bytes, size_t n);
int64_t marlp_wire_get_int(wire_reader *r);
float marlp_wire_get_float(wire_reader *r); /* finite */
/* What a sensor may send: also NaN and infinity. */
float marlp_wire_get_reading(wire_reader *r);
/* An array of exactly n floats, all finite. */
void marlp_wire_get_floats(wire_reader *r, float *value, size_t n);
/* A text of less than `size` bytes without a NUL inside; the NUL behind it is added. */
void marlp_wire_get_text(wire_reader *r, char *text, size_t size);
size_t marlp_wire_get_array(wire_reader *r);
size_t marlp_wire_get_map(wire_reader *r);
/* Passes over one item of whatever kind, arrays and maps with all that is in them. */
void marlp_wire_skip(wire_reader *r);

#endif
