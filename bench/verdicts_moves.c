/* SPDX-License-Identifier: MIT
 * The gyroscope's matrix from moves between poses, scale off by 1 % and axes by 0.5 %, drawn anew; the
 * accelerometer calibrated from the same recording or not at all, one move clipped. */
#include "lab/maths/linear.h"
#include "lab/maths/random.h"
#include "lab/simulate/simulator.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static marl_log make_log(uint64_t seed, double truth[3][3])
{
    static char path[] = "made.csv";
    marl_sheet sheet = marl_sheet_grommet();
    lab_normals normals = lab_normals_of(lab_random_seeded(seed, 31));
    marl_simulator simulator;
    marl_log log = {.path = path, .n = 14000};
    double gain[9];
    for (int i = 0; i < 3; i++) {
        sheet.gyro.scale_error[i] = 0.01 * lab_normals_next(&normals);
        for (int j = 0; j < 3; j++) {
            sheet.gyro.cross_axis[i][j] = i == j ? 0 : 0.005 * lab_normals_next(&normals);
            gain[3 * i + j] = i == j ? 1 + sheet.gyro.scale_error[i] : sheet.gyro.cross_axis[i][j];
        }
    }
    for (int j = 0; j < 3; j++) { /* the inverse, column by column */
        double a[9], column[3] = {j == 0, j == 1, j == 2};
        memcpy(a, gain, sizeof a);
        if (!lab_solve_general(3, a, column)) {
            exit(1);
        }
        for (int i = 0; i < 3; i++) {
            truth[i][j] = column[i];
        }
    }
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO;
    log.row = calloc(log.n, sizeof *log.row);
    if (log.row == NULL || lab_simulator_init(&simulator, MARL_SCENE_POSES, &sheet, 100, seed) != MARL_OK) {
        exit(1);
    }
    for (size_t i = 0; i < log.n; i++) {
        marl_simulator_next(&simulator, &log.row[i].sample, &log.row[i].q);
    }
    return log;
}

/* In the axes of the accelerometer as it is calibrated, which the gyroscope's become: its symmetric matrix
 * leaves the rotation that is in the part's own cross-axis terms. */
static void turn_truth(const marl_fit *accel, double truth[3][3])
{
    marl_sheet sheet = marl_sheet_grommet();
    double turned[3][3];
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            turned[i][j] = 0;
            for (int k = 0; k < 3; k++) {
                double step = 0;
                for (int l = 0; l < 3; l++) {
                    double gain = l == k ? 1 + sheet.accel.scale_error[l] : sheet.accel.cross_axis[l][k];
                    step += accel->matrix[i][l] * gain;
                }
                turned[i][j] += step * truth[k][j];
            }
        }
    }
    for (int e = 0; e < 9; e++) {
        truth[e / 3][e % 3] = turned[e / 3][e % 3];
    }
}

static void try_moves(const char *name, int calibrated, int clipped)
{
    verdict_count elements[2] = {{0}, {0}};
    int remarks = 0;
    size_t left_out = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        double truth[3][3];
        marl_log log = make_log(seed, truth);
        marl_calibration_record record = marl_calibration_record_empty();
        marl_poses_result poses;
        marl_moves_result r;
        if (marl_calibrate_poses(&log, 9.80665, &poses, NULL) != MARL_OK) {
            exit(1);
        }
        record.fit[MARL_ACCEL] = calibrated ? poses.outcome.fit : record.fit[MARL_ACCEL];
        if (calibrated) {
            turn_truth(&poses.outcome.fit, truth);
        }
        size_t hit = 3 + seed % 12;
        for (size_t i = 0; i < log.n && clipped; i++) {
            marl_sample *s = &log.row[i].sample;
            if (s->t_ns > poses.poses.pose[hit].span.to_ns &&
                s->t_ns < poses.poses.pose[hit + 1].span.from_ns) {
                s->gyro.x = fmaxf(-1, fminf(1, s->gyro.x));
                s->gyro.y = fmaxf(-1, fminf(1, s->gyro.y));
            }
        }
        int accepted = marl_calibrate_moves(&log, &record, &r, NULL) == MARL_OK;
        left_out += r.left_out;
        remarks += r.outcome.remark[0] != '\0';
        for (int across = 0; across < 2; across++) {
            elements[across].runs++;
            elements[across].accepted += accepted;
        }
        for (int e = 0; e < 9 && accepted; e++) {
            verdict_add(&elements[e % 4 != 0], r.outcome.fit.matrix[e / 3][e % 3] - truth[e / 3][e % 3],
                        r.outcome.fit.matrix_sigma[e / 3][e % 3]);
        }
        marl_moves_result_free(&r);
        marl_poses_result_free(&poses);
        free(log.row);
    }
    char title[64];
    snprintf(title, sizeof title, "%s, scale", name);
    verdict_print(title, &elements[0]);
    verdict_print("  misalignment", &elements[1]);
    printf("    moves left out %zu, remarks %d\n", left_out, remarks);
}

void verdicts_moves(void)
{
    printf("calibrate moves, 140 s of poses\n");
    try_moves("calibrated accelerometer", 1, 0);
    try_moves("raw accelerometer", 0, 0);
    try_moves("one move clipped", 1, 1);
}
