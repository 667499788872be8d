/* SPDX-License-Identifier: MIT
 * Texts made safe to show; the C library's own decoder is the independent check. */
#include "check_main.h"
#include "marlinspike/error.h"
#include "random_values.h"
#include <locale.h>
#include <stdlib.h>
#include <wchar.h>

#define N 24

/* No byte that the decoder refuses, no control character but, where allowed, a line end. */
static int is_clean(const char *text, int line_ends)
{
    mbstate_t state = {0};
    wchar_t c;
    size_t n;
    for (const char *p = text; (n = mbrtowc(&c, p, strlen(p) + 1, &state)) != 0; p += n) {
        int allowed = line_ends && c == L'\n';
        int control = c < 0x20 || (c >= 0x7f && c < 0xa0);
        if (n == (size_t)-1 || n == (size_t)-2 || (control && !allowed)) {
            return 0;
        }
        int turns = c == 0x61c || c == 0x200e || c == 0x200f || (c >= 0x2028 && c <= 0x202e) ||
                    (c >= 0x2066 && c <= 0x2069) || c == 0xfeff;
        if (turns || (c >= 0xd800 && c < 0xe000) || c == 0xfffe || c == 0xffff || c > 0x10ffff) {
            return 0;
        }
    }
    return 1;
}

/* Bytes of any kind, mostly such that longer sequences come about. */
static void random_bytes(dice *d, char text[N])
{
    size_t n = dice_below(d, N);
    for (size_t i = 0; i < n; i++) {
        static const unsigned char odd[] = {0xc0, 0xc2, 0xe0, 0xed, 0xef, 0xf0, 0xf4, 0xf5, 0x7f, 0x9f, '\n'};
        uint32_t kind = dice_below(d, 4);
        unsigned byte = kind == 0   ? 1 + dice_below(d, 255)
                        : kind == 1 ? odd[dice_below(d, sizeof odd)]
                                    : 0x80 + dice_below(d, 64);
        text[i] = (char)byte;
    }
    text[n] = '\0';
}

START_TEST(any_bytes_become_a_text_of_the_same_length)
{
    ck_assert_ptr_nonnull(setlocale(LC_CTYPE, "C.UTF-8"));
    dice d = {71};
    int kept = 0;
    for (int i = 0; i < 300000; i++) {
        char text[N], one[N], many[N];
        random_bytes(&d, text);
        memcpy(one, text, N);
        memcpy(many, text, N);
        marl_text_clean(one);
        marl_text_clean_lines(many);
        ck_assert(is_clean(one, 0) && is_clean(many, 1));
        ck_assert_uint_eq(strlen(one), strlen(text));
        if (is_clean(text, 1)) { /* what is a text already stays */
            ck_assert_str_eq(many, text);
            kept += strlen(text) > 1;
        }
    }
    ck_assert_int_gt(kept, 1000);
}
END_TEST

START_TEST(words_of_any_language_stay)
{
    char text[] = "Haken-Träger \xe2\x9a\x93 \xf0\x9f\x8f\x97 \xce\xa9";
    char before[sizeof text];
    memcpy(before, text, sizeof text);
    marl_text_clean(text);
    ck_assert_str_eq(text, before);
}
END_TEST

/* Overrides and isolates of direction, separators of lines, byte order marks: each byte becomes a '?'. Their
 * neighbours, such as a joiner, stay. */
START_TEST(what_turns_or_hides_text_is_replaced)
{
    char text[] = "a\xe2\x80\xae"
                  "b\xe2\x81\xa6"
                  "c\xe2\x80\xa8"
                  "d\xef\xbb\xbf"
                  "e\xd8\x9c"
                  "f\xe2\x80\x8d"
                  "g\xe2\x80\x90";
    marl_text_clean(text);
    ck_assert_str_eq(text, "a???b???c???d???e??f\xe2\x80\x8d"
                           "g\xe2\x80\x90");
}
END_TEST

START_TEST(a_message_is_one_clean_line)
{
    marl_error error = {0};
    (void)marl_fail(&error, MARL_ERR_INPUT, "a\x1b]0;title\x07\nb: %s", "\xff");
    ck_assert_str_eq(error.text, "a?]0;title??b: ?");
}
END_TEST

MARL_SUITE("texts", CAMPAIGN(any_bytes_become_a_text_of_the_same_length), words_of_any_language_stay,
           what_turns_or_hides_text_is_replaced, a_message_is_one_clean_line)
