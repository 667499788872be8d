/* SPDX-License-Identifier: MIT
 * Readings that are late against the gyroscope's: found, named, and put where they belong. */
#include "lab/log/reading.h"
#include "marlinspike/inspect.h"
#include "marlinspike/log.h"
#include <math.h>
#include <stdlib.h>

#define LONGEST_S 300.0 /* of the log */
#define SAID_S 0.015
#define SAID_SIGMAS 5.0

static const unsigned columns[MARL_SENSOR_COUNT] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO, MARL_COLUMNS_MAG};

/* One sensor's part of the log; its rows are shared. */
static marl_log part_of(const marl_log *log, marl_sensor sensor)
{
    marl_log part = lab_log_first(log, LONGEST_S);
    part.info.columns = columns[sensor] | (1u << MARL_COLUMN_T);
    return part;
}

static int has(const marl_log *log, marl_sensor sensor)
{
    return (log->info.columns & columns[sensor]) == columns[sensor];
}

marl_status marl_sensor_delays_find(const marl_log *log, marl_sensor_delays *delays, marl_error *error)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        delays->of[i] = (marl_sensor_delay){0, NAN, NAN};
    }
    for (int i = 0; i < MARL_SENSOR_COUNT && log->n > 1 && has(log, MARL_GYRO); i++) {
        marl_clock_offset offset;
        marl_error why = {0};
        if (i == MARL_GYRO || !has(log, (marl_sensor)i)) {
            continue;
        }
        const marl_log gyro = part_of(log, MARL_GYRO), other = part_of(log, (marl_sensor)i);
        marl_status status = marl_clock_offset_find(&gyro, &other, &offset, &why);
        if (status == MARL_ERR_SYSTEM) {
            return marl_fail(error, status, "%s", why.text);
        }
        if (status == MARL_OK && offset.found) {
            delays->of[i] = (marl_sensor_delay){1, -offset.offset_s, offset.sigma_s};
        }
    }
    return MARL_OK;
}

static int is_said(const marl_sensor_delay *d)
{
    return d->found && fabs(d->delay_s) > fmax(SAID_S, SAID_SIGMAS * d->sigma_s);
}

/* Nothing is read before it happens: where a sensor is early, the gyroscope is late, and the others count from the early one. */
marl_sensor_delays marl_sensor_delays_named(const marl_sensor_delays *found)
{
    marl_sensor_delays named = *found;
    marl_sensor_delay early = {0, 0, 0};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        early = is_said(&found->of[i]) && found->of[i].delay_s < early.delay_s ? found->of[i] : early;
    }
    named.of[MARL_GYRO] = (marl_sensor_delay){early.found, 0, 0};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        marl_sensor_delay *d = &named.of[i];
        d->delay_s -= early.delay_s;
        d->sigma_s = hypot(d->sigma_s, early.sigma_s);
        *d = is_said(d) ? *d : (marl_sensor_delay){0, NAN, NAN};
    }
    return named;
}

static int some_are_held(const marl_log_report *report)
{
    return marl_log_is_held(report, MARL_ACCEL) || marl_log_is_held(report, MARL_GYRO) ||
           marl_log_is_held(report, MARL_MAG);
}

void marl_sensor_delays_warn(marl_warnings *warnings, const marl_log *log, const marl_sensor_delays *delays)
{
    static const char *const name[] = {"accelerometer", "gyroscope", "magnetometer"};
    const marl_sensor_delays named = marl_sensor_delays_named(delays);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_delay *d = &named.of[i];
        if (d->found && !some_are_held(&log->report)) {
            marl_warn(
                warnings, "sensor-delay",
                "%s: by its turning the %s's readings are %.1f ms late (+- %.1f): its low-pass, or when it "
                "is read. At 100 deg/s that is %.1f degrees; inspect --delay auto -o LOG puts them where "
                "they belong%s",
                log->path, name[i], 1e3 * d->delay_s, 1e3 * d->sigma_s, 100 * d->delay_s,
                i == MARL_MAG ? ", mag_delay of a tuning does so on the board" : "");
        }
    }
}

/* Readings and their rows, in the order of the log. */
typedef struct moved {
    size_t row;
    int64_t off_ns; /* from where it belongs to that row */
    marl_vec3 reading;
} moved;

/* The row nearest to t, from *at on, since the times increase. */
static size_t nearest_row(const marl_log *log, int64_t t_ns, size_t at)
{
    while (at + 1 < log->n &&
           llabs(log->row[at + 1].sample.t_ns - t_ns) <= llabs(log->row[at].sample.t_ns - t_ns)) {
        at++;
    }
    return at;
}

/* Takes the sensor's readings out of the log. Returns how many there are. */
static size_t take_out(marl_log *log, marl_sensor sensor, int64_t delay_ns, moved *list)
{
    const unsigned bit = 1u << sensor;
    size_t n = 0, at = 0;
    for (size_t i = 0; i < log->n; i++) {
        marl_sample *s = &log->row[i].sample;
        int64_t t_ns = s->t_ns - delay_ns;
        if (!(s->fresh & bit)) {
            continue;
        }
        s->fresh = (uint8_t)(s->fresh & ~bit);
        at = nearest_row(log, t_ns, at);
        int64_t off_ns = llabs(log->row[at].sample.t_ns - t_ns);
        int is_outside = t_ns < log->row[0].sample.t_ns || t_ns > log->row[log->n - 1].sample.t_ns;
        int takes_place = n > 0 && list[n - 1].row == at;
        if (is_outside || (takes_place && list[n - 1].off_ns <= off_ns)) {
            continue;
        }
        n -= takes_place ? 1u : 0u;
        list[n++] = (moved){at, off_ns, *lab_reading(s, sensor)};
    }
    return n;
}

marl_status marl_sensor_delay_remove(marl_log *log, marl_sensor sensor, double delay_s, marl_error *error)
{
    moved *list = malloc((log->n + 1) * sizeof *list);
    if (list == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    size_t n = take_out(log, sensor, (int64_t)llround(1e9 * delay_s), list);
    for (size_t i = 0; i < n; i++) {
        marl_sample *s = &log->row[list[i].row].sample;
        *(sensor == MARL_ACCEL ? &s->accel : sensor == MARL_GYRO ? &s->gyro : &s->mag) = list[i].reading;
        s->fresh = (uint8_t)(s->fresh | 1u << sensor);
    }
    free(list);
    return MARL_OK;
}
