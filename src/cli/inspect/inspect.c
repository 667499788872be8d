/* SPDX-License-Identifier: MIT
 * marlinspike inspect */
#include "cli/inspect/inspect_parts.h"
#include "marlinspike/smooth.h"
#include <limits.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define LESSER_PART 0.25 /* of the recording */

typedef struct options {
    char *figure, *sheet_out, *against, *calibration, *out, *time_offset, *delay;
    int drop_spikes, even_times;
    cli_clock clock;
} options;

static void warn_of_gaps(cli_inspected *seen)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_summary *s = &seen->inspection.sensor[i];
        if (s->gaps > 0 && (seen->sets_even || !seen->times.are_uneven)) {
            marl_warn(&seen->warnings, "gap", "%s: %s has %zu gap%s, the longest of %.4g s at %.3f s",
                      seen->log.path, marl_sensor_name((marl_sensor)i), s->gaps, s->gaps == 1 ? "" : "s",
                      s->longest_gap_s, (double)s->longest_gap_ns * 1e-9);
        }
    }
}

static void warn_of_arrangement(marl_warnings *warnings, const marl_axes_fit *fit, const char *name,
                                const char *against, const char *path)
{
    char text[32];
    if (fit->verdict == MARL_AXES_DECIDED && !marl_arrangement_is_plain(&fit->best)) {
        marl_arrangement_text(&fit->best, text);
        marl_warn(warnings, "axes-suspect", "%s: to the %s's axes the %s's stand so: %s", path, against, name,
                  text);
    }
}

/* Against the field of the northern hemisphere, which points down. */
static void warn_of_mag(cli_inspected *seen)
{
    const marl_arrangement *a = &seen->axes.mag.best;
    int is_opposite = seen->axes.mag.verdict == MARL_AXES_DECIDED && a->axis[0] == -1 && a->axis[1] == -2 &&
                      a->axis[2] == -3;
    if (is_opposite) {
        marl_warn(&seen->warnings, "axes-suspect",
                  "%s: by accelerometer and magnetometer the field points up, as it does south of the "
                  "equator; else one of the two has the other sign in all axes (at rest the accelerometer "
                  "must read +9.8 m/s^2 along what points up)",
                  seen->log.path);
    } else {
        warn_of_arrangement(&seen->warnings, &seen->axes.mag, "magnetometer", "accelerometer",
                            seen->log.path);
    }
}

/* Units and axes in the header that contradict the motion. */
static void warn_of_suspicions(cli_inspected *seen)
{
    const char *path = seen->log.path;
    marl_unit_suspicions units = marl_suspect_units(&seen->log, &seen->inspection.still, &seen->axes);
    snprintf(seen->contradiction, sizeof seen->contradiction, "%s",
             units.accel[0] ? units.accel : units.gyro);
    if (units.accel[0] != '\0') {
        marl_warn(&seen->warnings, "units-suspect", "%s: %s", path, units.accel);
    }
    if (units.gyro[0] != '\0') {
        marl_warn(&seen->warnings, "units-suspect", "%s: %s", path, units.gyro);
    }
    warn_of_arrangement(&seen->warnings, &seen->axes.gyro, "gyroscope", "accelerometer", path);
    warn_of_mag(seen);
    warn_of_arrangement(&seen->warnings, &seen->axes.mag_by_gyro, "magnetometer", "gyroscope", path);
}

/* What swings; at rest nothing should. */
static void warn_of_lines(cli_inspected *seen)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_spectrum *s = &seen->rest[i];
        const double unit = i == MARL_GYRO ? MARL_DEGREE : 1;
        size_t lines = 0;
        int best = 0;
        for (int k = 0; k < 3 && s->axes; k++) {
            lines += s->spectrum[k].lines;
            best = s->spectrum[k].lines > 0 &&
                           (s->spectrum[best].lines == 0 ||
                            s->spectrum[k].line[0].amplitude > s->spectrum[best].line[0].amplitude)
                       ? k
                       : best;
        }
        if (lines > 0) {
            const marl_line *line = &s->spectrum[best].line[0];
            marl_warn(&seen->warnings, "line", "%s: at rest %s_%c swings at %.2f Hz with %.3g %s%s",
                      seen->log.path, marl_sensor_name((marl_sensor)i), 'x' + best, line->hz,
                      line->amplitude / unit, i == MARL_GYRO ? "deg/s" : marl_sensor_unit((marl_sensor)i),
                      lines > 1 ? ", and there are more lines" : "");
        }
    }
}

static marl_status find_noise(cli_inspected *seen, marl_error *error)
{
    marl_status status = marl_inspect(&seen->log, &seen->inspection, error);
    for (int i = 0; i < MARL_SENSOR_COUNT && status == MARL_OK; i++) {
        status = marl_noise_of_log(&seen->log, &seen->inspection, (marl_sensor)i, &seen->noise[i], error);
        if (status == MARL_OK) {
            status =
                marl_spectrum_of_log(&seen->log, &seen->inspection, (marl_sensor)i, 1, &seen->rest[i], error);
        }
        if (status == MARL_OK && seen->rest[i].seconds < LESSER_PART * seen->inspection.duration_s) {
            status = marl_spectrum_of_log(&seen->log, &seen->inspection, (marl_sensor)i, 0, &seen->motion[i],
                                          error);
        }
    }
    return status;
}

const marl_sensor_spectrum *cli_inspect_spectrum(const cli_inspected *seen, int sensor)
{
    return seen->motion[sensor].axes ? &seen->motion[sensor] : &seen->rest[sensor];
}

/* How long a rest must be for what was asked, of the sensors that this log has. */
static marl_status need_rest(const cli_inspected *seen, marl_error *error)
{
    double longest = 0, needed = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (seen->inspection.sensor[i].axes && isfinite(seen->inspection.sensor[i].rate_hz)) {
            needed = fmax(needed, MARL_SPECTRUM_MIN / seen->inspection.sensor[i].rate_hz);
            longest = fmax(longest, seen->noise[i].axes ? seen->noise[i].seconds : 0);
            if (seen->rest[i].axes) {
                return MARL_OK;
            }
        }
    }
    return marl_fail(
        error, MARL_ERR_INSUFFICIENT,
        "%s: the longest still span without a gap lasts %.3g s; noise needs at least %.3g s at these "
        "rates, and an hour shows more: record with --until still",
        seen->log.path, longest, fmax(needed, 1));
}

int cli_inspect_holds(const cli_inspected *seen)
{
    int compared = 0, holds = 1;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        compared |= seen->consistency[i].axes != 0;
        holds = holds && (seen->consistency[i].axes == 0 || seen->consistency[i].holds);
    }
    return compared && holds;
}

/* The second log of --against: the noise of both must be there. */
static marl_status inspect_against(cli_inspected *seen, cli_inspected *other, const char *path,
                                   const cli_reading *reading, marl_error *error)
{
    marl_log_options ours = reading->options;
    ours.columns = NULL;
    MARL_TRY(marl_log_load(&other->log, path, &ours, error));
    MARL_TRY(find_noise(other, error));
    MARL_TRY(need_rest(seen, error));
    MARL_TRY(need_rest(other, error));
    int compared = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        seen->consistency[i] =
            marl_compare_noise(&seen->noise[i], &seen->rest[i], &other->noise[i], &other->rest[i]);
        compared |= seen->consistency[i].axes != 0;
    }
    if (!compared) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: no sensor at rest that %s has, too", path,
                         seen->log.path);
    }
    seen->against = other;
    return MARL_OK;
}

/* What the times of the rows are; --even-times sets them before anything else is seen. */
static marl_status see_times(cli_inspected *seen, const options *o, marl_error *error)
{
    marl_error why = {0};
    seen->sets_even = o->even_times;
    if (o->even_times) {
        return marl_row_times_set_even(&seen->log, &seen->times, error);
    }
    MARL_TRY(marl_row_times_warn(&seen->warnings, &seen->log, error));
    marl_status status = marl_row_times_find(&seen->log, &seen->times, &why);
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "%s", why.text) : MARL_OK;
}

static marl_status examine(const cli *c, cli_inspected *seen, const cli_reading *reading, const options *o,
                           marl_error *error)
{
    MARL_TRY(cli_inspect_read(c, reading, &o->clock, seen, error));
    MARL_TRY(see_times(seen, o, error));
    MARL_TRY(find_noise(seen, error));
    MARL_TRY(marl_axis_faults_warn(&seen->warnings, &seen->log, error));
    MARL_TRY(marl_axes_find(&seen->log, &seen->axes, error));
    seen->speed = marl_speed_axis_find(&seen->log, marl_quat_identity());
    marl_speed_axis_warn(&seen->warnings, seen->log.path, &seen->speed);
    MARL_TRY(marl_sensor_delays_find(&seen->log, &seen->delays, error));
    marl_sensor_delays_warn(&seen->warnings, &seen->log, &seen->delays);
    return marl_hard_iron_warn(&seen->warnings, &seen->log, &seen->axes, error);
}

static marl_status write_sheet(const cli_inspected *seen, const cli_reading *reading, const char *path,
                               marl_error *error)
{
    marl_sheet sheet;
    MARL_TRY(need_rest(seen, error));
    MARL_TRY(
        marl_sheet_of_recording(&seen->log, seen->noise, seen->rest, reading->options.sheet, &sheet, error));
    return marl_sheet_write(&sheet, path, error);
}

static int show(const cli *c, cli_inspected *seen, const options *o, const cli_reading *reading)
{
    const char *figure = o->figure;
    marl_error error = {0};
    if (o->sheet_out != NULL && write_sheet(seen, reading, o->sheet_out, &error) != MARL_OK) {
        return cli_exit(&error);
    }
    if (o->out != NULL && seen->mapped && seen->contradiction[0] != '\0') {
        (void)!marl_fail(&error, MARL_ERR_INPUT, "%s: %s; nothing is written by such a map", seen->log.path,
                         seen->contradiction);
        return cli_exit(&error);
    }
    seen->drops_spikes = o->drop_spikes;
    if (o->drop_spikes && marl_spikes_remove(&seen->log, &seen->spikes_dropped, &error) != MARL_OK) {
        return cli_exit(&error);
    }
    if (o->out != NULL && (cli_inspect_remove_delays(seen, o->delay, &error) != MARL_OK ||
                           cli_inspect_write(seen, o->out, &error) != MARL_OK)) {
        return cli_exit(&error);
    }
    if (figure != NULL && cli_inspect_figure(seen, figure, &error) != MARL_OK) {
        return cli_exit(&error);
    }
    int code = c->json ? cli_inspect_json(seen) : c->quiet ? CLI_DONE : cli_inspect_table(seen);
    int differs = seen->against != NULL && !cli_inspect_holds(seen);
    return code == CLI_DONE && differs ? CLI_DOES_NOT_HOLD : code;
}

static marl_status check_options(const cli *c, options *o, marl_error *error)
{
    MARL_TRY(cli_inspect_check_delay(o->delay, o->out, error));
    if (o->drop_spikes && o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "--drop-spikes is of the log that -o writes");
    }
    if (o->time_offset == NULL || strcmp(o->time_offset, "auto") == 0) {
        return MARL_OK;
    }
    char *end;
    o->clock.given = 1;
    o->clock.offset_s = strtod(o->time_offset, &end);
    if (end == o->time_offset || *end != '\0' || !(fabs(o->clock.offset_s) < 4e9)) {
        return marl_fail(error, MARL_ERR_USE, "--time-offset is auto or seconds, and not '%s'",
                         o->time_offset);
    }
    if (c->files < 2) {
        return marl_fail(error, MARL_ERR_USE, "--time-offset is of the second of two logs");
    }
    return MARL_OK;
}

/* Temperatures of this recording outside the range of a calibration. */
static marl_status warn_of_temperature(cli_inspected *seen, const char *path, marl_error *error)
{
    marl_calibration_record record;
    marl_status status = marl_calibration_read(&record, path, error);
    if (status == MARL_OK) {
        status = marl_device_match(seen->log.info.device, seen->log.path, record.device, path, error);
    }
    if (status == MARL_OK && marl_temperature_outside(&record, &seen->log)) {
        marl_warn(&seen->warnings, "temperature-outside",
                  "%s: beyond the temperatures of %s, whose curve holds its end value there", seen->log.path,
                  path);
    }
    return status;
}

static int inspect(const cli *c, cli_reading *reading, options *o)
{
    marl_error error = {0};
    cli_inspected *seen = calloc(2, sizeof *seen), *other = seen + 1;
    int code;
    if (seen == NULL) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    marl_status status = o->figure != NULL ? marl_figure_check_path(o->figure, &error) : MARL_OK;
    status = status != MARL_OK ? status : cli_reading_prepare(reading, c->files, &error);
    reading->options.keep_repeated = o->even_times;
    status = status != MARL_OK ? status : check_options(c, o, &error);
    status = status != MARL_OK ? status : examine(c, seen, reading, o, &error);
    if (status == MARL_OK && o->calibration != NULL) {
        status = warn_of_temperature(seen, o->calibration, &error);
    }
    if (status == MARL_OK && o->against != NULL) {
        status = inspect_against(seen, other, o->against, reading, &error);
    }
    if (status == MARL_OK) {
        warn_of_gaps(seen);
        warn_of_suspicions(seen);
        cli_inspect_warn_of_units(seen, reading);
        warn_of_lines(seen);
        if (o->sheet_out != NULL) {
            marl_warn(&seen->warnings, "sheet",
                      "%s: a rest does not show range, scale, cross-axis, spread and temperature of a bias, "
                      "nor the bias of "
                      "accelerometer and magnetometer: those are of %s",
                      o->sheet_out,
                      reading->sheet != NULL ? reading->sheet
                                             : "the Grommet's sheet; --sheet gives the part's");
        }
        if (!c->quiet) {
            cli_print_warnings(&seen->warnings);
        }
        code = show(c, seen, o, reading);
    } else {
        cli_print_warnings(&seen->warnings); /* what was left out, and why */
        code = cli_exit(&error);
    }
    for (int i = 0; i < 2; i++) {
        marl_inspection_free(&seen[i].inspection);
        marl_log_free(&seen[i].log);
    }
    free(seen);
    return code;
}

int cli_inspect(int argc, const char **argv)
{
    cli_reading reading = {0};
    options o = {0};
    cli c;
    const struct poptOption table[] = {
        {"figure", '\0', POPT_ARG_STRING, &o.figure, CLI_WRITES,
         "readings over time, Allan deviation and spectrum: .png, .svg or .gp", "FILE"},
        {"against", '\0', POPT_ARG_STRING, &o.against, CLI_READS,
         "is the noise at rest of this log the same? (one simulated by a sheet)", "LOG"},
        {"sheet-out", '\0', POPT_ARG_STRING, &o.sheet_out, CLI_WRITES,
         "a sheet of these sensors for simulate; --sheet gives what a rest does not show", "F"},
        {"calibration", '\0', POPT_ARG_STRING, &o.calibration, CLI_CALIBRATION,
         "is this recording within its temperatures?", "CAL"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES_ROWS, "the recording as a log of ours", "LOG"},
        {"time-offset", '\0', POPT_ARG_STRING, &o.time_offset, 0,
         "to be added to the times of the second log: auto (from motion), or seconds", "S"},
        {"delay", '\0', POPT_ARG_STRING, &o.delay, 0,
         "with -o: put readings where they belong that are late: auto (those that the motion shows), or "
         "seconds, such as mag=0.04,accel=0.01",
         "D"},
        {"even-times", '\0', POPT_ARG_NONE, &o.even_times, 0,
         "rows came at an even rate, and their times are of reception, or coarse: set them evenly", NULL},
        {"drop-spikes", '\0', POPT_ARG_NONE, &o.drop_spikes, 0,
         "with -o: leave out readings that stand alone", NULL},
        CLI_READING_OPTIONS(reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "LOG...",
        CLI_READS,
        1,
        INT_MAX,
        "Reports what a recording holds: rows, real rates, jitter, gaps, mean and deviation of each axis\n"
        "over the whole recording, clipped and stuck axes, when the board was at rest, and what noise\n"
        "its sensors have there: white, flicker and walk, each only where this recording can show it.\n"
        "Reports where units or axes contradict gravity or the motion. For a file from elsewhere, text\n"
        "or JSON, it reports what the columns seem to be, and the map to read it by. Several files, or a\n"
        "folder of them, whose sensors were recorded apart, are put together on the clock of the first,\n"
        "each by its names or as FILE:MAP.",
        "inspect data/demo/lift.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? inspect(&c, &reading, &o) : code;
    cli_close(&c);
    return code;
}
