/* SPDX-License-Identifier: MIT
 * Simulated logs with their truth as files, and a study of them. */
#ifndef SEARCH_LOGS_H
#define SEARCH_LOGS_H

#include "marlinspike/search.h"
#include "memory_log.h"
#include "temporary.h"

enum { SEARCH_LOGS_MAX = 12 };

typedef struct search_logs {
    temporary at;
    char log[SEARCH_LOGS_MAX][160], truth[SEARCH_LOGS_MAX][160];
    size_t n;
} search_logs;

static inline void search_logs_write(const marl_log *log, unsigned columns, const char *path)
{
    marl_log_writer *writer;
    marl_log_info info = {.columns = columns};
    ck_assert_int_eq(marl_log_create(&writer, path, &info, NULL), MARL_OK);
    for (size_t i = 0; i < log->n; i++) {
        marl_log_row row = log->row[i];
        row.has_q = columns == MARL_COLUMNS_Q;
        marl_log_write(writer, &row);
    }
    ck_assert_int_eq(marl_log_commit(writer, NULL), MARL_OK);
}

/* n logs of a scene at 50 Hz, with seeds from `seed` on. */
static inline search_logs search_logs_make(marl_scene_kind scene, size_t n, double seconds, uint64_t seed)
{
    search_logs f = {.at = temporary_make(), .n = n};
    marl_sheet sheet = marl_sheet_grommet();
    for (size_t i = 0; i < n; i++) {
        marl_log log = memory_log_simulated(scene, &sheet, 50, seconds, seed + i);
        snprintf(f.log[i], sizeof f.log[i], "%s/log%zu.csv", f.at.dir, i);
        snprintf(f.truth[i], sizeof f.truth[i], "%s/truth%zu.csv", f.at.dir, i);
        search_logs_write(&log, MEMORY_LOG_ALL, f.log[i]);
        search_logs_write(&log, MARL_COLUMNS_Q, f.truth[i]);
        marl_log_free(&log);
    }
    return f;
}

/* A search over logs [from, to). */
static inline marl_search *search_logs_study(const search_logs *f, size_t from, size_t to)
{
    marl_error error = {0};
    marl_study *study = marl_study_create();
    marl_search *search = study != NULL ? marl_search_create(study) : NULL;
    ck_assert_ptr_nonnull(search);
    for (size_t i = from; i < to; i++) {
        marl_status status = marl_study_add_case(study, f->log[i], f->truth[i], &error);
        ck_assert_msg(status == MARL_OK, "%s", error.text);
    }
    return search;
}

static inline void search_logs_done(marl_search *search)
{
    marl_study *study = search->study;
    marl_search_free(search);
    marl_study_free(study);
}

#endif
