/* SPDX-License-Identifier: MIT
 * A verification as a report page. */
#include "cli/common/page_fit.h"
#include "cli/verify/verify.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

static json_t *sensors_table(const marl_verification *v)
{
    json_t *rows = json_array();
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_verified *s = &v->sensor[i];
        double unit = cli_unit_of((marl_sensor)i);
        if (s->present) {
            json_array_append_new(
                rows,
                json_pack("[s,s,i,o,o,o,o,s]", marl_sensor_name((marl_sensor)i),
                          cli_unit_name((marl_sensor)i), (int)s->n, cli_page_number(s->found_rms / unit, 5),
                          cli_page_number(s->expected_rms / unit, 5), cli_page_number(s->limit / unit, 5),
                          cli_page_number(s->would_show / unit, 5), s->holds ? "holds" : "does not hold"));
        }
    }
    return json_pack("{s:s,s:o,s:o}", "title", "Found against expected", "columns",
                     json_pack("[s,s,s,s,s,s,s,s]", "sensor", "unit", "n", "rms found", "expected", "limit",
                               "would show", ""),
                     "rows", rows);
}

/* Poses of the accelerometer, readings of the magnetometer. 0 without memory. */
static int add_points(const cli_verified *job, const cli_page_lists *to)
{
    cli_page_points points;
    marl_pose_list poses = {0};
    marl_error none = {0};
    int made = 1;
    if (job->result.sensor[MARL_ACCEL].present && marl_poses_find(&job->log, &poses, &none) == MARL_OK) {
        const marl_fit *fit = &job->record.fit[MARL_ACCEL];
        made = cli_page_points_of_poses(&points, &poses);
        made = made && cli_page_add_sphere(&points, MARL_ACCEL, fit, job->gravity, to);
        cli_page_points_free(&points);
    }
    marl_poses_free(&poses);
    if (made && job->result.sensor[MARL_MAG].present) {
        const marl_fit *fit = &job->record.fit[MARL_MAG];
        made = cli_page_points_of_log(&points, &job->log, MARL_MAG, NULL);
        made = made && cli_page_add_sphere(&points, MARL_MAG, fit, fit->field, to);
        cli_page_points_free(&points);
    }
    return made && none.status != MARL_ERR_SYSTEM;
}

marl_status cli_verify_page(const cli_verified *job, const char *path, marl_error *error)
{
    char title[300], verdict[200];
    json_t *root = json_object(), *spheres = json_array(), *scatters = json_array(), *tables = json_array();
    int made = add_points(job, &(cli_page_lists){spheres, scatters});
    json_array_append_new(tables, sensors_table(&job->result));
    snprintf(title, sizeof title, "%.120s on %.120s", marl_base_name(job->record_path),
             marl_base_name(job->log.path));
    snprintf(verdict, sizeof verdict, "The calibration %s for this recording.%s",
             job->result.holds ? "holds" : "does not hold",
             job->result.drifted && job->result.sensor[MARL_GYRO].holds
                 ? " The gyroscope's bias has drifted since."
                 : "");
    json_object_set_new(root, "kind", json_string("verification"));
    json_object_set_new(root, "title", cli_text(title));
    json_object_set_new(root, "question",
                        json_string("Does the calibration hold on a recording that it has not seen?"));
    json_object_set_new(root, "verdict", cli_text(verdict));
    json_object_set_new(root, "bad", json_boolean(!job->result.holds));
    json_object_set_new(root, "warnings", cli_warnings_json(&job->warnings));
    json_object_set_new(root, "tables", tables);
    json_object_set_new(root, "spheres", spheres);
    json_object_set_new(root, "computes", json_boolean(json_array_size(spheres) > 0));
    json_object_set_new(root, "scatters", scatters);
    json_object_set_new(root, "next", json_null());
    if (!made) {
        json_decref(root);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    return cli_page_write(path, title, root, error);
}
