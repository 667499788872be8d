/* SPDX-License-Identifier: MIT
 * The items of the device stream, the device's side: what it sends, and what it reads. */
#ifndef MARL_TELEMETRY_H
#define MARL_TELEMETRY_H

#include "device/link/cbor.h"
#include "marlinspike/app.h"
#include "marlinspike/sample.h"
#include "marlinspike/tuning.h"

/* Longest encodings in bytes, from the tables: a map, an array, a key and a text of under 24 characters have a
 * head of one byte, longer ones of two; a float takes five bytes, a vector sixteen. */
enum {
    ITEM_VECTOR_MAX = 1 + 3 * 5,
    ITEM_CORRECTION_MAX =
        1 + 1 + 5 + ITEM_VECTOR_MAX + (1 + 9 * 5) + 3 * ITEM_VECTOR_MAX, /* key, map, keys */
    ITEM_CALIBRATION_MAX = 1 + 3 * ITEM_CORRECTION_MAX + 1 + (1 + 4 * 5),
    ITEM_PARAMETER_MAX = 1 + (MARL_PARAMETER_NAME_MAX - 1) + 5,
    ITEM_TUNING_MAX =
        1 + (1 + 1 + 23) + (1 + 1 + 3) + (1 + 2 + MARL_FILTER_PARAMETERS_MAX * ITEM_PARAMETER_MAX),
    ITEM_HEAD_MAX = 1 + 2 + 5,
    ITEM_DEVICE_MAX = 1 + 2 + MARL_DEVICE_NAME,
    ITEM_KEPT_MAX = 1 + 1 + ITEM_CALIBRATION_MAX + 1 + ITEM_TUNING_MAX /* what the store keeps together */
};
_Static_assert((int)MARL_PARAMETER_NAME_MAX <= 24, "a parameter's name has a head of one byte");
_Static_assert((int)MARL_ITEM_MAX >= (int)ITEM_KEPT_MAX,
               "a full calibration and any tuning are kept together");
_Static_assert((int)MARL_ITEM_MAX >= (int)ITEM_HEAD_MAX + ITEM_DEVICE_MAX + ITEM_CALIBRATION_MAX,
               "a full calibration is one message");
_Static_assert((int)MARL_ITEM_MAX >= (int)ITEM_HEAD_MAX + ITEM_TUNING_MAX, "any tuning is one message");

typedef struct item_identity {
    int64_t t_ns;
    const char *device, *firmware;
    uint8_t sensors;    /* MARL_FRESH_... */
    uint32_t period_us; /* of the fastest sensor */
} item_identity;

typedef struct item_event {
    int64_t t_ns;
    uint8_t part, bus, address;
    marl_status fault; /* MARL_OK: works again */
    uint16_t identity; /* that it gave, with MARL_ERR_IDENTITY */
    uint32_t silent, late, garbage, restarts, overflows;
} item_event;

typedef struct item_renewal {
    marl_renewal_kind kind;
    marl_renewal_stage stage;
    marl_renewal_reason reason;
    const marl_renewed *found;
} item_renewal;

/* Writing. `q` may be NULL. */
void marlp_item_put_sample(wire_writer *w, uint32_t number, const marl_sample *sample, const marl_quat *q);
void marlp_item_put_identity(wire_writer *w, uint32_t number, const item_identity *identity);
void marlp_item_put_ack(wire_writer *w, uint32_t number, uint32_t answered, marl_outcome outcome,
                        const char *text);
void marlp_item_put_event(wire_writer *w, uint32_t number, const item_event *event);
void marlp_item_put_renewal(wire_writer *w, uint32_t number, int64_t t_ns, const item_renewal *renewal);
/* Bodies, as the store keeps them. */
void marlp_item_put_calibration(wire_writer *w, const marl_calibration *calibration);
void marlp_item_put_tuning(wire_writer *w, const marl_tuning *tuning);
void marlp_item_put_offsets(wire_writer *w, const marl_vec3 taken[MARL_SENSOR_COUNT], uint8_t takes);

/* Reading. MARL_ERR_MESSAGE when it is not such an item. The body follows. */
MARL_CHECKED marl_status marlp_item_get_head(wire_reader *r, marl_item_kind *kind, uint32_t *number);
MARL_CHECKED marl_status marlp_item_get_sample(wire_reader *r, marl_sample *sample);
/* MARL_ERR_MESSAGE, or MARL_ERR_ARGUMENT when a value is out of range. `device` is "" when the
 * item names none. */
MARL_CHECKED marl_status marlp_item_get_calibration(wire_reader *r, marl_calibration *calibration,
                                                    char device[MARL_DEVICE_NAME]);
MARL_CHECKED marl_status marlp_item_get_tuning(wire_reader *r, marl_tuning *tuning);
/* MARL_RENEW_NOTHING: stop. Options that are not given are the default's. */
MARL_CHECKED marl_status marlp_item_get_calibrate(wire_reader *r, marl_renewal_kind *kind,
                                                  marl_renewal_options *options);
/* Failures stand in the reader. */
void marlp_item_get_offsets(wire_reader *r, marl_vec3 taken[MARL_SENSOR_COUNT], uint8_t *takes);

#endif
