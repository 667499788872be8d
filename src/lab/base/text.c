/* SPDX-License-Identifier: MIT
 * Texts from files and boards, made safe to show. */
#include "marlinspike/error.h"
#include <string.h>

/* Length of the valid UTF-8 sequence at p, 0 for none: shortest form, no surrogates, at most U+10FFFF
 * ("UTF-8, a transformation format of ISO 10646", RFC 3629). U+FFFE and U+FFFF, which XML has not, count as
 * invalid. */
static size_t utf8_length(const unsigned char *p)
{
    if (p[0] < 0x80) {
        return 1;
    }
    if (p[0] < 0xc2 || p[0] > 0xf4) {
        return 0;
    }
    size_t n = p[0] < 0xe0 ? 2 : p[0] < 0xf0 ? 3 : 4;
    for (size_t i = 1; i < n; i++) {
        if ((p[i] & 0xc0) != 0x80) {
            return 0;
        }
    }
    int overlong = (p[0] == 0xe0 && p[1] < 0xa0) || (p[0] == 0xf0 && p[1] < 0x90);
    int beyond = (p[0] == 0xed && p[1] > 0x9f) || (p[0] == 0xf4 && p[1] > 0x8f);
    int unassigned = p[0] == 0xef && p[1] == 0xbf && p[2] >= 0xbe;
    return overlong || beyond || unassigned ? 0 : n;
}

/* C0 and C1 controls and DEL: to a terminal they may be commands. */
static int is_control(const unsigned char *p)
{
    return p[0] < 0x20 || p[0] == 0x7f || (p[0] == 0xc2 && p[1] < 0xa0);
}

/* What moves or hides the text beside it: marks, embeddings, overrides and isolates of direction ("Unicode
 * bidirectional algorithm", Unicode Standard Annex 9), line and paragraph separators, the byte order mark. */
static int is_direction(const unsigned char *p, size_t n)
{
    if (n == 2) {
        return p[0] == 0xd8 && p[1] == 0x9c; /* U+061C */
    }
    if (n != 3) {
        return 0;
    }
    unsigned code = (p[0] & 0x0fu) << 12 | (p[1] & 0x3fu) << 6 | (p[2] & 0x3fu);
    return code == 0x200e || code == 0x200f || (code >= 0x2028 && code <= 0x202e) ||
           (code >= 0x2066 && code <= 0x2069) || code == 0xfeff;
}

static void clean(char *text, int keep_line_ends)
{
    unsigned char *p = (unsigned char *)text;
    while (*p != '\0') {
        size_t n = utf8_length(p);
        if (n == 0 || is_direction(p, n) || (is_control(p) && !(keep_line_ends && *p == '\n'))) {
            memset(p, '?', n > 0 ? n : 1);
        }
        p += n > 0 ? n : 1;
    }
}

void marl_text_clean(char *text)
{
    clean(text, 0);
}

void marl_text_clean_lines(char *text)
{
    clean(text, 1);
}

const char *marl_base_name(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash != NULL ? slash + 1 : path;
}
