/* SPDX-License-Identifier: MIT
 * The device's CBOR reader: no getter leaves the bytes, and after a failure every call gives zero. */
#include "device/link/cbor.h"
#include "device/link/telemetry.h"
#include "fuzz.h"
#include "marlinspike/device.h"
#include <math.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    fuzz_bytes calls = {data, size < 16 ? size : 16};
    wire_reader r = marlp_wire_from(data + calls.left, size - calls.left);
    float value[9];
    char text[20];
    while (calls.left > 0 && r.at < r.n) {
        size_t before = r.at;
        switch (fuzz_byte(&calls) % 7) {
        case 0:
            (void)marlp_wire_get_int(&r);
            break;
        case 1:
            FUZZ_HOLDS(isfinite(marlp_wire_get_float(&r)));
            break;
        case 2:
            marlp_wire_get_floats(&r, value, 3);
            break;
        case 3:
            marlp_wire_get_text(&r, text, sizeof text);
            FUZZ_HOLDS(memchr(text, '\0', sizeof text) != NULL);
            break;
        case 4:
            (void)marlp_wire_get_array(&r);
            break;
        case 5:
            (void)marlp_wire_get_map(&r);
            break;
        default:
            marlp_wire_skip(&r);
        }
        FUZZ_HOLDS(r.at >= before && r.at <= r.n);
        if (r.status != MARL_OK) {
            FUZZ_HOLDS(marlp_wire_get_int(&r) == 0 && marlp_wire_get_array(&r) == 0);
            break;
        }
    }
    wire_reader items = marlp_wire_from(data, size);
    marl_calibration calibration = marl_calibration_none();
    marl_tuning tuning = marl_tuning_default(MARL_FILTER_KALMAN);
    marl_sample sample;
    char device[MARL_DEVICE_NAME];
    if (size > 0 && data[0] % 3 == 0) {
        if (marlp_item_get_calibration(&items, &calibration, device) == MARL_OK) {
            FUZZ_HOLDS(marl_calibration_check(&calibration) == MARL_OK);
        }
    } else if (size > 0 && data[0] % 3 == 1) {
        if (marlp_item_get_tuning(&items, &tuning) == MARL_OK) {
            FUZZ_HOLDS(marl_tuning_check(&tuning) == MARL_OK);
        }
    } else {
        (void)!marlp_item_get_sample(&items, &sample);
    }
    return 0;
}
