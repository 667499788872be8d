/* SPDX-License-Identifier: MIT
 * Memory of the WebAssembly module: one stretch that grows and is given back as a whole. A replay takes some blocks and
 * ends, so that nothing is gained by giving back single ones. */
#include "show/module/memory.h"
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { ALIGNED = 16, PAGE = 65536 };

extern uint8_t
    __heap_base[]; /* NOLINT(bugprone-reserved-identifier): by the linker, where the memory is free */
static size_t used;

size_t module_memory_mark(void)
{
    return used;
}

void module_memory_return_to(size_t mark)
{
    used = mark;
}

void *malloc(size_t size)
{
    const size_t base = (size_t)__heap_base, have = __builtin_wasm_memory_size(0) * (size_t)PAGE;
    size_t at = (base + used + ALIGNED - 1) / ALIGNED * ALIGNED - base, end = at + size;
    size_t missing = base + end > have ? base + end - have : 0;
    if (end < at || (missing > 0 && __builtin_wasm_memory_grow(0, missing / PAGE + 1) == SIZE_MAX)) {
        return NULL;
    }
    used = end;
    return __heap_base + at;
}

void *calloc(size_t n, size_t size)
{
    size_t bytes = n * size;
    if (size != 0 && bytes / size != n) {
        return NULL;
    }
    void *block = malloc(bytes > 0 ? bytes : 1);
    return block != NULL ? memset(block, 0, bytes) : NULL;
}

void free(void *block)
{
    (void)block;
}

/* The length of the old block is not kept: what lies behind it is copied along, all of it in this stretch. */
void *realloc(void *block, size_t size)
{
    void *larger = malloc(size);
    return larger != NULL && block != NULL ? memmove(larger, block, size) : larger;
}
