/* SPDX-License-Identifier: MIT
 * Random numbers of a seed: the same on every machine. */
#ifndef MARLINSPIKE_RANDOM_H
#define MARLINSPIKE_RANDOM_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Random numbers of a seed: "Fast splittable pseudorandom number generators" (2014). */
typedef struct marl_random {
    uint64_t state;
} marl_random;

marl_random marl_random_seeded(uint64_t seed, uint64_t stream);
double marl_random_uniform(marl_random *random); /* [0, 1) */
double marl_random_normal(marl_random *random);  /* mean 0, deviation 1 */

/* The same normal numbers in the same order, drawn in advance many at once, which is faster. */
enum { MARL_NORMALS_AHEAD = 64 };
typedef struct marl_normals {
    marl_random random;
    int left;
    double value[MARL_NORMALS_AHEAD];
} marl_normals;

marl_normals marl_normals_of(marl_random random);
void marl_normals_draw(marl_normals *normals);
static inline double marl_normals_next(marl_normals *normals)
{
    if (normals->left == 0) {
        marl_normals_draw(normals);
    }
    return normals->value[MARL_NORMALS_AHEAD - normals->left--];
}

#ifdef __cplusplus
}
#endif
#endif
