/* SPDX-License-Identifier: MIT
 * Writing logs and attitudes. */
#include "lab/base/outfile.h"
#include "lab/log/log_format.h"
#include "lab/log/number.h"
#include "lab/log/row_pipe.h"
#include "marlinspike/error.h"
#include <stdio.h>
#include <stdlib.h>

struct marl_log_writer {
    marl_outfile *file;
    lab_row_pipe *pipe; /* to the thread that writes; NULL: rows are written where they are given */
    unsigned columns;
};

/* The metadata line. A file that holds attitudes alone has none as long as it is standard, so that any CSV
 * reader accepts it. */
static void write_metadata(marl_outfile *file, const marl_log_info *info)
{
    unsigned readings =
        info->columns & ~(MARL_COLUMNS_Q | MARL_COLUMNS_RPY | MARL_COLUMNS_WEIGHT | MARL_COLUMNS_SIGMA);
    int standard = info->world == MARL_WORLD_ENU && !info->relative_heading && !info->smoothed;
    char line[240], raw[40];
    if (readings == 0 && standard) {
        return;
    }
    lab_metadata_raw(info->corrected ? info->raw : 0, raw);
    snprintf(line, sizeof line, "# marlinspike log/1%s%s corrected=%s%s world=%s%s%s\n",
             info->device[0] ? " device=" : "", info->device, info->corrected ? "yes" : "no", raw,
             marl_world_name(info->world), info->relative_heading ? " heading=relative" : "",
             info->smoothed ? " reference=smooth" : "");
    marl_outfile_text(file, line);
}

static void write_header(marl_outfile *file, unsigned columns)
{
    marl_outfile_text(file, "t[s]");
    for (int i = MARL_COLUMN_T + 1; i < MARL_COLUMN_COUNT; i++) {
        lab_quantity quantity = lab_column_quantity((marl_column)i);
        char cell[40];
        if (!(columns & (1u << i))) {
            continue;
        }
        if (quantity == LAB_PURE) {
            snprintf(cell, sizeof cell, ",%s", marl_column_name((marl_column)i));
        } else {
            snprintf(cell, sizeof cell, ",%s[%s]", marl_column_name((marl_column)i),
                     lab_unit_si(quantity)->name);
        }
        marl_outfile_text(file, cell);
    }
    marl_outfile_text(file, "\n");
}

static marl_status create(marl_log_writer **writer, const char *path, const marl_log_info *info, int growing,
                          marl_error *error)
{
    marl_log_writer *w = calloc(1, sizeof *w);
    *writer = NULL;
    if (w == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    w->columns = info->columns & ~(MARL_COLUMNS_RPY | 1u << MARL_COLUMN_T);
    w->columns |= info->columns & MARL_COLUMNS_RPY ? MARL_COLUMNS_Q : 0; /* the same attitude */
    marl_status status = growing ? lab_outfile_open_growing(&w->file, path, error)
                                 : marl_outfile_open_rows(&w->file, path, error);
    if (status != MARL_OK) {
        free(w);
        return status;
    }
    write_metadata(w->file, info);
    write_header(w->file, w->columns);
    *writer = w;
    if (growing &&
        (status = lab_outfile_flush(w->file, error)) != MARL_OK) { /* a crash leaves a log, if an empty one */
        marl_log_abort(w);
        *writer = NULL;
    }
    return status;
}

marl_status marl_log_create(marl_log_writer **writer, const char *path, const marl_log_info *info,
                            marl_error *error)
{
    return create(writer, path, info, 0, error);
}

marl_status marl_log_create_growing(marl_log_writer **writer, const char *path, const marl_log_info *info,
                                    marl_error *error)
{
    return create(writer, path, info, 1, error);
}

/* The cells of one group; empty ones when it is not fresh. */
static char *write_group(char *out, const marl_log_writer *w, marl_column first, int n, const float *value,
                         int fresh)
{
    for (int i = 0; i < n; i++) {
        if (w->columns & (1u << (first + (unsigned)i))) {
            *out++ = ',';
            out = fresh ? lab_number_write(out, (double)value[i]) : out;
        }
    }
    return out;
}

static void write_row(marl_log_writer *w, const marl_log_row *row)
{
    const marl_sample *s = &row->sample;
    const float accel[] = {s->accel.x, s->accel.y, s->accel.z};
    const float gyro[] = {s->gyro.x, s->gyro.y, s->gyro.z};
    const float mag[] = {s->mag.x, s->mag.y, s->mag.z};
    const float q[] = {row->q.w, row->q.x, row->q.y, row->q.z};
    char *out = lab_outfile_reserve(w->file, (MARL_COLUMN_COUNT + 1) * LAB_NUMBER_CAPACITY);
    out = lab_time_write(out, s->t_ns);
    out = write_group(out, w, MARL_COLUMN_ACCEL_X, 3, accel, s->fresh & MARL_FRESH_ACCEL);
    out = write_group(out, w, MARL_COLUMN_GYRO_X, 3, gyro, s->fresh & MARL_FRESH_GYRO);
    out = write_group(out, w, MARL_COLUMN_MAG_X, 3, mag, s->fresh & MARL_FRESH_MAG);
    out = write_group(out, w, MARL_COLUMN_TEMP, 1, &s->temp, s->fresh & MARL_FRESH_TEMP);
    out = write_group(out, w, MARL_COLUMN_SPEED, 1, &s->speed, s->fresh & MARL_FRESH_SPEED);
    out = write_group(out, w, MARL_COLUMN_Q_W, 4, q, row->has_q);
    out = write_group(out, w, MARL_COLUMN_WEIGHT_ACCEL, 1, &row->weight[0], row->weight[0] >= 0.0f);
    out = write_group(out, w, MARL_COLUMN_WEIGHT_MAG, 1, &row->weight[1], row->weight[1] >= 0.0f);
    out = write_group(out, w, MARL_COLUMN_SIGMA_TILT, 1, &row->sigma_deg[0], row->sigma_deg[0] >= 0.0f);
    out = write_group(out, w, MARL_COLUMN_SIGMA_HEADING, 1, &row->sigma_deg[1], row->sigma_deg[1] >= 0.0f);
    *out++ = '\n';
    lab_outfile_advance(w->file, out);
}

marl_status marl_log_flush(marl_log_writer *w, marl_error *error)
{
    return lab_outfile_flush(w->file, error);
}

/* ---- behind ---- */

static void write_all(void *context, lab_row_pipe *pipe)
{
    const marl_log_row *row;
    while ((row = lab_row_pipe_take(pipe)) != NULL) {
        write_row(context, row);
    }
}

void marl_log_write_behind(marl_log_writer *w)
{
    if (w->pipe == NULL && lab_outfile_path(w->file) != NULL) { /* a FIFO wants its rows at once */
        w->pipe = lab_row_pipe_start(write_all, w);
    }
}

static void finish_behind(marl_log_writer *w)
{
    if (w->pipe != NULL) {
        lab_row_pipe_close(w->pipe);
        lab_row_pipe_join(w->pipe);
        w->pipe = NULL;
    }
}

void marl_log_write(marl_log_writer *w, const marl_log_row *row)
{
    marl_log_row *slot = w->pipe != NULL ? lab_row_pipe_slot(w->pipe) : NULL;
    if (slot != NULL) {
        *slot = *row;
        lab_row_pipe_put(w->pipe);
    } else {
        write_row(w, row);
    }
}

void marl_log_write_note(marl_log_writer *w, const char *text)
{
    marl_outfile_text(w->file, "# ");
    marl_outfile_text(w->file, text);
    marl_outfile_text(w->file, "\n");
}

marl_status marl_log_commit(marl_log_writer *w, marl_error *error)
{
    finish_behind(w);
    marl_status status = marl_outfile_commit(w->file, error);
    free(w);
    return status;
}

void marl_log_abort(marl_log_writer *w)
{
    if (w != NULL) {
        finish_behind(w);
        marl_outfile_abort(w->file);
        free(w);
    }
}

const char *marl_log_part(const marl_log_writer *w)
{
    return lab_outfile_path(w->file);
}

void marl_log_leave(marl_log_writer *w)
{
    if (w != NULL) {
        finish_behind(w);
        lab_outfile_leave(w->file);
        free(w);
    }
}
