/* SPDX-License-Identifier: MIT
 * The guess of a file's columns; a map that it proposes can be read. */
#include "fuzz.h"
#include "marlinspike/lab.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static marl_columns_guess guess;
    marl_error error = {0};
    marl_column_map map;
    char decimal = size > 0 && data[0] & 1 ? ',' : '.';
    const char *path = fuzz_file(0, data + (size > 0), size - (size > 0));
    if (marl_columns_guess_file(&guess, path, decimal, &error) == MARL_OK) {
        FUZZ_HOLDS(guess.n <= MARL_GUESS_MAX);
        if (guess.map[0] != '\0' && strstr(guess.map, "RATE") == NULL) {
            FUZZ_HOLDS(marl_column_map_read(&map, guess.map, &error) == MARL_OK);
        }
    }
    return 0;
}
