/* SPDX-License-Identifier: MIT
 * Text in UTF-16, read as UTF-8. */
#include "lab/log/utf16_text.h"
#include "lab/base/file_kind.h"
#include <errno.h>
#include <iconv.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* All of `in` behind its mark. What is no UTF-16 becomes a question mark; half a character at the end is left out. 0 when
 * there is no room. */
static int convert(FILE *in, iconv_t how, FILE *out)
{
    char from[4096], to[3 * sizeof from];
    size_t held = 0, got;
    int is_written = 1;
    while (is_written && (got = fread(from + held, 1, sizeof from - held, in)) > 0) {
        char *p = from, *q = to;
        size_t left = held + got, room = sizeof to;
        while (iconv(how, &p, &left, &q, &room) == (size_t)-1 && errno == EILSEQ && left >= 2) {
            p += 2;
            left -= 2;
            *q++ = '?';
            room--;
        }
        memmove(from, p, left);
        held = left;
        is_written = fwrite(to, 1, sizeof to - room, out) == sizeof to - room;
    }
    return is_written && fflush(out) == 0 && !ferror(in);
}

static FILE *open_utf16(const char *path, const char **name)
{
    unsigned char mark[2] = {0};
    FILE *in = lab_open_regular(path);
    size_t n = in != NULL ? fread(mark, 1, sizeof mark, in) : 0;
    *name = mark[0] == 0xff && mark[1] == 0xfe ? "UTF-16LE" : "UTF-16BE";
    int is_marked = n == 2 && (memcmp(mark, "\xff\xfe", 2) == 0 || memcmp(mark, "\xfe\xff", 2) == 0);
    if (in != NULL && !is_marked) {
        fclose(in);
        return NULL;
    }
    return in;
}

marl_status lab_utf16_text(const char *path, int *fd, marl_error *error)
{
    const char *name;
    FILE *in = open_utf16(path, &name);
    *fd = -1;
    if (in == NULL) {
        return MARL_OK;
    }
    FILE *out = tmpfile();
    iconv_t how = iconv_open("UTF-8", name);
    int can = out != NULL && how != (iconv_t)-1; /* NOLINT: POSIX has its error so */
    if (can && convert(in, how, out)) {
        *fd = dup(fileno(out));
    }
    int is_read = *fd >= 0 && lseek(*fd, 0, SEEK_SET) == 0;
    if (how != (iconv_t)-1) { /* NOLINT */
        iconv_close(how);
    }
    if (out != NULL) {
        fclose(out);
    }
    fclose(in);
    return is_read ? MARL_OK
                   : marl_fail(error, MARL_ERR_SYSTEM, "%s: no room to read its UTF-16: %s", path,
                               strerror(errno));
}
