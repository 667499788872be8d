/* SPDX-License-Identifier: MIT
 * Steel near a tumble. */
#include "steel.h"
#include "lab/maths/random.h"
#include <math.h>
#include <stdlib.h>

/* Field of a magnetised piece of steel at the origin, of moment `m`, at `p`: (3 (m p) p - m p^2) / p^5. */
static void dipole(const double m[3], const double p[3], double field[3])
{
    double p2 = p[0] * p[0] + p[1] * p[1] + p[2] * p[2], mp = m[0] * p[0] + m[1] * p[1] + m[2] * p[2];
    for (int k = 0; k < 3; k++) {
        field[k] = (3 * mp * p[k] - m[k] * p2) / (p2 * p2 * sqrt(p2));
    }
}

void steel_add(marl_log *log, double rms, uint64_t seed)
{
    lab_random random = lab_random_seeded(seed, 77);
    double m[3], from[3], wave[9], away = 0.5 + 0.5 * lab_random_uniform(&random), n = 0, squares = 0,
                                   mean[3] = {0};
    double(*b)[3] = malloc((log->n + 1) * sizeof *b);
    for (int k = 0; k < 3; k++) {
        m[k] = lab_random_normal(&random);
        from[k] = lab_random_normal(&random);
        n += from[k] * from[k];
    }
    for (int k = 0; k < 9; k++) {
        wave[k] = lab_random_uniform(&random);
    }
    for (size_t i = 0; i < log->n && b != NULL; i++) {
        double t = 1e-9 * (double)log->row[i].sample.t_ns, p[3];
        marl_vec3 held = marl_quat_rotate(log->row[i].q, (marl_vec3){0.1f, 0, 0});
        const double wrist[3] = {(double)held.x, (double)held.y, (double)held.z};
        for (int k = 0; k < 3; k++) {
            p[k] = away * from[k] / sqrt(n) + wrist[k] +
                   0.1 * sin(6.28 * ((0.05 + 0.3 * wave[k]) * t + wave[3 + k])) +
                   0.05 * sin(6.28 * ((0.3 + 0.4 * wave[6 + k]) * t));
        }
        dipole(m, p, b[i]);
        for (int k = 0; k < 3; k++) {
            mean[k] += b[i][k] / (double)log->n;
        }
    }
    for (size_t i = 0; i < log->n && b != NULL; i++) {
        for (int k = 0; k < 3; k++) {
            squares += (b[i][k] - mean[k]) * (b[i][k] - mean[k]) / (double)log->n;
        }
    }
    for (size_t i = 0; i < log->n && b != NULL; i++) {
        float scale = (float)(rms / sqrt(squares));
        marl_vec3 own =
            marl_quat_rotate_back(log->row[i].q, (marl_vec3){scale * (float)b[i][0], scale * (float)b[i][1],
                                                             scale * (float)b[i][2]});
        marl_sample *s = &log->row[i].sample;
        s->mag = (marl_vec3){s->mag.x + own.x, s->mag.y + own.y, s->mag.z + own.z};
    }
    free(b);
}
