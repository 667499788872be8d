/* SPDX-License-Identifier: MIT
 * Random numbers of a seed. Each sensor draws from a stream of its own, so that a change to one leaves
 * the others as they were. */
#include "lab/maths/random.h"
#include <math.h>

static uint64_t mix(uint64_t z)
{
    z = (z ^ (z >> 30)) * UINT64_C(0xbf58476d1ce4e5b9);
    z = (z ^ (z >> 27)) * UINT64_C(0x94d049bb133111eb);
    return z ^ (z >> 31);
}

static uint64_t next(lab_random *random)
{
    random->state += UINT64_C(0x9e3779b97f4a7c15);
    return mix(random->state);
}

lab_random lab_random_seeded(uint64_t seed, uint64_t stream)
{
    return (lab_random){.state = mix(mix(seed + 1) + mix(stream + 0x5eed))};
}

double lab_random_uniform(lab_random *random)
{
    return (double)(next(random) >> 11) * 0x1p-53;
}

/* The point below which a share `half + q` of the normal distribution lies, to 1e-7: "Algorithm AS 241: the
 * percentage points of the normal distribution" (1988). Six in seven times a quotient of two short
 * polynomials. */
static double central(double q)
{
    double r = 0.180625 - q * q;
    return q * (((59.109374720 * r + 159.29113202) * r + 50.434271938) * r + 3.3871327179) /
           (((67.187563600 * r + 78.757757664) * r + 17.895169469) * r + 1.0);
}

/* The same for a small share `tail` above it. */
static double outer(double tail)
{
    double r = sqrt(-log(tail));
    if (r <= 5.0) {
        r -= 1.6;
        return (((0.17023821103 * r + 1.3067284816) * r + 2.7568153900) * r + 1.4234372777) /
               ((0.12021132975 * r + 0.73700164250) * r + 1.0);
    }
    r -= 5.0;
    return (((0.017337203997 * r + 0.42868294337) * r + 3.0812263860) * r + 6.6579051150) /
           ((0.012258202635 * r + 0.24197894225) * r + 1.0);
}

double lab_random_normal(lab_random *random)
{
    double u = ((double)(next(random) >> 11) + 0.5) * 0x1p-53, q = u - 0.5;
    if (fabs(q) <= 0.425) {
        return central(q);
    }
    return q < 0 ? -outer(u) : outer(1.0 - u);
}

lab_normals lab_normals_of(lab_random random)
{
    return (lab_normals){.random = random};
}

/* All as if central, which the compiler does several at a time, then those that are not once more. */
void lab_normals_draw(lab_normals *normals)
{
    double u[LAB_NORMALS_AHEAD];
    for (int i = 0; i < LAB_NORMALS_AHEAD; i++) {
        u[i] = ((double)(int64_t)(next(&normals->random) >> 11) + 0.5) * 0x1p-53;
    }
    for (int i = 0; i < LAB_NORMALS_AHEAD; i++) {
        normals->value[i] = central(u[i] - 0.5);
    }
    for (int i = 0; i < LAB_NORMALS_AHEAD; i++) {
        double q = u[i] - 0.5;
        if (fabs(q) > 0.425) {
            normals->value[i] = q < 0 ? -outer(u[i]) : outer(1.0 - u[i]);
        }
    }
    normals->left = LAB_NORMALS_AHEAD;
}
