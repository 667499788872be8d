/* SPDX-License-Identifier: MIT
 * What one recording adds to what is known of a sensor. */
#include "lab/files/fit_merge.h"
#include "marlinspike/files.h"
#include <math.h>
#include <string.h>

/* What the curve adds at a temperature. */
static double along_curve(const marl_fit *fit, int axis, double degC)
{
    double d =
        isnan(degC) ? 0 : fmax(fit->range_degC[0], fmin(fit->range_degC[1], degC)) - fit->reference_degC;
    return fit->has_curve ? fit->bias_per_degC[axis] * d + fit->bias_per_degC2[axis] * d * d : 0;
}

static void copy_curve(marl_fit *to, const marl_fit *from)
{
    to->has_curve = from->has_curve;
    to->reference_degC = from->reference_degC;
    memcpy(to->range_degC, from->range_degC, sizeof to->range_degC);
    memcpy(to->bias_per_degC, from->bias_per_degC, sizeof to->bias_per_degC);
    memcpy(to->bias_per_degC2, from->bias_per_degC2, sizeof to->bias_per_degC2);
}

void lab_fit_merge(marl_fit *known, const marl_fit *found, lab_fit_part part)
{
    marl_fit old = known->present ? *known : marl_fit_none(), merged = *found;
    if (!found->present) {
        return; /* nothing was found: what is known stays */
    }
    if (!known->present) {
        *known = merged;
        return;
    }
    if (part == LAB_FIT_BIAS || part == LAB_FIT_CURVE || part == LAB_FIT_BIAS_AND_CURVE) {
        memcpy(merged.matrix, old.matrix, sizeof merged.matrix);
        memcpy(merged.matrix_sigma, old.matrix_sigma, sizeof merged.matrix_sigma);
    }
    if (part == LAB_FIT_BIAS || part == LAB_FIT_BIAS_AND_MATRIX) {
        copy_curve(&merged, &old);
        for (int k = 0; k < 3; k++) {
            merged.bias[k] -= along_curve(&merged, k, found->temperature_degC);
        }
    }
    if (part == LAB_FIT_CURVE) {
        marl_fit change = merged;
        merged = old;
        copy_curve(&merged, &change);
        for (int k = 0; k < 3; k++) { /* back from the old reference, on to the new one */
            double at = old.has_curve ? old.reference_degC : old.temperature_degC;
            merged.bias[k] -= along_curve(&merged, k, at);
        }
    }
    *known = merged;
}
