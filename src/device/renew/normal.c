/* SPDX-License-Identifier: MIT
 * Symmetric positive equations. */
#include "device/renew/normal.h"
#include "device/math/exact.h"
#include "device/math/float_math.h"

#define LOST 3e-6f /* of a diagonal element: less than this of it left is rounding */

int marlp_normal_factor(int n, float *m)
{
    for (int i = 0; i < n; i++) {
        for (int j = 0; j <= i; j++) {
            float left = m[i * n + j];
            for (int k = 0; k < j; k++) {
                left -= m[i * n + k] * m[j * n + k];
            }
            if (i > j) {
                m[i * n + j] = left / m[j * n + j];
            } else if (!(left > LOST * m[i * n + i])) {
                return 0;
            } else {
                m[i * n + i] = float_root(left);
            }
        }
    }
    return 1;
}

void marlp_normal_forward(int n, const float *root, float *x)
{
    for (int i = 0; i < n; i++) {
        for (int k = 0; k < i; k++) {
            x[i] -= root[i * n + k] * x[k];
        }
        x[i] /= root[i * n + i];
    }
}

void marlp_normal_solve(int n, const float *root, float *x)
{
    marlp_normal_forward(n, root, x);
    for (int i = n - 1; i >= 0; i--) {
        for (int k = i + 1; k < n; k++) {
            x[i] -= root[k * n + i] * x[k];
        }
        x[i] /= root[i * n + i];
    }
}
