/* SPDX-License-Identifier: MIT
 * Work that is independent, on all cores. */
#ifndef LAB_PARALLEL_H
#define LAB_PARALLEL_H

#include <stddef.h>

/* One piece of the work; pieces must not change what others read. */
typedef void lab_piece(void *context, size_t piece);

/* How many cores there are, 1 at least. */
unsigned lab_cores(void);

/* Calls work(context, i) for each i < n, on up to `threads` threads, this one among them, and returns when all are done.
 * Where no more threads can be had, fewer do it all. */
void lab_parallel(unsigned threads, size_t n, lab_piece *work, void *context);

#endif
