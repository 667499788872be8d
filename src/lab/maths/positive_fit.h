/* SPDX-License-Identifier: MIT
 * A variance as a sum of known shapes, none of which can be negative. */
#ifndef LAB_POSITIVE_FIT_H
#define LAB_POSITIVE_FIT_H

#include <stddef.h>

enum { LAB_FIT_POINTS = 48, LAB_FIT_TERMS = 4 };

/* Estimated variances with their degrees of freedom, and the share of each term in each. */
typedef struct lab_variances {
    size_t n;
    int terms;
    double variance[LAB_FIT_POINTS], dof[LAB_FIT_POINTS], share[LAB_FIT_POINTS][LAB_FIT_TERMS];
} lab_variances;

typedef struct lab_positive_fit {
    unsigned allowed;                                 /* set of terms */
    double chi;                                       /* chi-square; infinity without a solution */
    double term[LAB_FIT_TERMS], sigma[LAB_FIT_TERMS]; /* 0 for those left out */
    double model[LAB_FIT_POINTS];
} lab_positive_fit;

/* Fits the terms of a set. Weights come from the model, so that a low point does not weigh more for being
 * low. */
void lab_positive_fit_find(const lab_variances *v, unsigned allowed, lab_positive_fit *fit);
/* How much greater chi-square is without a term, with the weights as they are. */
double lab_positive_fit_without(const lab_variances *v, const lab_positive_fit *fit, int term);
/* The standard errors of all terms allowed, also of those that came out as zero. */
void lab_positive_fit_errors(const lab_variances *v, const lab_positive_fit *fit,
                             double sigma[LAB_FIT_TERMS]);

#endif
