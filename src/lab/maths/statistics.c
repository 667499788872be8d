/* SPDX-License-Identifier: MIT
 * Small statistics in double. */
#include "lab/maths/statistics.h"
#include <math.h>

void lab_moments_add(lab_moments *moments, double value)
{
    moments->n++;
    double from_old = value - moments->mean;
    moments->mean += from_old / (double)moments->n;
    moments->squares += from_old * (value - moments->mean);
}

double lab_moments_deviation(const lab_moments *moments)
{
    return moments->n < 2 ? NAN : sqrt(moments->squares / (double)(moments->n - 1));
}

/* Puts the k-th smallest at its place, the smaller before it and the larger behind ("Algorithm 65: find",
 * 1961). */
static void select_place(double *value, size_t n, size_t k)
{
    size_t low = 0, high = n - 1;
    while (low < high) {
        double pivot = value[low + (high - low) / 2];
        size_t i = low, j = high;
        while (i <= j) {
            while (value[i] < pivot) {
                i++;
            }
            while (value[j] > pivot) {
                j--;
            }
            if (i <= j) {
                double swapped = value[i];
                value[i++] = value[j];
                value[j] = swapped;
                if (j == 0) {
                    break;
                }
                j--;
            }
        }
        if (k <= j) {
            high = j;
        } else if (k >= i) {
            low = i;
        } else {
            return;
        }
    }
}

double lab_quantile(double *value, size_t n, double q)
{
    double place = q * (double)(n - 1);
    size_t below = (size_t)place;
    select_place(value, n, below);
    if (below + 1 >= n) {
        return value[below];
    }
    double above = value[below + 1];
    for (size_t i = below + 2; i < n; i++) {
        above = value[i] < above ? value[i] : above;
    }
    return value[below] + (place - (double)below) * (above - value[below]);
}

double lab_chi_square(double nu, double z)
{
    double a = 2 / (9 * nu), root = 1 - a + z * sqrt(a);
    return root > 0 ? nu * root * root * root : 0;
}

double lab_normal_deviation(double probability)
{
    double t = sqrt(-2 * log(probability));
    return t -
           (2.515517 + t * (0.802853 + t * 0.010328)) / (1 + t * (1.432788 + t * (0.189269 + t * 0.001308)));
}

/* Expansion about the normal distribution, for 5 and more; below, the exact forms for 2 to 4 are as near as
 * they need be by one more term of it. */
double lab_student_deviation(double z, double dof)
{
    double z2 = z * z, v = 1 / dof;
    double first = z * (z2 + 1) / 4, second = z * (3 + z2 * (16 + z2 * 5)) / 96;
    double third = z * (-15 + z2 * (17 + z2 * (19 + z2 * 3))) / 384;
    double fourth = z * (-945 + z2 * (-1920 + z2 * (1482 + z2 * (776 + z2 * 79)))) / 92160;
    return z + v * (first + v * (second + v * (third + v * fourth)));
}

double lab_student_share(double t, unsigned dof)
{
    double angle = atan(t / sqrt(dof)), cosine2 = cos(angle) * cos(angle);
    int odd = dof % 2 != 0;
    double term = odd ? cos(angle) : 1, sum = dof > 1 ? term : 0;
    for (unsigned k = 2 + (unsigned)odd; k + 1 < dof;
         k += 2) { /* the power of the cosine in the term before, and 1 */
        term *= cosine2 * (k - 1.0) / k;
        sum += term;
    }
    double inside = odd ? 2 / LAB_PI * (angle + sin(angle) * sum) : sin(angle) * sum;
    return 0.5 * (1 + inside);
}
