/* SPDX-License-Identifier: MIT
 * The columns of a file from elsewhere, laid out by a map. */
#include "lab/log/log_map.h"
#include <stdio.h>
#include <string.h>

/* The unit is the one that the map gives, else the one in the heading. */
static marl_status lay_column(lab_column *column, size_t at, const marl_column_source *source,
                              const lab_heading *names, const lab_header *h)
{
    char text[MARL_NAME_MAX] = "", *unit = NULL;
    if (column->target >= 0) {
        return marl_fail(h->error, MARL_ERR_USE, "column map: column %zu is used for %s and for %s", at + 1,
                         marl_column_name((marl_column)column->target), marl_column_name(source->target));
    }
    *column = (lab_column){.target = (int)source->target, .factor = 1.0};
    lab_column_place(column, h->info);
    if (at < names->n) {
        memcpy(text, names->cell[at], sizeof text);
        (void)lab_map_name_of(text, &unit);
    }
    if (unit != NULL && (unit[0] == '\0' || lab_column_quantity(source->target) == LAB_PURE)) {
        unit = NULL; /* some write [] or [-] behind what has none */
    }
    if (source->unit[0] != '\0') {
        snprintf(text, sizeof text, "%s", source->unit);
        unit = text;
    }
    marl_status status = lab_column_unit(column, marl_column_name(source->target), unit, h);
    double sign = source->negative ? -1 : 1;
    column->factor *= sign * source->factor;
    column->offset = sign * column->offset + source->offset;
    return status;
}

/* Which column of the file it is, from 0. */
static marl_status find_source(const lab_scanner *s, const marl_column_source *source, const lab_header *h,
                               size_t *at)
{
    *at = (size_t)source->number;
    if (*at == 0 && lab_map_find_name(&s->csv, source->name, at) > 1) {
        return marl_fail(h->error, MARL_ERR_INPUT, "%s: column '%s' stands there twice: map it by its number",
                         h->where, source->name);
    }
    *at -= source->number > 0;
    return MARL_OK;
}

static marl_status lay_plain(lab_scanner *s, const marl_column_map *map, const lab_heading *names,
                             const lab_header *h)
{
    s->layout.n = s->csv.cells;
    for (size_t i = 0; i < s->layout.n; i++) {
        s->layout.column[i] = (lab_column){.target = -1};
    }
    for (size_t i = 0; i < map->n; i++) {
        size_t at;
        MARL_TRY(find_source(s, &map->source[i], h, &at));
        if (at >= s->layout.n) {
            return marl_fail(h->error, MARL_ERR_INPUT, "%s: no column %zu, only %zu", h->where, at + 1,
                             s->layout.n);
        }
        MARL_TRY(lay_column(&s->layout.column[at], at, &map->source[i], names, h));
    }
    return MARL_OK;
}

/* Makes the columns for a label, unless there are some. */
static marl_status add_label(lab_scanner *s, const char *label, const lab_header *h)
{
    for (size_t k = 0; k < s->labelled_n; k++) {
        if (strcmp(s->labelled[k].label, label) == 0) {
            return MARL_OK;
        }
    }
    if (s->labelled_n == LAB_LABELS) {
        return marl_fail(h->error, MARL_ERR_USE, "column map: more than %d labels", LAB_LABELS);
    }
    lab_labelled *l = &s->labelled[s->labelled_n++];
    snprintf(l->label, sizeof l->label, "%s", label);
    l->n = 0;
    for (size_t i = 0; i < LAB_LABEL_COLUMNS; i++) {
        l->column[i] = (lab_column){.target = -1};
    }
    return MARL_OK;
}

/* A source without a label is of all rows. */
static marl_status lay_labelled(lab_scanner *s, const marl_column_map *map, const lab_heading *names,
                                const lab_header *h)
{
    MARL_TRY(find_source(s, &map->label, h, &s->label_at));
    for (size_t i = 0; i < map->n; i++) {
        MARL_TRY(map->source[i].label[0] != '\0' ? add_label(s, map->source[i].label, h) : MARL_OK);
    }
    for (size_t i = 0; i < map->n; i++) {
        const marl_column_source *source = &map->source[i];
        size_t at;
        MARL_TRY(find_source(s, source, h, &at));
        if (at >= LAB_LABEL_COLUMNS) {
            return marl_fail(h->error, MARL_ERR_USE,
                             "column map: of rows with labels only %d columns are read", LAB_LABEL_COLUMNS);
        }
        for (size_t k = 0; k < s->labelled_n; k++) {
            lab_labelled *l = &s->labelled[k];
            if (source->label[0] == '\0' || strcmp(source->label, l->label) == 0) {
                MARL_TRY(lay_column(&l->column[at], at, source, names, h));
                l->n = at + 1 > l->n ? at + 1 : l->n;
            }
        }
    }
    return MARL_OK;
}

marl_status lab_map_lay_out(lab_scanner *s, const marl_column_map *map, lab_heading *names,
                            const lab_header *h)
{
    names->n = names->n == s->csv.cells ? names->n : 0; /* a heading has as many cells as a row */
    if (s->csv.cells > LAB_LOG_MAX_COLUMNS) {
        return marl_fail(h->error, MARL_ERR_INPUT, "%s: more than %d columns", h->where, LAB_LOG_MAX_COLUMNS);
    }
    s->named_cells = 1;
    s->time_parts = 0;
    for (size_t i = 0; i < map->n; i++) {
        s->time_parts += map->source[i].target == MARL_COLUMN_T;
    }
    s->labelled_n = 0;
    if (map->rate_hz > 0) {
        h->info->columns |= 1u << MARL_COLUMN_T;
    }
    return map->has_labels ? lay_labelled(s, map, names, h) : lay_plain(s, map, names, h);
}
