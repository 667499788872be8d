/* SPDX-License-Identifier: MIT
 * marlinspike zero */
#include "cli/common/cli.h"
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

typedef struct options {
    cli_reading reading;
    char *into, *out;
    double declination;
} options;

/* The mount that a calibration had, and the one that it has now. */
typedef struct mounts {
    int had;
    double before[4];
    marl_span span; /* of the rest */
} mounts;

static marl_status find(const cli *c, options *o, marl_calibration_record *record, mounts *m,
                        marl_error *error)
{
    marl_log log = {0};
    *record = marl_calibration_record_empty();
    marl_status status = o->into != NULL || o->out != NULL
                             ? cli_reading_prepare(&o->reading, 1, error)
                             : marl_fail(error, MARL_ERR_USE, "zero: --into CAL or -o CAL is needed");
    status = status != MARL_OK ? status : marl_log_load(&log, c->file[0], &o->reading.options, error);
    if (status == MARL_OK && log.info.corrected) {
        status =
            marl_fail(error, MARL_ERR_INPUT, "%s:1: is corrected already; zero needs the raw log", log.path);
    }
    if (status == MARL_OK && o->into != NULL) {
        cli_lock_until_exit(o->into);
    }
    if (status == MARL_OK && o->into != NULL && access(o->into, F_OK) == 0) {
        status = marl_calibration_read(record, o->into, error);
    }
    status = status != MARL_OK ? status
                               : marl_device_match(log.info.device, log.path, record->device,
                                                   o->into != NULL ? o->into : "", error);
    if (status == MARL_OK && record->device[0] == '\0') {
        snprintf(record->device, sizeof record->device, "%s", log.info.device);
    }
    if (status == MARL_OK && isfinite(o->declination)) {
        status = fabs(o->declination) <= 180
                     ? MARL_OK
                     : marl_fail(error, MARL_ERR_USE, "--declination is from -180 to 180 degrees");
        record->declination_deg = o->declination;
    }
    m->had = record->has_mount;
    memcpy(m->before, record->mount, sizeof m->before);
    status = status != MARL_OK ? status : marl_zero(&log, record, &m->span, error);
    marl_log_free(&log);
    return status;
}

static void print_mount(const char *what, const double q[4])
{
    marl_rpy r = marl_quat_to_rpy((marl_quat){(float)q[0], (float)q[1], (float)q[2], (float)q[3]});
    double angle = 2 * acos(fmin(1, fabs(q[0]))) / MARL_DEGREE;
    cli_print("%s %.2f deg: roll %.2f, pitch %.2f, yaw %.2f\n", what, angle, (double)r.roll / MARL_DEGREE,
              (double)r.pitch / MARL_DEGREE, (double)r.yaw / MARL_DEGREE);
}

static int zero(const cli *c, options *o)
{
    marl_error error = {0};
    marl_calibration_record record;
    mounts m = {.had = 0};
    const char *target = o->out != NULL ? o->out : o->into;
    marl_status status = find(c, o, &record, &m, &error);
    status = status != MARL_OK ? status : marl_calibration_write(&record, target, &error);
    if (status != MARL_OK) {
        return cli_exit(&error);
    }
    if (c->json) {
        json_t *root = json_object();
        json_object_set_new(root, "mount", cli_numbers(record.mount, 4));
        json_object_set_new(root, "before", m.had ? cli_numbers(m.before, 4) : json_null());
        json_object_set_new(root, "from_s", json_real(1e-9 * (double)m.span.from_ns));
        json_object_set_new(root, "to_s", json_real(1e-9 * (double)m.span.to_ns));
        return cli_print_json(root);
    }
    if (!c->quiet) {
        cli_print(
            "the attitude from %.2f to %.2f s is zero now: level, and north where there is a magnetometer\n",
            1e-9 * (double)m.span.from_ns, 1e-9 * (double)m.span.to_ns);
        print_mount("the mount turns readings by", record.mount);
        if (m.had) {
            print_mount("it replaces one that turned them by", m.before);
        }
        cli_print("written: %s\n", target);
    }
    return cli_print_done();
}

int cli_zero(int argc, const char **argv)
{
    options o = {.declination = NAN};
    cli c;
    const struct poptOption table[] = {
        {"into", '\0', POPT_ARG_STRING, &o.into, CLI_UPDATES, "put the mount into this calibration", "CAL"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_UPDATES, "write here (default: the file of --into)", "CAL"},
        {"declination", '\0', POPT_ARG_DOUBLE, &o.declination, 0,
         "of the magnetic from the true north there, east positive; kept in the calibration", "DEG"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG",
        CLI_READS,
        1,
        1,
        "The attitude in which the board rests longest becomes the zero: level, and, with a magnetometer, x\n"
        "to the north. It goes into the calibration as its mount, which turns the corrected vectors.",
        "zero still.csv --into pod-07.json"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? zero(&c, &o) : code;
    cli_close(&c);
    return code;
}
