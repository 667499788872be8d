/* SPDX-License-Identifier: MIT
 * A replay as a report page: a study of one log without a reference. */
#include "cli/replay/replay_page.h"
#include "cli/common/study_show.h"
#include <sys/stat.h>

marl_status cli_replay_page_check(const char *path, const char *log, marl_error *error)
{
    struct stat of;
    MARL_TRY(marl_page_check_path(path, error));
    if (stat(log, &of) == 0 && S_ISFIFO(of.st_mode)) {
        return marl_fail(error, MARL_ERR_USE, "%s: is a pipe: --report needs a file, which it reads twice",
                         log);
    }
    return MARL_OK;
}

static marl_status prepare(const cli_replay_page *page, marl_study *study, marl_calibration_record *record,
                           marl_error *error)
{
    marl_study_options *o = &study->options;
    if (page->calibration != NULL) {
        MARL_TRY(marl_calibration_read(record, page->calibration, error));
        o->record = record;
        o->record_path = page->calibration;
    }
    o->reading = page->reading;
    o->degradation = page->degradation;
    o->start = page->start.from;
    o->start_q = page->start.q;
    study->tunings[study->tuning_n++] = *page->tuning;
    MARL_TRY(marl_study_add_case(study, page->log, NULL, error));
    MARL_TRY(marl_study_run(study, error));
    if (study->runs[0].error.status != MARL_OK) {
        return marl_fail(error, study->runs[0].error.status, "%.400s", study->runs[0].error.text);
    }
    return MARL_OK;
}

marl_status cli_replay_page_write(const cli_replay_page *page, const char *path, marl_error *error)
{
    marl_calibration_record record;
    marl_study *study = marl_study_create();
    if (study == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = prepare(page, study, &record, error);
    status = status == MARL_OK ? cli_study_page(study, page->body, path, error) : status;
    marl_study_free(study);
    return status;
}
