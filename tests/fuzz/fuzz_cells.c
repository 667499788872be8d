/* SPDX-License-Identifier: MIT
 * A good log of our own, spoilt cell by cell: cells replaced, emptied, doubled and cut, rows repeated, moved and
 * dropped, stamps changed. What is left of it is read as it is, and the rest is counted. */
#include "fuzz_rows.h"

enum { ROWS = 40, COLUMNS = 11, LINE = 400, TEXT = 60000 };

static const char header[] = "# marlinspike log/1 device=pod-07 corrected=no world=enu\n"
                             "t[s],accel_x[m/s^2],accel_y[m/s^2],accel_z[m/s^2],gyro_x[rad/s],gyro_y[rad/s],"
                             "gyro_z[rad/s],mag_x[uT],mag_y[uT],mag_z[uT],temp[degC]\n";

/* Cells that have broken readers before. */
static const char *const odd[] = {"",      "nan",   "inf",  "-inf",  "1e999", "1e-999", "0x1p9",
                                  "1,5",   "1.2.3", "-",    "\"1\"", "\"",    "\"\"\"", " 1 ",
                                  "1e",    "+",     "9e18", "1e38",  "4e38",  "-0",     "\r",
                                  "\0001", "\xff",  "#",    ";",     "1\n2",  ",",      ",,,"};

static void make_cell(char *cell, size_t size, int row, int column)
{
    if (column == 0) {
        snprintf(cell, size, "%.9f", 0.01 * row);
    } else if (column >= 7 && row % 4 != 0) {
        cell[0] = '\0';
    } else {
        snprintf(cell, size, "%.9g", sin(0.1 * row + column) + (column == 3 ? 9.8 : 0));
    }
}

/* What becomes of one cell. */
static void spoil(char *cell, size_t size, fuzz_bytes *in)
{
    char old[LINE];
    size_t n = strlen(cell), at = n > 0 ? fuzz_byte(in) % n : 0;
    snprintf(old, sizeof old, "%s", cell);
    switch (fuzz_byte(in) % 5) {
    case 0:
        snprintf(cell, size, "%s", odd[fuzz_byte(in) % (sizeof odd / sizeof odd[0])]);
        break;
    case 1: /* a byte of it */
        cell[at] = n > 0 ? (char)fuzz_byte(in) : '\0';
        break;
    case 2:
        snprintf(cell, size, "%.*s%s", (int)at, old, odd[fuzz_byte(in) % (sizeof odd / sizeof odd[0])]);
        break;
    case 3:
        snprintf(cell, size, "%.*s", (int)at, old);
        break;
    default: /* another number, of any size */
        snprintf(cell, size, "%.*g", fuzz_byte(in) % 20,
                 ldexp(fuzz_share(in), (int)fuzz_byte(in) * 8 - 1020));
        break;
    }
}

static size_t make_row(char *line, size_t size, int row, int spoilt, fuzz_bytes *in)
{
    size_t used = 0;
    for (int c = 0; c < COLUMNS && used < size; c++) {
        char cell[100];
        make_cell(cell, sizeof cell, row, c);
        if (spoilt == c) {
            spoil(cell, sizeof cell, in);
        }
        used += (size_t)snprintf(line + used, size - used, "%s%s", c > 0 ? "," : "", cell);
    }
    used = used < size - 2 ? used : size - 2;
    line[used] = '\n';
    return used + 1;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static char text[TEXT];
    fuzz_bytes in = {data, size};
    marl_error error = {0};
    marl_log log;
    size_t n = sizeof header - 1;
    memcpy(text, header, n);
    for (int i = 0; i < ROWS && n + 3 * LINE < TEXT; i++) {
        uint8_t what = fuzz_byte(&in);
        int row = what % 16 == 1 ? (int)fuzz_byte(&in) : i; /* another's stamp and readings */
        int spoilt = what % 4 == 3 ? fuzz_byte(&in) % COLUMNS : -1;
        size_t length = make_row(text + n, LINE, row, spoilt, &in);
        n += what % 32 == 2 ? length / 2 : length;                        /* cut in the middle */
        n += what % 32 == 6 ? make_row(text + n, LINE, row, -1, &in) : 0; /* twice */
        n -= what % 32 == 10 ? 1 : 0;                                     /* without its end */
    }
    if (marl_log_load(&log, fuzz_file(0, (const uint8_t *)text, n), NULL, &error) != MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        return 0;
    }
    fuzz_check_rows(&log);
    FUZZ_HOLDS(log.report.rows == log.n);
    FUZZ_HOLDS(log.report.rows_dropped <= log.n);
    FUZZ_HOLDS(log.report.rows_dropped == 0 || log.report.first_dropped_line >= 3);
    marl_log_free(&log);
    return 0;
}
