/* SPDX-License-Identifier: MIT
 * The memory of a board that keeps a calibration: what its store would write, to be flashed. */
#include "lab/stream/message_items.h"
#include "lab/stream/stream_keys.h"
#include "marlinspike/app.h"
#include "marlinspike/record.h"
#include <string.h>

/* Two sectors, written in units of the largest size that a port may have: smaller units divide it. */
enum { SECTOR = MARL_STORE_IMAGE_MAX, UNIT = 32 };

static marl_status read_memory(void *context, uint32_t at, uint8_t *bytes, size_t n)
{
    memcpy(bytes, (const uint8_t *)context + at, n);
    return MARL_OK;
}

static marl_status erase_memory(void *context, uint32_t at)
{
    memset((uint8_t *)context + at, 0xff, SECTOR);
    return MARL_OK;
}

static marl_status write_memory(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    memcpy((uint8_t *)context + at, bytes, n);
    return MARL_OK;
}

/* What the application keeps; 0 bytes without memory, or when it is longer than an item. */
static size_t kept(const marl_calibration_record *record, const marl_tuning *tuning, uint8_t *bytes,
                   size_t size)
{
    marl_calibration_record nameless = *record;
    nameless.device[0] = '\0'; /* the board knows whose it is */
    cbor_item_t *map = cbor_new_definite_map(tuning != NULL ? 2 : 1);
    lab_item_add(&map, KEPT_CALIBRATION, lab_calibration_item(&nameless));
    if (tuning != NULL) {
        lab_item_add(&map, KEPT_TUNING, lab_tuning_item(tuning));
    }
    size_t n = map != NULL ? cbor_serialize(map, bytes, size) : 0;
    if (map != NULL) {
        cbor_decref(&map);
    }
    return n;
}

marl_status marl_store_image(const marl_calibration_record *record, const marl_tuning *tuning,
                             uint8_t image[MARL_STORE_IMAGE_MAX], size_t *n, marl_error *error)
{
    uint8_t memory[2 * SECTOR], contents[MARL_ITEM_MAX];
    const marl_port port = {.context = memory,
                            .nv = {sizeof memory, SECTOR, UNIT},
                            .nv_read = read_memory,
                            .nv_erase = erase_memory,
                            .nv_write = write_memory};
    memset(memory, 0xff, sizeof memory);
    size_t size = kept(record, tuning, contents, sizeof contents);
    if (size == 0 || marl_store_save(&port, contents, size) != MARL_OK) {
        return marl_fail(error, MARL_ERR_CAPACITY,
                         "calibration and tuning are longer than a store keeps (%d bytes)", MARL_ITEM_MAX);
    }
    *n = (MARL_STORE_HEAD + size + UNIT - 1) / UNIT * UNIT;
    memcpy(image, memory, *n);
    return MARL_OK;
}
