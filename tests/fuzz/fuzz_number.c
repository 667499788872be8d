/* SPDX-License-Identifier: MIT
 * Numbers: reading gives the bits of strtod, writing brings every float back. */
#include "fuzz.h"
#include "lab/log/number.h"
#include <math.h>

static void read_one(const uint8_t *data, size_t size)
{
    char text[400];
    lab_decimal decimal;
    if (size > sizeof text - LAB_NUMBER_SLACK - 1) {
        return;
    }
    for (size_t i = 0; i < size; i++) { /* mostly what numbers are made of */
        text[i] = "0123456789012345.-+eE ,x"[data[i] % 24];
    }
    memset(text + size, ';', LAB_NUMBER_SLACK + 1);
    const char *end = lab_number_scan(text, '.', &decimal);
    if (end == NULL) {
        return;
    }
    FUZZ_HOLDS(end > text && end <= text + size);
    double ours = lab_number_value(text, end, '.', &decimal);
    char copy[400], *stop;
    memcpy(copy, text, (size_t)(end - text));
    copy[end - text] = '\0';
    double theirs = strtod(copy, &stop);
    FUZZ_HOLDS(*stop == '\0' && memcmp(&ours, &theirs, sizeof ours) == 0);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char text[LAB_NUMBER_CAPACITY + 1];
    fuzz_bytes in = {data, size};
    float single;
    double wide;
    int64_t t;
    fuzz_take(&in, &single, sizeof single);
    fuzz_take(&in, &wide, sizeof wide);
    fuzz_take(&in, &t, sizeof t);
    char *end = lab_number_write(text, (double)single);
    FUZZ_HOLDS(end - text <= LAB_NUMBER_CAPACITY);
    *end = '\0';
    FUZZ_HOLDS(!isfinite(single) ? text[0] == '\0' : strtof(text, NULL) == single);
    end = lab_number_write(text, wide);
    FUZZ_HOLDS(end - text <= LAB_NUMBER_CAPACITY);
    end = lab_time_write(text, t);
    FUZZ_HOLDS(end - text <= LAB_NUMBER_CAPACITY);
    read_one(in.at, in.left);
    return 0;
}
