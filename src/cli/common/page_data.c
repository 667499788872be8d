/* SPDX-License-Identifier: MIT
 * Data of the report page. */
#include "cli/common/page_data.h"
#include <math.h>
#include <stdlib.h>

enum { MAX_BUCKETS = 700 };

cli_page_grid cli_page_grid_of(double from_s, double to_s, size_t values)
{
    cli_page_grid g = {.from_s = from_s, .buckets = values / 2 < MAX_BUCKETS ? values / 2 : MAX_BUCKETS};
    g.buckets = g.buckets > 0 ? g.buckets : 1;
    g.width_s = fmax(1e-6, to_s - from_s) / (double)g.buckets;
    return g;
}

json_t *cli_page_number(double value, int decimals)
{
    double unit = pow(10, decimals);
    return cli_number(round(value * unit) / unit);
}

json_t *cli_page_times(const cli_page_grid *g)
{
    json_t *list = json_array();
    for (size_t i = 0; i < 2 * g->buckets; i++) {
        json_array_append_new(list, cli_page_number(g->from_s + (0.5 * (double)i + 0.25) * g->width_s, 4));
    }
    return list;
}

json_t *cli_page_values(const cli_page_grid *g, const double *t, const double *value, size_t n)
{
    json_t *list = json_array();
    size_t i = 0;
    for (size_t b = 0; b < g->buckets; b++) {
        double end = g->from_s + (double)(b + 1) * g->width_s, first = NAN, last = NAN;
        size_t low = SIZE_MAX, high = SIZE_MAX;
        for (; i < n && (t[i] < end || b + 1 == g->buckets); i++) {
            if (isfinite(value[i])) {
                low = low == SIZE_MAX || value[i] < value[low] ? i : low;
                high = high == SIZE_MAX || value[i] > value[high] ? i : high;
            }
        }
        if (low != SIZE_MAX) {
            first = value[low < high ? low : high];
            last = value[low < high ? high : low];
        }
        json_array_append_new(list, cli_page_number(first, 4));
        json_array_append_new(list, cli_page_number(last, 4));
    }
    return list;
}

json_t *cli_page_quat(marl_quat q)
{
    const double part[4] = {(double)q.w, (double)q.x, (double)q.y, (double)q.z};
    json_t *list = json_array();
    for (int i = 0; i < 4; i++) {
        json_array_append_new(list, cli_page_number(part[i], 5));
    }
    return list;
}

marl_status cli_page_write(const char *path, const char *title, json_t *root, marl_error *error)
{
    char *text = json_dumps(root, JSON_COMPACT | JSON_REAL_PRECISION(9));
    json_decref(root);
    if (text == NULL || cli_memory_failed()) {
        free(text);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = marl_page_write(path, title, text, error);
    free(text);
    return status;
}
