/* SPDX-License-Identifier: MIT
 * Forces turned back by what the gyroscope has turned. */
#include "lab/inspect/axes_blocks.h"
#include "lab/inspect/arrangement.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define BLOCK_S 4.5
#define MAX_STEP_S 0.1 /* a longer gap ends a block */
enum { MAX_BLOCKS = 200, MIN_READINGS = 30 };

/* Sums over one block: of forces turned back, of their squares, of forces as they are. */
typedef struct block {
    double turned[LAB_ARRANGEMENTS][3], plain[3], squares;
    marl_quat q[LAB_ARRANGEMENTS]; /* from the body to the block's beginning */
    int64_t from_ns, last_ns;
    size_t n;
} block;

static void begin(block *b, int64_t t_ns)
{
    memset(b, 0, sizeof *b);
    b->from_ns = b->last_ns = t_ns;
    for (int i = 0; i < LAB_ARRANGEMENTS; i++) {
        b->q[i] = marl_quat_identity();
    }
}

static double component(marl_vec3 v, int axis)
{
    int at = abs(axis) - 1;
    double value = (double)(at == 0 ? v.x : at == 1 ? v.y : v.z);
    return axis < 0 ? -value : value;
}

static void turn_on(block *b, marl_vec3 rate, double dt)
{
    for (int i = 0; i < LAB_ARRANGEMENTS; i++) {
        const marl_arrangement how = lab_arrangement(i);
        float half = (float)(0.5 * dt);
        marl_quat step = {1, half * (float)component(rate, how.axis[0]),
                          half * (float)component(rate, how.axis[1]),
                          half * (float)component(rate, how.axis[2])};
        b->q[i] = marl_quat_product(b->q[i], step);
        (void)!marl_quat_normalize(&b->q[i]);
    }
}

static void add_force(block *b, marl_vec3 force)
{
    const double plain[3] = {(double)force.x, (double)force.y, (double)force.z};
    for (int i = 0; i < LAB_ARRANGEMENTS; i++) {
        marl_vec3 there = marl_quat_rotate(b->q[i], force);
        b->turned[i][0] += (double)there.x;
        b->turned[i][1] += (double)there.y;
        b->turned[i][2] += (double)there.z;
    }
    for (int k = 0; k < 3; k++) {
        b->plain[k] += plain[k];
        b->squares += plain[k] * plain[k];
    }
    b->n++;
}

/* Mean square less the square of the mean. */
static double variance(const block *b, const double sum[3])
{
    double n = (double)b->n;
    return fmax(0, b->squares / n - (sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]) / (n * n));
}

static void end(lab_axes_blocks *all, const block *b)
{
    if (b->n < MIN_READINGS || all->blocks == MAX_BLOCKS) {
        return;
    }
    for (size_t i = 0; i < LAB_ARRANGEMENTS; i++) {
        all->left[i * MAX_BLOCKS + all->blocks] = variance(b, b->turned[i]);
    }
    all->changed += variance(b, b->plain);
    all->blocks++;
}

/* So that the blocks of an arrangement stand one behind the other. */
static void close_up(lab_axes_blocks *all)
{
    for (size_t i = 1; i < LAB_ARRANGEMENTS; i++) {
        memmove(&all->left[i * all->blocks], &all->left[i * MAX_BLOCKS], all->blocks * sizeof *all->left);
    }
}

marl_status lab_axes_blocks_make(lab_axes_blocks *all, const marl_log *log, marl_error *error)
{
    block *b = malloc(sizeof *b);
    *all = (lab_axes_blocks){calloc((size_t)LAB_ARRANGEMENTS * MAX_BLOCKS, sizeof *all->left), 0, 0};
    if (b == NULL || all->left == NULL) {
        free(b);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    begin(b, log->n > 0 ? log->row[0].sample.t_ns : 0);
    for (size_t i = 0; i < log->n && all->blocks < MAX_BLOCKS; i++) {
        const marl_sample *s = &log->row[i].sample;
        double dt = 1e-9 * (double)(s->t_ns - b->last_ns);
        if (dt > MAX_STEP_S || 1e-9 * (double)(s->t_ns - b->from_ns) > BLOCK_S) {
            end(all, b);
            begin(b, s->t_ns);
        } else if (s->fresh & MARL_FRESH_GYRO) {
            turn_on(b, s->gyro, dt);
            b->last_ns = s->t_ns;
        }
        if (s->fresh & MARL_FRESH_ACCEL) {
            add_force(b, s->accel);
        }
    }
    end(all, b);
    close_up(all);
    free(b);
    return MARL_OK;
}

void lab_axes_blocks_free(lab_axes_blocks *all)
{
    free(all->left);
    all->left = NULL;
}
