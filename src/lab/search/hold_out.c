/* SPDX-License-Identifier: MIT
 * A log to prove it on must not be one that is tuned on: by what it holds, not by its name. */
#include "lab/search/search_parts.h"

/* So many rows with the same readings in the same order are no chance. */
enum { ROWS = 40 };

static int same(marl_vec3 a, marl_vec3 b)
{
    return a.x == b.x && a.y == b.y && a.z == b.z;
}

static int same_readings(const marl_sample *a, const marl_sample *b)
{
    return same(a->accel, b->accel) && same(a->gyro, b->gyro);
}

/* Rows from the middle on, where the board moves if it ever does, that are not all equal. */
static int holds_rows(const marl_log *log, const marl_log *of)
{
    size_t from = of->n / 2;
    int differ = 0;
    if (of->n < 2 * ROWS || log->n < ROWS) {
        return 0;
    }
    for (size_t i = 1; i < ROWS; i++) {
        differ |= !same_readings(&of->row[from].sample, &of->row[from + i].sample);
    }
    for (size_t at = 0; at + ROWS <= log->n && differ; at++) {
        size_t n = 0;
        while (n < ROWS && same_readings(&log->row[at + n].sample, &of->row[from + n].sample)) {
            n++;
        }
        if (n == ROWS) {
            return 1;
        }
    }
    return 0;
}

marl_status marl_search_hold_out(marl_search *search, const char *log_path, const char *reference_path,
                                 marl_error *error)
{
    marl_study *held = search->held;
    held->options = search->study->options;
    MARL_TRY(marl_study_add_case(held, log_path, reference_path, error));
    const marl_log *log = &held->cases[held->case_n - 1].log;
    for (size_t i = 0; i < search->study->case_n; i++) {
        const marl_log *tuned = &search->study->cases[i].log;
        if (holds_rows(tuned, log) || holds_rows(log, tuned)) {
            return marl_fail(error, MARL_ERR_USE,
                             "%s holds the same readings as %s: what is tuned on proves nothing", log_path,
                             tuned->path);
        }
    }
    return MARL_OK;
}
