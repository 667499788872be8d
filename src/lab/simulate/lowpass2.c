/* SPDX-License-Identifier: MIT
 * The second-order section. */
#include "lab/simulate/lowpass2.h"
#include <math.h>

/* Cosine and sine over frequency of the damped swing, or their hyperbolic kin when it does not swing. */
static void swing(double w, double damping, double t, double *c, double *s)
{
    double square = w * w * (1 - damping * damping), root = sqrt(fabs(square));
    if (root * t < 1e-6) {
        *c = 1;
        *s = t;
    } else if (square > 0) {
        *c = cos(root * t);
        *s = sin(root * t) / root;
    } else {
        *c = cosh(root * t);
        *s = sinh(root * t) / root;
    }
}

/* Under unit white noise x and x' settle at the variances w/4d and w^3/4d, uncorrelated; so each step must
 * add what it lets decay: P - F P F'. */
static void make_noise(lab_lowpass2 *s)
{
    double p0 = s->w / (4 * s->damping), p1 = s->w * s->w * p0;
    const double(*f)[2] = (const double(*)[2])s->free;
    double q00 = p0 - f[0][0] * f[0][0] * p0 - f[0][1] * f[0][1] * p1;
    double q10 = -f[1][0] * f[0][0] * p0 - f[1][1] * f[0][1] * p1;
    double q11 = p1 - f[1][0] * f[1][0] * p0 - f[1][1] * f[1][1] * p1;
    s->rest[0] = sqrt(p0);
    s->rest[1] = sqrt(p1);
    s->kick[0] = sqrt(fmax(q00, 0));
    s->kick[1] = s->kick[0] > 0 ? q10 / s->kick[0] : 0;
    s->kick[2] = sqrt(fmax(q11 - s->kick[1] * s->kick[1], 0));
}

lab_lowpass2 lab_lowpass2_make(double frequency, double damping, double step)
{
    lab_lowpass2 s = {.w = 2 * 3.141592653589793 * frequency, .damping = damping, .step = step};
    double a = damping * s.w, decay = exp(-a * step), c, sine;
    swing(s.w, damping, step, &c, &sine);
    s.free[0][0] = decay * (c + a * sine);
    s.free[0][1] = decay * sine;
    s.free[1][0] = -decay * s.w * s.w * sine;
    s.free[1][1] = decay * (c - a * sine);
    make_noise(&s);
    return s;
}

/* Behind a straight input the section runs late by 2 d / w; what is off that line dies away freely. */
double lab_lowpass2_follow(const lab_lowpass2 *s, double state[2], double before, double after)
{
    double slope = (after - before) / s->step, late = slope * 2 * s->damping / s->w;
    double x = state[0] - (before - late), v = state[1] - slope;
    state[0] = s->free[0][0] * x + s->free[0][1] * v + (after - late);
    state[1] = s->free[1][0] * x + s->free[1][1] * v + slope;
    return state[0];
}

double lab_lowpass2_noise(const lab_lowpass2 *s, double state[2], double a, double b)
{
    double x = state[0], v = state[1];
    state[0] = s->free[0][0] * x + s->free[0][1] * v + s->kick[0] * a;
    state[1] = s->free[1][0] * x + s->free[1][1] * v + s->kick[1] * a + s->kick[2] * b;
    return state[0];
}
