/* SPDX-License-Identifier: MIT
 * What a recording shows: the guide while it runs, the summary at its end. */
#include "cli/common/recording.h"
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <time.h>
#include <unistd.h>

#define DRAW_WALL_S 0.1 /* on a terminal */
#define DRAW_LOG_S 1.0
#define LINE_S 10.0 /* otherwise, of the recording, at the latest */

static const char *const end_names[END_COUNT] = {"enough", "stopped", "over", "vanished", "silent"};

static double wall_now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + 1e-9 * (double)t.tv_nsec;
}

static int columns_of_terminal(void)
{
    struct winsize size;
    return ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0 ? size.ws_col : 80;
}

/* What a filter makes of it, in one line. */
static void watch_text(const marl_live_run *run, char *text, size_t size)
{
    const marl_rpy rpy = marl_quat_to_rpy(run->q);
    const marl_estimator *e = &run->pipeline.estimator;
    const double unit = MARL_DEGREE;
    float heading = 0.0f;
    if (!run->has_q) {
        snprintf(text, size, "%-16.40s %.100s", run->tuning.name,
                 run->failure[0] ? run->failure : "no attitude yet");
        return;
    }
    const marl_estimator_counts counts = marl_estimator_count(e);
    int upright = marl_frame_heading(run->q, MARL_WORLD_ENU, &heading) != MARL_OK;
    snprintf(text, size, "%-16.40s roll %7.2f pitch %6.2f heading %6.2f deg%s, bias %.2f deg/s, invalid %u",
             run->tuning.name, (double)rpy.roll / unit, (double)rpy.pitch / unit, (double)heading / unit,
             upright ? " (upright)" : "", (double)marl_vec3_norm(marl_estimator_bias(e)) / unit,
             (unsigned)(counts.invalid_accel + counts.invalid_gyro + counts.invalid_mag));
}

/* Over what was drawn before. Lines that the terminal would break are cut, or the place would be lost. */
static void draw(recording *r, const marl_guide_view *view)
{
    int width = columns_of_terminal() - 1;
    if (r->drawn > 0) {
        fprintf(stderr, "\033[%dA", r->drawn);
    }
    r->drawn = 0;
    for (int i = 0; i < MARL_GUIDE_LINES; i++) {
        const char *line = view->line[i];
        int arrow = i == MARL_GUIDE_LINES - 1;
        if (line[0] == '\0') {
            continue;
        }
        r->drawn++;
        fprintf(stderr, "\r%s%.*s\033[K\n", arrow ? "-> " : "", width - (arrow ? 3 : 0), line);
    }
    for (size_t i = 0; r->watched != NULL && i < r->watched->n; i++) {
        char line[200];
        watch_text(&r->watched->run[i], line, sizeof line);
        r->drawn++;
        fprintf(stderr, "\r%.*s\033[K\n", width, line);
    }
    fflush(stderr);
}

/* One line when there is something new to do, or nothing was printed for long. */
static void print_text(recording *r, const marl_guide_view *view, int now)
{
    double since = marl_guide_seconds(r->guide) - r->drawn_log_s;
    int changed = strcmp(view->line[2], r->given) != 0;
    if (since <= 0 || (!now && !(changed && since >= DRAW_LOG_S) && since < LINE_S)) {
        return;
    }
    r->drawn_log_s = marl_guide_seconds(r->guide);
    snprintf(r->given, sizeof r->given, "%s", view->line[2]);
    cli_message("%7.1f s  %s%s%s", marl_guide_seconds(r->guide), view->line[1],
                view->line[2][0] ? " -> " : "", view->line[2]);
    for (size_t i = 0; r->watched != NULL && i < r->watched->n; i++) {
        char line[200];
        watch_text(&r->watched->run[i], line, sizeof line);
        cli_message("           %s", line);
    }
}

void recording_show(recording *r, int now)
{
    marl_guide_view view;
    double log_s = marl_guide_seconds(r->guide);
    if (r->quiet || (!r->on_terminal && !now && log_s - r->drawn_log_s < DRAW_LOG_S)) {
        return;
    }
    if (!r->on_terminal) {
        marl_guide_show(r->guide, &view);
        print_text(r, &view, now);
        return;
    }
    double wall = log_s - r->drawn_log_s >= DRAW_LOG_S || now ? INFINITY : wall_now();
    if (wall - r->drawn_wall_s < DRAW_WALL_S) {
        return;
    }
    marl_guide_show(r->guide, &view);
    draw(r, &view);
    r->drawn_log_s = log_s;
    r->drawn_wall_s = wall_now();
}

static void warn_of_end(recording *r)
{
    double at = marl_guide_seconds(r->guide);
    const char *name = r->from->name;
    if (r->end == END_VANISHED) {
        marl_warn(&r->warnings, "vanished", "%s: the device vanished after %.1f s; what was received is kept",
                  name, at);
    } else if (r->end == END_SILENT) {
        marl_warn(&r->warnings, "silent", "%s: the board went silent after %.1f s; what was received is kept",
                  name, at);
    }
}

static void warn_of_field(recording *r)
{
    marl_renewal_report report;
    const marl_vec3 *off = &report.found.change, *sigma = &report.found.bias_sigma;
    if (marl_receiver_renewal(r->receiver, &report) == MARL_OK && report.stage == MARL_RENEWAL_AGAIN) {
        marl_warn(&r->warnings, "calibrate-again",
                  "%s: the field contradicts the board's calibration of the magnetometer: its bias seems off "
                  "by %.1f, "
                  "%.1f, %.1f uT (standard errors %.1f, %.1f, %.1f) of %.1f: calibrate it again",
                  r->from->name, (double)off->x, (double)off->y, (double)off->z, (double)sigma->x,
                  (double)sigma->y, (double)sigma->z, (double)report.found.length);
    }
}

void recording_warn(recording *r)
{
    const marl_stream_report *s = marl_receiver_report(r->receiver);
    const char *name = r->from->name;
    if (s->items_lost > 0) {
        marl_warn(&r->warnings, "lost", "%s: %lu of %lu packets were lost on the line", name, s->items_lost,
                  s->items + s->items_lost);
    }
    if (s->bytes_skipped > 0) {
        marl_warn(&r->warnings, "noise", "%s: %lu of %lu bytes belonged to no whole %s", name,
                  s->bytes_skipped, s->bytes,
                  s->kind == MARL_STREAM_LINES ? "line behind a header" : "packet");
    }
    if (s->items_unknown > 0) {
        marl_warn(
            &r->warnings, "unknown-packets",
            "%s: %lu packets hold no item that a board sends, as far as this version knows; passed over",
            name, s->items_unknown);
    }
    if (s->events > 0) {
        marl_warn(&r->warnings, "chip", "%s: the board sent %lu events about its chips, the first: %s", name,
                  s->events, s->first_event);
    }
    warn_of_field(r);
    if (s->rows.repeated_kept > 0) {
        marl_warn(
            &r->warnings, "time-repeat",
            "%s: time stands still in %lu rows; they are kept as 1 ns later each: inspect --even-times -o "
            "LOG sets them evenly",
            name, s->rows.repeated_kept);
    } else if (marl_guide_gaps(r->guide) > 0) {
        marl_warn(&r->warnings, "gap", "%s: %lu gaps between readings", name, marl_guide_gaps(r->guide));
    }
    if (marl_receiver_info(r->receiver)->columns & ~r->info.columns) {
        marl_warn(&r->warnings, "unknown-column", "%s: columns that appeared later were left out", name);
    }
    marl_log_warn(&r->warnings, &s->rows, name);
    warn_of_end(r);
}

static void warn_of_lack(recording *r)
{
    marl_guide_view view;
    if (!recording_is_enough(r)) {
        marl_guide_show(r->guide, &view);
        marl_warn(&r->warnings, "not-enough", view.line[2][0] ? "not enough; next: %s" : "not enough: %s",
                  view.line[2][0] ? view.line[2] : view.line[1]);
    }
}

int recording_print(recording *r)
{
    const marl_stream_report *s = marl_receiver_report(r->receiver);
    recording_warn(r);
    warn_of_lack(r);
    cli_print_warnings(&r->warnings);
    cli_print("%s: %lu rows, %.1f s", r->out, r->rows, marl_guide_seconds(r->guide));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        double rate = marl_guide_rate(r->guide, (marl_sensor)i);
        if (isfinite(rate)) {
            cli_print(", %s %.2f Hz", marl_sensor_name((marl_sensor)i), rate);
        }
    }
    cli_print("\n");
    if (r->info.device[0] != '\0') {
        cli_print("device %s%s", r->info.device, s->kind == MARL_STREAM_PACKETS ? ", " : "\n");
    }
    if (s->kind == MARL_STREAM_PACKETS) {
        cli_print("%lu packets lost\n", s->items_lost);
    }
    return cli_print_done();
}

static json_t *rates_json(const recording *r)
{
    json_t *sensors = json_object();
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        double rate = marl_guide_rate(r->guide, (marl_sensor)i);
        if (isfinite(rate)) {
            json_object_set_new(sensors, marl_sensor_name((marl_sensor)i),
                                json_pack("{s:f}", "rate_hz", rate));
        }
    }
    return sensors;
}

int recording_print_json(recording *r)
{
    const marl_stream_report *s = marl_receiver_report(r->receiver);
    marl_guide_view view;
    json_t *root = json_object(), *next = json_array();
    recording_warn(r);
    warn_of_lack(r);
    marl_guide_show(r->guide, &view);
    if (!recording_is_enough(r)) {
        json_array_append_new(next, cli_text(view.line[2][0] ? view.line[2] : "record for longer"));
    }
    json_object_set_new(root, "accepted", json_boolean(recording_is_enough(r)));
    json_object_set_new(root, "log", cli_text(r->out));
    json_object_set_new(root, "device", r->info.device[0] ? cli_text(r->info.device) : json_null());
    json_object_set_new(root, "stream", cli_text(s->kind == MARL_STREAM_LINES ? "lines" : "packets"));
    json_object_set_new(root, "ended", cli_text(end_names[r->end]));
    json_object_set_new(root, "rows", json_integer((json_int_t)r->rows));
    json_object_set_new(root, "rows_dropped", json_integer((json_int_t)s->rows.rows_dropped));
    json_object_set_new(root, "duration_s", json_real(marl_guide_seconds(r->guide)));
    json_object_set_new(root, "sensors", rates_json(r));
    json_object_set_new(root, "gaps", json_integer((json_int_t)marl_guide_gaps(r->guide)));
    json_object_set_new(root, "packets_lost", json_integer((json_int_t)s->items_lost));
    json_object_set_new(root, "packets_unknown", json_integer((json_int_t)s->items_unknown));
    json_object_set_new(root, "restarts", json_integer((json_int_t)s->rows.restarts));
    json_object_set_new(root, "bytes", json_integer((json_int_t)s->bytes));
    json_object_set_new(root, "bytes_skipped", json_integer((json_int_t)s->bytes_skipped));
    json_object_set_new(root, "events", json_integer((json_int_t)s->events));
    json_object_set_new(root, "progress", json_real(marl_guide_progress(r->guide)));
    json_object_set_new(root, "next", next);
    json_object_set_new(root, "warnings", cli_warnings_json(&r->warnings));
    return cli_print_json(root);
}
