/* SPDX-License-Identifier: MIT
 * Passes until the trajectory has settled, under each of two assumptions about the sensors, and which of them the log
 * supports. */
#include "lab/smooth/smooth_model.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

enum { MIN_PASSES = 4, MAX_PASSES = 16, WIDE_PASSES = 2 };
#define SETTLED 0.02          /* u: the last pass moved nothing worth mentioning */
#define SETTLED_DEVIANCE 5.0  /* of J: neither did the evidence */
#define PREFERENCE 5.0        /* of J: what it takes to go against what was said of the sensors */
#define PREFERENCE_OPEN 100.0 /* where the raw result is not trusted: it may have taken motion for an error */
#define PRIOR_WEIGHT 1.0 /* of the assumption beside each error of a kind, when their size is estimated */
#define MAX_SCALE 2.0    /* of it over that of raw sensors: with more a matrix explains a pendulum's motion */
#define FIELD_SIGMA 5.0  /* uT */
#define DELAY_SIGMA 0.02 /* s: of a low-pass, or of a reading that waits for the bus */
#define FORCE_SIGMA 1e-4 /* S, rad/s per m/s^2: 0.06 deg/s per g */
#define ARM_SIGMA 10.0   /* r, m: a pod on its rope turns about a point far above it */
#define MISSED_BLOCKS 20 /* about 2 s */
#define USUAL_PASSES 10.0 /* to go, for the progress */
/* A result beyond these is not trusted: docs/methods/smoother.md. */
#define SAME_START 0.05 /* rad, rms */
#define MAX_CHANGE 0.1
#define MAX_MISSED 3.0
#define MAX_WORST 3.5

/* Standard deviations of what is wrong with a sensor: bias of accelerometer and magnetometer, elements of the matrices
 * on the diagonal and beside it. */
typedef struct level {
    double accel, mag, diagonal, beside;
} level;

static const level raw_level = {0.3, 5, 0.02, 0.01}, calibrated_level = {0.02, 0.3, 0.001, 0.0007};

/* What a pass leaves behind at a knot. */
typedef struct saved_knot {
    double q[4], state[STATES], covariance[12], motion, vertical, speed, disturbance;
    int still, moves_fast;
} saved_knot;

typedef struct saved {
    saved_knot *knot;
    lab_assumption assumed;
    double constant[CONSTANTS], constant_sigma[CONSTANTS], walk, change, deviance;
} saved;

/* Errors of one kind have one size; of an accelerometer's bias `allowed` times that is no reason to distrust: data sheets
 * have 1 m/s^2, and a log shows it. */
static const struct {
    int at, n;
    double allowed;
    const char *worse; /* why the result is not trusted then */
} kinds[] = {
    {MAG, 3, 1, "the magnetometer's hard iron is worse than of an uncalibrated one is assumed"},
    {ACCEL, 3, 3, "the accelerometer's offset is worse than of an uncalibrated one is assumed"},
    {GYRO_MATRIX, 9, 1, "the gyroscope's scale or axes are worse than of an uncalibrated one is assumed"},
    {ACCEL_MATRIX, 9, 1,
     "the accelerometer's scale or axes are worse than of an uncalibrated one is assumed"},
    {MAG_MATRIX, 9, 1,
     "the magnetometer's soft iron or axes are worse than of an uncalibrated one is assumed, or currents and "
     "steel move"}};

enum { KINDS = sizeof kinds / sizeof kinds[0] };

static int place_of_matrix(marl_sensor sensor)
{
    return sensor == MARL_ACCEL ? ACCEL_MATRIX : sensor == MARL_GYRO ? GYRO_MATRIX : MAG_MATRIX;
}

static lab_assumption assume(const level *all)
{
    lab_assumption assumed;
    for (int i = 0; i < 3; i++) {
        assumed.sigma[ACCEL + i] = all->accel;
        assumed.sigma[MAG + i] = all->mag;
        assumed.sigma[ARM + i] = ARM_SIGMA;
    }
    for (int i = 0; i < 9 * MARL_SENSOR_COUNT; i++) {
        assumed.sigma[place_of_matrix((marl_sensor)(i / 9)) + i % 9] =
            i % 9 % 4 == 0 ? all->diagonal : all->beside;
    }
    assumed.sigma[ACCEL_DELAY] = assumed.sigma[MAG_DELAY] = DELAY_SIGMA;
    for (int i = 0; i < 9; i++) {
        assumed.sigma[GYRO_FORCE + i] = FORCE_SIGMA;
    }
    assumed.sigma[FIELD] = assumed.sigma[FIELD + 1] = FIELD_SIGMA;
    return assumed;
}

lab_assumption lab_assume_raw(void)
{
    return assume(&raw_level);
}

/* Between calibrated and raw; as raw where it is not stated. */
static void set_sigma(lab_assumption *assumed, int at, double stated)
{
    const lab_assumption raw = assume(&raw_level), calibrated = assume(&calibrated_level);
    double sigma = isnan(stated) ? raw.sigma[at] : stated;
    assumed->sigma[at] = fmax(calibrated.sigma[at], fmin(sigma, raw.sigma[at]));
}

void lab_assume_calibrated(lab_assumption *assumed, marl_sensor sensor, const marl_fit *fit)
{
    int bias = sensor == MARL_ACCEL ? ACCEL : MAG, is_unit = fit != NULL;
    for (int i = 0; i < 9 && fit != NULL; i++) { /* the matrix of a fit that is of the bias alone */
        is_unit &= fit->matrix[i / 3][i % 3] == (i % 4 == 0);
    }
    for (int i = 0; i < 3 && sensor != MARL_GYRO; i++) {
        set_sigma(assumed, bias + i, fit != NULL && fit->has_sigma ? fit->bias_sigma[i] : 0);
    }
    for (int i = 0; i < 9 && !is_unit; i++) {
        set_sigma(assumed, place_of_matrix(sensor) + i,
                  fit != NULL && fit->has_sigma ? fit->matrix_sigma[i / 3][i % 3] : 0);
    }
}

/* Expectation maximisation: the size of each kind of error by what the pass found of it, where it saw anything. */
static void adapt(lab_smoother *s)
{
    const lab_assumption raw = s->raw;
    for (int k = 0; k < KINDS; k++) {
        double sum = PRIOR_WEIGHT;
        int from = kinds[k].at, to = from + kinds[k].n;
        for (int i = from; i < to; i++) {
            double value = s->constant[i] / raw.sigma[i], sigma = s->constant_sigma[i] / raw.sigma[i];
            sum += value * value + sigma * sigma;
        }
        double scale = fmin(MAX_SCALE, sqrt(sum / (PRIOR_WEIGHT + kinds[k].n)));
        for (int i = from; i < to; i++) {
            s->assumed.sigma[i] = s->assumed.sigma[i] > 0 ? scale * raw.sigma[i] : 0;
        }
    }
}

static void report(const lab_smoother *s, double share)
{
    const lab_progress *progress = s->progress;
    if (progress->call != NULL) {
        progress->call(progress->context, progress->from + share * progress->length);
    }
}

/* Passes until turns and evidence have settled; raw sensors also show how bad they are. */
static marl_status run_passes(lab_smoother *s, int adapts, marl_error *error)
{
    double before = INFINITY;
    for (int pass = 1; pass <= MAX_PASSES; pass++) {
        lab_smooth_move(s);
        MARL_TRY(lab_smooth_find_evidence(s, error));
        MARL_TRY(lab_smooth_filter(s, error));
        s->made++;
        report(s, s->made / (s->made + USUAL_PASSES));
        if (s->passes > WIDE_PASSES) {
            lab_smooth_find_walk(s);
            if (adapts) {
                adapt(s);
            }
        }
        if (pass >= MIN_PASSES && s->change < SETTLED && fabs(s->deviance - before) < SETTLED_DEVIANCE) {
            break;
        }
        before = s->deviance;
    }
    return MARL_OK;
}

static int save(const lab_smoother *s, saved *to)
{
    to->knot = malloc(s->knots * sizeof *to->knot);
    for (size_t i = 0; i < s->knots && to->knot != NULL; i++) {
        const lab_knot *k = &s->knot[i];
        saved_knot *one = &to->knot[i];
        *one = (saved_knot){.motion = k->motion,
                            .vertical = k->vertical,
                            .speed = k->speed,
                            .disturbance = k->disturbance,
                            .still = k->still,
                            .moves_fast = k->moves_fast};
        memcpy(one->q, k->q, sizeof k->q);
        memcpy(one->state, k->state, sizeof k->state);
        memcpy(one->covariance, k->covariance, sizeof k->covariance);
    }
    memcpy(to->constant, s->constant, sizeof s->constant);
    memcpy(to->constant_sigma, s->constant_sigma, sizeof s->constant_sigma);
    to->assumed = s->assumed;
    to->walk = s->walk;
    to->change = s->change;
    to->deviance = s->deviance;
    return to->knot != NULL;
}

static void restore(const saved *from, lab_smoother *s)
{
    for (size_t i = 0; i < s->knots; i++) {
        lab_knot *k = &s->knot[i];
        const saved_knot *one = &from->knot[i];
        k->motion = one->motion;
        k->vertical = one->vertical;
        k->speed = one->speed;
        k->disturbance = one->disturbance;
        k->still = one->still;
        k->moves_fast = one->moves_fast;
        memcpy(k->q, one->q, sizeof k->q);
        memcpy(k->state, one->state, sizeof k->state);
        memcpy(k->covariance, one->covariance, sizeof k->covariance);
    }
    memcpy(s->constant, from->constant, sizeof s->constant);
    memcpy(s->constant_sigma, from->constant_sigma, sizeof s->constant_sigma);
    s->assumed = from->assumed;
    s->walk = from->walk;
    s->change = from->change;
    s->deviance = from->deviance;
}

/* Are the attitudes so near to those of a result that passes from here would end there, too? */
static int leads_to(const lab_smoother *s, const saved *result)
{
    double squares = 0;
    for (size_t i = 0; i < s->knots; i++) {
        double r[3];
        lab_rotation_between(result->knot[i].q, s->knot[i].q, r);
        squares += r[0] * r[0] + r[1] * r[1] + r[2] * r[2];
    }
    return squares < SAME_START * SAME_START * (double)s->knots;
}

/* (k) |sum of what is missed|^2 / (3 sum of its variance) over 20 blocks, the largest; a gap is in the variance. */
static double find_missed(const lab_smoother *s)
{
    double largest = 0;
    for (size_t from = 1; from + MISSED_BLOCKS <= s->knots; from++) {
        double sum[3] = {0}, variance = 0;
        for (size_t i = from; i < from + MISSED_BLOCKS; i++) {
            for (int j = 0; j < 3; j++) {
                sum[j] += s->knot[i].delta[j];
            }
            variance += lab_smooth_turn_variance(s, &s->knot[i]);
        }
        largest = fmax(largest, (sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]) / (3 * variance));
    }
    return largest;
}

/* The largest error of a sensor over what raw ones are assumed to have; *worse says of which. */
static double find_worst(const lab_smoother *s, const char **worse)
{
    double worst = 0;
    *worse = NULL;
    for (int k = 0; k < KINDS; k++) {
        for (int i = kinds[k].at; i < kinds[k].at + kinds[k].n; i++) {
            double sigma = kinds[k].allowed * s->raw.sigma[i]; /* 0: it has no magnetometer */
            double times = sigma > 0 ? fabs(s->constant[i]) / sigma : 0;
            *worse = times > worst ? kinds[k].worse : *worse;
            worst = fmax(worst, times);
        }
    }
    return worst;
}

static void check_result(lab_smoother *s, lab_verdict *verdict)
{
    lab_smooth_move(s);
    verdict->change = s->change;
    verdict->missed = find_missed(s);
    verdict->worst = find_worst(s, &verdict->worse);
}

const char *lab_smooth_distrust(double change, double missed, double worst, const char *worse)
{
    if (!(change <= MAX_CHANGE)) {
        return "the trajectory did not settle";
    }
    if (!(missed <= MAX_MISSED)) {
        return "the gyroscope's motion contradicts accelerometer and magnetometer";
    }
    return worst <= MAX_WORST ? NULL : worse;
}

/* As raw, from the start that the causal filter gives, and from that of the filter without weighting; the likelier of
 * the two results. Either may have started where no pass leads out. */
static marl_status run_raw(lab_smoother *s, lab_verdict *verdict, marl_error *error)
{
    saved first;
    s->assumed = s->raw;
    MARL_TRY(lab_smooth_start(s, 1, error));
    MARL_TRY(run_passes(s, 1, error));
    if (!save(s, &first)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    s->assumed = s->raw;
    marl_status status = lab_smooth_start(s, 0, error);
    int is_other = status == MARL_OK && !leads_to(s, &first);
    status = is_other ? run_passes(s, 1, error) : status;
    if (status == MARL_OK && !(is_other && s->deviance < first.deviance)) {
        restore(&first, s);
    }
    check_result(s, verdict);
    free(first.knot);
    return status;
}

/* As claimed, from the raw result or from the start, where that is another one; goes back to raw where the log speaks against
 * it. */
static marl_status try_claim(lab_smoother *s, const lab_assumption *claim, int from_start,
                             lab_verdict *verdict, marl_error *error)
{
    saved raw;
    if (!save(s, &raw)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = from_start ? lab_smooth_start(s, 1, error) : MARL_OK;
    if (status != MARL_OK || (from_start && leads_to(s, &raw))) {
        restore(&raw, s);
        free(raw.knot);
        return status;
    }
    s->assumed = *claim;
    status = run_passes(s, 0, error);
    const char *why = lab_smooth_distrust(verdict->change, verdict->missed, verdict->worst, verdict->worse);
    verdict->preference = s->deviance - raw.deviance;
    verdict->calibrated = verdict->preference < (why == NULL ? PREFERENCE : PREFERENCE_OPEN);
    if (status == MARL_OK && !verdict->calibrated) {
        restore(&raw, s);
    }
    free(raw.knot);
    return status;
}

/* Without a magnetometer nothing of it is estimated. */
static lab_assumption without_field(const lab_smoother *s, const lab_assumption *of)
{
    lab_assumption assumed = *of;
    if (!s->has_mag) {
        memset(assumed.sigma + MAG, 0, 3 * sizeof *assumed.sigma);
        memset(assumed.sigma + FIELD, 0, 2 * sizeof *assumed.sigma);
        memset(assumed.sigma + MAG_MATRIX, 0, 9 * sizeof *assumed.sigma);
        assumed.sigma[MAG_DELAY] = 0;
    }
    return assumed;
}

/* Of a hard iron that was taken off, what was not seen of it may be as large as it is. */
static lab_assumption assume_of_raw(const lab_smoother *s)
{
    const lab_assumption all = assume(&raw_level);
    lab_assumption raw = without_field(s, &all);
    for (int i = 0; i < 3 && s->has_iron; i++) {
        raw.sigma[MAG + i] = fmax(raw.sigma[MAG + i], s->iron_sigma[i]);
    }
    return raw;
}

marl_status lab_smooth_settle(lab_smoother *s, const lab_assumption *claimed, lab_verdict *verdict,
                              marl_error *error)
{
    const lab_assumption all_raw = assume(&raw_level);
    lab_assumption claim = without_field(s, claimed);
    *verdict = (lab_verdict){0};
    s->raw = assume_of_raw(s);
    MARL_TRY(run_raw(s, verdict, error));
    verdict->contradicted = s->has_iron && claim.sigma[MAG] < raw_level.mag;
    for (int i = 0; i < CONSTANTS; i++) { /* of what nobody claims, what the log has shown */
        int is_claimed = s->raw.sigma[i] > 0 && claim.sigma[i] < all_raw.sigma[i];
        verdict->claimed |= is_claimed;
        claim.sigma[i] = is_claimed ? claim.sigma[i] : s->assumed.sigma[i];
    }
    if (verdict->claimed && !verdict->contradicted) {
        MARL_TRY(try_claim(s, &claim, 0, verdict, error));
        if (!verdict->calibrated) { /* the raw result may have led it astray */
            MARL_TRY(try_claim(s, &claim, 1, verdict, error));
        }
        check_result(s, verdict);
        verdict->worst = verdict->calibrated ? 0 : verdict->worst;
    }
    report(s, 1);
    return MARL_OK;
}
