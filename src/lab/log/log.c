/* SPDX-License-Identifier: MIT
 * Logs in memory. */
#include "marlinspike/log.h"
#include <stdlib.h>
#include <string.h>

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

marl_status marl_log_load(marl_log *log, const char *path, const marl_log_options *options, marl_error *error)
{
    marl_log_reader *reader;
    memset(log, 0, sizeof *log);
    marl_status status = marl_log_open(&reader, path, options, error);
    if (status != MARL_OK) {
        return status;
    }
    status = read_all(log, reader, error);
    log->info = *marl_log_reader_info(reader);
    log->report = *marl_log_reader_report(reader);
    log->path = strdup(path);
    marl_log_close(reader);
    if (status == MARL_OK && log->path == NULL) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
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
    return marl_fail(error, MARL_ERR_INSUFFICIENT, "%s: needs %s, which the log does not have", path,
                     missing);
}
