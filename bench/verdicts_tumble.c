/* SPDX-License-Identifier: MIT
 * The magnetometer from tumbles: as simulated, each reading repeated, with a hard iron that drifts, with axes
 * swapped; and the dip. */
#include "steel.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

typedef enum spoiling {
    AS_IS,
    REPEATED,
    DRIFTING,
    SWAPPED,
    STEEL_FAR,
    STEEL_NEAR,
    STEEL_CLOSE,
    SPOILINGS
} spoiling;

static const char *const spoiling_name[SPOILINGS] = {"as simulated",
                                                     "each reading three times",
                                                     "drifting by 3 uT",
                                                     "x and y of the magnetometer swapped",
                                                     "steel, 0.3 uT rms along the way of the hand",
                                                     "steel, 1 uT rms",
                                                     "steel, 3 uT rms"};
static const double steel_ut[SPOILINGS] = {[STEEL_FAR] = 0.3, [STEEL_NEAR] = 1, [STEEL_CLOSE] = 3};

static void spoil(marl_log *log, spoiling how)
{
    marl_vec3 last = {0};
    int left = 0;
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        if (how == REPEATED) {
            left = left > 0 ? left - 1 : 2;
            last = left == 2 && (s->fresh & MARL_FRESH_MAG) ? s->mag : last;
            s->mag = last;
            s->fresh |= MARL_FRESH_MAG;
        } else if (how == DRIFTING) {
            s->mag.x += 3.0f * ((float)i / (float)log->n - 0.5f);
        } else if (how == SWAPPED) {
            float x = s->mag.x;
            s->mag.x = s->mag.y;
            s->mag.y = x;
        }
    }
}

static double true_dip(const marl_log *log, uint64_t seed)
{
    marl_scene scene = marl_scene_make(MARL_SCENE_TUMBLE, seed);
    marl_motion m = marl_scene_at(&scene, 1);
    marl_quat q = {(float)m.q[0], (float)m.q[1], (float)m.q[2], (float)m.q[3]};
    marl_vec3 world =
        marl_quat_rotate(q, (marl_vec3){(float)m.field[0], (float)m.field[1], (float)m.field[2]});
    (void)log;
    return atan2(-(double)world.z, hypot((double)world.x, (double)world.y)) / 0.017453292519943295;
}

/* The truth of the bias: the fit of a recording ten times as long by the same part, at the same power-on. */
static void try_tumble(spoiling how)
{
    verdict_count bias = {0}, dip = {0};
    int remarks = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_log log = verdict_log(MARL_SCENE_TUMBLE, 100, 60, 0, seed);
        marl_log longer = verdict_log(MARL_SCENE_TUMBLE, 100, 600, 0, seed);
        const marl_tumble_options options = {.field = (double)NAN};
        marl_tumble_result r, truth;
        spoil(&log, how);
        if (steel_ut[how] > 0) {
            steel_add(&log, steel_ut[how], seed);
        }
        if (marl_calibrate_tumble(&longer, &options, &truth, NULL) != MARL_OK) {
            exit(1);
        }
        int accepted = marl_calibrate_tumble(&log, &options, &r, NULL) == MARL_OK;
        bias.runs++;
        bias.accepted += accepted;
        remarks += accepted && r.outcome.remark[0] != '\0';
        for (int k = 0; k < 3 && accepted; k++) {
            int from = how == SWAPPED && k < 2 ? 1 - k : k;
            verdict_add(&bias, r.outcome.fit.bias[k] - truth.outcome.fit.bias[from],
                        r.outcome.fit.bias_sigma[k]);
        }
        dip.runs++;
        if (accepted && isfinite(r.outcome.fit.dip_deg)) {
            dip.accepted++;
            verdict_add(&dip, r.outcome.fit.dip_deg - true_dip(&log, seed), r.dip_sigma_deg);
        }
        marl_tumble_result_free(&r);
        marl_tumble_result_free(&truth);
        free(log.row);
        free(longer.row);
    }
    char title[80];
    snprintf(title, sizeof title, "%s", spoiling_name[how]);
    verdict_print(title, &bias);
    verdict_print("  its dip", &dip);
    printf("    remarks %d\n", remarks);
}

void verdicts_tumble(void)
{
    printf("calibrate tumble, 60 s\n");
    for (int how = 0; how < SPOILINGS; how++) {
        try_tumble((spoiling)how);
    }
}
