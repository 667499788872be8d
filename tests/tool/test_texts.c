/* SPDX-License-Identifier: MIT
 * Texts from files, devices and file names: never a command, to the shell, to the plot or to the terminal. */
#include "check_main.h"
#include "run_tool.h"
#include <ctype.h>

/* Makes the terminal ring and renames its window, ends no valid UTF-8, and is markup in a figure. */
#define HOSTILE "p\x1b]0;owned\x07<&\xff\xc2\x9b"

static void is_plain(const char *text)
{
    for (const char *c = text; *c != '\0'; c++) {
        ck_assert_msg(!iscntrl((unsigned char)*c) || *c == '\n', "%02x in %s", (unsigned char)*c, text);
        ck_assert_msg((unsigned char)*c != 0xff && (unsigned char)*c != 0x9b, "%s", text);
    }
}

/* Runs, and nothing of the hostile text arrives on either stream. */
#define stays_plain(wanted, ...)                                                                             \
    do {                                                                                                     \
        tool_run only_run = run(__VA_ARGS__);                                                                \
        ck_assert_msg(only_run.code == (wanted), "exit %d: %s", only_run.code, only_run.err);                \
        is_plain(only_run.out);                                                                              \
        is_plain(only_run.err);                                                                              \
        run_free(&only_run);                                                                                 \
    } while (0)

/* A text is data in the script of a figure, whatever stands in it. */
START_TEST(no_text_becomes_a_command)
{
    temporary dir = tool_folder();
    temporary_text(&dir, "evil.json",
                   "{\"marlinspike\": \"tuning/2\", \"filter\": \"kalman\", \"name\": "
                   "\"a\\nsystem('touch owned1')\\n'; system('touch owned2') #\"}");
    run_wants(0, "replay still.csv --tuning evil.json --figure a.svg");
    run_wants(0, "compare lift.csv --reference lift.reference.csv --tuning evil.json --figure b.svg");
    ck_assert_int_eq(system("cp still.csv \"$(printf 'x\\nsystem(\"touch owned3\")\\n.csv')\""), 0);
    run_wants(0, "replay \"$(printf 'x\\nsystem(\"touch owned3\")\\n.csv')\" --tuning kalman --figure c.svg");
    run_wants(0, "replay still.csv --tuning kalman --figure=-esystem.svg"); /* no option of another program */
    ck_assert_int_eq(access("./-esystem.svg", F_OK), 0);
    ck_assert_int_eq(setenv("HOME", dir.dir, 1), 0);
    temporary_text(&dir, ".gnuplot", "system('touch owned3')\n");
    run_wants(0, "replay still.csv --tuning kalman --figure d.svg");
    ck_assert_int_ne(system("test -e owned1 -o -e owned2 -o -e owned3"), 0);
    temporary_remove(&dir);
}
END_TEST

/* A random text of what ends strings, starts commands and comments, or expands, for a shell or for gnuplot.
 */
static void hostile_text(char *text, size_t size, uint64_t *state)
{
    static const char *const part[] = {"'",
                                       "\"",
                                       "\n",
                                       "\r",
                                       "\\",
                                       "`touch owned`",
                                       "$(touch owned)",
                                       "system('touch owned')",
                                       "; ",
                                       " # ",
                                       "{",
                                       "}",
                                       "@x",
                                       "%s%n",
                                       "\x01",
                                       "\xe2\x80\xa8",
                                       "EOD",
                                       "\n$data << EOD\n",
                                       "unset output",
                                       "set print 'owned'",
                                       "print 1",
                                       "|touch owned",
                                       "../",
                                       "\t"};
    text[0] = '\0';
    for (int i = 0; i < 8; i++) {
        *state = *state * UINT64_C(6364136223846793005) + UINT64_C(1442695040888963407);
        const char *next = part[(*state >> 33) % (sizeof part / sizeof part[0])];
        if (strlen(text) + strlen(next) < size) {
            strcat(text, next);
        }
    }
}

/* From every source at once: the name of a tuning, of a device, of a column, of a log. */
START_TEST(no_random_text_becomes_a_command)
{
    temporary dir = tool_folder();
    uint64_t state = 20261127;
    for (int i = 0; i < 25; i++) {
        char text[60], name[100];
        hostile_text(text, sizeof text, &state);
        json_t *tuning =
            json_pack("{ssssss}", "marlinspike", "tuning/2", "filter", "complementary", "name", text);
        ck_assert_ptr_nonnull(tuning);
        ck_assert_int_eq(json_dump_file(tuning, "any.json", 0), 0);
        json_decref(tuning);
        snprintf(name, sizeof name, "x%s.csv", text);
        for (char *c = name; *c != '\0'; c++) {
            *c = *c == '/' ? '_' : *c;
        }
        FILE *log = fopen(name, "w");
        ck_assert_ptr_nonnull(log);
        fprintf(log,
                "# marlinspike log/1 device=%s\n\"%s\",t[s],accel_x,accel_y,accel_z,gyro_x,gyro_y,gyro_z\n",
                i % 2 ? "a" : "b'`\"", strpbrk(text, "\"\n\r") ? "c" : text);
        for (int k = 0; k < 300; k++) {
            fprintf(log, "1,%.2f,0,0,9.8,0,0,0.0%d\n", 0.01 * k, k % 7);
        }
        ck_assert_int_eq(fclose(log), 0);
        ck_assert_int_eq(setenv("HOSTILE_LOG", name, 1), 0);
        run_wants(0, "replay \"$HOSTILE_LOG\" --tuning any.json --figure f%d.svg --quiet", i);
        ck_assert_int_eq(access("owned", F_OK), -1);
        ck_assert_int_eq(unlink(name), 0);
    }
    temporary_remove(&dir);
}
END_TEST

/* still.csv of a device with a hostile name, and under a hostile name. */
static void write_hostile(void)
{
    char *log = temporary_read("still.csv");
    const char *rest = strchr(log, '\n');
    ck_assert_ptr_nonnull(rest);
    FILE *file = fopen(HOSTILE ".csv", "wb");
    ck_assert_ptr_nonnull(file);
    fprintf(file, "# marlinspike log/1 device=%s%s", HOSTILE, rest);
    ck_assert_int_eq(fclose(file), 0);
    free(log);
}

START_TEST(no_control_character_reaches_the_terminal)
{
    temporary dir = tool_folder();
    write_hostile();
    temporary_text(&dir, "bad.json", "{\"marlinspike\": \"tuning/2\", \"a\\u001b[31m\\u009b\": 1}");
    temporary_text(&dir, "columns.csv", "when[s],g\x1b[31m\xffx,gy,gz\n0,1,2,3\n0.01,1,2,3\n0.02,1,2,3\n");
    stays_plain(0, "inspect p*owned*.csv");
    stays_plain(0, "inspect p*owned*.csv --json");
    stays_plain(0, "calibrate still p*owned*.csv --into new.json --json");
    stays_plain(0, "replay p*owned*.csv --calibration new.json");
    stays_plain(3, "replay still.csv --tuning bad.json");
    stays_plain(3, "inspect columns.csv");
    stays_plain(2, "$(printf 'a\\033[31m\\377')");
    stays_plain(3, "inspect $(printf 'a\\033[31m\\377')");
    temporary_remove(&dir);
}
END_TEST

/* A name that is no text stays a name: the key is there, and a calibration of it is kept from others. */
START_TEST(a_device_name_that_is_no_text_is_kept_apart)
{
    temporary dir = tool_folder();
    write_hostile();
    json_t *seen = run_json(0, "inspect p*owned*.csv");
    const char *device = json_string_value(json_object_get(seen, "device"));
    ck_assert_ptr_nonnull(device);
    is_plain(device);
    run_wants(0, "calibrate still p*owned*.csv --into new.json");
    json_t *calibration = json_load_file("new.json", 0, NULL);
    ck_assert_str_eq(json_string_value(json_object_get(calibration, "device")), device);
    run_wants(3, "calibrate still still.csv --into new.json");
    json_decref(seen);
    json_decref(calibration);
    temporary_remove(&dir);
}
END_TEST

START_TEST(figures_stay_well_formed)
{
    temporary dir = tool_folder();
    write_hostile();
    run_wants(0, "replay p*owned*.csv --tuning kalman --figure a.svg");
    ck_assert_int_eq(symlink("c.svg", "b.svg"), 0); /* a link whose target is there is followed */
    temporary_text(&dir, "c.svg", "old");
    run_wants(0, "inspect p*owned*.csv --figure b.svg");
    ck_assert_int_eq(system("test -L b.svg && test -s c.svg"), 0);
    for (int i = 0; i < 2; i++) {
        char command[100];
        snprintf(command, sizeof command,
                 "python3 -c 'import xml.dom.minidom; xml.dom.minidom.parse(\"%s\")'", i ? "a.svg" : "b.svg");
        ck_assert_int_eq(system(command), 0);
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("tool texts", no_text_becomes_a_command, CAMPAIGN(no_random_text_becomes_a_command),
           no_control_character_reaches_the_terminal, a_device_name_that_is_no_text_is_kept_apart,
           figures_stay_well_formed)
