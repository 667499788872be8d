/* SPDX-License-Identifier: MIT
 * Bodies of messages, which the store keeps as well. */
#ifndef LAB_MESSAGE_ITEMS_H
#define LAB_MESSAGE_ITEMS_H

#include "marlinspike/files.h"
#include <cbor.h>

/* NULL without memory. */
cbor_item_t *lab_calibration_item(const marl_calibration_record *record);
cbor_item_t *lab_tuning_item(const marl_tuning *tuning);

/* Adds a pair to a map and gives the value away; without memory the map becomes NULL, and stays so. */
void lab_item_add(cbor_item_t **map, int key, cbor_item_t *value);

#endif
