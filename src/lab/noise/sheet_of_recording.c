/* SPDX-License-Identifier: MIT
 * A sheet from a recording at rest. */
#include "lab/log/reading.h"
#include "lab/maths/statistics.h"
#include "marlinspike/files.h"
#include "marlinspike/inspect.h"
#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <string.h>

enum { MIN_BITS = 8, MAX_BITS = 32 };

/* Mean or root mean square of those axes where the value is known; 0 without any. */
static double over_axes(const marl_sensor_noise *noise, size_t offset, int power)
{
    double sum = 0, n = 0;
    for (int k = 0; k < 3; k++) {
        double value;
        memcpy(&value, (const char *)&noise->noise[k] + offset, sizeof value);
        if ((noise->axes & (1u << k)) && isfinite(value)) {
            sum += pow(value, power);
            n++;
        }
    }
    return n > 0 ? pow(sum / n, 1.0 / power) : 0;
}

/* The least step between readings that follow each other, and the greatest reading. */
static void find_steps(const marl_log *log, marl_sensor sensor, double *step, double *max)
{
    const marl_vec3 *before = NULL;
    *step = INFINITY;
    *max = 0;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        const marl_vec3 *now = lab_reading(s, sensor);
        const double value[3] = {(double)now->x, (double)now->y, (double)now->z};
        const double old[3] = {before ? (double)before->x : value[0], before ? (double)before->y : value[1],
                               before ? (double)before->z : value[2]};
        for (int k = 0; k < 3; k++) {
            double change = fabs(value[k] - old[k]);
            *step = change > 0 ? fmin(*step, change) : *step;
            *max = fmax(*max, fabs(value[k]));
        }
        before = now;
    }
}

/* The range is the part's, which a rest does not show, and holds what was read; the resolution is the least step. */
static void find_converter(const marl_log *log, marl_sensor sensor, const marl_sensor_sheet *base,
                           marl_sensor_sheet *sheet)
{
    double step, max;
    find_steps(log, sensor, &step, &max);
    sheet->full_scale = base->full_scale;
    sheet->bits = base->bits;
    while (max > sheet->full_scale) {
        sheet->full_scale *= 2;
    }
    if (isfinite(step)) {
        double bits = rint(log2(sheet->full_scale / step)) + 1;
        sheet->bits = (int)fmin(fmax(bits, MIN_BITS), MAX_BITS);
    }
}

/* Mean over the rest that the noise is from. */
static void find_bias(const marl_log *log, const marl_sensor_noise *noise, double bias[3])
{
    lab_moments mean[3] = {{0}};
    double until = (double)noise->from_ns + 1e9 * noise->seconds;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        if ((s->fresh & MARL_FRESH_GYRO) && s->t_ns >= noise->from_ns && (double)s->t_ns <= until) {
            lab_moments_add_vector(mean, s->gyro);
        }
    }
    for (int k = 0; k < 3; k++) {
        bias[k] = mean[k].mean;
    }
}

/* Mean of the corners that are seen; 0 without any. */
static double corner_of(const marl_sensor_spectrum *spectrum)
{
    double sum = 0, n = 0;
    for (int k = 0; k < 3; k++) {
        double corner = spectrum->spectrum[k].low_pass_hz;
        if ((spectrum->axes & (1u << k)) && spectrum->at_rest && isfinite(corner)) {
            sum += corner;
            n++;
        }
    }
    return n > 0 ? sum / n : 0;
}

/* What the rest shows of a coefficient; else the part's, as far as the rest leaves room for it. */
static double coefficient(const marl_sensor_noise *noise, size_t seen, size_t bound, double base)
{
    double value = over_axes(noise, seen, 1), most = over_axes(noise, bound, 1);
    return value > 0 ? value : most > 0 ? fmin(base, most) : base;
}

static void describe(const marl_log *log, marl_sensor sensor, const marl_sensor_noise *noise,
                     const marl_sensor_spectrum *spectrum, const marl_sensor_sheet *base,
                     marl_sensor_sheet *sheet)
{
    int axis = noise->axes & 1u ? 0 : noise->axes & 2u ? 1 : 2;
    double corner = corner_of(spectrum);
    *sheet = *base;
    sheet->present = 1;
    sheet->rate_hz = 1 / noise->allan[axis].step_s;
    sheet->white = over_axes(noise, offsetof(marl_noise, white), 2);
    sheet->flicker =
        coefficient(noise, offsetof(marl_noise, flicker), offsetof(marl_noise, flicker_max), base->flicker);
    sheet->walk = coefficient(noise, offsetof(marl_noise, walk), offsetof(marl_noise, walk_max), base->walk);
    sheet->low_pass_hz = corner > 0 ? corner : base->low_pass_hz;
    find_converter(log, sensor, base, sheet);
    if (sensor == MARL_GYRO) {
        find_bias(log, noise, sheet->bias);
    }
}

static const marl_sensor_sheet *of_sheet(const marl_sheet *sheet, int sensor)
{
    return sensor == MARL_ACCEL ? &sheet->accel : sensor == MARL_GYRO ? &sheet->gyro : &sheet->mag;
}

marl_status marl_sheet_of_recording(const marl_log *log, const marl_sensor_noise noise[MARL_SENSOR_COUNT],
                                    const marl_sensor_spectrum spectrum[MARL_SENSOR_COUNT],
                                    const marl_sheet *base, marl_sheet *sheet, marl_error *error)
{
    marl_sensor_sheet *sensor[MARL_SENSOR_COUNT] = {&sheet->accel, &sheet->gyro, &sheet->mag};
    const marl_sheet standard = marl_sheet_grommet();
    int seen = 0;
    memset(sheet, 0, sizeof *sheet);
    snprintf(sheet->name, sizeof sheet->name, "%.63s", log->info.device);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_sheet *from = base != NULL ? of_sheet(base, i) : NULL;
        from = from != NULL && from->present ? from : of_sheet(&standard, i);
        if (noise[i].axes && over_axes(&noise[i], offsetof(marl_noise, white), 2) > 0) {
            describe(log, (marl_sensor)i, &noise[i], &spectrum[i], from, sensor[i]);
            seen = 1;
        }
    }
    return seen ? MARL_OK
                : marl_fail(error, MARL_ERR_INSUFFICIENT,
                            "%s: no rest long enough to see noise; record with --until still", log->path);
}
