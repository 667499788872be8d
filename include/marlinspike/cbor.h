/* SPDX-License-Identifier: MIT
 * The part of CBOR (RFC 8949) that the stream and the store need: whole numbers, single floats, texts, arrays
 * and maps of known length, in the shortest form. Into and out of a buffer of the caller's. */
#ifndef MARLINSPIKE_CBOR_H
#define MARLINSPIKE_CBOR_H

#include "marlinspike/status.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Writing cannot fail at the call: `full` is set when something did not fit, and stays. */
typedef struct marl_cbor_writer {
    uint8_t *bytes;
    size_t size, n;
    int full;
} marl_cbor_writer;

marl_cbor_writer marl_cbor_into(uint8_t *bytes, size_t size);
void marl_cbor_put_int(marl_cbor_writer *w, int64_t value);
void marl_cbor_put_float(marl_cbor_writer *w, float value);
void marl_cbor_put_floats(marl_cbor_writer *w, const float *value, size_t n); /* as an array */
void marl_cbor_put_text(marl_cbor_writer *w, const char *text);
void marl_cbor_put_array(marl_cbor_writer *w, size_t items);
void marl_cbor_put_map(marl_cbor_writer *w, size_t pairs);

/* Reading: the first failure is kept in `status` (MARL_ERR_MESSAGE) and every later call gives 0. Whole
 * numbers are accepted where a float is asked for, and half and single floats; doubles are not. */
typedef struct marl_cbor_reader {
    const uint8_t *bytes;
    size_t n, at;
    marl_status status;
} marl_cbor_reader;

marl_cbor_reader marl_cbor_from(const uint8_t *bytes, size_t n);
int64_t marl_cbor_get_int(marl_cbor_reader *r);
float marl_cbor_get_float(marl_cbor_reader *r); /* finite */
/* What a sensor may send: also NaN and infinity. */
float marl_cbor_get_reading(marl_cbor_reader *r);
/* An array of exactly n floats, all finite. */
void marl_cbor_get_floats(marl_cbor_reader *r, float *value, size_t n);
/* A text of less than `size` bytes without a NUL inside; the NUL behind it is added. */
void marl_cbor_get_text(marl_cbor_reader *r, char *text, size_t size);
size_t marl_cbor_get_array(marl_cbor_reader *r);
size_t marl_cbor_get_map(marl_cbor_reader *r);
/* Passes over one item of whatever kind, arrays and maps with all that is in them. */
void marl_cbor_skip(marl_cbor_reader *r);

#ifdef __cplusplus
}
#endif
#endif
