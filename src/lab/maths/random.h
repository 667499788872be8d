/* SPDX-License-Identifier: MIT
 * Random numbers of a seed: the same on every machine. */
#ifndef LAB_RANDOM_H
#define LAB_RANDOM_H

#include <stdint.h>

/* Random numbers of a seed: "Fast splittable pseudorandom number generators" (2014). */
typedef struct lab_random {
    uint64_t state;
} lab_random;

lab_random lab_random_seeded(uint64_t seed, uint64_t stream);
double lab_random_uniform(lab_random *random); /* [0, 1) */
double lab_random_normal(lab_random *random);  /* mean 0, deviation 1 */

/* The same normal numbers in the same order, drawn in advance many at once, which is faster. */
enum { LAB_NORMALS_AHEAD = 64 };
typedef struct lab_normals {
    lab_random random;
    int left;
    double value[LAB_NORMALS_AHEAD];
} lab_normals;

lab_normals lab_normals_of(lab_random random);
void lab_normals_draw(lab_normals *normals);
static inline double lab_normals_next(lab_normals *normals)
{
    if (normals->left == 0) {
        lab_normals_draw(normals);
    }
    return normals->value[LAB_NORMALS_AHEAD - normals->left--];
}

#endif
