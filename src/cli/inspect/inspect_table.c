/* SPDX-License-Identifier: MIT
 * An inspection as tables. */
#include "cli/inspect/inspect.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MIN_NOISE_S 10.0
#define MIN_STILL_HZ 5.0 /* slower readings leave half seconds without any */
enum { LINES_SHOWN = 2, STILL_SHOWN = 4 };

static void print_axis(double value, double unit, int present)
{
    if (present && isfinite(value)) {
        cli_print(" %9.4f", value / unit);
    } else {
        cli_print(" %9s", "-");
    }
}

static void print_sensor(marl_sensor sensor, const marl_sensor_summary *s)
{
    const double unit = sensor == MARL_GYRO ? MARL_DEGREE : 1.0;
    char rate[16] = "-", jitter[16] = "-";
    if (isfinite(s->rate_hz)) {
        snprintf(rate, sizeof rate, "%.2f", s->rate_hz);
        snprintf(jitter, sizeof jitter, "%.3f", s->jitter_ms);
    }
    cli_print("%-6s %7s %8s %5zu  %-5s", marl_sensor_name(sensor), rate, jitter, s->gaps,
              sensor == MARL_GYRO ? "deg/s" : marl_sensor_unit(sensor));
    for (int k = 0; k < 3; k++) {
        print_axis(s->mean[k], unit, (int)(s->axes >> k) & 1);
    }
    cli_print(" ");
    for (int k = 0; k < 3; k++) {
        print_axis(s->deviation[k], unit, (int)(s->axes >> k) & 1);
    }
    cli_print("\n");
}

static void print_still(const marl_inspection *inspection)
{
    const marl_spans *still = &inspection->still;
    double fastest = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        fastest = fmax(fastest, isfinite(inspection->sensor[i].rate_hz) ? inspection->sensor[i].rate_hz : 0);
    }
    if (still->n == 0 && fastest < MIN_STILL_HZ) {
        cli_print("still: cannot be seen at %.3g Hz; %g Hz are needed\n", fastest, MIN_STILL_HZ);
        return;
    }
    if (still->n == 0) {
        cli_print("still: never for as long as a second\n");
        return;
    }
    cli_print("still: %.1f s of %.1f s:", marl_spans_seconds(still), inspection->duration_s);
    for (size_t i = 0; i < still->n && i < STILL_SHOWN; i++) {
        cli_print("%s %.2f to %.2f", i ? "," : "", (double)still->span[i].from_ns * 1e-9,
                  (double)still->span[i].to_ns * 1e-9);
    }
    cli_print(still->n > STILL_SHOWN ? " and %zu more\n" : " s\n", still->n - STILL_SHOWN);
}

static void print_attitudes(const marl_log *log)
{
    size_t n = cli_count_attitudes(log);
    if (n > 0) {
        cli_print("attitudes: %zu in %s, heading %s\n", n, marl_world_name(log->info.world),
                  log->info.relative_heading ? "relative" : "magnetic");
    }
}

static void print_sensors(const marl_inspection *inspection)
{
    cli_print("%-6s %7s %8s %5s  %-5s %9s %19s  %9s\n", "", "rate", "jitter", "", "", "mean", "",
              "deviation");
    cli_print("%-6s %7s %8s %5s  %-5s %9s %9s %9s  %9s %9s %9s\n", "sensor", "Hz", "ms", "gaps", "unit", "x",
              "y", "z", "x", "y", "z");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (inspection->sensor[i].axes) {
            print_sensor((marl_sensor)i, &inspection->sensor[i]);
        }
    }
    cli_print("\n");
    print_still(inspection);
}

static int has_sensors(const marl_inspection *inspection)
{
    return inspection->sensor[MARL_ACCEL].axes || inspection->sensor[MARL_GYRO].axes ||
           inspection->sensor[MARL_MAG].axes;
}

static void print_fit(const char *name, const marl_axes_fit *fit)
{
    char text[32];
    if (fit->verdict == MARL_AXES_DECIDED) {
        marl_arrangement_text(&fit->best, text);
        cli_print("%s %s (leaves %.0f %%, the next best %.0f %%)", name, text, 100 * fit->residual,
                  100 * fit->next);
    }
}

/* One line, where there is enough motion. */
static void print_axes(const marl_axes *axes)
{
    const marl_axes_fit *mag = &axes->mag;
    if (axes->gyro.verdict == MARL_AXES_DECIDED) {
        cli_print("axes against the accelerometer's: ");
        print_fit("gyro", &axes->gyro);
        cli_print("%s", mag->verdict == MARL_AXES_DECIDED ? "\n                                  " : "\n");
    } else if (axes->gyro.verdict == MARL_AXES_UNDECIDED) {
        cli_print(
            "axes against the accelerometer's: not shown by this motion; turn about two or more axes\n");
    }
    if (axes->mag_by_gyro.verdict == MARL_AXES_DECIDED) {
        mag = &axes->mag_by_gyro;
        cli_print("axes against the gyroscope's:     ");
    }
    print_fit("mag ", mag);
    if (mag->verdict == MARL_AXES_DECIDED) {
        cli_print(mag->sign_decided ? "\ndip of the field: %.0f deg (north assumed)\n"
                                    : "\ndip of the field: %.0f deg, too flat to determine its sign\n",
                  axes->dip_deg);
    }
}

static void print_speed(const marl_speed_axis *s)
{
    if (s->verdict == MARL_SPEED_UNDECIDED) {
        cli_print("axis of the speed: not shown by this motion\n");
    } else if (s->verdict != MARL_SPEED_ABSENT) {
        const double *u = s->axis;
        cli_print("axis of the speed: (%.3f, %.3f, %.3f) +- (%.3f, %.3f, %.3f), length %.2f\n", u[0], u[1],
                  u[2], s->sigma[0], s->sigma[1], s->sigma[2], sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2]));
    }
}

/* What is seen, or the bound beyond which it would have been. */
static void print_quantity(double value, double bound, double unit, int present)
{
    if (present && isfinite(value)) {
        cli_print(" %8.3g", value / unit);
    } else if (present && isfinite(bound)) {
        char text[24];
        snprintf(text, sizeof text, "<%.2g", bound / unit);
        cli_print(" %8s", text);
    } else {
        cli_print(" %8s", "-");
    }
}

static void print_sensor_noise(marl_sensor sensor, const marl_sensor_noise *n)
{
    const double unit = sensor == MARL_GYRO ? MARL_DEGREE : 1.0;
    cli_print("%-5s %5.0f %-5s", marl_sensor_name(sensor), n->seconds,
              sensor == MARL_GYRO ? "deg/s" : marl_sensor_unit(sensor));
    for (int k = 0; k < 3; k++) {
        print_quantity(n->noise[k].white, NAN, unit, (int)(n->axes >> k) & 1);
    }
    cli_print(" ");
    for (int k = 0; k < 3; k++) {
        print_quantity(n->noise[k].flicker, n->noise[k].flicker_max, unit, (int)(n->axes >> k) & 1);
    }
    cli_print(" ");
    for (int k = 0; k < 3; k++) {
        print_quantity(n->noise[k].walk, n->noise[k].walk_max, unit, (int)(n->axes >> k) & 1);
    }
    cli_print("\n");
}

/* Where there is rest enough to speak of noise. */
static void print_noise(const cli_inspected *seen)
{
    double longest = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        longest = fmax(longest, seen->noise[i].axes ? seen->noise[i].seconds : 0);
    }
    if (longest < MIN_NOISE_S) {
        return;
    }
    cli_print("\n%-5s %5s %-5s %26s  %26s  %26s\n", "noise", "rest", "", "white, unit/sqrt(Hz)",
              "flicker, unit", "walk, unit/sqrt(s)");
    cli_print("%-5s %5s %-5s %8s %8s %8s  %8s %8s %8s  %8s %8s %8s\n", "", "s", "unit", "x", "y", "z", "x",
              "y", "z", "x", "y", "z");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (seen->noise[i].axes) {
            print_sensor_noise((marl_sensor)i, &seen->noise[i]);
        }
    }
    cli_print(
        "<: not seen; more than that would have been, and a rest 16 times as long shows half as much\n");
}

/* How two clocks were brought together. */
static void print_clock(const cli_inspected *seen)
{
    if (seen->merged == 1 && seen->clock.found && isfinite(seen->clock.r_squared)) {
        if (fabs(seen->clock.offset_s) > 0) {
            cli_print_prose(
                0,
                "clock of the second log: %+.4f s added, +- %.4f s, found from motion (explains %.0f %% of "
                "it)\n",
                seen->clock.offset_s, seen->clock.sigma_s, 100 * seen->clock.r_squared);
        } else {
            cli_print("the stamps are of one clock: by the motion within %.4f s\n\n", seen->clock.sigma_s);
        }
    }
}

/* What is known of the spectrum in a line: the corner of the sensor's own filter, and what swings. */
static void print_spectrum(const cli_inspected *seen)
{
    int headed = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_spectrum *s = cli_inspect_spectrum(seen, i);
        const double unit = i == MARL_GYRO ? MARL_DEGREE : 1.0;
        const char *name = i == MARL_GYRO ? "deg/s" : marl_sensor_unit((marl_sensor)i);
        for (int k = 0; k < 3; k++) {
            const marl_spectrum *a = &s->spectrum[k];
            if (!((s->axes >> k) & 1) || (a->lines == 0 && isnan(a->low_pass_hz))) {
                continue;
            }
            if (!headed) {
                cli_print("\nspectrum %s\n", s->at_rest ? "at rest" : "in motion");
                headed = 1;
            }
            cli_print("%-5s %c ", marl_sensor_name((marl_sensor)i), 'x' + k);
            if (isfinite(a->low_pass_hz)) {
                cli_print(" low-pass of %.3g +- %.1g Hz", a->low_pass_hz, a->low_pass_sigma);
            }
            for (size_t l = 0; l < a->lines && l < LINES_SHOWN; l++) {
                cli_print("%s%.2f Hz with %.3g %s", l ? ", " : " line at ", a->line[l].hz,
                          a->line[l].amplitude / unit, name);
            }
            cli_print(a->lines > LINES_SHOWN ? "; %zu more\n" : "\n", a->lines - LINES_SHOWN);
        }
    }
}

static void print_difference(const marl_difference *d, const char *unit)
{
    if (isfinite(d->ratio)) {
        cli_print("  %6.3f at %7.3g %-2s (%.3f)", d->ratio, d->at, unit, d->limit);
    } else {
        cli_print("  %28s", "-");
    }
}

/* Where the other log's noise differs most from this one's. */
static void print_against(const cli_inspected *seen)
{
    if (seen->against == NULL) {
        return;
    }
    cli_print_prose(
        0, "\nnoise of %s over that of this log, where they differ most (in brackets: what may be by chance)",
        seen->against->log.path);
    cli_print("%-8s  %-28s  %-28s\n", "sensor", "Allan deviation", "spectrum");
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_consistency *like = &seen->consistency[i];
        for (int k = 0; k < 3; k++) {
            if (!((like->axes >> k) & 1)) {
                continue;
            }
            cli_print("%-6s %c", marl_sensor_name((marl_sensor)i), 'x' + k);
            print_difference(&like->allan[k], "s");
            print_difference(&like->spectrum[k], "Hz");
            cli_print("  %s\n", like->allan[k].holds && like->spectrum[k].holds ? "consistent" : "DIFFERENT");
        }
    }
    cli_print(cli_inspect_holds(seen) ? "consistent: a sheet that describes one of them describes the other\n"
                                      : "not consistent\n");
}

#define NO_SCATTER_S 1e-6 /* what rounding leaves is none */

static void print_even(const cli_inspected *seen)
{
    const marl_row_times *t = &seen->times;
    if (!seen->sets_even) {
        return;
    }
    cli_print("set evenly: rows every %.6g ms; their times scattered by %.3g ms (rms) about that\n",
              1e3 * t->step_s, t->scatter_s < NO_SCATTER_S ? 0 : 1e3 * t->scatter_s);
    if (t->breaks > 0) {
        cli_print("breaks in it, where rows are missing: %zu\n", t->breaks);
    }
}

static void print_dropped(const cli_inspected *seen)
{
    if (seen->spikes_dropped > 0) {
        cli_print("in the log that is written %zu readings are left out, which stand alone\n",
                  seen->spikes_dropped);
    } else if (seen->drops_spikes) {
        cli_print("in the log that is written nothing is left out: no reading stands alone\n");
    }
}

static void print_removed(const cli_inspected *seen)
{
    int moved = 0;
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_delay *removed = &seen->removed.of[i];
        if (removed->found) {
            cli_print("in the log that is written: %s moved by %+.0f ms\n", marl_sensor_name((marl_sensor)i),
                      -1e3 * removed->delay_s);
        }
        moved |= removed->found;
    }
    if (seen->looked_for_delays && !moved) {
        cli_print("in the log that is written nothing is moved: the motion shows no delay of over 15 ms\n");
    }
}

int cli_inspect_table(const cli_inspected *seen)
{
    const marl_log *log = &seen->log;
    const marl_inspection *inspection = &seen->inspection;
    const char *device = log->info.device;
    cli_print_prose(2, "%s: %s%s%s%s%lu rows, %.3f s from %.3f s", log->path,
                    device[0] != '\0' ? "device " : "", device, device[0] != '\0' ? ", " : "",
                    log->info.corrected ? "corrected, " : "", log->report.rows, inspection->duration_s,
                    (double)log->row[0].sample.t_ns * 1e-9);
    cli_print("%lu rows dropped, %lu cells missing\n%s", log->report.rows_dropped, log->report.cells_missing,
              has_sensors(inspection) ? "\n" : "");
    print_clock(seen);
    print_even(seen);
    if (has_sensors(inspection)) {
        print_sensors(inspection);
        print_axes(&seen->axes);
        print_speed(&seen->speed);
        print_noise(seen);
        print_spectrum(seen);
        print_against(seen);
    }
    print_attitudes(log);
    print_removed(seen);
    print_dropped(seen);
    return cli_print_done();
}
