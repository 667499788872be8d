/* SPDX-License-Identifier: MIT
 * A smoothed log as JSON. */
#include "cli/smooth/smooth.h"

static json_t *closures_json(const cli_smoothed *job)
{
    json_t *list = json_array();
    for (size_t i = 0; i < job->closures.n; i++) {
        const marl_closure *c = &job->closures.at[i];
        json_t *one = json_object();
        const double first[2] = {1e-9 * (double)c->first.from_ns, 1e-9 * (double)c->first.to_ns};
        const double again[2] = {1e-9 * (double)c->again.from_ns, 1e-9 * (double)c->again.to_ns};
        json_object_set_new(one, "first", cli_numbers(first, 2));
        json_object_set_new(one, "again", cli_numbers(again, 2));
        json_object_set_new(one, "away_deg", cli_number(c->away_deg));
        json_object_set_new(one, "error_deg", cli_number(c->error_deg));
        json_object_set_new(one, "sigma_deg", cli_number(c->sigma_deg));
        json_array_append_new(list, one);
    }
    return list;
}

static json_t *outcomes_json(const marl_refinement *outcome, int n)
{
    static const char *const word[] = {[MARL_REFINE_NOT_SIGNIFICANT] = "not-significant",
                                       [MARL_REFINE_HALVES_DIFFER] = "halves-differ",
                                       [MARL_REFINE_ADDED] = "added",
                                       [MARL_REFINE_OTHERS_OPEN] = "others-open"};
    json_t *list = json_array();
    for (int k = 0; k < n; k++) {
        json_array_append_new(list, json_string(word[outcome[k]]));
    }
    return list;
}

/* Three rows of three. */
static json_t *rows_json(const double value[9])
{
    json_t *rows = json_array();
    for (int i = 0; i < 3; i++) {
        json_array_append_new(rows, cli_numbers(value + 3 * i, 3));
    }
    return rows;
}

static json_t *sensor_json(const cli_smoothed *job, marl_sensor sensor)
{
    const marl_sensor_errors *e = &job->smoothed.errors[sensor];
    const marl_refined_sensor *r = &job->refined.sensor[sensor];
    json_t *object = json_object();
    json_object_set_new(object, "bias", cli_numbers(e->bias, 3));
    json_object_set_new(object, "bias_sigma", cli_numbers(e->bias_sigma, 3));
    json_object_set_new(object, "matrix", rows_json(e->matrix));
    json_object_set_new(object, "matrix_sigma", rows_json(e->matrix_sigma));
    if (sensor != MARL_GYRO) {
        const marl_sensor_delays delays = marl_smoothed_delays(&job->smoothed);
        json_object_set_new(object, "delay_s", cli_number(delays.of[sensor].delay_s));
        json_object_set_new(object, "delay_sigma_s", cli_number(delays.of[sensor].sigma_s));
    }
    if (job->into != NULL) {
        json_t *matrix = json_array();
        for (int i = 0; i < 3; i++) {
            json_array_append_new(matrix, outcomes_json(r->matrix + 3 * i, 3));
        }
        json_object_set_new(object, "bias_refined", outcomes_json(r->bias, 3));
        json_object_set_new(object, "matrix_refined", matrix);
    }
    return object;
}

static json_t *gyro_json(const cli_smoothed *job)
{
    json_t *object = sensor_json(job, MARL_GYRO);
    double moved[3], sigma[3];
    (void)!marl_smoothed_bias_moved(&job->smoothed, moved, sigma);
    json_object_set_new(object, "bias_moved", cli_numbers(moved, 3));
    json_object_set_new(object, "bias_moved_sigma", cli_numbers(sigma, 3));
    json_object_set_new(object, "by_force", rows_json(job->smoothed.gyro_by_force));
    json_object_set_new(object, "by_force_sigma", rows_json(job->smoothed.gyro_by_force_sigma));
    return object;
}

int cli_smooth_json(const cli_smoothed *job)
{
    const marl_smoothed *s = &job->smoothed;
    const char *why = marl_smoothed_distrust(s);
    json_t *root = json_object();
    json_object_set_new(root, "trusted", json_boolean(why == NULL));
    json_object_set_new(root, "reason", why != NULL ? json_string(why) : json_null());
    json_object_set_new(root, "check",
                        json_pack("{s:o, s:o, s:o, s:o}", "change", cli_number(s->change), "missed",
                                  cli_number(s->missed), "worst", cli_number(s->worst), "preference",
                                  cli_number(s->preference)));
    json_object_set_new(root, "sensors", json_string(s->sensors_are_raw ? "raw" : "calibrated"));
    json_object_set_new(root, "rows", json_integer((json_int_t)s->n));
    json_object_set_new(root, "sigma_tilt_deg", cli_number(s->sigma_tilt_rms / MARL_DEGREE));
    json_object_set_new(root, "sigma_heading_deg", cli_number(s->sigma_heading_rms / MARL_DEGREE));
    json_object_set_new(root, "heading_is_magnetic", json_boolean(s->heading_is_magnetic));
    json_object_set_new(root, "still_share", cli_number(s->still_share));
    json_object_set_new(root, "disturbed_share", cli_number(s->disturbed_share));
    json_object_set_new(root, "longest_gap_s", cli_number(s->longest_gap_s));
    json_object_set_new(root, "rows_left_out", json_integer((json_int_t)s->rows_left_out));
    json_object_set_new(root, "field_north", cli_number(s->field_north));
    json_object_set_new(root, "field_up", cli_number(s->field_up));
    json_object_set_new(root, "lever_arm", cli_numbers(s->arm, 3));
    json_object_set_new(root, "lever_arm_sigma", cli_numbers(s->arm_sigma, 3));
    json_object_set_new(root, "accel", sensor_json(job, MARL_ACCEL));
    json_object_set_new(root, "gyro", gyro_json(job));
    if (s->heading_is_magnetic) {
        json_object_set_new(root, "mag", sensor_json(job, MARL_MAG));
    }
    json_object_set_new(root, "closures", closures_json(job));
    json_object_set_new(root, "warnings", cli_warnings_json(&job->warnings));
    return cli_print_json(root);
}
