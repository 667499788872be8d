/* SPDX-License-Identifier: MIT
 * Directions of a tumble. */
#include "device/renew/directions.h"
#include "device/math/attitude_math.h"
#include "device/math/exact.h"
#include "device/renew/surface.h"
#include <string.h>

enum { CELLS = 60, BANDS = 7, FACES = 6, ENOUGH = 3, AT_ONCE = 2, SCALE = 4096, FIRST_APART = SCALE / 32 };
#define FACE_COSINE 0.7f /* 45 degrees */
#define TURN 6.2831853f
#define FARTHEST 5.0f /* so that the squares of distances fit into 32 bits */

static const uint8_t in_band[BANDS] = {3, 9, 12, 12, 12, 9, 3}; /* from south to north */

void marlp_directions_init(marl_renewal_tumble *t)
{
    t->apart = FIRST_APART * FIRST_APART;
    t->thinning = MARL_RENEWAL_POINTS;
}

/* The area between two parallels goes with the difference of their heights, so heights are cut like cells. */
static int cell_of(marl_vec3 direction)
{
    marl_vec3 v = vec3_unit(direction, 1e-3f);
    float below = 0.5f * (v.z + 1.0f) * CELLS;
    int first = 0, band = 0;
    while (band + 1 < BANDS && below >= (float)(first + in_band[band])) {
        first += in_band[band++];
    }
    float around =
        v.x * v.x + v.y * v.y > 1e-9f ? angle_from_north(v.y, v.x) / TURN : 0.0f; /* from x towards y */
    int at = (int)((around < 0.0f ? around + 1.0f : around) * (float)in_band[band]);
    return first + (at < in_band[band] ? at : in_band[band] - 1);
}

static void see(marl_renewal_tumble *t, marl_vec3 unit)
{
    marl_vec3 v = marlp_surface_apply(&t->seen_by, unit);
    if (vec3_dot(v, v) > 0.04f) { /* nearer to the middle it has no direction */
        int cell = cell_of(v);
        t->seen[cell / 8] = (uint8_t)(t->seen[cell / 8] | 1 << (cell % 8));
    }
}

static int32_t distance2(const int16_t a[3], const int16_t b[3])
{
    int32_t sum = 0;
    for (int k = 0; k < 3; k++) {
        int32_t d = ((int32_t)a[k] - b[k]) / 2; /* halves, as `apart` has them */
        sum += d * d;
    }
    return sum;
}

static int is_apart(const marl_renewal_tumble *t, int n, const int16_t p[3])
{
    for (int i = n - 1; i >= 0; i--) {
        if (distance2(t->point[i], p) < t->apart) {
            return 0;
        }
    }
    return 1;
}

/* Full: those that lie farther apart by a fifth stay; some of them are looked at with each reading. Method: "Incremental
 * clustering and dynamic information retrieval" (1997). */
static void thin_out(marl_renewal_tumble *t)
{
    for (int i = 0; i < AT_ONCE && t->thinning < MARL_RENEWAL_POINTS; i++, t->thinning++) {
        if (is_apart(t, t->points, t->point[t->thinning])) {
            memmove(t->point[t->points++], t->point[t->thinning], sizeof t->point[0]);
        }
    }
}

static void begin_thinning(marl_renewal_tumble *t)
{
    t->apart += t->apart / 5 * 2;
    t->points = t->thinning = 0;
}

static int16_t whole(float x)
{
    return (int16_t)(float_clamp(x, FARTHEST) * SCALE);
}

static marl_vec3 vector_of(const int16_t p[3])
{
    return vec3_scale((marl_vec3){(float)p[0], (float)p[1], (float)p[2]}, 1.0f / SCALE);
}

void marlp_directions_add(marl_renewal_tumble *t, marl_vec3 unit)
{
    const int16_t p[3] = {whole(unit.x), whole(unit.y), whole(unit.z)};
    if (t->seen_by.settled) {
        see(t, unit);
    }
    if (t->thinning < MARL_RENEWAL_POINTS) {
        thin_out(t);
    } else if (t->points == MARL_RENEWAL_POINTS) {
        begin_thinning(t);
    } else if (is_apart(t, t->points, p)) {
        memcpy(t->point[t->points++], p, sizeof p);
    }
}

/* Where the points stand that are kept, and behind them those that wait to be looked at; -1: there are no more. */
static int point_at(const marl_renewal_tumble *t, int which)
{
    int waiting = MARL_RENEWAL_POINTS - t->thinning;
    return which < t->points ? which : which < t->points + waiting ? which - t->points + t->thinning : -1;
}

void marlp_directions_recount(marl_renewal_tumble *t)
{
    memset(t->seen, 0, sizeof t->seen);
    for (int i = 0, at; (at = point_at(t, i)) >= 0; i++) {
        see(t, vector_of(t->point[at]));
    }
}

float marlp_directions_coverage(const marl_renewal_tumble *t)
{
    int n = 0;
    for (int cell = 0; cell < CELLS; cell++) {
        n += t->seen[cell / 8] >> (cell % 8) & 1;
    }
    return (float)n / CELLS;
}

uint8_t marlp_directions_missing(const marl_renewal_tumble *t)
{
    int n[FACES] = {0}, least = ENOUGH;
    uint8_t missing = FACES;
    for (int i = 0, at; (at = point_at(t, i)) >= 0; i++) {
        marl_vec3 v = vec3_unit(marlp_surface_apply(&t->seen_by, vector_of(t->point[at])), 1e-3f);
        const float along[3] = {v.x, v.y, v.z};
        for (int face = 0; face < FACES; face++) {
            n[face] += (face & 1 ? -along[face / 2] : along[face / 2]) > FACE_COSINE;
        }
    }
    for (int face = 0; face < FACES; face++) {
        if (n[face] < least) {
            least = n[face];
            missing = (uint8_t)face;
        }
    }
    return missing;
}
