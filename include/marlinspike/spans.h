/* SPDX-License-Identifier: MIT
 * Spans of time. */
#ifndef MARLINSPIKE_SPANS_H
#define MARLINSPIKE_SPANS_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_span {
    int64_t from_ns, to_ns;
} marl_span;

typedef struct marl_spans {
    size_t n;
    marl_span *span;
} marl_spans;

void marl_spans_free(marl_spans *spans);
double marl_spans_seconds(const marl_spans *spans);
/* 1 when t lies in one of the spans; *at is a place to go on from, start with 0. */
int marl_spans_hold(const marl_spans *spans, int64_t t_ns, size_t *at);

#ifdef __cplusplus
}
#endif
#endif
