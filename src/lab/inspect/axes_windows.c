/* SPDX-License-Identifier: MIT
 * Windows of a log. */
#include "lab/inspect/axes_windows.h"
#include "lab/inspect/arrangement.h"
#include "lab/log/reading.h"
#include <stdlib.h>

static void close_window(lab_axes_window *w)
{
    for (int s = 0; s < MARL_SENSOR_COUNT; s++) {
        for (int k = 0; k < 3; k++) {
            w->v[s][k] = w->n[s] > 0 ? w->v[s][k] / w->n[s] : 0;
        }
    }
}

marl_status lab_axes_windows_make(lab_axes_windows *all, const marl_log *log, int64_t window_ns,
                                  marl_error *error)
{
    *all = (lab_axes_windows){.window_ns = window_ns};
    all->at = calloc(log->n + 1, sizeof *all->at);
    if (all->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        int64_t at = (s->t_ns - log->row[0].sample.t_ns) / window_ns;
        if (all->n == 0 || all->at[all->n - 1].at != at) {
            all->at[all->n++].at = at;
        }
        lab_axes_window *w = &all->at[all->n - 1];
        for (unsigned k = 0; k < MARL_SENSOR_COUNT; k++) {
            if (s->fresh & (1u << k)) {
                const marl_vec3 *v = lab_reading(s, (marl_sensor)k);
                w->v[k][0] += (double)v->x;
                w->v[k][1] += (double)v->y;
                w->v[k][2] += (double)v->z;
                w->n[k]++;
            }
        }
    }
    for (size_t i = 0; i < all->n; i++) {
        close_window(&all->at[i]);
    }
    all->blocks = all->n / LAB_AXES_BLOCK + 1;
    all->left = calloc(LAB_ARRANGEMENTS * all->blocks, sizeof *all->left);
    return all->left != NULL ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

int lab_axes_usable(const lab_axes_windows *all, size_t i, marl_sensor seen)
{
    const lab_axes_window *w = all->at + i;
    int whole = i > 0 && i + 1 < all->n && w[1].at == w->at + 1 && w[-1].at == w->at - 1;
    for (int k = -1; whole && k <= 1; k++) {
        whole = w[k].n[seen] > 0 && w[k].n[MARL_GYRO] > 0;
    }
    return whole;
}

void lab_axes_change(const lab_axes_windows *all, size_t i, marl_sensor sensor, double change[3])
{
    const lab_axes_window *w = &all->at[i];
    for (int k = 0; k < 3; k++) {
        change[k] = (w[1].v[sensor][k] - w[-1].v[sensor][k]) / (2e-9 * (double)all->window_ns);
    }
}

void lab_axes_windows_free(lab_axes_windows *all)
{
    free(all->at);
    free(all->left);
    *all = (lab_axes_windows){0};
}
