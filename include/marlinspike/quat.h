/* SPDX-License-Identifier: MIT
 * Quaternions: scalar first, Hamilton product. As an attitude a unit quaternion turns body vectors
 * into the world: v_world = q v_body q*. q and -q are the same attitude; the canonical one has
 * w >= 0. */
#ifndef MARLINSPIKE_QUAT_H
#define MARLINSPIKE_QUAT_H

#include "marlinspike/status.h"
#include "marlinspike/vec.h"

#ifdef __cplusplus
extern "C" {
#endif

typedef struct marl_quat {
    float w, x, y, z;
} marl_quat;

/* Roll, pitch and yaw in rad, intrinsic z-y'-x'': first yaw about z, then pitch about the new y,
 * then roll about the new x. */
typedef struct marl_rpy {
    float roll, pitch, yaw; /* (-pi, pi], [-pi/2, pi/2], (-pi, pi] */
    int at_pole; /* 1: pitch is within 0.1 degree of +-90; roll is set to 0 and yaw holds their sum */
} marl_rpy;

marl_quat marl_quat_identity(void);

/* a b: first b, then a. */
marl_quat marl_quat_product(marl_quat a, marl_quat b);
marl_quat marl_quat_conjugate(marl_quat q);

/* q v q*; q is a unit quaternion. */
marl_vec3 marl_quat_rotate(marl_quat q, marl_vec3 v);
/* q* v q; q is a unit quaternion. */
marl_vec3 marl_quat_rotate_back(marl_quat q, marl_vec3 v);

/* Scales *q to length one. MARL_ERR_DEGENERATE when its length is zero, too small or too large to
 * be squared, or not finite; *q is then unchanged. */
MARL_CHECKED marl_status marl_quat_normalize(marl_quat *q);

/* The one of q and -q with w > 0; with w = 0 the one whose first non-zero of x, y, z is positive.
 * Never holds -0. */
marl_quat marl_quat_canonical(marl_quat q);

/* The rotation matrix R with v_world = R v_body. q is a unit quaternion. */
marl_mat3 marl_quat_to_matrix(marl_quat q);
/* MARL_ERR_DEGENERATE when R is not a right-handed rotation within 1e-3. */
MARL_CHECKED marl_status marl_quat_from_matrix(const marl_mat3 *matrix, marl_quat *q);

/* Output only: these use trigonometry, whose last bits differ between machines. */
marl_rpy marl_quat_to_rpy(marl_quat q);
marl_quat marl_quat_from_rpy(float roll, float pitch, float yaw);

#ifdef __cplusplus
}
#endif
#endif
