/* SPDX-License-Identifier: MIT
 * Jets: a value that carries its first and second time derivatives, so that a scene is written as
 * positions and angles, and rates and accelerations follow exactly (automatic differentiation). */
#ifndef LAB_JET_H
#define LAB_JET_H

#include <math.h>

typedef struct jet {
    double v, d, dd;
} jet;

typedef struct jet_quat {
    jet w, x, y, z;
} jet_quat;

static inline jet jet_constant(double v)
{
    return (jet){v, 0, 0};
}

/* time itself */
static inline jet jet_time(double t)
{
    return (jet){t, 1, 0};
}

static inline jet jet_add(jet a, jet b)
{
    return (jet){a.v + b.v, a.d + b.d, a.dd + b.dd};
}

static inline jet jet_scale(jet a, double k)
{
    return (jet){a.v * k, a.d * k, a.dd * k};
}

static inline jet jet_sub(jet a, jet b)
{
    return jet_add(a, jet_scale(b, -1));
}

static inline jet jet_product(jet a, jet b)
{
    return (jet){a.v * b.v, a.d * b.v + a.v * b.d, a.dd * b.v + 2 * a.d * b.d + a.v * b.dd};
}

/* Sine and cosine together: each is the other's derivative. */
static inline void jet_sin_cos(jet a, jet *sine, jet *cosine)
{
    double s = sin(a.v), c = cos(a.v);
    *sine = (jet){s, c * a.d, c * a.dd - s * a.d * a.d};
    *cosine = (jet){c, -s * a.d, -s * a.dd - c * a.d * a.d};
}

static inline int jet_is_zero(jet a)
{
    return a.v == 0 && a.d == 0 && a.dd == 0;
}

static inline jet jet_sin(jet a)
{
    jet s, c;
    jet_sin_cos(a, &s, &c);
    return s;
}

static inline jet jet_cos(jet a)
{
    jet s, c;
    jet_sin_cos(a, &s, &c);
    return c;
}

/* From 0 at `from` to 1 at `to`, smooth up to the third derivative. */
static inline jet jet_ramp(jet t, double from, double to)
{
    jet u = jet_scale(jet_add(t, jet_constant(-from)), 1 / (to - from));
    if (u.v <= 0 || u.v >= 1) {
        return jet_constant(u.v <= 0 ? 0 : 1);
    }
    jet p = jet_add(jet_scale(u, -20), jet_constant(70));
    p = jet_add(jet_product(p, u), jet_constant(-84));
    p = jet_add(jet_product(p, u), jet_constant(35));
    jet u2 = jet_product(u, u);
    return jet_product(p, jet_product(u2, u2));
}

/* The time integral of jet_ramp, from 0: what an angle does whose rate rises smoothly to one. `t` is the
 * time. */
static inline jet jet_ramp_integral(jet t, double from, double to)
{
    double u = (t.v - from) / (to - from);
    jet ramp = jet_ramp(t, from, to);
    double v = u <= 0 ? 0 : u >= 1 ? u - 0.5 : u * u * u * u * u * (7 + u * (-14 + u * (10 - 2.5 * u)));
    return (jet){v * (to - from), ramp.v, ramp.d};
}

static inline jet_quat jet_quat_product(jet_quat a, jet_quat b)
{
    jet_quat q;
    q.w = jet_sub(jet_sub(jet_product(a.w, b.w), jet_product(a.x, b.x)),
                  jet_add(jet_product(a.y, b.y), jet_product(a.z, b.z)));
    q.x = jet_add(jet_add(jet_product(a.w, b.x), jet_product(a.x, b.w)),
                  jet_sub(jet_product(a.y, b.z), jet_product(a.z, b.y)));
    q.y = jet_add(jet_sub(jet_product(a.w, b.y), jet_product(a.x, b.z)),
                  jet_add(jet_product(a.y, b.w), jet_product(a.z, b.x)));
    q.z = jet_add(jet_add(jet_product(a.w, b.z), jet_product(a.x, b.y)),
                  jet_sub(jet_product(a.z, b.w), jet_product(a.y, b.x)));
    return q;
}

/* q times a turn whose only parts are c and s along axis 0 (x), 1 (y) or 2 (z): half the work. */
static inline jet_quat jet_quat_turned(jet_quat q, int axis, jet angle)
{
    jet s, c;
    if (jet_is_zero(angle)) {
        return q;
    }
    jet_sin_cos(jet_scale(angle, 0.5), &s, &c);
    jet along = axis == 0 ? q.x : axis == 1 ? q.y : q.z;
    jet next = axis == 0 ? q.y : axis == 1 ? q.z : q.x, after = axis == 0 ? q.z : axis == 1 ? q.x : q.y;
    jet w = jet_sub(jet_product(q.w, c), jet_product(along, s));
    jet a = jet_add(jet_product(q.w, s), jet_product(along, c));
    jet b = jet_add(jet_product(next, c), jet_product(after, s));
    jet d = jet_sub(jet_product(after, c), jet_product(next, s));
    return (jet_quat){w,
                      axis == 0   ? a
                      : axis == 1 ? d
                                  : b,
                      axis == 0   ? b
                      : axis == 1 ? a
                                  : d,
                      axis == 0   ? d
                      : axis == 1 ? b
                                  : a};
}

/* q times a quaternion that does not move: a third of the work. */
static inline jet_quat jet_quat_seated(jet_quat q, const double f[4])
{
    jet_quat r;
    r.w = jet_sub(jet_sub(jet_scale(q.w, f[0]), jet_scale(q.x, f[1])),
                  jet_add(jet_scale(q.y, f[2]), jet_scale(q.z, f[3])));
    r.x = jet_add(jet_add(jet_scale(q.w, f[1]), jet_scale(q.x, f[0])),
                  jet_sub(jet_scale(q.y, f[3]), jet_scale(q.z, f[2])));
    r.y = jet_add(jet_sub(jet_scale(q.w, f[2]), jet_scale(q.x, f[3])),
                  jet_add(jet_scale(q.y, f[0]), jet_scale(q.z, f[1])));
    r.z = jet_add(jet_add(jet_scale(q.w, f[3]), jet_scale(q.x, f[2])),
                  jet_sub(jet_scale(q.z, f[0]), jet_scale(q.y, f[1])));
    return r;
}

/* Where q turns the third axis, times `length`. */
static inline void jet_quat_third(jet_quat q, jet length, jet v[3])
{
    jet two = jet_scale(length, 2);
    v[0] = jet_product(two, jet_add(jet_product(q.x, q.z), jet_product(q.w, q.y)));
    v[1] = jet_product(two, jet_sub(jet_product(q.y, q.z), jet_product(q.w, q.x)));
    v[2] = jet_sub(length, jet_product(two, jet_add(jet_product(q.x, q.x), jet_product(q.y, q.y))));
}

static inline jet_quat jet_quat_conjugate(jet_quat q)
{
    return (jet_quat){q.w, jet_scale(q.x, -1), jet_scale(q.y, -1), jet_scale(q.z, -1)};
}

static inline jet_quat jet_quat_constant(const double q[4])
{
    return (jet_quat){jet_constant(q[0]), jet_constant(q[1]), jet_constant(q[2]), jet_constant(q[3])};
}

/* A turn by `angle` about the unit vector `axis`. */
static inline jet_quat jet_quat_turn(const double axis[3], jet angle)
{
    jet s, c;
    jet_sin_cos(jet_scale(angle, 0.5), &s, &c);
    return (jet_quat){c, jet_scale(s, axis[0]), jet_scale(s, axis[1]), jet_scale(s, axis[2])};
}

/* A turn by `angle` about axis 0 (x), 1 (y) or 2 (z). */
static inline jet_quat jet_quat_about(int axis, jet angle)
{
    const double unit[3] = {axis == 0, axis == 1, axis == 2};
    return jet_quat_turn(unit, angle);
}

#endif
