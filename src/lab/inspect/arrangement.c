/* SPDX-License-Identifier: MIT
 * Arrangements of axes: their text, and all there are. */
#include "lab/inspect/arrangement.h"
#include <stdio.h>
#include <stdlib.h>

int marl_arrangement_is_plain(const marl_arrangement *a)
{
    return a->axis[0] == 1 && a->axis[1] == 2 && a->axis[2] == 3;
}

void marl_arrangement_text(const marl_arrangement *a, char text[32])
{
    snprintf(text, 32, "x = %c%c, y = %c%c, z = %c%c", a->axis[0] < 0 ? '-' : '+', "?xyz"[abs(a->axis[0])],
             a -> axis[1] < 0 ? '-' : '+', "?xyz"[abs(a->axis[1])], a -> axis[2] < 0 ? '-' : '+',
             "?xyz"[abs(a->axis[2])]);
}

marl_arrangement lab_arrangement(int number)
{
    static const int order[6][3] = {{1, 2, 3}, {2, 3, 1}, {3, 1, 2}, {1, 3, 2}, {3, 2, 1}, {2, 1, 3}};
    const int *o = order[number % 6];
    int signs = number % 24 / 6, flip = number < 24 ? 1 : -1;
    return (marl_arrangement){
        {flip * o[0] * (signs & 1 ? -1 : 1), flip * o[1] * (signs & 2 ? -1 : 1), flip * o[2]}};
}
