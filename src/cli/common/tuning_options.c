/* SPDX-License-Identifier: MIT
 * How a filter is set up, where it starts and what it sees: what replay and compare share. */
#include "cli/common/cli.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MAX_TIME_S 9e9 /* what int64 ns hold */

marl_status cli_start_read(cli_start *start, const char *text, marl_error *error)
{
    float part[4];
    const char *at = text;
    *start = (cli_start){MARL_START_VECTORS, marl_quat_identity()};
    if (text == NULL || strcmp(text, "vectors") == 0) {
        return MARL_OK;
    }
    if (strcmp(text, "reference") == 0) {
        start->from = MARL_START_REFERENCE;
        return MARL_OK;
    }
    for (int i = 0; i < 4; i++) {
        char *end;
        part[i] = strtof(at, &end);
        if (end == at || *end != (i < 3 ? ',' : '\0')) {
            return marl_fail(error, MARL_ERR_USE, "--start is vectors, reference or W,X,Y,Z, and not '%s'",
                             text);
        }
        at = end + 1;
    }
    start->from = MARL_START_GIVEN;
    start->q = (marl_quat){part[0], part[1], part[2], part[3]};
    if (marl_quat_normalize(&start->q) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "--start %s: no rotation", text);
    }
    return MARL_OK;
}

/* "FROM:TO", s of the log's time. */
static marl_status read_gap(const char *text, marl_span *gap, marl_error *error)
{
    char *end;
    double from = strtod(text, &end);
    const char *second = end != text && *end == ':' ? end + 1 : "";
    double to = strtod(second, &end);
    if (end == second || *end != '\0' || !(from < to) || !(fabs(from) < MAX_TIME_S) || !(to < MAX_TIME_S)) {
        return marl_fail(error, MARL_ERR_USE, "--gap is FROM:TO in seconds of the log's time, and not '%s'",
                         text);
    }
    *gap = (marl_span){llround(1e9 * from), llround(1e9 * to)};
    return MARL_OK;
}

marl_status cli_degradation_read(marl_degradation *degradation, const cli_degradation *given,
                                 marl_error *error)
{
    marl_degrader degrader;
    *degradation =
        (marl_degradation){.every = (unsigned)given->every, .drop = given->drop, .jitter_s = given->jitter};
    if (given->every < 1) {
        return marl_fail(error, MARL_ERR_USE, "--every is a whole number from 1 on");
    }
    if (!(given->drop >= 0 && given->drop < 1)) {
        return marl_fail(error, MARL_ERR_USE, "--drop is a share of the rows from 0 to under 1, and not %g",
                         given->drop);
    }
    MARL_TRY(given->gap != NULL ? read_gap(given->gap, &degradation->gap, error) : MARL_OK);
    return marl_degrader_init(&degrader, degradation) == MARL_OK
               ? MARL_OK
               : marl_fail(error, MARL_ERR_USE, "--jitter is in seconds, and not %g", given->jitter);
}

/* What may turn on a page. */
static const char *const bodies[] = {"board", "hook-block"};

const char *cli_body_name(const char *given)
{
    return given != NULL ? given : bodies[0];
}

marl_status cli_body_check(const char *given, marl_error *error)
{
    if (given == NULL || strcmp(given, bodies[0]) == 0 || strcmp(given, bodies[1]) == 0) {
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_USE, "--body is %s or %s, and not '%s'", bodies[0], bodies[1], given);
}

json_t *cli_invalid_json(const marl_estimator_counts *counts)
{
    return json_pack("{s:I,s:I,s:I}", "accel", (json_int_t)counts->invalid_accel, "gyro",
                     (json_int_t)counts->invalid_gyro, "mag", (json_int_t)counts->invalid_mag);
}

json_t *cli_downweighted_json(const marl_estimator_counts *counts)
{
    return json_pack("{s:I,s:I}", "accel", (json_int_t)counts->downweighted_accel, "mag",
                     (json_int_t)counts->downweighted_mag);
}
