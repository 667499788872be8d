/* SPDX-License-Identifier: MIT
 * Packed logs: any bytes are refused or read; what is read is written and read again to the same bits. */
#include "fuzz.h"
#include "marlinspike/trace.h"

static int same_rows(const marl_log *a, const marl_log *b)
{
    int same = a->n == b->n;
    for (size_t i = 0; i < a->n && same; i++) {
        const marl_sample *s = &a->row[i].sample, *t = &b->row[i].sample;
        same = s->t_ns == t->t_ns && s->fresh == t->fresh &&
               (!(s->fresh & MARL_FRESH_ACCEL) || memcmp(&s->accel, &t->accel, sizeof s->accel) == 0) &&
               (!(s->fresh & MARL_FRESH_GYRO) || memcmp(&s->gyro, &t->gyro, sizeof s->gyro) == 0) &&
               (!(s->fresh & MARL_FRESH_MAG) || memcmp(&s->mag, &t->mag, sizeof s->mag) == 0) &&
               (!(s->fresh & MARL_FRESH_TEMP) || memcmp(&s->temp, &t->temp, sizeof s->temp) == 0) &&
               (!(s->fresh & MARL_FRESH_SPEED) || memcmp(&s->speed, &t->speed, sizeof s->speed) == 0);
    }
    return same;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    marl_packed_case read, again;
    if (marl_packed_read(&read, data, size) == MARL_OK) {
        marl_packed packed = {0};
        FUZZ_HOLDS(marl_packed_write(&packed, &read.log, &read.reference, &read.conditions) == MARL_OK);
        FUZZ_HOLDS(marl_packed_read(&again, packed.bytes, packed.n) == MARL_OK);
        FUZZ_HOLDS(same_rows(&read.log, &again.log));
        FUZZ_HOLDS(read.reference.n == again.reference.n);
        marl_packed_case_free(&again);
        free(packed.bytes);
    }
    marl_packed_case_free(&read);
    return 0;
}
