/* SPDX-License-Identifier: MIT
 * Small statistics in double. */
#ifndef LAB_STATISTICS_H
#define LAB_STATISTICS_H

#include <stddef.h>

#define LAB_PI 3.14159265358979323846
#define LAB_DEVIATIONS_99 2.5758293035489004 /* of the normal distribution: 99 % lie within */

/* Mean and sum of squares in one pass; start zeroed. */
typedef struct lab_moments {
    size_t n;
    double mean, squares;
} lab_moments;

void lab_moments_add(lab_moments *moments, double value);
double lab_moments_deviation(const lab_moments *moments); /* n - 1; NaN under two values */

/* The q-quantile (0 to 1) of n > 0 values, between neighbours by straight line. Changes the order
 * of `value`, of which none may be NaN. */
double lab_quantile(double *value, size_t n, double q);

/* The value that chi-square with so many degrees of freedom stays below, z deviations of a normal number up
 * ("The distribution of chi-square", 1931). */
double lab_chi_square(double dof, double z);
/* The deviations that a normal number exceeds with this probability, under a half ("Approximations for
 * digital computers", 1955). */
double lab_normal_deviation(double probability);
/* The deviation of Student's t with so many degrees of freedom (2 and more) that has the probability of z
 * deviations of a normal number ("Approximations for digital computers" has it as an expansion in 1 / dof).
 */
double lab_student_deviation(double z, double dof);
/* The share of Student's t with so many degrees of freedom (1 and more) that lies below t ("Handbook of mathematical
 * functions", 1964). */
double lab_student_share(double t, unsigned dof);

#endif
