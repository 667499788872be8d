/* SPDX-License-Identifier: MIT
 * A field that is not the same along the way of the hand: steel that stands near. Noise changes from reading to reading;
 * lengths that are off for longer than a second are none. */
#include "lab/calibrate/tumble_parts.h"
#include "lab/maths/linear.h"
#include <math.h>

#define BLOCK_S 0.6
#define MIN_READINGS_OF_HALF 3
/* The mean square of blocks exceeds that of their noise by a factor which chance does not make: one in a thousand of an F
 * with so many blocks and as many differences of halves, and a margin for noise that hangs together. */
#define MIN_RATIO 2.0
enum { MIN_BLOCKS = 20 };

/* Sums over the two halves of one block, and over all blocks. */
typedef struct blocks {
    double sum[2], n[2];
    double means, differences, blocks;
} blocks;

static void close_block(blocks *b)
{
    if (b->n[0] >= MIN_READINGS_OF_HALF && b->n[1] >= MIN_READINGS_OF_HALF) {
        double first = b->sum[0] / b->n[0], second = b->sum[1] / b->n[1];
        b->means += 0.25 * (first + second) * (first + second);
        b->differences += 0.25 * (first - second) * (first - second);
        b->blocks++;
    }
    b->sum[0] = b->sum[1] = b->n[0] = b->n[1] = 0;
}

double lab_tumble_place(const marl_log *log, const lab_tumble_readings *r, marl_tumble_result *t)
{
    const marl_fit *fit = &t->outcome.fit;
    int64_t first = log->row[r->row[0]].sample.t_ns, last = log->row[r->row[r->n - 1]].sample.t_ns;
    double step = (double)(last - first) / (double)r->n,
           length = fmax(1e9 * BLOCK_S, 4 * MIN_READINGS_OF_HALF * step);
    blocks b = {.blocks = 0};
    int64_t block = 0;
    for (size_t i = 0; i < r->n; i++) {
        double at = (double)(log->row[r->row[i]].sample.t_ns - first) / length, field[3];
        if ((int64_t)at != block) {
            close_block(&b);
            block = (int64_t)at;
        }
        marl_fit_apply(fit, r->x[i], NAN, field);
        if (!r->skip[i]) {
            int half = at - floor(at) >= 0.5;
            b.sum[half] += sqrt(lab_dot3(field, field)) - fit->field;
            b.n[half]++;
        }
    }
    close_block(&b);
    double slow = (b.means - b.differences) / b.blocks;
    if (b.blocks < MIN_BLOCKS) {
        t->place_rms = NAN;
        return 0;
    }
    t->place_rms = b.means > MIN_RATIO * b.differences ? sqrt(slow) : 0;
    return sqrt(fmax(slow, 0));
}
