/* SPDX-License-Identifier: MIT
 * The digest of every filter over a whole log, whose samples come in on standard input. */
#include "log_digests.h"
#include <stdio.h>

int main(void)
{
    static log_digests digests;
    uint8_t bytes[LOG_SAMPLE_BYTES];
    log_digests_begin(&digests);
    while (fread(bytes, sizeof bytes, 1, stdin) == 1) {
        log_digests_add(&digests, bytes);
    }
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        printf("%08x ", (unsigned)digests.pipeline[f].digest);
    }
    return 0;
}
