/* SPDX-License-Identifier: MIT
 * Running the tool as a user does, in a folder of the test's own. */
#ifndef RUN_TOOL_H
#define RUN_TOOL_H

#include "temporary.h"
#include <jansson.h>
#include <stdarg.h>
#include <sys/wait.h>

typedef struct tool_run {
    int code;
    char *out, *err;
} tool_run;

/* A folder with the demo data in it, which becomes the working folder. */
static inline temporary tool_folder(void)
{
    temporary dir = temporary_make();
    char command[600];
    ck_assert_int_eq(chdir(dir.dir), 0);
    snprintf(command, sizeof command, "cp '%s'/*.csv .", DEMO);
    ck_assert_int_eq(system(command), 0);
    return dir;
}

/* What the tool prints for people fits into 100 columns, but for a line that holds the path of a temporary file. */
static inline void check_columns(const char *words, const char *out)
{
    int is_data = out[0] == '{' || strstr(words, "-o -") != NULL || strstr(words, "completion") != NULL;
    for (const char *line = out; *line != '\0' && !is_data;) {
        size_t n = strcspn(line, "\n");
        const char *slash = memchr(line, '/', n);
        int is_command = strncmp(line, "  marlinspike ", 14) == 0; /* to be copied whole */
        ck_assert_msg(n <= 100 || is_command || (slash != NULL && strncmp(slash, "/tmp", 4) == 0),
                      "%zu columns, %s: %.*s", n, words, (int)n, line);
        line += n + (line[n] == '\n');
    }
}

/* Runs `marlinspike ...`; the shell's rules apply. */
static inline __attribute__((format(printf, 1, 2))) tool_run run(const char *format, ...)
{
    char words[3000], command[4000];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(words, sizeof words, format, arguments);
    va_end(arguments);
    snprintf(command, sizeof command, "'%s' %s >.out 2>.err", TOOL, words);
    int result = system(command);
    ck_assert_msg(WIFEXITED(result), "%s", words);
    tool_run r = {WEXITSTATUS(result), temporary_read(".out"), temporary_read(".err")};
    check_columns(words, r.out);
    ck_assert_msg(strstr(r.err, "Sanitizer") == NULL && strstr(r.err, "runtime error") == NULL, "%s", r.err);
    return r;
}

static inline void run_free(tool_run *r)
{
    free(r->out);
    free(r->err);
}

/* Runs and wants an exit code. */
#define run_wants(wanted, ...)                                                                               \
    do {                                                                                                     \
        tool_run only_run = run(__VA_ARGS__);                                                                \
        ck_assert_msg(only_run.code == (wanted), "exit %d: %s", only_run.code, only_run.err);                \
        run_free(&only_run);                                                                                 \
    } while (0)

/* Runs with the exit code wanted and gives the one JSON object that stands on stdout. */
static inline __attribute__((format(printf, 2, 3))) json_t *run_json(int wanted, const char *format, ...)
{
    char words[3000];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(words, sizeof words, format, arguments);
    va_end(arguments);
    tool_run r = run("%s --json", words);
    ck_assert_msg(r.code == wanted, "exit %d: %s", r.code, r.err);
    json_error_t fault;
    json_t *root = json_loads(r.out, JSON_REJECT_DUPLICATES, &fault);
    ck_assert_msg(json_is_object(root), "%s\n%s", fault.text, r.out);
    run_free(&r);
    return root;
}

/* The number at a dotted path; arrays by number. Fails when there is none. */
static inline double json_at(const json_t *root, const char *path)
{
    char copy[200], *rest = NULL;
    snprintf(copy, sizeof copy, "%s", path);
    for (char *key = strtok_r(copy, ".", &rest); key != NULL; key = strtok_r(NULL, ".", &rest)) {
        root = json_is_array(root) ? json_array_get(root, (size_t)atoi(key)) : json_object_get(root, key);
    }
    ck_assert_msg(json_is_number(root) || json_is_boolean(root), "no number at %s", path);
    return json_is_number(root) ? json_number_value(root) : json_is_true(root);
}

#endif
