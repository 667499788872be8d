/* SPDX-License-Identifier: MIT
 * The bits of an attitude do not depend on how the compiler was called: whatever includes this rounds after each
 * operation, in the order in which it is written. gcc packs straight-line code into vectors that fuse (-O2 and on for
 * parts that can), in spite of -ffp-contract=off. */
#ifndef DEVICE_EXACT_H
#define DEVICE_EXACT_H

#if defined(__clang__)
#pragma STDC FP_CONTRACT OFF
#pragma clang fp reassociate(off)
#elif defined(__GNUC__)
#pragma GCC optimize("fp-contract=off", "no-tree-slp-vectorize", "no-associative-math", "no-reciprocal-math")
#endif

#endif
