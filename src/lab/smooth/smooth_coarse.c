/* SPDX-License-Identifier: MIT
 * What readings in coarse steps do not show. */
#include "lab/log/reading.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>

enum { HELD_BLOCKS = 10 }; /* a second to each side */

/* One axis of a sensor that reads in coarse steps. */
typedef struct coarse_axis {
    marl_sensor sensor;
    int axis;
    double step;
} coarse_axis;

/* Mean reading over the blocks within HELD_BLOCKS of the k-th: what shakes is left out. NaN where there is none. */
static double mean_reading(const lab_smoother *s, size_t k, const coarse_axis *a)
{
    size_t from = k > HELD_BLOCKS ? k - HELD_BLOCKS : 0;
    size_t to = k + HELD_BLOCKS < s->knots ? k + HELD_BLOCKS : s->knots - 1;
    double sum = 0, n = 0;
    for (size_t i = s->knot[from].first; i <= s->knot[to].last; i++) {
        const marl_vec3 *v = lab_reading(&s->sample[i], a->sensor);
        if (s->sample[i].fresh & (1u << a->sensor)) {
            sum += (double)(a->axis == 0 ? v->x : a->axis == 1 ? v->y : v->z);
            n++;
        }
    }
    return sum / n;
}

/* Blocks from `first` on that hold the reading within half a step. */
static size_t count_held(const lab_smoother *s, size_t first, const coarse_axis *a)
{
    size_t end = first + 1;
    double held = mean_reading(s, first, a);
    while (end < s->knots && fabs(mean_reading(s, end, a) - held) < 0.5 * a->step) {
        end++;
    }
    return end - first;
}

/* A reading is off by up to half a step, evenly spread (a variance of step^2 / 12), and by as much as long as it stays: as
 * much as one reading is then known, and not more with time. */
static void add_coarseness(lab_smoother *s, const coarse_axis *a)
{
    for (size_t first = 0, n; first < s->knots; first += n) {
        n = count_held(s, first, a);
        double seconds = 0;
        for (size_t i = first; i < first + n; i++) {
            seconds += s->knot[i].length;
        }
        for (size_t i = first; i < first + n; i++) {
            s->knot[i].coarse[a->sensor] += a->step * a->step / 12 * seconds / 3;
        }
    }
}

void lab_smooth_find_coarseness(lab_smoother *s)
{
    for (int sensor = 0; sensor < MARL_SENSOR_COUNT; sensor++) {
        for (int axis = 0; axis < 3 && s->step[sensor] > 0; axis++) {
            add_coarseness(s, &(coarse_axis){(marl_sensor)sensor, axis, s->step[sensor]});
        }
    }
}
