/* SPDX-License-Identifier: MIT
 * Rows of several sensors in one file: a reader for each label, merged. */
#include "lab/log/log_parts.h"
#include "lab/log/log_scan.h"
#include "lab/log/merge.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

/* The rows of one label. */
typedef struct part {
    marl_log_reader *reader;
    marl_log_row next;
    int has_next, ended;
} part;

struct lab_parts {
    size_t n;
    part of[LAB_LABELS];
};

int lab_parts_are_needed(const marl_column_map *map)
{
    const char *first = NULL;
    for (size_t i = 0; i < map->n; i++) {
        const char *label = map->source[i].label;
        if (label[0] != '\0' && first != NULL && strcmp(label, first) != 0) {
            return 1;
        }
        first = label[0] != '\0' ? label : first;
    }
    return 0;
}

/* What the map says of the rows with this label. */
static marl_column_map map_of(const marl_column_map *map, const char *label)
{
    marl_column_map its = *map;
    its.n = 0;
    for (size_t i = 0; i < map->n; i++) {
        const char *of = map->source[i].label;
        if (of[0] == '\0' || strcmp(of, label) == 0) {
            its.source[its.n++] = map->source[i];
        }
    }
    return its;
}

static int is_first_of_label(const marl_column_map *map, size_t i)
{
    int is_first = map->source[i].label[0] != '\0';
    for (size_t k = 0; k < i; k++) {
        is_first = is_first && strcmp(map->source[k].label, map->source[i].label) != 0;
    }
    return is_first;
}

static void add_assumed(const marl_log_report *of, marl_log_report *sum)
{
    if (of->assumed_units[0] != '\0' && strstr(sum->assumed_units, of->assumed_units) == NULL) {
        marl_list_append(sum->assumed_units, sizeof sum->assumed_units, of->assumed_units);
    }
    sum->angles_assumed |= of->angles_assumed;
}

/* The sums over the parts; the first lines are those that stand first in the file. */
static void count(const lab_parts *parts, marl_log_report *report)
{
    marl_log_report sum = {0};
    for (size_t i = 0; i < parts->n; i++) {
        const marl_log_report *of = marl_log_reader_report(parts->of[i].reader);
        if (of->first_dropped_line > 0 &&
            (sum.first_dropped_line == 0 || of->first_dropped_line < sum.first_dropped_line)) {
            sum.first_dropped_line = of->first_dropped_line;
            memcpy(sum.first_dropped_why, of->first_dropped_why, sizeof sum.first_dropped_why);
        }
        if (of->first_missing_line > 0 &&
            (sum.first_missing_line == 0 || of->first_missing_line < sum.first_missing_line)) {
            sum.first_missing_line = of->first_missing_line;
        }
        if (of->lost > 0 || of->not_unit > 0) { /* only one part holds a quaternion */
            report->lost = of->lost;
            report->first_lost_line = of->first_lost_line;
            report->not_unit = of->not_unit;
            report->first_not_unit_line = of->first_not_unit_line;
            report->first_not_unit_length = of->first_not_unit_length;
        }
        lab_report_add(of, &sum);
    }
    report->rows_dropped = sum.rows_dropped;
    report->time_repeated = sum.time_repeated;
    report->time_back = sum.time_back;
    report->cells_missing = sum.cells_missing;
    report->clock_wraps = sum.clock_wraps;
    report->nuls_at_end = sum.nuls_at_end;
    report->truncated = sum.truncated;
    report->first_dropped_line = sum.first_dropped_line;
    report->first_missing_line = sum.first_missing_line;
    memcpy(report->first_dropped_why, sum.first_dropped_why, sizeof sum.first_dropped_why);
}

marl_status lab_parts_open(lab_parts **parts, const char *path, const marl_log_options *options,
                           marl_log_info *info, marl_log_report *report, marl_error *error)
{
    struct stat file;
    marl_status status = MARL_OK;
    const marl_column_map *map = options->columns;
    if (stat(path, &file) != 0 || !S_ISREG(file.st_mode)) {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s: rows of several labels are read once for each, which only a file can be", path);
    }
    lab_parts *p = *parts = calloc(1, sizeof *p);
    if (p == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < map->n && status == MARL_OK; i++) {
        if (!is_first_of_label(map, i)) {
            continue;
        }
        if (p->n == LAB_LABELS) {
            status = marl_fail(error, MARL_ERR_USE, "column map: more than %d labels", LAB_LABELS);
            break;
        }
        const marl_column_map of = map_of(map, map->source[i].label);
        marl_log_options its = *options;
        its.columns = &of;
        its.window = (marl_log_window){0};
        status = marl_log_open(&p->of[p->n].reader, path, &its, error);
        if (status == MARL_OK) {
            info->columns |= marl_log_reader_info(p->of[p->n].reader)->columns;
            add_assumed(marl_log_reader_report(p->of[p->n].reader), report);
            p->n++;
        }
    }
    if (status != MARL_OK) {
        lab_parts_close(p);
        *parts = NULL;
    }
    return status;
}

static marl_status fill(part *p, marl_error *error)
{
    if (p->has_next || p->ended) {
        return MARL_OK;
    }
    marl_status status = marl_log_next(p->reader, &p->next, error);
    p->has_next = status == MARL_OK;
    p->ended = status == MARL_END;
    return p->ended ? MARL_OK : status;
}

marl_status lab_parts_next(lab_parts *parts, marl_log_row *row, marl_log_report *report, marl_error *error)
{
    part *first = NULL;
    for (size_t i = 0; i < parts->n; i++) {
        part *p = &parts->of[i];
        MARL_TRY(fill(p, error));
        if (p->has_next && (first == NULL || p->next.sample.t_ns < first->next.sample.t_ns)) {
            first = p;
        }
    }
    count(parts, report);
    if (first == NULL) {
        return MARL_END;
    }
    *row = first->next;
    first->has_next = 0;
    for (size_t i = 0; i < parts->n; i++) {
        part *p = &parts->of[i];
        if (p->has_next && p->next.sample.t_ns == row->sample.t_ns) {
            lab_row_join(row, &p->next);
            p->has_next = 0;
        }
    }
    report->rows++;
    return MARL_OK;
}

void lab_parts_close(lab_parts *parts)
{
    for (size_t i = 0; parts != NULL && i < parts->n; i++) {
        marl_log_close(parts->of[i].reader);
    }
    free(parts);
}
