/* SPDX-License-Identifier: MIT
 * Reading gives the bits of strtod, writing brings every float back. */
#include "check_main.h"
#include "lab/log/number.h"
#include "random_values.h"
#include <inttypes.h>
#include <stdio.h>

/* Scans a copy with nothing but its slack behind it, so that the sanitizer sees any look beyond. Returns the
 * end in the text itself. */
static const char *scan(const char *text, char point, lab_decimal *decimal)
{
    size_t n = strlen(text);
    char *copy = calloc(n + LAB_NUMBER_SLACK, 1);
    memcpy(copy, text, n);
    const char *end = lab_number_scan(copy, point, decimal);
    long length = end != NULL ? end - copy : 0;
    free(copy);
    return end != NULL ? text + length : NULL;
}

/* The fast way through a common cell agrees with the general one wherever it does not decline. */
static int plain_disagrees(const char *text, const char *end, double want)
{
    char copy[160] = "";
    double value = 0;
    snprintf(copy, sizeof copy, "%s", text);
    const char *stop = lab_number_plain(copy, '.', &value);
    int declined = stop == NULL || *stop != '\0'; /* not the cell's end: the reader looks again */
    return !declined && (stop - copy != end - text || memcmp(&value, &want, sizeof want) != 0);
}

/* A decimal of any shape: length, point, zeros, exponent. */
static void random_decimal(dice *d, char *text)
{
    int digits = 1 + (int)(dice_bits(d) % (dice_bits(d) % 8 == 0 ? 40 : 18));
    int point = dice_bits(d) % 3 == 0 ? -1 : (int)(dice_bits(d) % (unsigned)(digits + 1));
    if (dice_bits(d) % 3 == 0) {
        *text++ = dice_bits(d) % 2 ? '-' : '+';
    }
    for (int i = 0; i < digits; i++) {
        if (i == point) {
            *text++ = '.';
        }
        *text++ = (char)('0' + (dice_bits(d) % 4 == 0 ? 0 : dice_bits(d) % 10));
    }
    if (point == digits) {
        *text++ = '.';
    }
    if (dice_bits(d) % 3 == 0) {
        text += sprintf(text, "%c%d", dice_bits(d) % 2 ? 'e' : 'E', (int)(dice_bits(d) % 700) - 350);
    }
    *text = '\0';
}

START_TEST(reads_the_bits_of_strtod)
{
    dice d = {31};
    for (int i = 0; i < 400000; i++) {
        char text[128], *want_end;
        lab_decimal decimal;
        random_decimal(&d, text);
        double want = strtod(text, &want_end);
        const char *end = scan(text, '.', &decimal);
        double got = end != NULL ? lab_number_value(text, end, '.', &decimal) : NAN;
        if (end != want_end || memcmp(&want, &got, sizeof got) != 0 ||
            plain_disagrees(text, want_end, want)) {
            ck_abort_msg("%s: %a, strtod %a", text, got, want);
        }
    }
}
END_TEST

/* Doubles about the least float, and far from any: nine digits of them, as for all. */
START_TEST(writes_doubles_that_are_no_floats)
{
    static const double range[][2] = {{0.9e-45, 1.5e-45}, {0.9e39, 1.1e39}, {1e-300, 1e-299}, {1e300, 1e301}};
    dice d = {32};
    for (int i = 0; i < 40000; i++) {
        double value = dice_between(&d, range[i % 4][0], range[i % 4][1]);
        char *text = malloc(LAB_NUMBER_CAPACITY); /* the sanitizer sees what goes beyond */
        *lab_number_write(text, value) = '\0';
        ck_assert_double_le(fabs(strtod(text, NULL) - value), 0.51e-8 * value);
        free(text);
    }
}
END_TEST

START_TEST(what_is_no_number)
{
    const char *const none[] = {"", "-", "+", ".", "-.", "e5", "nan", "inf", "--1", "x"};
    const struct {
        const char *text;
        long end;
    } part[] = {{"1,2", 1}, {"0x10", 1}, {"1.2.3", 3}, {"1e5;", 3}, {"12 ", 2}, {"1-", 1}};
    lab_decimal decimal;
    for (size_t i = 0; i < sizeof none / sizeof none[0]; i++) {
        ck_assert_msg(scan(none[i], '.', &decimal) == NULL, "%s", none[i]);
    }
    for (size_t i = 0; i < sizeof part / sizeof part[0]; i++) {
        ck_assert_int_eq(scan(part[i].text, '.', &decimal) - part[i].text, part[i].end);
    }
    ck_assert_ptr_null(scan("1e", '.', &decimal));
    const char *comma = "-1,25";
    const char *end = scan(comma, ',', &decimal);
    ck_assert_double_eq(lab_number_value(comma, end, ',', &decimal), -1.25);
    comma = "0,12345678901234567891";
    end = scan(comma, ',', &decimal);
    ck_assert_double_eq(lab_number_value(comma, end, ',', &decimal), 0.12345678901234567891);
}
END_TEST

START_TEST(times_are_exact)
{
    const struct {
        const char *text;
        int scale;
        int64_t want;
        int fits;
    } known[] = {
        {"1700000000.123456789", 9, 1700000000123456789, 1},
        {"0.0000000005", 9, 1, 1},
        {"0.00000000049999999999999999999", 9, 0, 1},
        {"-0.0000000015", 9, -2, 1},
        {"4294967295", 3, 4294967295000, 1},
        {"1.5e3", 9, 1500000000000, 1},
        {"12.3456e-2", 9, 123456000, 1},
        {"9223372036854775807", 0, INT64_MAX, 1},
        {"9223372036854775808", 0, 0, 0},
        {"9300000000", 9, 0, 0},
        {"1e300", 9, 0, 0},
        {"1e-300", 9, 0, 1},
        {"0e99999999999", 9, 0, 1},
        {"1700000000.12345678949999999999", 9, 1700000000123456789, 1},
    };
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        lab_decimal decimal;
        int64_t value = 0;
        ck_assert_ptr_nonnull(scan(known[i].text, '.', &decimal));
        ck_assert_msg(lab_number_integer(&decimal, known[i].scale, &value) == known[i].fits, "%s",
                      known[i].text);
        ck_assert_msg(value == known[i].want, "%s: %" PRId64, known[i].text, value);
    }
}
END_TEST

static void check_float_survives(float x)
{
    char text[LAB_NUMBER_CAPACITY + 1];
    char *end = lab_number_write(text, (double)x);
    *end = '\0';
    float back = strtof(text, NULL);
    if (bits_of(back) != bits_of(x) && !(x == 0 && back == 0)) {
        ck_abort_msg("%a was written as %s", (double)x, text);
    }
    if (end - text >= LAB_NUMBER_CAPACITY) {
        ck_abort_msg("%s takes more bytes than promised", text);
    }
}

START_TEST(every_float_comes_back)
{
    dice d = {32};
    for (int i = 0; i < 1000000; i++) {
        float x = dice_float_bits(&d);
        if (isfinite(x)) {
            check_float_survives(x);
        }
    }
    for (int e = -149; e < 128; e++) {
        float power = ldexpf(1.0f, e);
        check_float_survives(power);
        check_float_survives(nextafterf(power, 0));
        check_float_survives(-nextafterf(power, INFINITY));
    }
    for (int e = -45; e < 39; e++) {
        float power = strtof(
            (char[8]){'1', 'e', e < 0 ? '-' : '+', (char)('0' + abs(e) / 10), (char)('0' + abs(e) % 10), 0},
            NULL);
        check_float_survives(power);
        check_float_survives(nextafterf(power, 0));
    }
}
END_TEST

START_TEST(looks_like_a_number_to_people)
{
    const struct {
        double value;
        const char *text;
    } known[] = {{0, "0"},
                 {1, "1"},
                 {-9.80665, "-9.80665"},
                 {0.1, "0.1"},
                 {100, "100"},
                 {123456789, "123456789"},
                 {1e9, "1e+09"},
                 {0.0001, "0.0001"},
                 {0.00001234, "1.234e-05"},
                 {99.9999999999, "100"},
                 {999999999.7, "1e+09"},
                 {24.1, "24.1"},
                 {-0.5, "-0.5"},
                 {NAN, ""},
                 {INFINITY, ""}};
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        char text[LAB_NUMBER_CAPACITY + 1];
        *lab_number_write(text, known[i].value) = '\0';
        ck_assert_str_eq(text, known[i].text);
    }
    const struct {
        int64_t t;
        const char *text;
    } times[] = {{0, "0.000000000"},
                 {1700000000123456789, "1700000000.123456789"},
                 {-5, "-0.000000005"},
                 {INT64_MIN, "-9223372036.854775808"}};
    for (size_t i = 0; i < sizeof times / sizeof times[0]; i++) {
        char text[LAB_NUMBER_CAPACITY + 1];
        *lab_time_write(text, times[i].t) = '\0';
        ck_assert_str_eq(text, times[i].text);
    }
}
END_TEST

/* The written number is the nearest with nine digits, but for the rounding of the scaling. */
START_TEST(nine_digits_of_a_double)
{
    dice d = {33};
    for (int i = 0; i < 100000; i++) {
        double x = dice_between(&d, -1, 1) * pow(10, dice_between(&d, -30, 30));
        double ninth_digit = pow(10, floor(log10(fabs(x))) - 8);
        char text[LAB_NUMBER_CAPACITY + 1];
        *lab_number_write(text, x) = '\0';
        if (fabs(strtod(text, NULL) - x) > 0.500001 * ninth_digit) {
            ck_abort_msg("%.17g was written as %s", x, text);
        }
    }
}
END_TEST

MARL_SUITE("number", reads_the_bits_of_strtod, writes_doubles_that_are_no_floats, what_is_no_number,
           times_are_exact, every_float_comes_back, looks_like_a_number_to_people, nine_digits_of_a_double)
