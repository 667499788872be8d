/* SPDX-License-Identifier: MIT
 * The word that was probably meant. */
#include "marlinspike/error.h"
#include <string.h>

enum { LONGEST = 40 };

static size_t least(size_t a, size_t b)
{
    return a < b ? a : b;
}

/* Insertions, deletions and substitutions, and exchanges of neighbours, from the one to the other. */
static size_t distance(const char *a, const char *b)
{
    size_t row[3][LONGEST + 1], n = strlen(a), m = strlen(b);
    if (n > LONGEST || m > LONGEST) {
        return LONGEST;
    }
    for (size_t j = 0; j <= m; j++) {
        row[0][j] = j;
    }
    for (size_t i = 1; i <= n; i++) {
        size_t *now = row[i % 3], *before = row[(i + 2) % 3], *first = row[(i + 1) % 3];
        now[0] = i;
        for (size_t j = 1; j <= m; j++) {
            now[j] = least(least(before[j], now[j - 1]) + 1, before[j - 1] + (a[i - 1] != b[j - 1]));
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
                now[j] = least(now[j], first[j - 2] + 1);
            }
        }
    }
    return row[n % 3][m];
}

void marl_nearest(marl_nearest_word *nearest, const char *known)
{
    size_t off = distance(nearest->given, known);
    if (off <= 1 + strlen(nearest->given) / 5 && (nearest->found == NULL || off < nearest->off)) {
        nearest->found = known;
        nearest->off = off;
    }
}
