/* SPDX-License-Identifier: MIT
 * marlinspike verify */
#include "cli/verify/verify.h"
#include <math.h>
#include <stdio.h>

static json_t *sensor_json(const marl_verified *v, double warmer_degC)
{
    json_t *root = json_object();
    json_object_set_new(root, "holds", json_boolean(v->holds));
    json_object_set_new(root, "found_rms", cli_number(v->found_rms));
    json_object_set_new(root, "expected_rms", cli_number(v->expected_rms));
    json_object_set_new(root, "limit", cli_number(v->limit));
    json_object_set_new(root, "would_show", cli_number(v->would_show));
    json_object_set_new(root, "n", json_integer((json_int_t)v->n));
    json_object_set_new(root, "left_out", json_integer((json_int_t)v->left_out));
    json_object_set_new(root, "warmer_degC", cli_number(warmer_degC));
    return root;
}

static int print_json(const marl_verification *v, const marl_warnings *warnings)
{
    json_t *root = json_object();
    json_object_set_new(root, "holds", json_boolean(v->holds));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (v->sensor[i].present) {
            json_object_set_new(root, marl_sensor_name((marl_sensor)i),
                                sensor_json(&v->sensor[i], v->warmer_degC[i]));
        }
    }
    json_object_set_new(root, "temperature_degC", cli_number(v->temperature_degC));
    json_object_set_new(root, "gyro_drift", cli_numbers(v->gyro_drift, 3));
    json_object_set_new(root, "gyro_drifted", json_boolean(v->drifted));
    json_object_set_new(root, "gyro_matrix_off", cli_number(v->gyro_matrix_off));
    json_object_set_new(root, "gyro_matrix_z", cli_number(v->gyro_matrix_z));
    json_object_set_new(root, "dip_deg", cli_number(v->dip_deg));
    json_object_set_new(root, "dip_deviation_deg", cli_number(v->dip_deviation));
    json_object_set_new(root, "mag_bias", cli_numbers(v->mag_bias, 3));
    json_object_set_new(root, "mag_bias_limit", cli_numbers(v->mag_bias_limit, 3));
    json_object_set_new(root, "mag_matrix_off", cli_number(v->mag_matrix_off));
    json_object_set_new(root, "mag_matrix_z", cli_number(v->mag_matrix_z));
    json_object_set_new(root, "warnings", cli_warnings_json(warnings));
    return cli_print_json(root);
}

/* A change that is found, and one that noise explains: two things. */
static void print_matrix(const char *what, double off, double z)
{
    if (fabs(z) > 4) {
        cli_print_prose(2, "\n%s: an element is off by %.2f %%, %.1f standard errors", what, 100 * fabs(off),
                        fabs(z));
    } else {
        cli_print_prose(2, "\n%s: within its errors, the most by %.2f %%, %.1f standard errors", what,
                        100 * fabs(off), fabs(z));
    }
}

/* Drift of the bias, and a wrong matrix: two things. */
static void print_gyro(const marl_verification *v)
{
    if (v->drifted && v->sensor[MARL_GYRO].holds) {
        cli_print_prose(
            0,
            "\nthe gyroscope's bias has drifted since the calibration, deg/s: x %+.4f, y %+.4f, z "
            "%+.4f; every filter with a bias follows that, and 'calibrate still' takes it out",
            v->gyro_drift[0] / MARL_DEGREE, v->gyro_drift[1] / MARL_DEGREE, v->gyro_drift[2] / MARL_DEGREE);
    }
    if (isfinite(v->gyro_matrix_z)) {
        print_matrix("the gyroscope's matrix by moves between rests", v->gyro_matrix_off, v->gyro_matrix_z);
    }
}

/* What may be the reason alone: another temperature, and no curve over it. */
static void print_temperature(const marl_verification *v)
{
    static const char *const name[MARL_SENSOR_COUNT] = {"accelerometer", "gyroscope", "magnetometer"};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_verified *s = &v->sensor[i];
        int is_off = s->present && (!s->holds || (i == MARL_GYRO && v->drifted));
        if (is_off && fabs(v->warmer_degC[i]) >= MARL_TEMPERATURE_EXPLAINS) {
            cli_print_prose(
                0,
                "\nthis recording is at %.1f degC, the %s was calibrated at %.1f degC and has no curve over "
                "temperature: that alone may be the reason; 'calibrate soak' finds the curve",
                v->temperature_degC, name[i], v->temperature_degC - v->warmer_degC[i]);
        }
    }
}

static int print_table(const marl_verification *v, const char *calibration, const char *log)
{
    static const char *const what[MARL_SENSOR_COUNT] = {"length at rest, poses", "rate at rest, readings",
                                                        "field strength, readings"};
    cli_print("%s on %s\n\n%-6s %-24s %7s  %-6s %9s %9s %9s %10s\n", calibration, log, "sensor", "what", "n",
              "unit", "rms found", "expected", "limit", "would show");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_verified *s = &v->sensor[i];
        const double unit = cli_unit_of((marl_sensor)i);
        char would_show[24] = "-";
        if (isfinite(s->would_show)) {
            snprintf(would_show, sizeof would_show, "%.5f", s->would_show / unit);
        }
        if (s->present) {
            cli_print("%-6s %-24s %7zu  %-6s %9.5f %9.5f %9.5f %10s  %s\n", marl_sensor_name((marl_sensor)i),
                      what[i], s->n, cli_unit_name((marl_sensor)i), s->found_rms / unit,
                      s->expected_rms / unit, s->limit / unit, would_show, s->holds ? "holds" : "FAILS");
        }
    }
    print_gyro(v);
    if (v->sensor[MARL_MAG].left_out > 0) {
        cli_print("\n%zu readings of the magnetometer are broken, and left out\n",
                  v->sensor[MARL_MAG].left_out);
    }
    if (isfinite(v->dip_deg)) {
        cli_print("\ndip of the field %.2f deg, with a deviation of %.2f deg\n", v->dip_deg,
                  v->dip_deviation);
    }
    if (isfinite(v->mag_bias_limit[0] + v->mag_bias_limit[1] + v->mag_bias_limit[2])) {
        cli_print_prose(0,
                        "magnetometer bias that is left, uT: x %+.2f, y %+.2f, z %+.2f; this recording would "
                        "show %.2f, %.2f, %.2f",
                        v->mag_bias[0], v->mag_bias[1], v->mag_bias[2], v->mag_bias_limit[0],
                        v->mag_bias_limit[1], v->mag_bias_limit[2]);
    }
    if (isfinite(v->mag_matrix_z)) {
        print_matrix("the magnetometer's matrix by the lengths over directions", v->mag_matrix_off,
                     v->mag_matrix_z);
    }
    print_temperature(v);
    cli_print(v->holds ? "\nthe calibration holds\n"
                       : "\nthe calibration does not hold for this recording\n");
    return cli_print_done();
}

/* Where to draw; NULL where nothing shall be. */
typedef struct drawings {
    char *figure, *page;
} drawings;

/* Table or JSON, figure and page; what cannot be drawn leaves the others as they are. */
static int show(const cli *c, const cli_verified *job, const drawings *to)
{
    marl_error error = {0};
    int code = CLI_DONE;
    if (!c->quiet) {
        cli_print_warnings(&job->warnings);
    }
    if (c->json) {
        code = print_json(&job->result, &job->warnings);
    } else if (!c->quiet) {
        code = print_table(&job->result, c->file[0], c->file[1]);
    }
    marl_error other = {0};
    if (to->figure != NULL) {
        (void)!cli_verify_figure(job, to->figure, &error);
    }
    if (to->page != NULL && cli_verify_page(job, to->page, &other) != MARL_OK && error.status == MARL_OK) {
        error = other;
    }
    if (error.status != MARL_OK) {
        return cli_exit(&error);
    }
    return code == CLI_DONE && !job->result.holds ? CLI_DOES_NOT_HOLD : code;
}

static int verify(const cli *c, cli_reading *reading, cli_verified *job, const drawings *to)
{
    marl_error error = {0};
    marl_log *log = &job->log;
    marl_status status = to->page != NULL ? marl_page_check_path(to->page, &error) : MARL_OK;
    status = status == MARL_OK && to->figure != NULL ? marl_figure_check_path(to->figure, &error) : status;
    job->record_path = c->file[0];
    status = status != MARL_OK ? status : cli_reading_prepare(reading, 1, &error);
    status = status != MARL_OK ? status : marl_calibration_read(&job->record, c->file[0], &error);
    status = status != MARL_OK ? status : marl_log_load(log, c->file[1], &reading->options, &error);
    status = status != MARL_OK
                 ? status
                 : marl_device_match(log->info.device, log->path, job->record.device, c->file[0], &error);
    status = status != MARL_OK ? status : marl_verify(&job->record, log, job->gravity, &job->result, &error);
    int code = cli_exit(&error);
    if (status == MARL_OK) {
        marl_log_warn(&job->warnings, &log->report, log->path);
        if (job->result.outside) {
            marl_warn(&job->warnings, "temperature-outside",
                      "%s: beyond the temperatures of the calibration its curve holds its end value",
                      log->path);
        }
        code = show(c, job, to);
    }
    marl_log_free(log);
    return code;
}

int cli_verify(int argc, const char **argv)
{
    cli_reading reading = {0};
    cli c;
    drawings to = {NULL, NULL};
    cli_verified job = {.gravity = MARL_STANDARD_GRAVITY};
    const struct poptOption table[] = {
        {"gravity", '\0', POPT_ARG_DOUBLE, &job.gravity, 0,
         "as calibrate poses had it, m/s^2 (default 9.80665)", "G"},
        {"figure", '\0', POPT_ARG_STRING, &to.figure, CLI_WRITES,
         "draw what is left over time and direction (.png, .svg or .gp)", "FILE"},
        {"report", '\0', POPT_ARG_STRING, &to.page, CLI_WRITES,
         "write a page to look at: numbers, points on the sphere, what is left", "PAGE.html"},
        CLI_READING_OPTIONS(reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "CAL LOG",
        CLI_READS,
        2,
        2,
        "Does the calibration hold on a recording that it has not seen? The length of the corrected\n"
        "accelerometer in still poses, the corrected gyroscope at rest, the spread of the corrected field's\n"
        "strength, and the magnetometer's bias that it shows over directions: each against what noise\n"
        "and the standard errors of the calibration explain. The limit is exceeded by chance once in a\n"
        "hundred recordings. Exit code 1 when it does not hold.",
        "verify pod-07.json data/demo/still.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? verify(&c, &reading, &job, &to) : code;
    cli_close(&c);
    return code;
}
