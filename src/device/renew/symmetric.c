/* SPDX-License-Identifier: MIT
 * Symmetric 3 x 3 matrices. */
#include "device/renew/symmetric.h"
#include "device/math/exact.h"
#include "device/math/float_math.h"

enum { ROOT_STEPS = 10 };
#define ROOT_PRECISION 1e-7f

marl_vec3 marlp_symmetric_apply(const float a[6], marl_vec3 v)
{
    return (marl_vec3){a[0] * v.x + a[3] * v.y + a[4] * v.z, a[3] * v.x + a[1] * v.y + a[5] * v.z,
                       a[4] * v.x + a[5] * v.y + a[2] * v.z};
}

void marlp_symmetric_square(const float a[6], float q[6])
{
    q[0] = a[0] * a[0] + a[3] * a[3] + a[4] * a[4];
    q[1] = a[3] * a[3] + a[1] * a[1] + a[5] * a[5];
    q[2] = a[4] * a[4] + a[5] * a[5] + a[2] * a[2];
    q[3] = a[0] * a[3] + a[3] * a[1] + a[4] * a[5];
    q[4] = a[0] * a[4] + a[3] * a[5] + a[4] * a[2];
    q[5] = a[3] * a[4] + a[1] * a[5] + a[5] * a[2];
}

static void cofactors_of(const float a[6], float c[6])
{
    c[0] = a[1] * a[2] - a[5] * a[5];
    c[1] = a[0] * a[2] - a[4] * a[4];
    c[2] = a[0] * a[1] - a[3] * a[3];
    c[3] = a[4] * a[5] - a[3] * a[2];
    c[4] = a[3] * a[5] - a[4] * a[1];
    c[5] = a[3] * a[4] - a[0] * a[5];
}

float marlp_symmetric_determinant(const float a[6])
{
    float c[6];
    cofactors_of(a, c);
    return a[0] * c[0] + a[3] * c[3] + a[4] * c[4];
}

int marlp_symmetric_inverse(const float a[6], float out[6])
{
    cofactors_of(a, out);
    float volume = a[0] * out[0] + a[3] * out[3] + a[4] * out[4];
    if (!(a[0] > 0.0f && out[2] > 0.0f && volume > 0.0f)) {
        return 0;
    }
    for (int i = 0; i < 6; i++) {
        out[i] /= volume;
    }
    return 1;
}

/* Newton's method on the matrix and its inverse root together, from a matrix whose mean of the diagonal is 1. */
int marlp_symmetric_root(const float a[6], float out[6])
{
    float other[6] = {1.0f, 1.0f, 1.0f, 0.0f, 0.0f, 0.0f}, size = (a[0] + a[1] + a[2]) / 3.0f, change = 1.0f;
    if (!(size > 0.0f)) {
        return 0;
    }
    for (int i = 0; i < 6; i++) {
        out[i] = a[i] / size;
    }
    for (int step = 0; step < ROOT_STEPS && change > ROOT_PRECISION; step++) {
        float back[6], other_back[6];
        if (!marlp_symmetric_inverse(out, back) || !marlp_symmetric_inverse(other, other_back)) {
            return 0;
        }
        change = 0.0f;
        for (int i = 0; i < 6; i++) {
            float next = 0.5f * (out[i] + other_back[i]);
            change = float_max(change, float_abs(next - out[i]));
            out[i] = next;
            other[i] = 0.5f * (other[i] + back[i]);
        }
    }
    float root = float_root(size);
    for (int i = 0; i < 6; i++) {
        out[i] *= root;
    }
    return change < 1e-3f;
}
