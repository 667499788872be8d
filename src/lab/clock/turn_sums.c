/* SPDX-License-Identifier: MIT
 * The fit of turning at one shift, from its sums. */
#include "lab/clock/turn_sums.h"
#include "lab/inspect/arrangement.h"
#include "lab/maths/linear.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define RIDGE                                                                                                \
    1e-6 /* of the trace: turning about one axis leaves b along it open, which must not end the fit */

void lab_turn_sums_add(lab_turn_sums *m, const lab_regressor *a, size_t i, const lab_response *b, size_t k)
{
    for (size_t p = 0; p < LAB_PAIRS; p++) {
        for (size_t q = 0; q < LAB_SECOND_ORDER; q++) {
            m->second[p][q] += a->square[p][i] * b->second[q][k];
        }
    }
    for (size_t p = 0; p < 3; p++) {
        for (size_t q = 0; q < LAB_FIRST_ORDER; q++) {
            m->first[p][q] += a->rate[p][i] * b->first[q][k];
        }
    }
    m->length += b->length[k];
}

static int pair_of(int i, int j)
{
    return i == j ? i : i + j + 2; /* 01 -> 3, 02 -> 4, 12 -> 5 */
}

/* An arrangement applied to the sums: component i of Bw is sign[i] w[at[i]]. */
typedef struct arranged {
    const lab_turn_sums *m;
    int at[3], sign[3];
} arranged;

static arranged arrange(const lab_turn_sums *m, const marl_arrangement *how)
{
    arranged b = {.m = m};
    for (int i = 0; i < 3; i++) {
        b.at[i] = abs(how->axis[i]) - 1;
        b.sign[i] = how->axis[i] < 0 ? -1 : 1;
    }
    return b;
}

static double second_of(const arranged *b, int i, int j, int q)
{
    return b->sign[i] * b->sign[j] * b->m->second[pair_of(b->at[i], b->at[j])][q];
}

static double first_of(const arranged *b, int i, int q)
{
    return b->sign[i] * b->m->first[b->at[i]][q];
}

/* The regressors e_k x Bw of b: their products with u x Bw and with the response, turned back to w's axes. */
static void off_products(const arranged *b, double with_main[3], double with_response[3])
{
    for (int k = 0; k < 3; k++) {
        int i = (k + 1) % 3, j = (k + 2) % 3;
        double main = 0;
        for (int n = 0; n < 3; n++) {
            main += second_of(b, n, n, LAB_PAIRS + k) - second_of(b, n, k, LAB_PAIRS + n);
        }
        with_main[b->at[k]] = b->sign[k] * main;
        with_response[b->at[k]] = b->sign[k] * (first_of(b, i, 3 + j) - first_of(b, j, 3 + i));
    }
}

/* Sums of |w|^2 - w w', inverted: what the regressors of b have among themselves. 0 when nothing turns. */
static int invert_off(const lab_turn_sums *m, double inverse[9])
{
    const int one = LAB_PAIRS + 3;
    double trace = m->second[0][one] + m->second[1][one] + m->second[2][one];
    for (int i = 0; i < 9; i++) {
        inverse[i] = (i % 4 == 0) * (1 + RIDGE) * trace - m->second[pair_of(i / 3, i % 3)][one];
    }
    return trace > 0 && lab_invert_positive(3, inverse);
}

static double product3(const double a[3], const double inverse[9], const double b[3])
{
    double sum = 0;
    for (int i = 0; i < 9; i++) {
        sum += a[i / 3] * inverse[i] * b[i % 3];
    }
    return sum;
}

/* The share under one arrangement; `inverse` NULL where there is no b. */
static double share_of(const arranged *b, const double *inverse)
{
    double response = 0, main = 0, alone = 0;
    for (int i = 0; i < 3; i++) {
        response += first_of(b, i, i);
        for (int k = 0; k < 3; k++) {
            main += second_of(b, i, k, pair_of(i, k));
        }
    }
    if (inverse != NULL) {
        double with_main[3], with_response[3];
        off_products(b, with_main, with_response);
        alone = product3(with_response, inverse, with_response);
        response -= product3(with_response, inverse, with_main);
        main -= product3(with_main, inverse, with_main);
    }
    return (alone + (main > 0 ? response * response / main : 0)) / b->m->length;
}

/* Half of the arrangements do, since the scale may be negative. */
double lab_turn_share(const lab_turn_sums *m, int may_be_off)
{
    double best = 0, inverse[9];
    int off = may_be_off && invert_off(m, inverse);
    for (int i = 0; i < LAB_ARRANGEMENTS / 2; i++) {
        marl_arrangement how = lab_arrangement(i);
        arranged b = arrange(m, &how);
        best = fmax(best, share_of(&b, off ? inverse : NULL));
    }
    return m->length > 0 ? fmin(best, 1) : NAN;
}
