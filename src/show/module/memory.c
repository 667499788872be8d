/* SPDX-License-Identifier: MIT
 * Memory of the WebAssembly module: one stretch that grows and is given back as a whole. A replay takes some blocks and
 * ends, so that nothing is gained by giving back single ones. */
#include "show/module/memory.h"
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { ALIGNED = 16, PAGE = 65536 };

extern uint8_t __heap_base; /* by the linker: where the memory is free */
static uintptr_t next;

size_t module_memory_mark(void)
{
    return next;
}

void module_memory_return_to(size_t mark)
{
    next = mark;
}

void *malloc(size_t size)
{
    next = next != 0 ? next : (uintptr_t)&__heap_base;
    uintptr_t at = (next + ALIGNED - 1) & ~(uintptr_t)(ALIGNED - 1);
    uintptr_t end = at + size, have = __builtin_wasm_memory_size(0) * (uintptr_t)PAGE;
    if (end < at || (end > have && __builtin_wasm_memory_grow(0, (end - have) / PAGE + 1) == SIZE_MAX)) {
        return NULL;
    }
    next = end;
    return (void *)at;
}

void *calloc(size_t n, size_t size)
{
    if (size != 0 && n > SIZE_MAX / size) {
        return NULL;
    }
    void *block = malloc(n * size);
    return block != NULL ? memset(block, 0, n * size) : NULL;
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
