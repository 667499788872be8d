/* SPDX-License-Identifier: MIT
 * How inspect gets its recording: from one file or from several, ours or from elsewhere, each with its map or its guess. */
#include "cli/inspect/inspect.h"
#include "cli/inspect/inspect_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* Clocks that differ by less than this and what they are known to are one: a low-pass delays a sensor by as much, s. */
#define SAME_CLOCK 0.02
#define SIGMAS 3.0
/* Such a small offset is none where so much of the shorter log is of the same time. */
#define COMMON_SHARE 0.8

/* What several files are put together from. */
typedef struct gathering {
    const cli *c;
    const cli_reading *reading;
    const cli_clock *clock;
    cli_sources sources;
    cli_inspected *seen;
    int guessed; /* the unit of the gyroscope is a guess */
    int is_ours; /* the file at hand is a log of ours */
} gathering;

/* The i-th source: by its own map, by that of --columns, as a log of ours, or by its guess where several are
 * put together. */
static marl_status load(gathering *g, size_t i, marl_log *log, marl_error *error)
{
    const cli_file *file = &g->sources.file[i];
    const cli_reading *reading = g->reading;
    marl_log_options options = reading->options;
    marl_column_map map;
    if (file->map != NULL) {
        MARL_TRY(marl_column_map_read(&map, file->map, error));
        options.columns = &map;
    } else if (reading->maps > 0) {
        options.columns = &reading->map[(int)i < reading->maps ? (int)i : reading->maps - 1];
    }
    marl_status status = marl_log_load_ours(log, file->path, &options, error);
    g->is_ours = status == MARL_OK && options.columns == NULL;
    if (status != MARL_ERR_INPUT || options.columns != NULL) {
        return status;
    }
    if (g->sources.n > 1) {
        int guessed = 0;
        *error = (marl_error){0};
        MARL_TRY(marl_log_load_named(log, file->path, &options, &guessed, error));
        g->guessed |= guessed;
        return MARL_OK;
    }
    cli_inspect_print_guess(g->c, reading, file->path);
    return status;
}

static int has_motion(const marl_log *log)
{
    return (log->info.columns & (MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_MAG)) != 0;
}

/* Share of the shorter of two logs in which the other has stamps, too. */
static double common_share(const marl_log *a, const marl_log *b)
{
    double from = fmax((double)a->row[0].sample.t_ns, (double)b->row[0].sample.t_ns);
    double to = fmin((double)a->row[a->n - 1].sample.t_ns, (double)b->row[b->n - 1].sample.t_ns);
    double shorter = fmin((double)(a->row[a->n - 1].sample.t_ns - a->row[0].sample.t_ns),
                          (double)(b->row[b->n - 1].sample.t_ns - b->row[0].sample.t_ns));
    return shorter > 0 ? (to - from) / shorter : 0;
}

/* The next log's times on the first one's clock. */
static marl_status find_offset(gathering *g, const marl_log *next, marl_error *error)
{
    const marl_log *first = &g->seen->log;
    marl_clock_offset *found = &g->seen->clock;
    *found = (marl_clock_offset){0, NAN, NAN, NAN, {NAN, NAN}, {NAN, NAN}};
    if (g->clock->given) {
        *found = (marl_clock_offset){1, g->clock->offset_s, 0, NAN, {NAN, NAN}, {NAN, NAN}};
        return MARL_OK;
    }
    if (!has_motion(first) || !has_motion(next)) {
        return MARL_OK;
    }
    marl_status status = marl_clock_offset_find(first, next, found, error);
    if (status == MARL_OK && found->found && common_share(first, next) > COMMON_SHARE &&
        fabs(found->offset_s) < SAME_CLOCK + SIGMAS * found->sigma_s) {
        found->offset_s = 0; /* one clock */
    } else if (status == MARL_OK && !found->found && isfinite(found->candidate_s[0])) {
        marl_warn(&g->seen->warnings, "clocks",
                  "%s: its clock offset to %s is ambiguous: %.2f s explains %.0f %% of the turning, %.2f s "
                  "%.0f %%; times are used as they are (--time-offset S sets it)",
                  next->path, first->path, found->candidate_s[0], 100 * found->candidate_r_squared[0],
                  found->candidate_s[1], 100 * found->candidate_r_squared[1]);
    } else if (status == MARL_OK && !found->found) {
        marl_warn(&g->seen->warnings, "clocks",
                  "%s: the motion does not determine its clock offset to %s; times are used as they "
                  "are (--time-offset S sets it)",
                  next->path, first->path);
    }
    return status;
}

/* Puts the next log to what there is. */
static marl_status add(gathering *g, const marl_log *next, marl_error *error)
{
    cli_inspected *seen = g->seen;
    marl_log both;
    MARL_TRY(find_offset(g, next, error));
    double offset = seen->clock.found ? seen->clock.offset_s : 0;
    MARL_TRY(marl_log_merge(&seen->log, next, (int64_t)llround(offset * 1e9), &both, error));
    marl_log_free(&seen->log);
    seen->log = both;
    seen->merged++;
    if (seen->merged > 1 && (offset < 0 || offset > 0)) {
        marl_warn(&seen->warnings, "clock-shifted", "%s: %+.4f s added to its times, +- %.4f s", next->path,
                  offset, seen->clock.sigma_s);
    }
    return MARL_OK;
}

/* A unit of the gyroscope that is a guess by its size, against how gravity turns. */
static marl_status check_guessed_unit(cli_inspected *seen, marl_error *error)
{
    marl_axes axes = {.gyro = {.verdict = MARL_AXES_UNDECIDED}};
    if ((seen->log.info.columns & MARL_COLUMNS_ACCEL) == MARL_COLUMNS_ACCEL) {
        MARL_TRY(marl_axes_find(&seen->log, &axes, error));
    }
    double scale = axes.gyro.scale, wrong = scale > 1 ? scale * MARL_DEGREE : scale / MARL_DEGREE;
    if (axes.gyro.verdict != MARL_AXES_DECIDED) {
        marl_warn(&seen->warnings, "unit-guessed",
                  "%s: the gyroscope's unit is a guess by its size, which nothing confirms: give its file as "
                  "FILE:MAP",
                  seen->log.path);
    } else if (wrong > 0.7 && wrong < 1.4) {
        float factor = (float)(scale > 1 ? 1 / MARL_DEGREE : MARL_DEGREE);
        for (size_t i = 0; i < seen->log.n; i++) {
            marl_vec3 *w = &seen->log.row[i].sample.gyro;
            *w = (marl_vec3){factor * w->x, factor * w->y, factor * w->z};
        }
        marl_warn(&seen->warnings, "unit-guessed", "%s: the gyroscope's unit is %s, by how gravity turns",
                  seen->log.path, scale > 1 ? "rad/s" : "deg/s");
    }
    return MARL_OK;
}

/* Of more than two files those that cannot be used are left out with a warning; of two both are wanted, and two logs of ours
 * with the same sensors are of two recordings. */
static marl_status leave_out(gathering *g, marl_error *error)
{
    if (g->sources.n <= 2 || error->status == MARL_ERR_SYSTEM || g->is_ours) {
        return error->status;
    }
    marl_warn(&g->seen->warnings, "left-out", "left out: %.380s", error->text);
    *error = (marl_error){0};
    return MARL_OK;
}

static marl_status read_all(gathering *g, marl_error *error)
{
    cli_inspected *seen = g->seen;
    for (size_t i = 0; i < g->sources.n; i++) {
        marl_log next = {0};
        marl_status status = load(g, i, &next, error);
        if (status == MARL_OK) {
            marl_log_warn(&seen->warnings, &next.report, next.path);
            status = seen->log.row != NULL ? add(g, &next, error) : MARL_OK;
        }
        if (status == MARL_OK && seen->log.row == NULL) {
            seen->log = next;
        } else {
            marl_log_free(&next);
        }
        if (status != MARL_OK) {
            MARL_TRY(leave_out(g, error));
        }
    }
    if (seen->log.row == NULL) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: none of these %zu files can be used", g->c->file[0],
                         g->sources.n);
    }
    seen->mapped = g->sources.mapped || g->guessed || g->reading->maps > 0 || g->sources.n > 2;
    return g->guessed ? check_guessed_unit(seen, error) : MARL_OK;
}

marl_status cli_inspect_read(const cli *c, const cli_reading *reading, const cli_clock *clock,
                             cli_inspected *seen, marl_error *error)
{
    gathering g = {.c = c, .reading = reading, .clock = clock, .seen = seen};
    marl_status status = cli_sources_find(c, &g.sources, error);
    status = status != MARL_OK ? status : read_all(&g, error);
    cli_sources_free(&g.sources);
    return status;
}
