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

/* Behind the bracket that closes a list of numbers; NULL when p opens none. What stands behind a name is its index or unit. */
static const char *list_end(const char *line, const char *p, const char *end)
{
    char close = *p == '(' ? ')' : *p == '[' ? ']' : '\0';
    int digits = 0;
    if (close == '\0' || (p > line && (isalnum((unsigned char)p[-1]) || p[-1] == '_'))) {
        return NULL;
    }
    for (p++; p < end && *p != close; p++) {
        if (strchr("0123456789+-.,;eE \t", *p) == NULL) {
            return NULL;
        }
        digits += isdigit((unsigned char)*p) != 0;
    }
    return p < end && digits > 0 ? p + 1 : NULL;
}

/* Replaces the brackets of all lists of numbers by blanks. */
static int open_lists(char *line, size_t n)
{
    int lists = 0;
    for (char *p = line; p < line + n; p++) {
        const char *behind = list_end(line, p, line + n);
        if (behind != NULL) {
            p[0] = ' ';
            p += behind - p - 1;
            p[0] = ' ';
            lists++;
        }
    }
    return lists;
}

void lab_open_lists(char *line, size_t n)
{
    int may_hold = memchr(line, '(', n) != NULL || memchr(line, '[', n) != NULL;
    if (!may_hold || open_lists(line, n) == 0) {
        return;
    }
    while (open_lists(line, n) > 0) { /* lists of lists */
    }
    int has_points = memchr(line, '.', n) != NULL; /* else a comma between digits may be the decimal one */
    for (size_t i = 0; i < n; i++) {
        int is_last = i + 1 == n || line[i + 1] == ' ' || line[i + 1] == '\t';
        line[i] = line[i] == ';' || (line[i] == ',' && (has_points || is_last)) ||
                          (line[i] == ':' && is_last && i > 0 && isdigit((unsigned char)line[i - 1]))
                      ? ' '
                      : line[i];
    }
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

/* Where hours are counted to twelve, the month stands before the day. */
static int ends_with_half(const char *p, const char *end)
{
    return end - p > 2 && strchr("AaPp", end[-2]) != NULL && strchr("Mm", end[-1]) != NULL;
}

/* "2026-11-03", "20261103", "03.11.2026", and before a time with AM or PM "11/03/2026". */
static int read_year_month_day(const char **p, const char *end, int *year, int *month, int *day)
{
    const char *start = *p;
    if (read_digits(p, end, 2, 1, 31, day) && read_sign(p, end, ".") &&
        read_digits(p, end, 2, 1, 12, month) && read_sign(p, end, ".") &&
        read_digits(p, end, 4, 1970, 2199, year)) {
        return 1;
    }
    *p = start;
    if (ends_with_half(*p, end) && read_digits(p, end, 2, 1, 12, month) && read_sign(p, end, "/") &&
        read_digits(p, end, 2, 1, 31, day) && read_sign(p, end, "/") &&
        read_digits(p, end, 4, 1970, 2199, year)) {
        return 1;
    }
    *p = start;
    if (!read_digits(p, end, 4, 1970, 2199, year)) {
        return 0;
    }
    int apart = read_sign(p, end, "-/");
    return read_digits(p, end, 2, 1, 12, month) && read_sign(p, end, "-/") == apart &&
           read_digits(p, end, 2, 1, 31, day);
}

/* The days since 1970-01-01. */
static int read_day(const char **p, const char *end, int64_t *days)
{
    static const int lengths[12] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    int year, month, day;
    if (!read_year_month_day(p, end, &year, &month, &day) ||
        day > lengths[month - 1] + (month == 2 && is_leap(year))) {
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

/* ".25"; what goes beyond ns is cut off. Behind a colon, as some write milliseconds, three digits. */
static int read_fraction(const char **p, const char *end, int64_t *ns)
{
    int digit, ms;
    *ns = 0;
    if (read_sign(p, end, ":")) {
        int has_ms = read_digits(p, end, 3, 0, 999, &ms);
        *ns = has_ms ? SECOND / 1000 * ms : 0;
        return has_ms;
    }
    if (!read_sign(p, end, ".,")) {
        return 0;
    }
    for (int64_t unit = SECOND / 10; read_digits(p, end, 1, 0, 9, &digit); unit /= 10) {
        *ns += unit * digit;
    }
    return 1;
}

/* " AM", " pm": the hour of the day, from that of the half. */
static void read_half(const char **p, const char *end, int *hour)
{
    const char *at = skip_blanks(*p, end);
    int is_half = at + 2 <= end && strchr("AaPp", at[0]) != NULL && strchr("Mm", at[1]) != NULL;
    if (is_half && *hour >= 1 && *hour <= 12) {
        *hour = *hour % 12 + (strchr("Pp", at[0]) != NULL ? 12 : 0);
        *p = at + 2;
    }
}

/* "12:00:00.25", "01:00:00 PM", and without the hour, as spreadsheets show it, "00:00.25"; compact: "120000". */
static int read_clock(const char **p, const char *end, int compact, int64_t *ns)
{
    int first, second, third = 0, hour = 0;
    int64_t fraction = 0;
    if (!read_digits(p, end, 2, 0, 59, &first) || read_sign(p, end, ":") == compact ||
        !read_digits(p, end, 2, 0, 59, &second)) {
        return 0;
    }
    const char *behind = *p;
    if ((compact || read_sign(p, end, ":")) && read_digits(p, end, 2, 0, 60, &third)) {
        hour = first;
        (void)read_fraction(p, end, &fraction);
        read_half(p, end, &hour);
        *ns = SECOND * (3600 * hour + 60 * second + third) + fraction;
        return hour <= 24;
    }
    *p = behind;
    *ns = SECOND * (60 * first + second);
    int has_fraction = !compact && *p < end && **p != ':' && read_fraction(p, end, &fraction);
    *ns += fraction;
    return has_fraction;
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
    int has_day = read_day(&p, end, &days), compact = has_day && p - start == 8;
    if (has_day && p == end && !compact) { /* a whole number of eight digits is no day */
        *ns = 86400 * SECOND * days;
        return 1;
    }
    if (has_day && !read_sign(&p, end, compact ? "Tt" : "Tt ")) {
        return 0;
    }
    p = has_day ? p : start;
    days = has_day ? days : 0;
    if (!read_clock(&p, end, compact, &clock) || (has_day && !read_zone(&p, end, &zone)) || p != end) {
        return 0;
    }
    *ns = 86400 * SECOND * days + clock - zone;
    return 1;
}
