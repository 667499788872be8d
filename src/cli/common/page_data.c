/* SPDX-License-Identifier: MIT
 * Data of the report page. */
#include "cli/common/page_data.h"
#include <math.h>
#include <stdlib.h>

json_t *cli_page_number(double value, int decimals)
{
    double unit = pow(10, decimals);
    return cli_number(round(value * unit) / unit);
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
    int computes = json_is_true(json_object_get(root, "computes"));
    char *text = json_dumps(root, JSON_COMPACT | JSON_REAL_PRECISION(15));
    json_decref(root);
    if (text == NULL || cli_memory_failed()) {
        free(text);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = marl_page_write(path, title, text, computes, error);
    free(text);
    return status;
}
