/* SPDX-License-Identifier: MIT
 * Attitudes in double. */
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <string.h>

static void product(const double a[4], const double b[4], double out[4])
{
    double q[4] = {a[0] * b[0] - a[1] * b[1] - a[2] * b[2] - a[3] * b[3],
                   a[0] * b[1] + a[1] * b[0] + a[2] * b[3] - a[3] * b[2],
                   a[0] * b[2] - a[1] * b[3] + a[2] * b[0] + a[3] * b[1],
                   a[0] * b[3] + a[1] * b[2] - a[2] * b[1] + a[3] * b[0]};
    double length = sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    for (int k = 0; k < 4; k++) {
        out[k] = q[k] / length;
    }
}

static void exponential(const double rotation[3], double q[4])
{
    double angle = sqrt(rotation[0] * rotation[0] + rotation[1] * rotation[1] + rotation[2] * rotation[2]);
    double share = angle > 1e-9 ? sin(0.5 * angle) / angle : 0.5;
    q[0] = cos(0.5 * angle);
    for (int k = 0; k < 3; k++) {
        q[k + 1] = share * rotation[k];
    }
}

void lab_turn_world(const double rotation[3], double q[4])
{
    double turn[4];
    exponential(rotation, turn);
    product(turn, q, q);
}

void lab_turn_body(double q[4], const double rotation[3])
{
    double turn[4];
    exponential(rotation, turn);
    product(q, turn, q);
}

void lab_matrix_of(const double q[4], double m[9])
{
    double w = q[0], x = q[1], y = q[2], z = q[3];
    const double r[9] = {1 - 2 * (y * y + z * z), 2 * (x * y - w * z),     2 * (x * z + w * y),
                         2 * (x * y + w * z),     1 - 2 * (x * x + z * z), 2 * (y * z - w * x),
                         2 * (x * z - w * y),     2 * (y * z + w * x),     1 - 2 * (x * x + y * y)};
    memcpy(m, r, sizeof r);
}

void lab_rotation_between(const double a[4], const double b[4], double rotation[3])
{
    const double inverse[4] = {b[0], -b[1], -b[2], -b[3]};
    double q[4];
    product(a, inverse, q);
    double sign = q[0] < 0 ? -1 : 1, sine = sqrt(q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    double scale = sine > 1e-12 ? 2 * atan2(sine, sign * q[0]) / sine : 2;
    for (int k = 0; k < 3; k++) {
        rotation[k] = sign * scale * q[k + 1];
    }
}
