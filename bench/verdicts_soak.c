/* SPDX-License-Identifier: MIT
 * Bias over temperature of a gyroscope with white noise, flicker and walk: constant, straight and curved
 * truth, a thermometer that lags, a cubic truth. Of an accelerometer on a mount that creeps as it warms. */
#include "lab/maths/linear.h"
#include "lab/maths/random.h"
#include "lab/simulate/simulator.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct soak_case {
    const char *name;
    double term[4]; /* deg/s over x = (degC - 20) / 25 */
    double lag_s;
    int exponential; /* warms as a body does, instead of by a ramp with soft ends */
} soak_case;

static const soak_case cases[] = {
    {"constant", {0.1, 0, 0, 0}, 0, 0},
    {"straight", {0.1, 0.2, 0, 0}, 0, 0},
    {"curved", {0.1, 0.2, 0.05, 0}, 0, 0},
    {"thermometer lags by 30 s", {0.1, 0.2, 0.05, 0}, 30, 0},
    {"lags by 30 s, warms as a body", {0.1, 0.2, 0, 0}, 30, 1},
    {"straight, warms as a body", {0.1, 0.2, 0, 0}, 0, 1},
    {"cubic", {0.1, 0.2, 0.05, 0.05}, 0, 0},
};

static double value_at(const soak_case *of, double degC)
{
    double x = (degC - 20) / 25;
    return of->term[0] + x * (of->term[1] + x * (of->term[2] + x * of->term[3]));
}

/* A recording of the scene whose gyroscope has no temperature dependence of its own, with that of the case
 * added. */
static marl_log make_log(const soak_case *of, uint64_t seed)
{
    static char path[] = "made.csv";
    marl_sheet sheet = marl_sheet_grommet();
    marl_simulator simulator;
    marl_log log = {.path = path, .n = 600 * 50};
    for (int k = 0; k < 3; k++) {
        sheet.gyro.bias_per_degC[k] = sheet.gyro.bias[k] = sheet.accel.bias_per_degC[k] = 0;
    }
    sheet.gyro.bias_spread = 0;
    log.info.columns = MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO | MARL_COLUMNS_TEMP;
    log.row = calloc(log.n, sizeof *log.row);
    if (log.row == NULL || lab_simulator_init(&simulator, MARL_SCENE_SOAK, &sheet, 50, seed) != MARL_OK) {
        exit(1);
    }
    double shown = -5;
    for (size_t i = 0; i < log.n; i++) {
        marl_sample *s = &log.row[i].sample;
        marl_quat q;
        marl_simulator_next(&simulator, s, &q);
        double t = 1e-9 * (double)s->t_ns;
        double degC = of->exponential ? 45 - 50 * exp(-t / 150) : (double)s->temp;
        shown += of->lag_s > 0 ? (degC - shown) * 0.02 / of->lag_s : degC - shown;
        s->temp = (float)shown;
        s->fresh |= MARL_FRESH_TEMP;
        float bias = (float)(value_at(of, degC) * MARL_DEGREE);
        s->gyro = marl_vec3_add(s->gyro, (marl_vec3){bias, bias, bias});
    }
    return log;
}

static void try_soak(const soak_case *of)
{
    verdict_count at_reference = {0}, change = {0};
    int order[3] = {0}, remarks = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        marl_log log = make_log(of, seed);
        marl_soak_result r;
        int accepted = marl_calibrate_soak(&log, MARL_GYRO, &r, NULL) == MARL_OK;
        at_reference.runs++;
        at_reference.accepted += accepted;
        change.runs++;
        change.accepted += accepted;
        remarks += accepted && r.outcome.remark[0] != '\0';
        order[r.order] += accepted;
        for (int k = 0; k < 3 && accepted; k++) {
            const marl_fit *f = &r.outcome.fit;
            double d = f->range_degC[1] - f->range_degC[0], low = f->range_degC[0] - f->reference_degC;
            double found =
                f->bias_per_degC[k] * d + f->bias_per_degC2[k] * ((low + d) * (low + d) - low * low);
            double truth = MARL_DEGREE * (value_at(of, f->range_degC[1]) - value_at(of, f->range_degC[0]));
            verdict_add(&at_reference, f->bias[k] - MARL_DEGREE * value_at(of, f->reference_degC),
                        f->bias_sigma[k]);
            if (r.change_sigma[k] > 0) {
                verdict_add(&change, found - truth, r.change_sigma[k]);
            }
        }
        marl_soak_result_free(&r);
        free(log.row);
    }
    char title[80];
    snprintf(title, sizeof title, "%s, at the reference", of->name);
    verdict_print(title, &at_reference);
    verdict_print("  change over the range", &change);
    printf("    order 0, 1, 2: %d, %d, %d; remarks %d\n", order[0], order[1], order[2], remarks);
}

/* An accelerometer of 0.004 m/s^2 a degree on one axis after the other, in some attitude; the mount tilts by `creep_deg` about
 * some level direction. Stated errors of the change along gravity and across it, and how often the result says what a mount
 * could do. */
static void try_creep(double creep_deg, double a_degree)
{
    verdict_count along = {0}, across = {0};
    int remarks = 0;
    for (uint64_t seed = VERDICT_FROM; seed < VERDICT_FROM + VERDICT_SEEDS; seed++) {
        const soak_case none = {"", {0}, 0, 0};
        lab_normals normals = lab_normals_of(lab_random_seeded(seed, 7002));
        marl_log log = make_log(&none, seed);
        double attitude[3], level[3], up[3];
        for (int k = 0; k < 3; k++) {
            attitude[k] = 3 * lab_normals_next(&normals);
            level[k] = lab_normals_next(&normals);
        }
        marl_quat turned =
            marl_quat_from_rpy((float)attitude[0], 0.5f * (float)attitude[1], (float)attitude[2]);
        marl_vec3 z = marl_quat_rotate(turned, (marl_vec3){0, 0, 1});
        up[0] = (double)z.x, up[1] = (double)z.y, up[2] = (double)z.z;
        double slope = lab_dot3(level, up), size = 0;
        for (int k = 0; k < 3; k++) {
            level[k] -= slope * up[k];
            size += level[k] * level[k];
        }
        for (size_t i = 0; i < log.n; i++) {
            marl_sample *s = &log.row[i].sample;
            double x = ((double)s->temp - 20) / 25, tilt = creep_deg * MARL_DEGREE * 0.5 * x / sqrt(size);
            double change = a_degree * 25 * x;
            s->accel = marl_quat_rotate(turned, s->accel);
            s->accel.x += (float)(change + 9.80665 * tilt * level[0]);
            s->accel.y += (float)(-change + 9.80665 * tilt * level[1]);
            s->accel.z += (float)(0.5 * change + 9.80665 * tilt * level[2]);
        }
        marl_soak_result r;
        int accepted = marl_calibrate_soak(&log, MARL_ACCEL, &r, NULL) == MARL_OK;
        along.runs++;
        across.runs++;
        along.accepted += accepted;
        across.accepted += accepted;
        remarks += accepted && strstr(r.outcome.remark, "mount") != NULL;
        const double truth[3] = {a_degree, -a_degree, 0.5 * a_degree};
        double off = 0, variance = 0;
        for (int k = 0; k < 3 && accepted; k++) {
            const marl_fit *f = &r.outcome.fit;
            double d = f->range_degC[1] - f->range_degC[0], low = f->range_degC[0] - f->reference_degC;
            double found =
                f->bias_per_degC[k] * d + f->bias_per_degC2[k] * ((low + d) * (low + d) - low * low);
            off += up[k] * (found - truth[k] * d);
            variance += pow(up[k] * r.change_sigma[k], 2);
            if (r.order > 0) {
                verdict_add(&across, found - truth[k] * d, r.change_sigma[k]);
            }
        }
        if (accepted && r.order > 0) {
            verdict_add(&along, off, sqrt(variance));
        }
        marl_soak_result_free(&r);
        free(log.row);
    }
    printf("  accelerometer, %.3f m/s^2 a degree, creep %.1f deg\n", a_degree, creep_deg);
    verdict_print("  change over the range, each axis", &across);
    verdict_print("  along gravity", &along);
    printf("    remarks on the mount %d\n", remarks);
}

void verdicts_soak(void)
{
    printf("calibrate soak, 600 s\n");
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        try_soak(&cases[i]);
    }
    for (int k = 0; k < 2; k++) {
        try_creep(0, 0.004 * k);
        try_creep(0.3, 0.004 * k);
        try_creep(2, 0.004 * k);
    }
}
