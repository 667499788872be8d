/* SPDX-License-Identifier: MIT
 * Vectors of three floats and 3x3 matrices. No call here can fail; a value that is not finite
 * goes through as IEEE arithmetic does. */
#ifndef MARLINSPIKE_VEC_H
#define MARLINSPIKE_VEC_H

#ifdef __cplusplus
extern "C" {
#endif

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

#ifdef __cplusplus
}
#endif
#endif
