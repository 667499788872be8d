/* SPDX-License-Identifier: MIT
 * Log lines as text. */
#include "marlinspike/app.h"
#include <math.h>
#include <string.h>

static const struct {
    uint8_t flag;
    uint8_t values, decimals;
    const char *header;
} group[] = {
    {MARL_FRESH_ACCEL, 3, 5, ",accel_x[m/s^2],accel_y[m/s^2],accel_z[m/s^2]"},
    {MARL_FRESH_GYRO, 3, 6, ",gyro_x[rad/s],gyro_y[rad/s],gyro_z[rad/s]"},
    {MARL_FRESH_MAG, 3, 4, ",mag_x[uT],mag_y[uT],mag_z[uT]"},
    {MARL_FRESH_TEMP, 1, 3, ",temp[degC]"},
    {MARL_FRESH_SPEED, 1, 4, ",speed[m/s]"},
};
enum { GROUPS = sizeof group / sizeof group[0], Q_DECIMALS = 7 };

static char *put_text(char *out, const char *text)
{
    size_t n = strlen(text);
    memcpy(out, text, n + 1);
    return out + n;
}

/* Whole number with at least `width` digits. */
static char *put_digits(char *out, uint64_t value, int width)
{
    char digit[20];
    int n = 0;
    do {
        digit[n++] = (char)('0' + value % 10);
        value /= 10;
    } while (value > 0 || n < width);
    while (n > 0) {
        *out++ = digit[--n];
    }
    return out;
}

/* Whole part and fraction are taken apart first: both are then exact. */
static char *put_value(char *out, float value, int decimals)
{
    uint32_t scale = 1;
    for (int i = 0; i < decimals; i++) {
        scale *= 10;
    }
    float size = value < 0.0f ? -value : value;
    uint32_t whole = (uint32_t)size;
    uint32_t fraction = (uint32_t)((size - (float)whole) * (float)scale + 0.5f);
    whole += fraction >= scale;
    fraction -= fraction >= scale ? scale : 0;
    if (value < 0.0f && whole + fraction > 0) {
        *out++ = '-';
    }
    out = put_digits(out, whole, 1);
    *out++ = '.';
    return put_digits(out, fraction, decimals);
}

static char *put_time(char *out, int64_t t_ns)
{
    uint64_t size = t_ns < 0 ? 0 - (uint64_t)t_ns : (uint64_t)t_ns;
    if (t_ns < 0) {
        *out++ = '-';
    }
    out = put_digits(out, size / 1000000000u, 1);
    *out++ = '.';
    return put_digits(out, size % 1000000000u, 9);
}

static size_t finish(const char *line, char *out)
{
    return (size_t)(put_text(out, "\n") - line);
}

size_t marl_csv_line_header(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q)
{
    char *out = put_text(line, "t[s]");
    for (int i = 0; i < GROUPS; i++) {
        out = sensors & group[i].flag ? put_text(out, group[i].header) : out;
    }
    out = with_q ? put_text(out, ",q_w,q_x,q_y,q_z") : out;
    return finish(line, out);
}

static char *put_cells(char *out, const float *value, int n, int decimals, int filled)
{
    for (int i = 0; i < n; i++) {
        *out++ = ',';
        out = filled ? put_value(out, value[i], decimals) : out;
    }
    return out;
}

size_t marl_csv_line_row(char line[MARL_CSV_LINE_MAX], uint8_t sensors, int with_q, const marl_sample *sample,
                         const marl_quat *q)
{
    marl_sample s = *sample;
    (void)!marl_sample_check(&s, NULL);
    const float value[GROUPS][3] = {{s.accel.x, s.accel.y, s.accel.z},
                                    {s.gyro.x, s.gyro.y, s.gyro.z},
                                    {s.mag.x, s.mag.y, s.mag.z},
                                    {s.temp},
                                    {s.speed}};
    char *out = put_time(line, s.t_ns);
    for (int i = 0; i < GROUPS; i++) {
        if (sensors & group[i].flag) {
            out = put_cells(out, value[i], group[i].values, group[i].decimals, s.fresh & group[i].flag);
        }
    }
    if (with_q) {
        const marl_quat attitude = q != NULL ? *q : marl_quat_identity();
        const float part[4] = {attitude.w, attitude.x, attitude.y, attitude.z};
        out = put_cells(out, part, 4, Q_DECIMALS, q != NULL);
    }
    return finish(line, out);
}
