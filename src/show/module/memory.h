/* SPDX-License-Identifier: MIT
 * Memory of the WebAssembly module. */
#ifndef SHOW_MODULE_MEMORY_H
#define SHOW_MODULE_MEMORY_H

#include <stddef.h>

/* What is taken after a mark is given back by returning to it; 0 is the beginning. */
size_t module_memory_mark(void);
void module_memory_return_to(size_t mark);

#endif
