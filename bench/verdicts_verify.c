/* SPDX-License-Identifier: MIT
 * verify: false alarms on the next recording of the same part, which has flicker and walk and another
 * power-on's bias of the gyroscope; power for errors put into the calibration. */
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

typedef enum wrong { NOTHING, ACCEL_BIAS, GYRO_DRIFT, GYRO_SCALE, WRONGS } wrong;

static const char *const wrong_name[WRONGS] = {"nothing wrong",
                                               "accel bias off by 5 of its sigma and 0.03 m/s^2",
                                               "gyro drifted by 0.01 deg/s", "gyro scale off by 0.5 %"};

/* Calibrates accelerometer and gyroscope from one recording, verifies on another of the same power-on (the
 * seed), its noise going on: the scene's second round. */
static void try_verify(wrong how, size_t readings)
{
    int alarms[2] = {0}, n = 0, drifted = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_log both = verdict_log(MARL_SCENE_POSES, 100, 400, 0, seed);
        marl_log log = both, other = both;
        marl_calibration_record record = marl_calibration_record_empty();
        marl_poses_result poses;
        marl_moves_result moves;
        marl_verification v;
        log.n = readings > 0 ? readings : 14000;
        other.row += 20000;
        other.n = 20000;
        if (marl_calibrate_poses(&log, 9.80665, &poses, NULL) != MARL_OK) {
            marl_poses_result_free(&poses);
            free(both.row);
            continue;
        }
        record.fit[MARL_ACCEL] = poses.outcome.fit;
        log.n = 14000;
        int has_gyro = marl_calibrate_moves(&log, &record, &moves, NULL) == MARL_OK;
        record.fit[MARL_GYRO] = has_gyro ? moves.outcome.fit : record.fit[MARL_GYRO];
        record.fit[MARL_ACCEL].bias[0] +=
            how == ACCEL_BIAS ? fmax(0.03, 5 * record.fit[MARL_ACCEL].bias_sigma[0]) : 0;
        record.fit[MARL_GYRO].bias[1] += how == GYRO_DRIFT ? 0.01 * MARL_DEGREE : 0;
        record.fit[MARL_GYRO].matrix[2][2] *= how == GYRO_SCALE ? 1.005 : 1;
        if (marl_verify(&record, &other, 9.80665, &v, NULL) == MARL_OK) {
            n++;
            alarms[0] += v.sensor[MARL_ACCEL].present && !v.sensor[MARL_ACCEL].holds;
            alarms[1] += v.sensor[MARL_GYRO].present && !v.sensor[MARL_GYRO].holds;
            drifted += v.drifted;
        }
        marl_poses_result_free(&poses);
        marl_moves_result_free(&moves);
        free(both.row);
    }
    printf("  %-48s accelerometer does not hold %2d, gyroscope %2d of %d, drift seen %d\n", wrong_name[how],
           alarms[0], alarms[1], n, drifted);
}

void verdicts_verify(void)
{
    printf("verify, calibrated from 24 poses\n");
    for (int how = 0; how < WRONGS; how++) {
        try_verify((wrong)how, 0);
    }
    printf("verify, calibrated from six faces\n");
    try_verify(NOTHING, 3000);
    try_verify(ACCEL_BIAS, 3000);
}
