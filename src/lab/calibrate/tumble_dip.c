/* SPDX-License-Identifier: MIT
 * The dip of the field from a tumble. */
#include "lab/calibrate/tumble_parts.h"
#include "lab/maths/linear.h"
#include <math.h>

#define WINDOW_NS INT64_C(500000000)
#define WINDOWS_A_BLOCK 10 /* a hand's motion is over in five seconds */
#define FLOOR 0.003        /* of a sine: noise of a window that is at rest */
/* What depends on the attitude, as a bias of the accelerometer's does, averages over attitudes and no
 * further. */
#define ATTITUDES 26.0
enum { MIN_BLOCKS = 4, MIN_WINDOW = 3 };

/* Sums over windows and over blocks of them. `down` is the force along the field, in units of gravity, over minus one: not
 * over its own length, since a hand's accelerations average to nothing in the force, and in its direction do not. */
typedef struct dip_sums {
    double n, down, length, uneven; /* of all windows; lengths of the force, and their variance */
    double weight, sine, square; /* by the direction of the force, where it is near gravity: for its spread */
    double block_n, block_down;  /* of the block that is open */
    double cross[3];             /* of the blocks: down^2, down n, n^2 */
    size_t blocks;
} dip_sums;

static void close_block(dip_sums *s)
{
    if (s->block_n > 0) {
        s->cross[0] += s->block_down * s->block_down;
        s->cross[1] += s->block_down * s->block_n;
        s->cross[2] += s->block_n * s->block_n;
        s->blocks++;
    }
    s->block_n = s->block_down = 0;
}

/* A force off gravity in any direction by d tilts up by d/g, root mean square of two axes: the window's
 * weight in the spread. */
static void close_window(dip_sums *s, const lab_moments *down, const lab_moments *sine,
                         const lab_moments *off)
{
    if (down->n < MIN_WINDOW) {
        return;
    }
    double rms = sqrt(off->squares / (double)off->n + off->mean * off->mean);
    double weight = 1 / (FLOOR * FLOOR + 2 * rms * rms);
    s->weight += weight;
    s->sine += weight * sine->mean;
    s->square += weight * sine->mean * sine->mean;
    s->n++;
    s->down += down->mean;
    s->length += off->mean;
    s->uneven += rms * rms;
    s->block_down += down->mean;
    if (++s->block_n >= WINDOWS_A_BLOCK) {
        close_block(s);
    }
}

/* Of one reading: the force along the field, the sine, and the force's length off gravity. 0 where there is none. */
static int down_of(const double force[3], const double field[3], double *down, double *sine, double *off)
{
    double length = sqrt(lab_dot3(force, force)), strength = sqrt(lab_dot3(field, field));
    if (!(length > 0) || !(strength > 0)) {
        return 0;
    }
    *down = -lab_dot3(force, field) / (strength * MARL_STANDARD_GRAVITY);
    *sine = -lab_dot3(force, field) / (strength * length);
    *off = length / MARL_STANDARD_GRAVITY - 1;
    return 1;
}

/* A raw accelerometer's scale by the lengths themselves: accelerations of variance v an axis make them longer by v on the
 * average, and uneven by as much; half of that is in the error. */
static void report(const dip_sums *s, int is_raw, marl_tumble_result *t)
{
    double length = s->length / s->n, uneven = s->uneven / s->n - length * length;
    double scale = is_raw ? 1 + length - uneven : 1, raw = s->down / s->n, mean = raw / scale,
           blocks = (double)s->blocks;
    double scatter = s->cross[0] - 2 * raw * s->cross[1] + raw * raw * s->cross[2];
    double sigma =
        hypot(sqrt(fmax(0, scatter) * blocks / (blocks - 1)) / s->n, is_raw ? 0.5 * uneven * mean : 0);
    double cosine = sqrt(fmax(1e-6, 1 - mean * mean));
    t->outcome.fit.dip_deg = asin(fmax(-1, fmin(1, mean))) / MARL_DEGREE;
    double sine = s->sine / s->weight;
    t->dip_spread_deg = sqrt(fmax(0, s->square / s->weight - sine * sine)) / cosine / MARL_DEGREE;
    t->dip_sigma_deg = hypot(sigma / cosine / MARL_DEGREE, t->dip_spread_deg / sqrt(ATTITUDES));
}

void lab_tumble_dip(const marl_log *log, const lab_tumble_readings *r, const marl_fit *accel,
                    marl_tumble_result *t)
{
    dip_sums sums = {0};
    lab_moments down = {0}, sine = {0}, off = {0};
    const marl_vec3 *force = NULL;
    int64_t from = r->n > 0 ? log->row[r->row[0]].sample.t_ns : 0;
    size_t at = 0;
    for (size_t i = 0; i < r->n; i++) {
        for (; at <= r->row[i]; at++) {
            force = log->row[at].sample.fresh & MARL_FRESH_ACCEL ? &log->row[at].sample.accel : force;
        }
        int64_t now = log->row[r->row[i]].sample.t_ns;
        if (now - from >= WINDOW_NS) {
            close_window(&sums, &down, &sine, &off);
            down = sine = off = (lab_moments){0};
            from = now;
        }
        if (force == NULL || r->skip[i]) {
            continue;
        }
        const double raw[3] = {(double)force->x, (double)force->y, (double)force->z};
        double up[3] = {raw[0], raw[1], raw[2]}, field[3], one[3];
        if (accel != NULL) {
            marl_fit_apply(accel, raw, NAN, up);
        }
        marl_fit_apply(&t->outcome.fit, r->x[i], NAN, field);
        if (down_of(up, field, &one[0], &one[1], &one[2])) {
            lab_moments_add(&down, one[0]);
            lab_moments_add(&sine, one[1]);
            lab_moments_add(&off, one[2]);
        }
    }
    close_window(&sums, &down, &sine, &off);
    close_block(&sums);
    if (sums.blocks >= MIN_BLOCKS) {
        report(&sums, accel == NULL, t);
    }
}
