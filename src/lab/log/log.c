/* SPDX-License-Identifier: MIT
 * Logs in memory. */
#include "marlinspike/log.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MAX_RADIANS 3.1416 /* a half turn and rounding */

static marl_status read_all(marl_log *log, marl_log_reader *reader, marl_error *error)
{
    size_t capacity = 0;
    for (;;) {
        if (log->n == capacity) {
            capacity = capacity ? 2 * capacity : 1024;
            marl_log_row *larger = realloc(log->row, capacity * sizeof *larger);
            if (larger == NULL) {
                return marl_fail(error, MARL_ERR_SYSTEM, "no memory for %zu rows", capacity);
            }
            log->row = larger;
        }
        marl_status status = marl_log_next(reader, &log->row[log->n], error);
        if (status != MARL_OK) {
            return status == MARL_END ? MARL_OK : status;
        }
        log->n++;
    }
}

/* The largest of roll, pitch and yaw, degrees as they were taken. */
static double greatest_angle(const marl_log *log)
{
    double greatest = 0;
    for (size_t i = 0; i < log->n; i++) {
        double w = (double)log->row[i].q.w, x = (double)log->row[i].q.x, y = (double)log->row[i].q.y,
               z = (double)log->row[i].q.z;
        if (log->row[i].has_q) {
            double roll = atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y));
            double pitch = asin(fmax(-1, fmin(1, 2 * (w * y - z * x))));
            double yaw = atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z));
            greatest = fmax(greatest, fmax(fabs(roll), fmax(fabs(pitch), fabs(yaw))) / MARL_DEGREE);
        }
    }
    return greatest;
}

/* Without a unit angles are taken as degrees; those that never leave +-pi are as well radians. */
static marl_status check_angles(const marl_log *log, marl_error *error)
{
    double greatest = log->report.angles_assumed ? greatest_angle(log) : 0;
    if (greatest > 0 && greatest < MAX_RADIANS) {
        return marl_fail(
            error, MARL_ERR_INPUT,
            "%s:1: roll, pitch and yaw have no unit and stay within +-%.2f, which degrees and radians both "
            "do: name it, as in roll[rad] or roll[deg]",
            log->path, greatest);
    }
    return MARL_OK;
}

marl_status marl_log_load(marl_log *log, const char *path, const marl_log_options *options, marl_error *error)
{
    marl_log_reader *reader;
    memset(log, 0, sizeof *log);
    MARL_TRY(marl_log_open(&reader, path, options, error));
    marl_status status = read_all(log, reader, error);
    log->info = *marl_log_reader_info(reader);
    log->report = *marl_log_reader_report(reader);
    log->path = strdup(path);
    marl_log_close(reader);
    if (status == MARL_OK && log->path == NULL) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    status = status != MARL_OK ? status : check_angles(log, error);
    if (status != MARL_OK) {
        marl_log_free(log);
    }
    return status;
}

void marl_log_free(marl_log *log)
{
    if (log != NULL) {
        free(log->path);
        free(log->row);
        log->path = NULL;
        log->row = NULL;
        log->n = 0;
    }
}

marl_status marl_log_require(const marl_log_info *info, const char *path, unsigned needed, marl_error *error)
{
    char missing[200] = "";
    for (int i = 0; i < MARL_COLUMN_COUNT; i++) {
        if ((needed & (1u << i)) && !(info->columns & (1u << i))) {
            marl_list_append(missing, sizeof missing, marl_column_name((marl_column)i));
        }
    }
    if (missing[0] == '\0') {
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: needs %s, which the log does not have%s", path,
                     missing,
                     info->has_metadata ? "" : "; inspect says what else the columns of a file may be");
}
