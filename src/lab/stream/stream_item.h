/* SPDX-License-Identifier: MIT
 * Items of a device stream, read by libcbor. */
#ifndef LAB_STREAM_ITEM_H
#define LAB_STREAM_ITEM_H

#include "marlinspike/record.h"

typedef struct lab_identity {
    char device[MARL_DEVICE_NAME], firmware[MARL_DEVICE_NAME];
    uint8_t sensors;
} lab_identity;

typedef struct lab_item {
    marl_item_kind kind;
    uint32_t number;
    int64_t t_ns;     /* sample, identity, event */
    marl_log_row row; /* sample */
    lab_identity identity;
    marl_ack ack;
    char event[160];
    marl_renewal_report renewal;
} lab_item;

typedef enum lab_item_result {
    LAB_ITEM_BAD, /* the bytes are no item */
    LAB_ITEM_GOOD,
    LAB_ITEM_NO_MEMORY
} lab_item_result;

/* Of other kinds than those below nothing but kind and number is read. */
lab_item_result lab_item_read(const uint8_t *bytes, size_t n, lab_item *item);

/* Is it of a kind that a board sends, as far as this version knows? */
int lab_item_is_ours(const lab_item *item);

#endif
