/* SPDX-License-Identifier: MIT
 * Every tuning that was accepted can be written and is read back the same. */
#ifndef FUZZ_TUNING_H
#define FUZZ_TUNING_H

#include "fuzz.h"
#include "marlinspike/lab.h"

static inline void fuzz_tuning_survives(const marl_named_tuning *a)
{
    static char path[80];
    marl_named_tuning b;
    marl_error error = {0};
    snprintf(path, sizeof path, "/dev/shm/marlinspike-fuzz-%ld.json", (long)getpid());
    FUZZ_HOLDS(marl_tuning_check(&a->tuning) == MARL_OK);
    FUZZ_HOLDS(marl_tuning_write(a, path, &error) == MARL_OK);
    FUZZ_HOLDS(marl_tuning_read(&b, path, NULL, &error) == MARL_OK);
    FUZZ_HOLDS(memcmp(&a->tuning, &b.tuning, sizeof b.tuning) == 0);
    FUZZ_HOLDS(strcmp(a->name, b.name) == 0 && strcmp(a->about, b.about) == 0);
    unlink(path);
}

#endif
