/* SPDX-License-Identifier: MIT
 * Shared by the fuzz harnesses: bytes as a file, as numbers, and the check that must hold. */
#ifndef FUZZ_H
#define FUZZ_H

#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* A property that does not hold is a finding. */
#define FUZZ_HOLDS(condition)                                                                                \
    do {                                                                                                     \
        if (!(condition)) {                                                                                  \
            fprintf(stderr, "%s:%d: %s does not hold\n", __FILE__, __LINE__, #condition);                    \
            abort();                                                                                         \
        }                                                                                                    \
    } while (0)

/* A file in memory with these bytes; `which` is 0 or 1. Returns its path. */
static inline const char *fuzz_file(int which, const uint8_t *data, size_t size)
{
    static int file[2] = {-1, -1};
    static char path[2][40];
    if (file[which] < 0) {
        file[which] = memfd_create("fuzz", 0);
        snprintf(path[which], sizeof path[which], "/proc/self/fd/%d", file[which]);
    }
    FUZZ_HOLDS(ftruncate(file[which], 0) == 0);
    FUZZ_HOLDS(pwrite(file[which], data, size, 0) == (ssize_t)size);
    return path[which];
}

/* The input, taken piece by piece; zeros when it is used up. */
typedef struct fuzz_bytes {
    const uint8_t *at;
    size_t left;
} fuzz_bytes;

static inline void fuzz_take(fuzz_bytes *from, void *to, size_t n)
{
    size_t have = n < from->left ? n : from->left;
    memset(to, 0, n);
    memcpy(to, from->at, have);
    from->at += have;
    from->left -= have;
}

static inline uint8_t fuzz_byte(fuzz_bytes *from)
{
    uint8_t byte;
    fuzz_take(from, &byte, 1);
    return byte;
}

/* From -1 to 1. */
static inline double fuzz_share(fuzz_bytes *from)
{
    int16_t value;
    fuzz_take(from, &value, sizeof value);
    return (double)value / 32768.0;
}

#endif
