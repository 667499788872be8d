/* SPDX-License-Identifier: MIT
 * Rows by libcsv. */
#include "lab/log/csv_row.h"
#include <stdlib.h>
#include <string.h>

int lab_csv_init(lab_csv_row *row, char delimiter)
{
    memset(row, 0, sizeof *row);
    if (csv_init(&row->parser, CSV_APPEND_NULL) != 0) {
        return 0;
    }
    csv_set_delim(&row->parser, (unsigned char)delimiter);
    return 1;
}

void lab_csv_free(lab_csv_row *row)
{
    csv_free(&row->parser);
    free(row->text);
    free(row->start);
}

void lab_csv_clear(lab_csv_row *row)
{
    row->used = row->cells = 0;
    row->complete = row->no_memory = 0;
}

/* Makes capacity for `more` elements of `size` bytes behind `used`. */
static int grow(void **array, size_t *capacity, size_t used, size_t more, size_t size)
{
    if (used + more <= *capacity) {
        return 1;
    }
    size_t wanted = 2 * (used + more);
    void *larger = realloc(*array, wanted * size);
    if (larger == NULL) {
        return 0;
    }
    *array = larger;
    *capacity = wanted;
    return 1;
}

static void parse_cell(void *cell, size_t n, void *context)
{
    lab_csv_row *row = context;
    void *text = row->text, *start = row->start;
    int fits = grow(&text, &row->capacity, row->used, n + 1 + LAB_CSV_SLACK, 1) &&
               grow(&start, &row->cell_capacity, row->cells, 1, sizeof *row->start);
    row->text = text;
    row->start = start;
    if (!fits) {
        row->no_memory = 1;
        return;
    }
    row->start[row->cells++] = row->used;
    if (n > 0) {
        memcpy(row->text + row->used, cell, n);
    }
    row->text[row->used + n] = '\0';
    row->used += n + 1;
}

static void end_row(int line_end, void *context)
{
    (void)line_end;
    ((lab_csv_row *)context)->complete = 1;
}

int lab_csv_feed(lab_csv_row *row, const char *line, size_t n)
{
    if (csv_parse(&row->parser, line, n, parse_cell, end_row, row) != n || row->no_memory) {
        return -1;
    }
    return row->complete;
}

const char *lab_csv_cell(const lab_csv_row *row, size_t i)
{
    return row->text + row->start[i];
}
