/* SPDX-License-Identifier: MIT
 * Any bytes as a log: times rise, readings are finite, and what was written reads back the same. */
#include "fuzz_rows.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    marl_error error = {0};
    marl_log log;
    marl_sheet sheet = marl_sheet_grommet();
    marl_log_options options = {.decimal = size > 0 && data[0] & 1 ? ',' : '.', .sheet = &sheet};
    if (marl_log_load(&log, fuzz_file(0, data + (size > 0), size - (size > 0)), &options, &error) !=
        MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        return 0;
    }
    fuzz_check_rows(&log);
    marl_inspection in;
    if (log.n < 3000 && marl_inspect(&log, &in, &error) == MARL_OK) {
        marl_inspection_free(&in);
    }
    marl_log_free(&log);
    return 0;
}
