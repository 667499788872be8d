/* SPDX-License-Identifier: MIT
 * The offset of two files: 20 and 60 s, the magnetometer with 35 uT of hard iron. */
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define LATE_S 3.217

static void split(marl_scene_kind scene, double seconds, unsigned columns[2], unsigned fresh[2],
                  verdict_count *count)
{
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_log all = verdict_log(scene, 100, seconds, 5, seed);
        for (size_t i = 0; i < all.n; i++) {
            all.row[i].sample.mag.x += 28;
            all.row[i].sample.mag.y -= 21;
        }
        marl_log a = verdict_part(&all, columns[0], fresh[0], 0);
        marl_log b = verdict_part(&all, columns[1], fresh[1], LATE_S);
        marl_clock_offset offset;
        if (marl_clock_offset_find(&a, &b, &offset, NULL) != MARL_OK) {
            exit(1);
        }
        count->runs++;
        count->accepted += offset.found;
        if (offset.found) {
            verdict_add(count, offset.offset_s + LATE_S, offset.sigma_s);
        }
        free(all.row);
        free(a.row);
        free(b.row);
    }
}

void verdicts_merge(void)
{
    const marl_scene_kind scenes[] = {MARL_SCENE_TUMBLE, MARL_SCENE_HANDLE, MARL_SCENE_SWING,
                                      MARL_SCENE_CARRY,  MARL_SCENE_POSES,  MARL_SCENE_TURNS};
    static const char *const name[] = {"gyro, mag", "gyro, accel", "accel, mag"};
    unsigned columns[3][2] = {{MARL_COLUMNS_GYRO, MARL_COLUMNS_MAG},
                              {MARL_COLUMNS_GYRO, MARL_COLUMNS_ACCEL},
                              {MARL_COLUMNS_ACCEL, MARL_COLUMNS_MAG}};
    unsigned fresh[3][2] = {{MARL_FRESH_GYRO, MARL_FRESH_MAG},
                            {MARL_FRESH_GYRO, MARL_FRESH_ACCEL},
                            {MARL_FRESH_ACCEL, MARL_FRESH_MAG}};
    printf("inspect A B: offset of the clocks (refusals are right where motion repeats)\n");
    for (int k = 0; k < 3; k++) {
        for (double seconds = 20; seconds < 80; seconds += 40) {
            verdict_count all = {0};
            char title[48];
            for (size_t i = 0; i < sizeof scenes / sizeof scenes[0]; i++) {
                split(scenes[i], seconds, columns[k], fresh[k], &all);
            }
            snprintf(title, sizeof title, "%s, %.0f s", name[k], seconds);
            verdict_print(title, &all);
        }
    }
}
