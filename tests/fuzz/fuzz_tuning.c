/* SPDX-License-Identifier: MIT
 * A tuning as it is given on the command line: FILTER:NAME=VALUE,... What is accepted is written, and read back with
 * the same bits. */
#include "fuzz_tuning.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char text[300];
    marl_named_tuning tuning;
    marl_error error = {0};
    size_t n = size > 0 ? size - 1 : 0;
    if (n > 200) {
        return 0;
    }
    int filter = size > 0 ? data[0] % (MARL_FILTER_COUNT + 1) : 0;
    const char *name = filter < MARL_FILTER_COUNT ? marl_filter_name((marl_filter)filter) : "";
    snprintf(text, sizeof text, "%s%s%.*s", name, filter < MARL_FILTER_COUNT ? ":" : "", (int)n,
             (const char *)(size > 0 ? data + 1 : data));
    if (marl_tuning_read(&tuning, text, NULL, &error) == MARL_OK) {
        fuzz_tuning_survives(&tuning);
    } else {
        FUZZ_HOLDS(error.text[0] != '\0');
    }
    return 0;
}
