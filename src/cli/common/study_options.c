/* SPDX-License-Identifier: MIT
 * The logs and references of a study, as they are given. */
#include "cli/common/study_options.h"
#include <limits.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static marl_status read_matching(cli_study *o, marl_study_options *to, marl_error *error)
{
    char *end = NULL;
    to->reference_world = o->reference_world;
    if (o->reference_world != NULL && strcmp(o->reference_world, "enu") != 0 &&
        strcmp(o->reference_world, "ned") != 0) {
        return marl_fail(error, MARL_ERR_USE, "--reference-world is enu or ned");
    }
    if (o->match != NULL && marl_match_from_name(o->match, &to->match) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE,
                         "--match is none, start, heading, world or world+body, and not '%s'", o->match);
    }
    to->find_offset = o->time_offset != NULL && strcmp(o->time_offset, "auto") == 0;
    if (o->time_offset != NULL && !to->find_offset) {
        to->offset_s = strtod(o->time_offset, &end);
        if (end == o->time_offset || *end != '\0' || !(fabs(to->offset_s) < 9e9)) {
            return marl_fail(error, MARL_ERR_USE, "--time-offset is auto or seconds, and not '%s'",
                             o->time_offset);
        }
    }
    if (o->match_by != NULL) {
        to->match_by = &o->matched;
        return marl_tuning_read(&o->matched, o->match_by, to->reading.sheet, error);
    }
    return MARL_OK;
}

/* Is there a file of this name, of n characters? */
static int is_file(const char *name, size_t n)
{
    char path[PATH_MAX];
    snprintf(path, sizeof path, "%.*s", n < sizeof path ? (int)n : 0, name);
    return access(path, F_OK) == 0;
}

char *cli_study_sign(char *pair)
{
    char *last = NULL;
    for (char *at = strchr(pair, '='); at != NULL; at = strchr(at + 1, '=')) {
        if (at > pair && at[1] != '\0') {
            last = at;
            if (is_file(pair, (size_t)(at - pair)) &&
                (is_file(at + 1, strlen(at + 1)) || is_file(at + 1, strcspn(at + 1, ":")))) {
                break;
            }
        }
    }
    return last;
}

static marl_status check_cases(const cli *c, const cli_study *o, marl_error *error)
{
    if ((c->files == 0) != (o->reference == NULL)) {
        return marl_fail(error, MARL_ERR_USE,
                         o->reference == NULL ? "--reference ATT is needed; without a rig, --reference smooth"
                                              : "--reference needs a LOG");
    }
    if (o->reference == NULL && o->pair == NULL) {
        return marl_fail(error, MARL_ERR_USE, "a LOG with --reference, or --case LOG=REFERENCE");
    }
    for (size_t i = 0; o->pair != NULL && o->pair[i] != NULL; i++) {
        if (cli_study_sign(o->pair[i]) == NULL) {
            return marl_fail(error, MARL_ERR_USE, "--case is LOG=REFERENCE, and not '%s'", o->pair[i]);
        }
    }
    return MARL_OK;
}

marl_status cli_study_prepare(const cli *c, cli_study *o, marl_study *study, marl_error *error)
{
    MARL_TRY(check_cases(c, o, error));
    MARL_TRY(cli_reading_prepare(&o->reading, 1, error));
    study->options.reading = o->reading.options;
    MARL_TRY(read_matching(o, &study->options, error));
    if (o->calibration != NULL) {
        MARL_TRY(marl_calibration_read(&o->record, o->calibration, error));
        study->options.record = &o->record;
        study->options.record_path = o->calibration;
    }
    return MARL_OK;
}

marl_status cli_study_load(const cli *c, cli_study *o, marl_study *study, marl_error *error)
{
    MARL_TRY(o->reference != NULL ? marl_study_add_case(study, c->file[0], o->reference, error) : MARL_OK);
    for (size_t i = 0; o->pair != NULL && o->pair[i] != NULL; i++) {
        char *equals = cli_study_sign(o->pair[i]);
        *equals = '\0';
        MARL_TRY(marl_study_add_case(study, o->pair[i], equals + 1, error));
    }
    return MARL_OK;
}
