/* SPDX-License-Identifier: MIT
 * Random numbers of a seed. Each sensor draws from a stream of its own, so that a change to one leaves
 * the others as they were. */
#include "marlinspike/simulate.h"
#include <math.h>

static uint64_t mix(uint64_t z)
{
    z = (z ^ (z >> 30)) * UINT64_C(0xbf58476d1ce4e5b9);
    z = (z ^ (z >> 27)) * UINT64_C(0x94d049bb133111eb);
    return z ^ (z >> 31);
}

static uint64_t next(marl_random *random)
{
    random->state += UINT64_C(0x9e3779b97f4a7c15);
    return mix(random->state);
}

marl_random marl_random_seeded(uint64_t seed, uint64_t stream)
{
    return (marl_random){.state = mix(mix(seed + 1) + mix(stream + 0x5eed))};
}

double marl_random_uniform(marl_random *random)
{
    return (double)(next(random) >> 11) * 0x1p-53;
}

/* "A note on the generation of random normal deviates" (1958): two at a time. */
double marl_random_normal(marl_random *random)
{
    if (random->has_spare) {
        random->has_spare = 0;
        return random->spare;
    }
    double radius = sqrt(-2.0 * log(1.0 - marl_random_uniform(random)));
    double angle = 6.283185307179586 * marl_random_uniform(random);
    random->spare = radius * sin(angle);
    random->has_spare = 1;
    return radius * cos(angle);
}
