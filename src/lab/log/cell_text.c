/* SPDX-License-Identifier: MIT
 * Labels before numbers, and dates. The days since 1970 are counted by whole years, with a leap day in those that four
 * divides, but for centuries that 400 does not. */
#include "lab/log/cell_text.h"
#include <ctype.h>
#include <string.h>

#define SECOND INT64_C(1000000000)

static const char *skip_blanks(const char *p, const char *end)
{
    while (p < end && (*p == ' ' || *p == '\t')) {
        p++;
    }
    return p;
}

const char *lab_skip_label(const char *p, const char *end)
{
    const char *at = p;
    if (at == end || !isalpha((unsigned char)*at)) {
        return p;
    }
    while (at < end && (isalnum((unsigned char)*at) || *at == '_' || *at == '.')) {
        at++;
    }
    at = skip_blanks(at, end);
    return at < end && (*at == '=' || *at == ':') ? skip_blanks(at + 1, end) : p;
}

/* A number of exactly n digits from `low` to `high`. Returns 0, and *p stays, when there is none. */
static int read_digits(const char **p, const char *end, int n, int low, int high, int *value)
{
    int v = 0;
    for (int i = 0; i < n; i++) {
        if (*p + i >= end || !isdigit((unsigned char)(*p)[i])) {
            return 0;
        }
        v = 10 * v + (*p)[i] - '0';
    }
    *value = v;
    *p += v >= low && v <= high ? n : 0;
    return v >= low && v <= high;
}

static int read_sign(const char **p, const char *end, const char *one_of)
{
    int found = *p < end && strchr(one_of, **p) != NULL;
    *p += found;
    return found;
}

static int is_leap(int year)
{
    return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
}

/* "2026-11-03"; the days since 1970-01-01. */
static int read_day(const char **p, const char *end, int64_t *days)
{
    static const int lengths[12] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    int year, month, day;
    if (!read_digits(p, end, 4, 1970, 2199, &year) || !read_sign(p, end, "-/") ||
        !read_digits(p, end, 2, 1, 12, &month) || !read_sign(p, end, "-/")) {
        return 0;
    }
    if (!read_digits(p, end, 2, 1, lengths[month - 1] + (month == 2 && is_leap(year)), &day)) {
        return 0;
    }
    *days = day - 1;
    for (int y = 1970; y < year; y++) {
        *days += 365 + is_leap(y);
    }
    for (int m = 1; m < month; m++) {
        *days += lengths[m - 1] + (m == 2 && is_leap(year));
    }
    return 1;
}

/* "12:00:00.25"; what goes beyond ns is cut off. */
static int read_clock(const char **p, const char *end, int64_t *ns)
{
    int hour, minute, second, digit;
    if (!read_digits(p, end, 2, 0, 24, &hour) || !read_sign(p, end, ":") ||
        !read_digits(p, end, 2, 0, 59, &minute) || !read_sign(p, end, ":") ||
        !read_digits(p, end, 2, 0, 60, &second)) {
        return 0;
    }
    *ns = SECOND * (3600 * hour + 60 * minute + second);
    if (read_sign(p, end, ".,")) {
        for (int64_t unit = SECOND / 10; read_digits(p, end, 1, 0, 9, &digit); unit /= 10) {
            *ns += unit * digit;
        }
    }
    return 1;
}

/* "", "Z" or "+01:00", "+0100", "+01": ns to be taken away. */
static int read_zone(const char **p, const char *end, int64_t *ns)
{
    int hours = 0, minutes = 0;
    int east = *p < end && **p == '+';
    *ns = 0;
    if (read_sign(p, end, "Zz") || !read_sign(p, end, "+-")) {
        return 1;
    }
    if (!read_digits(p, end, 2, 0, 14, &hours)) {
        return 0;
    }
    (void)read_sign(p, end, ":");
    (void)read_digits(p, end, 2, 0, 59, &minutes);
    *ns = (east ? 1 : -1) * SECOND * (3600 * hours + 60 * minutes);
    return 1;
}

int lab_date_read(const char *p, const char *end, int64_t *ns)
{
    int64_t days = 0, clock, zone = 0;
    p = skip_blanks(p, end);
    while (end > p && (end[-1] == ' ' || end[-1] == '\r')) {
        end--;
    }
    const char *start = p;
    int has_day = read_day(&p, end, &days);
    if (has_day && !read_sign(&p, end, "Tt ")) {
        return 0;
    }
    p = has_day ? p : start;
    if (!read_clock(&p, end, &clock) || (has_day && !read_zone(&p, end, &zone)) || p != end) {
        return 0;
    }
    *ns = 86400 * SECOND * days + clock - zone;
    return 1;
}
