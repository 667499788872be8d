/* SPDX-License-Identifier: MIT
 * Building lists of spans. */
#ifndef LAB_SPANS_H
#define LAB_SPANS_H

#include "marlinspike/inspect.h"
#include "marlinspike/sample.h"

/* Returns 0 without memory. */
int lab_spans_add(marl_spans *spans, int64_t from_ns, int64_t to_ns);

#endif
