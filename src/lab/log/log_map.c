/* SPDX-License-Identifier: MIT
 * Rows and columns of a file from elsewhere, by a map. */
#include "lab/log/log_map.h"
#include "lab/log/cell_text.h"
#include "lab/log/number.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

char lab_delimiter_of_any(const char *line, size_t n, char point)
{
    const char candidate[] = {'\t', ';', ',', '|'};
    size_t best = 0, max = 0;
    for (size_t k = 0; k < sizeof candidate; k++) {
        size_t count = 0;
        int quoted = 0;
        for (size_t i = 0; i < n; i++) {
            quoted ^= line[i] == '"';
            count += !quoted && line[i] == candidate[k];
        }
        if (candidate[k] != point && count > max) {
            max = count;
            best = k;
        }
    }
    return max > 0 ? candidate[best] : ' ';
}

static int is_blank(char c)
{
    return c == ' ' || c == '\t';
}

size_t lab_join_blanks(char *line, size_t n)
{
    size_t to = 0, from = 0;
    int quoted = 0;
    lab_open_lists(line, n);
    while (n > 0 && is_blank(line[n - 1])) {
        line[--n] = ' ';
    }
    while (from < n && is_blank(line[from])) {
        from++;
    }
    for (; from < n; from++) {
        quoted ^= line[from] == '"';
        if (quoted || !is_blank(line[from])) {
            line[to++] = line[from];
        } else if (!is_blank(line[from - 1])) {
            line[to++] = '\t';
        }
    }
    memset(line + to, ' ', n - to);
    return to;
}

int lab_split_any(lab_scanner *s, char *line, size_t *n, int *blanks)
{
    lab_open_lists(line, *n);
    s->delimiter = lab_delimiter_of_any(line, *n, s->point);
    *blanks = s->delimiter == ' ';
    if (*blanks) {
        *n = lab_join_blanks(line, *n);
        s->delimiter = '\t';
    }
    csv_set_delim(&s->csv.parser, (unsigned char)s->delimiter);
    /* the splitter wants a line end behind the cells */
    char behind = line[*n];
    line[*n] = '\n';
    int split = lab_scan_split(s, line, *n);
    line[*n] = behind;
    return split;
}

char *lab_map_name_of(char *cell, char **unit)
{
    char *open = strchr(cell, '('), *close = strrchr(cell, ')');
    if (strchr(cell, '[') == NULL && open != NULL && close > open && open > cell) {
        *open = '[';
        *close = ']';
    }
    return lab_split_name(cell, unit);
}

static int is_named(const char *cell, const char *name)
{
    char copy[128], *unit;
    while (is_blank(*cell)) {
        cell++;
    }
    snprintf(copy, sizeof copy, "%s", cell);
    for (size_t n = strlen(copy); n > 0 && is_blank(copy[n - 1]); n--) {
        copy[n - 1] = '\0';
    }
    return strcmp(copy, name) == 0 || strcmp(lab_map_name_of(copy, &unit), name) == 0;
}

int lab_map_find_name(const lab_csv_row *csv, const char *name, size_t *at)
{
    int found = 0;
    for (size_t i = 0; i < csv->cells; i++) {
        if (is_named(lab_csv_cell(csv, i), name)) {
            *at = i;
            found++;
        }
    }
    return found;
}

/* Source i of a map: one of its columns, and behind them the labels'. NULL behind all. */
static const marl_column_source *source_of(const marl_column_map *map, size_t i)
{
    return i < map->n ? &map->source[i] : i == map->n && map->has_labels ? &map->label : NULL;
}

/* How many of the map's names the line holds. */
static size_t names_in(const lab_csv_row *csv, const marl_column_map *map)
{
    size_t n = 0, at;
    const marl_column_source *source;
    for (size_t i = 0; (source = source_of(map, i)) != NULL; i++) {
        n += source->number == 0 && lab_map_find_name(csv, source->name, &at) > 0;
    }
    return n;
}

double lab_cell_number(const char *cell, char point)
{
    lab_decimal decimal;
    int64_t ns;
    const char *behind = cell + strlen(cell);
    if (lab_date_read(cell, behind, &ns)) {
        return 1e-9 * (double)ns;
    }
    cell += strspn(cell, " \t");
    cell = lab_skip_label(cell, behind);
    const char *end = lab_number_scan(cell, point, &decimal);
    if (end == NULL || end[strspn(end, " \t\r")] != '\0') {
        return NAN;
    }
    return lab_number_value(cell, end, point, &decimal);
}

/* The label in the row, "" without one; cut off where it is too long for any. */
static void label_in(const lab_scanner *s, const marl_column_map *map, char label[MARL_LABEL_MAX])
{
    size_t at = (size_t)map->label.number;
    const char *cell = map->has_labels && at > 0 && at <= s->csv.cells ? lab_csv_cell(&s->csv, at - 1) : "";
    cell += strspn(cell, " \t");
    snprintf(label, MARL_LABEL_MAX, "%s", cell);
    for (size_t n = strlen(label); n > 0 && (is_blank(label[n - 1]) || label[n - 1] == '\r'); n--) {
        label[n - 1] = '\0';
    }
}

/* Are the cells that the map numbers numbers? With labels: those of its label, and there are some. */
static int is_row(const lab_scanner *s, const marl_column_map *map)
{
    char label[MARL_LABEL_MAX];
    int labelled = 0;
    label_in(s, map, label);
    for (size_t i = 0; i < map->n; i++) {
        size_t at = (size_t)map->source[i].number;
        int is_of_it = strcmp(map->source[i].label, label) == 0;
        if (map->source[i].label[0] != '\0' && !is_of_it) {
            continue;
        }
        labelled |= is_of_it;
        if (at > s->csv.cells ||
            (at > 0 && isnan(lab_cell_number(lab_csv_cell(&s->csv, at - 1), s->point)))) {
            return 0;
        }
    }
    return s->csv.cells > 0 && (labelled || !map->has_labels);
}

static void keep_heading(lab_heading *h, const lab_csv_row *csv)
{
    h->n = csv->cells < LAB_LOG_MAX_COLUMNS ? csv->cells : LAB_LOG_MAX_COLUMNS;
    for (size_t i = 0; i < h->n; i++) {
        snprintf(h->cell[i], sizeof h->cell[i], "%s", lab_csv_cell(csv, i));
    }
}

static marl_status not_found(const char *path, const marl_column_map *map, size_t max, marl_error *error)
{
    char missing[200] = "";
    const marl_column_source *source;
    for (size_t i = 0; (source = source_of(map, i)) != NULL; i++) {
        if (source->number == 0) {
            marl_list_append(missing, sizeof missing, source->name);
        }
    }
    if (missing[0] != '\0') {
        return marl_fail(error, MARL_ERR_INPUT,
                         "%s: no line has all the columns %s (the best has %zu of them); without the map, "
                         "inspect shows what is there",
                         path, missing, max);
    }
    for (size_t i = 0; i < map->n; i++) {
        if (map->source[i].label[0] != '\0') {
            return marl_fail(
                error, MARL_ERR_INPUT,
                "%s: no line has the label %s in column %d and numbers in the columns of the map", path,
                map->source[i].label, map->label.number);
        }
    }
    return marl_fail(error, MARL_ERR_INPUT, "%s: no line has numbers in the columns of the map", path);
}

static size_t names_wanted(const marl_column_map *map)
{
    size_t n = 0;
    const marl_column_source *source;
    for (size_t i = 0; (source = source_of(map, i)) != NULL; i++) {
        n += source->number == 0;
    }
    return n;
}

char *lab_open_line(lab_lines *lines, const char *line, size_t *n)
{
    char *text = lines->buffer + (line - lines->buffer);
    size_t skip = lines->line == 1 && *n >= 3 && memcmp(text, "\xef\xbb\xbf", 3) == 0 ? 3 : 0;
    *n -= skip;
    text += skip;
    lines->last += skip;
    *n -= *n > 0 && text[*n - 1] == '\r';
    skip = *n > 0 && (*text == '#' || *text == '%');
    *n -= skip;
    return text + skip;
}

lab_map_line lab_map_try(lab_scanner *s, char *text, size_t *n, const marl_column_map *map,
                         lab_heading *names, int *blanks)
{
    const size_t wanted = names_wanted(map);
    if (*n == 0 || !lab_split_any(s, text, n, blanks)) {
        return LAB_MAP_NONE;
    }
    size_t here = names_in(&s->csv, map);
    names->best = here > names->best ? here : names->best;
    int found = wanted > 0 ? here == wanted : is_row(s, map);
    if (!found || wanted > 0) {
        keep_heading(names, &s->csv);
    }
    return !found ? LAB_MAP_NONE : wanted > 0 ? LAB_MAP_NAMES : LAB_MAP_ROW;
}

marl_status lab_map_find_rows(lab_scanner *s, lab_lines *lines, const marl_column_map *map,
                              const lab_header *h, int *blanks)
{
    const char *path = h->where;
    lab_heading *names = calloc(1, sizeof *names);
    marl_status status = MARL_OK;
    lab_map_line found = LAB_MAP_NONE;
    if (names == NULL) {
        return marl_fail(h->error, MARL_ERR_SYSTEM, "no memory");
    }
    while (found == LAB_MAP_NONE) {
        const char *line;
        size_t n;
        status = lab_lines_next(lines, path, &line, &n, h->error);
        if (status != MARL_OK || lines->line > (map->has_labels ? LAB_LABEL_WITHIN : LAB_PREAMBLE_MAX)) {
            break;
        }
        char *text = lab_open_line(lines, line, &n);
        if (text > line && text[-1] == '#') {
            lab_metadata_read(text - 1, n + 1, h->info);
        }
        found = lab_map_try(s, text, &n, map, names, blanks);
    }
    if (found != LAB_MAP_NONE) {
        char where[600];
        snprintf(where, sizeof where, "%s:%ld", path, lines->line);
        lab_header here = *h;
        here.where = where;
        status = lab_map_lay_out(s, map, names, &here);
        if (found == LAB_MAP_ROW) {
            lab_lines_back(lines);
        }
    } else if (status == MARL_OK || status == MARL_END) {
        status = lines->line == 0 ? marl_fail(h->error, MARL_ERR_INPUT, "%s:1: the file is empty", path)
                                  : not_found(path, map, names->best, h->error);
    }
    free(names);
    return status;
}
