/* SPDX-License-Identifier: MIT
 * Attitudes of an estimate and of its reference at the same times. */
#include "lab/compare/match_pairs.h"
#include "lab/log/series.h"
#include "lab/maths/linear.h"
#include <stdlib.h>
#include <string.h>

#define SKIP_NS INT64_C(5000000000)  /* an estimate settles first ... */
#define LONG_NS INT64_C(30000000000) /* ... where there is time for it */
#define MIN_S 10.0
#define TURN_NS INT64_C(1000000000) /* attitudes so far apart determine the body side */
/* Of the turns' squares, for the body side as it is: decides where turns about one axis alone leave it open. */
#define UNTURNED 1e-3
enum { MAX_PAIRS = 20000 };

void lab_pairs_free(lab_pairs *p)
{
    free(p->estimate);
    free(p->reference);
}

marl_status lab_pairs_make(const marl_series *estimate, const marl_series *reference, lab_pairs *p,
                           marl_error *error)
{
    size_t place = 0, stride = estimate->n / MAX_PAIRS + 1;
    int64_t longest = lab_longest_step_ns(reference);
    p->n = 0;
    p->estimate = malloc((estimate->n / stride + 1) * sizeof *p->estimate);
    p->reference = malloc((estimate->n / stride + 1) * sizeof *p->reference);
    if (p->estimate == NULL || p->reference == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < estimate->n; i += stride) {
        p->estimate[p->n] = estimate->at[i];
        p->n += (size_t)lab_series_at(reference, longest, estimate->at[i].t_ns, &place, &p->reference[p->n]);
    }
    double seconds = p->n > 1 ? 1e-9 * (double)(p->estimate[p->n - 1].t_ns - p->estimate[0].t_ns) : 0;
    if (seconds < MIN_S) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "the log and its reference have %.3g s in common, 10 s are needed: do their clocks "
                         "agree? --time-offset auto finds out",
                         seconds);
    }
    return MARL_OK;
}

/* Leaves out the start of the estimate. */
lab_pairs lab_pairs_settled(const lab_pairs *p)
{
    size_t from = 0;
    if (p->estimate[p->n - 1].t_ns - p->estimate[0].t_ns >= LONG_NS) {
        while (p->estimate[from].t_ns - p->estimate[0].t_ns < SKIP_NS) {
            from++;
        }
    }
    return (lab_pairs){p->n - from, p->estimate + from, p->reference + from};
}

marl_quat lab_main_attitude(double sums[16])
{
    double value[4];
    if (!lab_eigen(4, sums, value)) {
        return marl_quat_identity();
    }
    return marl_quat_canonical(
        (marl_quat){(float)sums[12], (float)sums[13], (float)sums[14], (float)sums[15]});
}

marl_quat lab_pairs_mean_world(const lab_pairs *p, marl_quat body)
{
    double sums[16] = {0};
    for (size_t i = 0; i < p->n; i++) {
        marl_quat rotated = marl_quat_product(p->reference[i], body);
        marl_quat m = marl_quat_product(p->estimate[i].q, marl_quat_conjugate(rotated));
        const double v[4] = {(double)m.w, (double)m.x, (double)m.y, (double)m.z};
        for (int k = 0; k < 16; k++) {
            sums[k] += v[k / 4] * v[k % 4];
        }
    }
    return lab_main_attitude(sums);
}

static void turn_between(marl_quat a, marl_quat b, double v[3])
{
    marl_quat e = marl_quat_product(marl_quat_conjugate(a), b);
    double sign = e.w < 0 ? -1 : 1;
    v[0] = sign * (double)e.x;
    v[1] = sign * (double)e.y;
    v[2] = sign * (double)e.z;
}

marl_quat lab_pairs_first_body(const lab_pairs *p)
{
    double s[3][3] = {{0}}, k[16], squares = 0;
    size_t later = 0;
    for (size_t i = 0; i < p->n; i++) {
        double from[3], to[3];
        while (later < p->n && p->estimate[later].t_ns - p->estimate[i].t_ns < TURN_NS) {
            later++;
        }
        if (later == p->n) {
            break;
        }
        /* estimate = world reference body: its turns are body* turn body */
        turn_between(p->estimate[i].q, p->estimate[later].q, from);
        turn_between(p->reference[i], p->reference[later], to);
        for (int a = 0; a < 9; a++) {
            s[a / 3][a % 3] += from[a / 3] * to[a % 3];
        }
        squares += to[0] * to[0] + to[1] * to[1] + to[2] * to[2];
    }
    for (int a = 0; a < 3; a++) {
        s[a][a] += UNTURNED * squares;
    }
    const double upper[16] = {s[0][0] + s[1][1] + s[2][2],
                              s[1][2] - s[2][1],
                              s[2][0] - s[0][2],
                              s[0][1] - s[1][0],
                              0,
                              s[0][0] - s[1][1] - s[2][2],
                              s[0][1] + s[1][0],
                              s[2][0] + s[0][2],
                              0,
                              0,
                              s[1][1] - s[0][0] - s[2][2],
                              s[1][2] + s[2][1],
                              0,
                              0,
                              0,
                              s[2][2] - s[0][0] - s[1][1]};
    memcpy(k, upper, sizeof k);
    return lab_main_attitude(k);
}
