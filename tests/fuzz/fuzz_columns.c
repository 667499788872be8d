/* SPDX-License-Identifier: MIT
 * A column map (the first line) and a file that is read by it: whatever its factors, what is read is finite. */
#include "fuzz_rows.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const uint8_t *end = size > 0 ? memchr(data, '\n', size) : NULL;
    size_t length = end != NULL ? (size_t)(end - data) : size;
    char text[1024];
    marl_error error = {0};
    marl_column_map map;
    marl_log log;
    if (length >= sizeof text) {
        return 0;
    }
    memcpy(text, data, length);
    text[length] = '\0';
    if (strchr(text, '=') == NULL || marl_column_map_read(&map, text, &error) != MARL_OK) {
        return 0;
    }
    marl_sheet sheet = marl_sheet_grommet();
    marl_log_options options = {.decimal = '.', .sheet = &sheet, .columns = &map};
    size_t rest = end != NULL ? size - length - 1 : 0;
    if (marl_log_load(&log, fuzz_file(0, end != NULL ? end + 1 : data, rest), &options, &error) == MARL_OK) {
        fuzz_check_rows(&log);
        marl_log_free(&log);
    }
    return 0;
}
