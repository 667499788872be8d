/* SPDX-License-Identifier: MIT
 * Names that stand in the rows themselves: "AX=0.1 AY=0.2", "acc:0.1,0.2,9.8", "ACC: 0.1 0.2 9.8". */
#include "lab/import/columns_guess.h"
#include "lab/log/cell_text.h"
#include "lab/log/log_map.h"
#include <ctype.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

/* Length of the label at the cell's beginning; 0: none. A cell may be a label alone, for what follows. */
static size_t label_of(const char *cell, int *alone)
{
    const char *end = cell + strlen(cell), *start = cell + strspn(cell, " \t");
    const char *behind = lab_skip_label(start, end);
    size_t n = 0;
    while (behind > start && (isalnum((unsigned char)start[n]) || start[n] == '_' || start[n] == '.')) {
        n++;
    }
    *alone = n > 0 && *behind == '\0';
    return n;
}

/* How many cells from `first` on are numbers without a label of their own. */
static size_t numbers_from(const lab_csv_row *csv, size_t first, size_t cells, char point)
{
    size_t n = 0;
    int alone;
    while (first + n < cells && label_of(lab_csv_cell(csv, first + n), &alone) == 0 &&
           isfinite(lab_cell_number(lab_csv_cell(csv, first + n), point))) {
        n++;
    }
    return n;
}

void lab_guess_labels(marl_columns_guess *guess, const lab_csv_row *csv, char point)
{
    for (size_t i = 0; i < guess->n; i++) {
        guess->column[i].name[0] = '\0';
    }
    for (size_t i = 0; i < guess->n; i++) {
        int alone;
        size_t length = label_of(lab_csv_cell(csv, i), &alone), first = i + (size_t)alone;
        const char *label = lab_csv_cell(csv, i) + strspn(lab_csv_cell(csv, i), " \t");
        if (length == 0 || first >= guess->n) {
            continue;
        }
        size_t n = numbers_from(csv, i + 1, guess->n, point) + (size_t)!alone;
        for (size_t k = 0; k < n && (n == 1 || n == 3); k++) {
            char *name = guess->column[first + k].name;
            snprintf(name, sizeof guess->column[0].name, n == 3 ? "%.*s_%c" : "%.*s", (int)length, label,
                     "xyz"[k]);
        }
    }
}
