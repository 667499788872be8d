/* SPDX-License-Identifier: MIT
 * The offset of two files: 20 and 60 s, the magnetometer at 20, 50 and 100 Hz with 35 uT of hard iron. */
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define LATE_S 3.217

typedef struct two_parts {
    const char *name;
    unsigned columns[2], fresh[2];
} two_parts;

static void split(marl_scene_kind scene, double seconds, double mag_hz, const two_parts *how,
                  verdict_count *count)
{
    marl_sheet sheet = marl_sheet_grommet();
    sheet.mag.rate_hz = mag_hz;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_log all = verdict_log_of(&sheet, scene, 100, seconds, 5, seed);
        for (size_t i = 0; i < all.n; i++) {
            all.row[i].sample.mag.x += 28;
            all.row[i].sample.mag.y -= 21;
        }
        marl_log a = verdict_part(&all, how->columns[0], how->fresh[0], 0);
        marl_log b = verdict_part(&all, how->columns[1], how->fresh[1], LATE_S);
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

/* Two recordings by free hands that have nothing in common: every offset that is found is wrong. */
static void try_strangers(marl_scene_kind scene, double mag_hz, const two_parts *how, verdict_count *count)
{
    marl_sheet sheet = marl_sheet_grommet();
    sheet.mag.rate_hz = mag_hz;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_log one = verdict_log_of(&sheet, scene, 100, 30, 5, seed);
        marl_log other = verdict_log_of(&sheet, scene, 100, 30, 5, seed + 1000);
        marl_log a = verdict_part(&one, how->columns[0], how->fresh[0], 0);
        marl_log b = verdict_part(&other, how->columns[1], how->fresh[1], LATE_S);
        marl_clock_offset offset;
        if (marl_clock_offset_find(&a, &b, &offset, NULL) != MARL_OK) {
            exit(1);
        }
        count->runs++;
        count->accepted += offset.found;
        free(one.row);
        free(other.row);
        free(a.row);
        free(b.row);
    }
}

void verdicts_merge(void)
{
    const marl_scene_kind scenes[] = {MARL_SCENE_TUMBLE, MARL_SCENE_HANDLE, MARL_SCENE_SWING,
                                      MARL_SCENE_CARRY,  MARL_SCENE_POSES,  MARL_SCENE_TURNS};
    static const two_parts parts[] = {
        {"gyro, mag", {MARL_COLUMNS_GYRO, MARL_COLUMNS_MAG}, {MARL_FRESH_GYRO, MARL_FRESH_MAG}},
        {"gyro, accel", {MARL_COLUMNS_GYRO, MARL_COLUMNS_ACCEL}, {MARL_FRESH_GYRO, MARL_FRESH_ACCEL}},
        {"accel, mag", {MARL_COLUMNS_ACCEL, MARL_COLUMNS_MAG}, {MARL_FRESH_ACCEL, MARL_FRESH_MAG}},
    };
    const double mag_hz[] = {20, 50, 100};
    printf("inspect A B: offset of the clocks (refusals are right where motion repeats)\n");
    for (size_t k = 0; k < 3; k++) {
        for (int rate = 0; rate < (k == 1 ? 1 : 3); rate++) {
            for (double seconds = 20; seconds < 80; seconds += 40) {
                verdict_count all = {0};
                char title[48];
                for (size_t i = 0; i < sizeof scenes / sizeof scenes[0]; i++) {
                    split(scenes[i], seconds, mag_hz[rate], &parts[k], &all);
                }
                snprintf(title, sizeof title, "%s, %.0f Hz, %.0f s", parts[k].name,
                         k == 1 ? 100 : mag_hz[rate], seconds);
                verdict_print(title, &all);
            }
        }
        const marl_scene_kind free_hands[] = {MARL_SCENE_HANDLE, MARL_SCENE_CARRY};
        verdict_count strangers = {0};
        for (size_t i = 0; i < 6; i++) {
            try_strangers(free_hands[i % 2], mag_hz[i / 2], &parts[k], &strangers);
        }
        printf("  %s, two other motions, 30 s: found %d of %d\n", parts[k].name, strangers.accepted,
               strangers.runs);
    }
}
