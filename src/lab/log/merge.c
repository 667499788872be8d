/* SPDX-License-Identifier: MIT
 * Two logs into one. */
#include "lab/log/merge.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Are both of one board, and both raw or both corrected? */
static marl_status check_kin(const marl_log *a, const marl_log *b, marl_error *error)
{
    if (a->info.device[0] && b->info.device[0] && strcmp(a->info.device, b->info.device) != 0) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: device %s, but %s is of device %s", b->path,
                         b->info.device, a->path, a->info.device);
    }
    if (a->info.corrected != b->info.corrected) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: one of it and %s is corrected, the other is not",
                         b->path, a->path);
    }
    return MARL_OK;
}

static marl_status check_together(const marl_log *a, const marl_log *b, marl_error *error)
{
    unsigned both = a->info.columns & b->info.columns & ~(1u << MARL_COLUMN_T);
    for (int i = 0; i < MARL_COLUMN_COUNT; i++) {
        if (both & (1u << i)) {
            return marl_fail(error, MARL_ERR_INPUT, "%s: %s is in %s, too: which one counts?", b->path,
                             marl_column_name((marl_column)i), a->path);
        }
    }
    const marl_log *anew = a->report.restarts > 0 ? a : b;
    if (anew->report.restarts > 0) { /* each goes on two seconds behind its own last row, not the other's */
        return marl_fail(
            error, MARL_ERR_INPUT,
            "%s: its clock begins anew after %.3f s: sessions in two files cannot be put together; give "
            "each session files of its own",
            anew->path, 1e-9 * (double)anew->report.first_restart_ns);
    }
    return check_kin(a, b, error);
}

static marl_status check_overlap(const marl_log *a, const marl_log *b, int64_t offset_ns, marl_error *error)
{
    double from_a = 1e-9 * (double)a->row[0].sample.t_ns, to_a = 1e-9 * (double)a->row[a->n - 1].sample.t_ns;
    double from_b = 1e-9 * (double)(b->row[0].sample.t_ns + offset_ns);
    double to_b = 1e-9 * (double)(b->row[b->n - 1].sample.t_ns + offset_ns);
    if (from_b <= to_a && from_a <= to_b) {
        return MARL_OK;
    }
    return marl_fail(
        error, MARL_ERR_INSUFFICIENT,
        "%s: from %.3f to %.3f s, which does not overlap %s, from %.3f to %.3f s; record both at "
        "the same time, and turn the board so that the clocks can be aligned",
        b->path, from_b, to_b, a->path, from_a, to_a);
}

void lab_row_join(marl_log_row *row, const marl_log_row *other)
{
    marl_sample *s = &row->sample;
    const marl_sample *o = &other->sample;
    s->accel = o->fresh & MARL_FRESH_ACCEL ? o->accel : s->accel;
    s->gyro = o->fresh & MARL_FRESH_GYRO ? o->gyro : s->gyro;
    s->mag = o->fresh & MARL_FRESH_MAG ? o->mag : s->mag;
    s->temp = o->fresh & MARL_FRESH_TEMP ? o->temp : s->temp;
    s->speed = o->fresh & MARL_FRESH_SPEED ? o->speed : s->speed;
    s->fresh |= o->fresh;
    if (other->has_q) {
        row->q = other->q;
        row->has_q = 1;
    }
}

static void join_rows(const marl_log *a, const marl_log *b, int64_t offset_ns, marl_log *merged)
{
    size_t i = 0, k = 0;
    while (i < a->n || k < b->n) {
        marl_log_row *row = &merged->row[merged->n++];
        int64_t tb = k < b->n ? b->row[k].sample.t_ns + offset_ns : INT64_MAX;
        int64_t ta = i < a->n ? a->row[i].sample.t_ns : INT64_MAX;
        if (ta <= tb) {
            *row = a->row[i++];
        } else {
            *row = b->row[k++];
            row->sample.t_ns = tb;
        }
        if (ta == tb) {
            lab_row_join(row, &b->row[k++]);
        }
    }
}

void lab_report_add(const marl_log_report *b, marl_log_report *sum)
{
    sum->rows_dropped += b->rows_dropped;
    sum->time_repeated += b->time_repeated;
    sum->time_back += b->time_back;
    sum->cells_missing += b->cells_missing;
    sum->clock_wraps += b->clock_wraps;
    sum->nuls_at_end += b->nuls_at_end;
    sum->truncated |= b->truncated;
}

marl_status marl_log_merge(const marl_log *first, const marl_log *second, int64_t offset_ns, marl_log *merged,
                           marl_error *error)
{
    memset(merged, 0, sizeof *merged);
    marl_status status = check_together(first, second, error);
    status = status != MARL_OK ? status : check_overlap(first, second, offset_ns, error);
    if (status != MARL_OK) {
        return status;
    }
    size_t size = strlen(first->path) + strlen(second->path) + 4;
    merged->path = malloc(size);
    merged->row = malloc((first->n + second->n) * sizeof *merged->row);
    if (merged->path == NULL || merged->row == NULL) {
        marl_log_free(merged);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    snprintf(merged->path, size, "%s + %s", first->path, second->path);
    merged->info = first->info;
    merged->info.columns |= second->info.columns;
    merged->info.raw |= second->info.raw;
    if (first->info.device[0] == '\0') {
        memcpy(merged->info.device, second->info.device, sizeof merged->info.device);
    }
    if (second->info.columns & MARL_COLUMNS_Q) {
        merged->info.world = second->info.world;
        merged->info.relative_heading = second->info.relative_heading;
    }
    merged->report = first->report;
    lab_report_add(&second->report, &merged->report);
    join_rows(first, second, offset_ns, merged);
    merged->report.rows = merged->n;
    return MARL_OK;
}

marl_status marl_log_append(marl_log *log, const marl_log *next, int64_t gap_ns, marl_error *error)
{
    marl_status status = check_kin(log, next, error);
    if (status == MARL_OK && log->info.columns != next->info.columns) {
        status =
            marl_fail(error, MARL_ERR_INPUT, "%s: its columns are not those of %s", next->path, log->path);
    }
    if (status != MARL_OK || next->n == 0 || log->n == 0) {
        return status;
    }
    marl_log_row *larger = realloc(log->row, (log->n + next->n) * sizeof *larger);
    if (larger == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    log->row = larger;
    int64_t shift = log->row[log->n - 1].sample.t_ns + gap_ns - next->row[0].sample.t_ns;
    for (size_t i = 0; i < next->n; i++) {
        log->row[log->n + i] = next->row[i];
        log->row[log->n + i].sample.t_ns += shift;
    }
    log->n += next->n;
    log->info.raw |= next->info.raw;
    lab_report_add(&next->report, &log->report);
    log->report.rows += next->report.rows;
    return MARL_OK;
}
