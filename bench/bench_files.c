/* SPDX-License-Identifier: MIT
 * Reading and writing logs: beside the usual ways of doing it. */
#include "bench.h"
#include "lab/log/number.h"
#include "lab/maths/random.h"
#include "lab/maths/statistics.h"
#include <csv.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static void read_by_marlinspike(void *context)
{
    marl_log_reader *reader;
    marl_log_row row;
    marl_error error = {0};
    marl_status status = marl_log_open(&reader, context, NULL, &error);
    while (status == MARL_OK) {
        status = marl_log_next(reader, &row, &error);
    }
    if (status != MARL_END || marl_log_reader_report(reader)->rows != BENCH_ROWS) {
        fprintf(stderr, "reading failed: %s\n", error.text);
        exit(1);
    }
    marl_log_close(reader);
}

static void sum_cell(void *cell, size_t n, void *sum)
{
    (void)n;
    *(double *)sum += strtod(cell, NULL);
}

static void read_by_libcsv(void *context)
{
    struct csv_parser parser;
    static char block[1 << 20];
    double sum = 0;
    FILE *f = fopen(context, "rb");
    csv_init(&parser, CSV_APPEND_NULL);
    for (size_t n; (n = fread(block, 1, sizeof block, f)) > 0;) {
        csv_parse(&parser, block, n, sum_cell, NULL, &sum);
    }
    csv_fini(&parser, sum_cell, NULL, &sum);
    csv_free(&parser);
    fclose(f);
    if (!isfinite(sum)) {
        printf("\n");
    }
}

/* Time inside the interpreter, without its start. 0 when numpy is not there. */
static double read_by_numpy(const char *log)
{
    char command[500];
    double seconds = 0;
    const char *python = access("/usr/bin/python3", X_OK) == 0 ? "/usr/bin/python3" : "python3";
    snprintf(
        command, sizeof command,
        "%s -c 'import numpy, time\nbest = 1e9\nfor i in range(3):\n t = time.perf_counter()\n"
        " numpy.loadtxt(\"%s\", delimiter=\",\", skiprows=2)\n best = min(best, time.perf_counter() - t)\n"
        "print(best)' 2>/dev/null",
        python, log);
    FILE *f = popen(command, "r");
    if (f == NULL || fscanf(f, "%lf", &seconds) != 1) {
        seconds = 0;
    }
    if (f != NULL) {
        pclose(f);
    }
    return seconds;
}

static void print_reading(const char *how, double seconds, double megabytes, double ours)
{
    if (seconds > 0) {
        printf("%-28s %8.3f %12.2f %10.0f %10.1f\n", how, seconds, BENCH_ROWS / seconds * 1e-6,
               megabytes / seconds, seconds / ours);
    } else {
        printf("%-28s  not installed\n", how);
    }
}

static double min(double a, double b)
{
    return b > 0 && b < a ? b : a;
}

/* Turn by turn, so that a slow spell of the machine meets all of them; the least time of each counts. */
void bench_reading(const char *log)
{
    struct stat file = {0};
    double wc = 1e9, ours = 1e9, libcsv = 1e9, numpy = 1e9;
    const char *const words[] = {"wc", "-l", log, NULL};
    stat(log, &file);
    double megabytes = (double)file.st_size * 1e-6;
    for (int round = 0; round < 5; round++) {
        double once;
        bench_run(words, &once);
        wc = min(wc, once);
        ours = min(ours, bench_min(read_by_marlinspike, (void *)log));
        numpy = min(numpy, read_by_numpy(log));
        libcsv = min(libcsv, bench_once(read_by_libcsv, (void *)log));
    }
    printf("\nreading that log, %.0f MB       time s  million rows/s   MB/s   times ours\n", megabytes);
    print_reading("wc -l", wc, megabytes, ours);
    print_reading("libcsv and strtod", libcsv, megabytes, ours);
    print_reading("numpy.loadtxt", numpy < 1e9 ? numpy : 0, megabytes, ours);
    print_reading("marl_log_next", ours, megabytes, ours);
    printf("wanted: numpy.loadtxt at least 4.0 times ours\n");
}

#define NUMBERS 1000000

/* Readings as a log holds them. */
static float *make_readings(void)
{
    float *reading = malloc(NUMBERS * sizeof *reading);
    lab_random random = lab_random_seeded(1, 1);
    for (int i = 0; reading != NULL && i < NUMBERS; i++) {
        reading[i] = (float)(lab_random_normal(&random) * (i % 3 == 0 ? 10 : i % 3 == 1 ? 0.02 : 40));
    }
    return reading;
}

static void write_by_printf(void *context)
{
    const float *reading = context;
    char text[32];
    volatile int last;
    for (int i = 0; i < NUMBERS; i++) {
        last = snprintf(text, sizeof text, "%.9g", (double)reading[i]);
    }
    (void)last;
}

static void write_by_marlinspike(void *context)
{
    const float *reading = context;
    char text[32];
    volatile long last;
    for (int i = 0; i < NUMBERS; i++) {
        last = lab_number_write(text, (double)reading[i]) - text;
    }
    (void)last;
}

void bench_numbers(void)
{
    float *reading = make_readings();
    if (reading == NULL) {
        return;
    }
    double by_printf = bench_min(write_by_printf, reading), ours = bench_min(write_by_marlinspike, reading);
    printf("\nwriting numbers, 9 digits     ns each  times ours\n");
    printf("%-28s %8.1f %10.1f\n", "printf %.9g", 1e9 * by_printf / NUMBERS, by_printf / ours);
    printf("%-28s %8.1f %10.1f\nwanted: printf at least 5.0 times ours\n", "lab_number_write",
           1e9 * ours / NUMBERS, 1.0);
    free(reading);
}

/* What other guests of the machine take changes from second to second, so each turn has its own ratio, of the
 * best of as many runs as numpy has. */
enum { TURNS = 9, TIMES = 3 };

/* The best of TIMES runs, none of which has to free the file of the one before. */
static double run_to_new_file(const char *const *words, const char *out)
{
    double best = 1e9, seconds;
    for (int i = 0; i < TIMES; i++) {
        unlink(out);
        bench_run(words, &seconds);
        best = min(best, seconds);
    }
    return best;
}

void bench_file_to_file(const char *dir, const char *log)
{
    char small[100], out[100];
    double seconds;
    snprintf(small, sizeof small, "%s/small.csv", dir);
    snprintf(out, sizeof out, "%s/out.csv", dir);
    bench_make_log(small, BENCH_ROWS / 10);
    const char *const one[] = {TOOL, "replay", small, "-o", out, NULL}, *const ten[] = {TOOL, "replay", log,
                                                                                        "-o", out,      NULL};
    long peak_small = bench_run(one, &seconds), peak = bench_run(ten, &seconds);
    double ours[TURNS], numpy[TURNS], ratio[TURNS];
    for (int i = 0; i < TURNS; i++) {
        numpy[i] = read_by_numpy(log);
        ours[i] = run_to_new_file(ten, out);
        ratio[i] = ours[i] / numpy[i];
    }
    printf("\nread, filter and write %d rows of ten columns: %.3f s", BENCH_ROWS,
           lab_quantile(ours, TURNS, 0.5));
    if (numpy[0] > 0) {
        printf(", %.2f of the %.3f s in which numpy.loadtxt only reads them (medians of %d turns, %.2f to "
               "%.2f; wanted: at most 0.6)",
               lab_quantile(ratio, TURNS, 0.5), lab_quantile(numpy, TURNS, 0.5), TURNS,
               lab_quantile(ratio, TURNS, 0), lab_quantile(ratio, TURNS, 1));
    }
    printf("\nmemory: %ld KiB for %d rows, %ld KiB for %d rows: %.2f times (wanted: at most 1.2)\n",
           peak_small, BENCH_ROWS / 10, peak, BENCH_ROWS, (double)peak / (double)peak_small);
    unlink(small);
    unlink(out);
}
