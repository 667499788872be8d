/* SPDX-License-Identifier: MIT
 * The store: one record of bytes that survives power cuts. The memory is used as two halves; a record goes to
 * the half that does not hold the newest whole one, so that whatever is cut short, the old or the new record
 * is there whole. */
#ifndef MARL_STORE_H
#define MARL_STORE_H

#include "marlinspike/port.h"

/* The newest whole record, *n bytes of it. MARL_ERR_EMPTY when there is none, MARL_ERR_CAPACITY when it is
 * longer than `size`, MARL_ERR_STORE when the memory cannot be read. */
MARL_CHECKED marl_status marl_store_load(const marl_port *port, uint8_t *bytes, size_t size, size_t *n);

/* Writes a record and reads it back. MARL_ERR_CAPACITY when it is longer than half the memory less 16 bytes,
 * MARL_ERR_STORE when the memory fails or does not keep it; then the record before is still there. */
MARL_CHECKED marl_status marl_store_save(const marl_port *port, const uint8_t *bytes, size_t n);

#endif
