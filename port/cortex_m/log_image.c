/* SPDX-License-Identifier: MIT
 * A whole log on this core: reads `samples` from the folder of the emulator and prints the digest of every filter. */
#include "log_digests.h"

/* Semihosting: an operation with its block of words. */
static int32_t ask(uint32_t number, const uint32_t *words)
{
    register uint32_t operation __asm__("r0") = number;
    register const uint32_t *block __asm__("r1") = words;
    __asm__ volatile("bkpt 0xab" : "+r"(operation) : "r"(block) : "memory");
    return (int32_t)operation;
}

static void print_hex(uint32_t number)
{
    char text[10];
    for (unsigned i = 0; i < 8; i++) {
        unsigned digit = number >> (28u - 4u * i) & 15u;
        text[i] = (char)(digit < 10 ? '0' + digit : 'a' + digit - 10);
    }
    text[8] = ' ';
    text[9] = '\0';
    (void)ask(0x04u, (const uint32_t *)(const void *)text); /* write a text */
}

int main(void)
{
    static log_digests digests;
    static const char name[] = "samples";
    const uint32_t file[3] = {(uint32_t)(uintptr_t)name, 1u /* binary */, sizeof name - 1};
    int32_t handle = ask(0x01u, file); /* open */
    uint8_t bytes[LOG_SAMPLE_BYTES] = {0};
    if (handle < 0) {
        return 1;
    }
    const uint32_t block[3] = {(uint32_t)handle, (uint32_t)(uintptr_t)bytes, sizeof bytes};
    log_digests_begin(&digests);
    while (ask(0x06u, block) == 0) { /* read: how many bytes are missing */
        log_digests_add(&digests, bytes);
    }
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        print_hex(digests.pipeline[f].digest);
    }
    return 0;
}
