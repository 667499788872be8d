/* SPDX-License-Identifier: MIT
 * How far a gyroscope's bias walks: a part that warms up moves by tenths of a degree per second within minutes, a part
 * that is warm hardly at all. */
#include "lab/smooth/smooth_parts.h"
#include <math.h>

#define LARGEST_WALK 5e-4 /* rad/s/sqrt(s) */
/* Changes of the bias are taken over so long, s: a slow drift shows in a quarter of a log. */
#define SHORTEST_S 10.0
#define LONGEST_S 60.0
enum { SPANS = 4 };
#define SHOWN 5.0                       /* standard errors */
#define SHOWN_BIAS (0.02 * MARL_DEGREE) /* rad/s */

/* Of n spans of the log, by the squares of the bias's changes over them: under the true walk the smoothed changes are
 * smaller than it, never larger, so that the walk grows until it has room for them. */
void lab_smooth_find_walk(lab_smoother *s)
{
    const lab_knot *from = &s->knot[0], *end = &s->knot[s->knots - 1];
    double span = fmin(LONGEST_S, fmax(SHORTEST_S, 1e-9 * (double)(end->t_ns - from->t_ns) / SPANS));
    double squares = 0, seconds = 0;
    for (size_t i = 1; i < s->knots; i++) {
        const lab_knot *to = &s->knot[i];
        double passed = 1e-9 * (double)(to->t_ns - from->t_ns);
        if (passed < span) {
            continue;
        }
        for (int axis = 0; axis < 3; axis++) {
            squares += pow(to->state[BIAS + axis] - from->state[BIAS + axis], 2) / 3;
        }
        seconds += passed;
        from = to;
    }
    double walk = seconds > 0 ? sqrt(squares / seconds) : 0;
    s->walk = fmin(LARGEST_WALK, fmax(LAB_STEADY_WALK, walk));
}

int marl_smoothed_bias_moved(const marl_smoothed *smoothed, double moved[3], double sigma[3])
{
    int is_shown = 0;
    for (int axis = 0; axis < 3; axis++) {
        const marl_smoothed_knot *low = smoothed->knot, *high = low;
        for (size_t i = 1; i < smoothed->knots; i++) {
            const marl_smoothed_knot *k = &smoothed->knot[i];
            low = k->bias[axis] < low->bias[axis] ? k : low;
            high = k->bias[axis] > high->bias[axis] ? k : high;
        }
        moved[axis] = high->bias[axis] - low->bias[axis];
        sigma[axis] = hypot(high->bias_sigma[axis], low->bias_sigma[axis]);
        is_shown |= moved[axis] > fmax(SHOWN * sigma[axis], SHOWN_BIAS);
    }
    return is_shown;
}
