/* SPDX-License-Identifier: MIT
 * Student's t against its table, and against itself. */
#include "check_main.h"
#include "lab/maths/statistics.h"
#include <math.h>

/* "Statistical tables for biological, agricultural and medical research" (1938): one-sided. */
static const struct {
    unsigned dof;
    double t, share;
} student[] = {{1, 6.314, 0.95}, {2, 2.920, 0.95},  {3, 2.353, 0.95},   {4, 2.132, 0.95},  {5, 2.015, 0.95},
               {7, 1.895, 0.95}, {7, 2.365, 0.975}, {10, 3.169, 0.995}, {15, 1.753, 0.95}, {60, 1.671, 0.95}};

START_TEST(shares_of_student_are_those_of_the_table)
{
    for (size_t i = 0; i < sizeof student / sizeof student[0]; i++) {
        double share = lab_student_share(student[i].t, student[i].dof);
        ck_assert_double_eq_tol(share, student[i].share, 1e-4); /* the table has three decimals */
        ck_assert_double_eq_tol(lab_student_share(-student[i].t, student[i].dof), 1 - share, 1e-12);
    }
    ck_assert_double_eq(lab_student_share(0, 5), 0.5);
    ck_assert_double_eq_tol(lab_student_share(INFINITY, 5), 1, 1e-12);
    ck_assert(isnan(lab_student_share(NAN, 5)));
}
END_TEST

/* The deviation by an expansion and the share in closed form are inverse to each other. */
START_TEST(deviation_and_share_of_student_agree)
{
    for (unsigned dof = 4; dof < 40; dof++) {
        for (double z = 0.5; z < 2.6; z += 0.25) {
            double share = lab_student_share(lab_student_deviation(z, dof), dof);
            ck_assert_double_eq_tol(share, 0.5 * erfc(-z / sqrt(2)), 1e-3);
        }
    }
}
END_TEST

MARL_SUITE("statistics", shares_of_student_are_those_of_the_table, deviation_and_share_of_student_agree)
