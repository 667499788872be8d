/* SPDX-License-Identifier: MIT
 * Bias over temperature of a gyroscope with white noise, flicker and walk: constant, straight and curved
 * truth, a thermometer that lags, a cubic truth. */
#include "lab/simulate/simulator.h"
#include "verdicts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

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
        sheet.gyro.bias_per_degC[k] = sheet.gyro.bias[k] = 0;
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

void verdicts_soak(void)
{
    printf("calibrate soak, 600 s\n");
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        try_soak(&cases[i]);
    }
}
