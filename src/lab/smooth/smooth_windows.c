/* SPDX-License-Identifier: MIT
 * Long logs are smoothed in windows that overlap, so that memory does not grow with the log; what lies on both
 * sides of a very long gap, each side for itself. */
#include "lab/log/reading.h"
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* Windows overlap by two edges; each edge is left out at its seam: what came before and after is known there as well. */
typedef struct cutting {
    double longest_whole_s, window_s, edge_s;
} cutting;

/* For memory; and for motion that goes with the attitude, as a pendulum's does: in a long log it outweighs what is
 * assumed of the sensors, whose matrices then explain it. */
static const cutting for_memory = {5400, 3600, 60}, for_motion = {300, 200, 40};

#define NS 1e9

/* Where the parts come together; the constants as sums weighted by their variances. */
typedef struct joined {
    marl_smoothed *all;
    size_t row_capacity, knot_capacity;
    double sum[CONSTANTS], weight[CONSTANTS];
    double seconds, tilt2, heading2;
    cutting cut;
    unsigned parts;
} joined;

static int make_room(joined *j, size_t rows, size_t knots)
{
    marl_smoothed *all = j->all;
    if (all->n + rows > j->row_capacity) {
        j->row_capacity = 2 * (all->n + rows);
        void *larger = realloc(all->row, j->row_capacity * sizeof *all->row);
        all->row = larger != NULL ? larger : all->row;
        if (larger == NULL) {
            return 0;
        }
    }
    if (all->knots + knots > j->knot_capacity) {
        j->knot_capacity = 2 * (all->knots + knots);
        void *larger = realloc(all->knot, j->knot_capacity * sizeof *all->knot);
        all->knot = larger != NULL ? larger : all->knot;
        if (larger == NULL) {
            return 0;
        }
    }
    return 1;
}

/* Where the constants of a smoothed log are. */
typedef struct constants_of {
    int at, n;
    double *value, *sigma;
} constants_of;

enum { KINDS = 9 };

static void list_constants(marl_smoothed *s, constants_of kind[KINDS])
{
    marl_sensor_errors *accel = &s->errors[MARL_ACCEL], *gyro = &s->errors[MARL_GYRO],
                       *mag = &s->errors[MARL_MAG];
    const constants_of all[KINDS] = {
        {MAG, 3, mag->bias, mag->bias_sigma},
        {ACCEL, 3, accel->bias, accel->bias_sigma},
        {GYRO_MATRIX, 9, gyro->matrix, gyro->matrix_sigma},
        {ARM, 3, s->arm, s->arm_sigma},
        {ACCEL_MATRIX, 9, accel->matrix, accel->matrix_sigma},
        {MAG_MATRIX, 9, mag->matrix, mag->matrix_sigma},
        {ACCEL_DELAY, 1, &accel->delay, &accel->delay_sigma},
        {MAG_DELAY, 1, &mag->delay, &mag->delay_sigma},
        {GYRO_FORCE, 9, s->gyro_by_force, s->gyro_by_force_sigma},
    };
    memcpy(kind, all, sizeof all);
}

/* Sums weighted by the variances; what a part took for exact has no say. */
static void add_constants(joined *j, marl_smoothed *part)
{
    constants_of kind[KINDS];
    list_constants(part, kind);
    for (int c = 0; c < KINDS; c++) {
        for (int i = 0; i < kind[c].n; i++) {
            double w = 1 / (kind[c].sigma[i] * kind[c].sigma[i]);
            if (isfinite(w)) {
                j->sum[kind[c].at + i] += w * kind[c].value[i];
                j->weight[kind[c].at + i] += w;
            }
        }
    }
}

static void add_summary(joined *j, const marl_smoothed *part, double seconds)
{
    marl_smoothed *all = j->all;
    double share = seconds / (j->seconds + seconds);
    all->field_north += share * (part->field_north - all->field_north);
    all->field_up += share * (part->field_up - all->field_up);
    all->still_share += share * (part->still_share - all->still_share);
    all->disturbed_share += share * (part->disturbed_share - all->disturbed_share);
    all->longest_gap_s = fmax(all->longest_gap_s, part->longest_gap_s);
    all->change = fmax(all->change, part->change);
    all->missed = fmax(all->missed, part->missed);
    all->worst_of = part->worst > all->worst ? part->worst_of : all->worst_of;
    all->worst = fmax(all->worst, part->worst);
    all->preference += part->preference;
    all->sensors_are_raw |= part->sensors_are_raw;
    all->calibration_is_wrong |= part->calibration_is_wrong;
    const marl_sensor_errors *gyro = &part->errors[MARL_GYRO];
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        all->is_worse[i] |= part->is_worse[i];
        all->errors[MARL_GYRO].bias[i] = gyro->bias[i]; /* that of the last part is at the end */
        all->errors[MARL_GYRO].bias_sigma[i] = gyro->bias_sigma[i];
    }
    all->heading_is_magnetic = part->heading_is_magnetic;
    j->seconds += seconds;
}

/* Takes over what lies in [from, to). */
static int add_part(joined *j, marl_smoothed *part, int64_t from, int64_t to)
{
    if (!make_room(j, part->n, part->knots)) {
        return 0;
    }
    for (size_t i = 0; i < part->n; i++) {
        if (part->row[i].t_ns >= from && part->row[i].t_ns < to) {
            j->all->row[j->all->n++] = part->row[i];
            j->tilt2 += pow((double)part->row[i].sigma_tilt, 2);
            j->heading2 += pow((double)part->row[i].sigma_heading, 2);
        }
    }
    for (size_t i = 0; i < part->knots; i++) {
        if (part->knot[i].t_ns >= from && part->knot[i].t_ns < to) {
            j->all->knot[j->all->knots++] = part->knot[i];
        }
    }
    add_constants(j, part);
    j->parts++;
    add_summary(j, part, 1e-9 * (double)(to - from));
    return 1;
}

static void finish(joined *j)
{
    marl_smoothed *all = j->all;
    constants_of kind[KINDS];
    list_constants(all, kind);
    for (int c = 0; c < KINDS; c++) {
        for (int i = 0; i < kind[c].n; i++) {
            double weight = j->weight[kind[c].at + i];
            kind[c].value[i] = weight > 0 ? j->sum[kind[c].at + i] / weight : 0;
            /* the same motion has the same effect in every part: no better than one of them */
            double share = kind[c].at == ACCEL_MATRIX ? (double)j->parts : 1;
            kind[c].sigma[i] = weight > 0 ? sqrt(share / weight) : 0;
        }
    }
    all->sigma_tilt_rms = sqrt(j->tilt2 / (double)all->n);
    all->sigma_heading_rms = sqrt(j->heading2 / (double)all->n);
}

/* Smooths one window; keeps of it what lies in [from, to). */
static marl_status smooth_window(joined *j, const marl_log *window, const marl_smooth_options *options,
                                 const lab_progress *progress, int64_t from, int64_t to, marl_error *error)
{
    marl_smoothed one;
    MARL_TRY(lab_smooth_whole(window, options, progress, &one, error));
    int added = add_part(j, &one, from, to);
    marl_smoothed_free(&one);
    return added ? MARL_OK : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static int has_mag(const marl_log *log)
{
    return (log->info.columns & MARL_COLUMNS_MAG) == MARL_COLUMNS_MAG;
}

/* A heading without a magnetometer would start anew in every window: such a log stays whole. */
static int fits_whole(const marl_log *log, const cutting *cut)
{
    return lab_log_seconds(log) <= cut->longest_whole_s || !has_mag(log);
}

/* A log without a break. */
static marl_status smooth_piece(joined *j, const marl_log *log, const marl_smooth_options *options,
                                const lab_progress *progress, marl_error *error)
{
    double seconds = lab_log_seconds(log);
    double edge = j->cut.edge_s, inner = seconds - 2 * edge;
    size_t windows = fits_whole(log, &j->cut) ? 1 : (size_t)ceil(inner / (j->cut.window_s - 2 * edge));
    double step = inner / (double)windows;
    int64_t start_ns = log->row[0].sample.t_ns, end_ns = log->row[log->n - 1].sample.t_ns + 1;
    for (size_t w = 0; w < windows; w++) {
        double from = (double)w * step, to = from + step + 2 * edge;
        int is_last = w + 1 == windows;
        marl_log window = *log;
        size_t first = lab_row_at(log, start_ns + (int64_t)(from * NS)),
               end = is_last ? log->n : lab_row_at(log, start_ns + (int64_t)(to * NS));
        window.row += first;
        window.n = end - first;
        const lab_progress share = {progress->call, progress->context,
                                    progress->from + progress->length * (double)w / (double)windows,
                                    progress->length / (double)windows};
        int64_t keep_from = w == 0 ? start_ns : start_ns + (int64_t)((from + edge) * NS);
        int64_t keep_to = is_last ? end_ns : start_ns + (int64_t)((from + step + edge) * NS);
        MARL_TRY(smooth_window(j, &window, options, &share, keep_from, keep_to, error));
    }
    return MARL_OK;
}

/* Without a magnetometer the headings of two pieces have nothing to do with each other: the longest counts. */
static marl_status smooth_pieces(joined *j, const marl_log *log, const marl_smooth_options *options,
                                 marl_error *error)
{
    marl_log longest = lab_longest_piece(log), piece;
    for (size_t first = 0; first < log->n; first += piece.n) {
        piece = lab_log_piece(log, first);
        const lab_progress progress = {options->progress, options->progress_context,
                                       (double)first / (double)log->n, (double)piece.n / (double)log->n};
        if (first > 0) {
            double gap_s = 1e-9 * (double)(piece.row[0].sample.t_ns - piece.row[-1].sample.t_ns);
            j->all->longest_gap_s = fmax(j->all->longest_gap_s, gap_s);
        }
        int is_longest = piece.row == longest.row;
        if (!is_longest && (!has_mag(log) || lab_log_seconds(&piece) < LAB_SMOOTH_MIN_S)) {
            j->all->rows_left_out += piece.n;
            continue;
        }
        MARL_TRY(smooth_piece(j, &piece, options, &progress, error));
        j->all->pieces++;
    }
    return MARL_OK;
}

static marl_status smooth_cut(const marl_log *log, const marl_smooth_options *options, const cutting *cut,
                              marl_smoothed *smoothed, marl_error *error)
{
    memset(smoothed, 0, sizeof *smoothed);
    if (log->n == 0 || (lab_log_piece(log, 0).n == log->n && fits_whole(log, cut))) {
        const lab_progress all = {options->progress, options->progress_context, 0, 1};
        MARL_TRY(lab_smooth_whole(log, options, &all, smoothed, error));
        smoothed->pieces = 1;
        return MARL_OK;
    }
    joined j = {.all = smoothed, .cut = *cut};
    marl_status status = smooth_pieces(&j, log, options, error);
    if (status == MARL_OK) {
        finish(&j);
    } else {
        marl_smoothed_free(smoothed);
    }
    return status;
}

marl_status marl_smooth(const marl_log *log, const marl_smooth_options *options, marl_smoothed *smoothed,
                        marl_error *error)
{
    static const marl_smooth_options standard = {0};
    options = options != NULL ? options : &standard;
    MARL_TRY(smooth_cut(log, options, &for_memory, smoothed, error));
    const char *why =
        lab_smooth_distrust(smoothed->change, smoothed->missed, smoothed->worst, smoothed->worst_of);
    if (why != NULL && !fits_whole(log, &for_motion)) {
        marl_smoothed_free(smoothed);
        MARL_TRY(smooth_cut(log, options, &for_motion, smoothed, error));
    }
    smoothed->dead_axes = marl_log_dead_axes(&log->report);
    return MARL_OK;
}
