/* SPDX-License-Identifier: MIT
 * Vectors, rotations and frames, and the digest that proves equal bits. Everything works on values: no call
 * but marl_unwrap_next keeps anything. */
#ifndef MARLINSPIKE_QUAT_H
#define MARLINSPIKE_QUAT_H

#include "marlinspike/status.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- vec ---- */

/* Vectors of three floats and 3x3 matrices. No call here can fail; a value that is not finite
 * goes through as IEEE arithmetic does. */

typedef struct marl_vec3 {
    float x, y, z;
} marl_vec3;

/* Row major: m[row][column]. */
typedef struct marl_mat3 {
    float m[3][3];
} marl_mat3;

marl_vec3 marl_vec3_add(marl_vec3 a, marl_vec3 b);
marl_vec3 marl_vec3_sub(marl_vec3 a, marl_vec3 b);
marl_vec3 marl_vec3_scale(marl_vec3 a, float factor);
float marl_vec3_dot(marl_vec3 a, marl_vec3 b);
marl_vec3 marl_vec3_cross(marl_vec3 a, marl_vec3 b); /* right-handed */
float marl_vec3_norm(marl_vec3 a);

/* matrix * column vector */
marl_vec3 marl_mat3_apply(const marl_mat3 *matrix, marl_vec3 v);
marl_mat3 marl_mat3_identity(void);

/* ---- quat ---- */

/* Quaternions: scalar first, Hamilton product. As an attitude a unit quaternion turns body vectors
 * into the world: v_world = q v_body q*. q and -q are the same attitude; the canonical one has
 * w >= 0. */

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

/* ---- frame ---- */

/* World frames, and the angles that people read off an attitude.
 *
 *        enu                          ned
 *     z up  y north              x north
 *      |  /                        |   y east
 *      | /                         |  /
 *      +---- x east                +-/
 *                                  |
 *                                  z down */

#define MARL_STANDARD_GRAVITY 9.80665    /* m/s^2 */
#define MARL_DEGREE 0.017453292519943295 /* rad */

typedef enum marl_world { MARL_WORLD_ENU = 0, MARL_WORLD_NED = 1 } marl_world;

/* "enu" or "ned". */
const char *marl_world_name(marl_world world);

/* The same attitude expressed in the other world frame. Its own inverse up to the sign of q. */
marl_quat marl_frame_swap_world(marl_quat q);

/* Compass heading of the body's x axis in rad, clockwise from (magnetic) north, [0, 2 pi).
 * MARL_ERR_DEGENERATE when the x axis is within 0.1 degree of the vertical. */
MARL_CHECKED marl_status marl_frame_heading(marl_quat q, marl_world world, float *heading);

/* Angle between the body's z axis and the world's up, rad: 0 = level, pi = upside down. */
float marl_frame_tilt(marl_quat q, marl_world world);

/* Angles that go on beyond half a turn: each call takes an angle (rad, as roll, yaw or heading wrap it) and
 * returns the one that differs from it by whole turns and from the one before by less than half a turn. Begin
 * with {0}. After more than half a turn between two calls the count of turns is wrong. An angle that is not
 * finite returns the one before. */
typedef struct marl_unwrap {
    float before;  /* as it came */
    int32_t turns; /* whole turns so far */
    int started;
} marl_unwrap;

float marl_unwrap_next(marl_unwrap *unwrap, float angle);

/* Which way a 3-D program points its axes. */
typedef enum marl_handed {
    MARL_HANDED_Z_UP, /* x east, y north, z up: as enu */
    MARL_HANDED_Y_UP  /* x east, y up, z south: right-handed with y up, as most scene graphs */
} marl_handed;

/* The 4x4 model matrix, column by column (column vectors, m[12] to m[14] the translation, which is 0), that
 * turns a body with x forward, y left, z up into the scene. q in enu. */
void marl_frame_to_matrix4(marl_quat q, marl_handed handed, float m[16]);

/* Acceleration of the body in the world, m/s^2: the accelerometer's reading turned there, without gravity
 * (9.80665). Errors of the tilt leave 0.17 m/s^2 for each degree. */
marl_vec3 marl_frame_without_gravity(marl_quat q, marl_world world, marl_vec3 accel);

/* ---- digest ---- */

/* A digest of attitudes, to prove that two machines computed the same bits: CRC-32 (IEEE 802.3) over
 * time (8 bytes) and the canonical bits of w, x, y, z (4 bytes each), all little-endian. */

/* CRC-32 of `n` bytes, continued from `crc`; begin with 0. */
uint32_t marl_crc32(uint32_t crc, const void *data, size_t n);

/* Adds one attitude to a digest; begin with 0. */
uint32_t marl_digest_add(uint32_t digest, int64_t t_ns, marl_quat q);

/* ---- private ---- */

/* Sums for the mean and variance of vectors. */
typedef struct marl_stats {
    uint32_t n;
    marl_vec3 mean;
    marl_vec3 carry;      /* what rounding took from the mean */
    marl_vec3 sum_square; /* of deviations from the mean */
} marl_stats;

#ifdef __cplusplus
}
#endif
#endif
