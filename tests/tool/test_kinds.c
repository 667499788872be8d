/* SPDX-License-Identifier: MIT
 * A file of the wrong kind is named as what it is, with the command that it is for. */
#include "check_main.h"
#include "run_tool.h"

/* A file of each kind, as the tool itself makes it. */
static const struct {
    const char *file, *is, *use;
} kinds[] = {
    {"lift.csv", "log", "'marlinspike inspect lift.csv'"},
    {"cal.json", "calibration", "'marlinspike verify cal.json LOG'"},
    {"tuned.json", "tuning", "'marlinspike tuning tuned.json'"},
    {"sheet.json", "sheet", "'marlinspike simulate --sheet sheet.json'"},
    {"chip.json", "chip", "'marlinspike record --from sim:still --chip chip.json'"},
    {"board.memory", "board's memory", "'marlinspike send --to sim:board.memory'"},
    {"error.png", "picture", "a browser shows it"},
    {"report.html", "page", "a browser shows it"},
    {"folder", "folder", "'marlinspike inspect folder -o LOG'"},
};

/* Where a file is named, and what is wanted there. */
static const struct {
    const char *before, *after, *wanted;
} places[] = {
    {"inspect", "", "log"},
    {"replay", "--tuning kalman", "log"},
    {"correct", "--calibration cal.json -o x.csv", "log"},
    {"calibrate still", "", "log"},
    {"smooth", "", "log"},
    {"compare lift.csv --reference", "", "log"},
    {"search lift.csv --reference", "", "log"},
    {"verify", "lift.csv", "calibration"},
    {"replay lift.csv --calibration", "", "calibration"},
    {"calibrate still still.csv --into", "", "calibration"},
    {"export", "--as c-header -o x.h", "calibration"},
    {"send --to sim --calibration", "", "calibration"},
    {"tuning", "", "tuning"},
    {"replay lift.csv --tuning", "", "tuning"},
    {"compare lift.csv --reference lift.reference.csv --tuning", "", "tuning"},
    {"inspect lift.csv --sheet", "", "sheet"},
    {"simulate --scene still --duration 1 -o x.csv --sheet", "", "sheet"},
    {"record --from sim:still --until 1 -o x.csv --chip", "", "chip"},
};
enum { KINDS = sizeof kinds / sizeof kinds[0], PLACES = sizeof places / sizeof places[0] };

static temporary folder_of_all_kinds(void)
{
    temporary t = tool_folder();
    run_wants(0, "calibrate still still.csv -o cal.json --quiet");
    run_wants(0, "tuning kalman:mag_noise=1 -o tuned.json");
    run_wants(0, "simulate --scene still --duration 600 -o long.csv --quiet");
    run_wants(0, "inspect long.csv --sheet-out sheet.json --quiet");
    run_wants(0, "send --to sim:board.memory --calibration cal.json --commit --quiet");
    run_wants(0,
              "compare lift.csv --reference lift.reference.csv --tuning kalman --figure error.png --report "
              "report.html --quiet");
    ck_assert_int_eq(system("cp '" CHIPS "/grommet.json' chip.json; mkdir folder; cp still.csv folder"), 0);
    return t;
}

static int is_same(const char *kind, const char *wanted)
{
    return strcmp(kind, wanted) == 0;
}

START_TEST(each_kind_in_each_place)
{
    temporary t = folder_of_all_kinds();
    int tried = 0;
    for (int i = 0; i < PLACES; i++) {
        for (int k = 0; k < KINDS; k++) {
            /* inspect takes a folder; where a file would be replaced, a folder has a message of its own */
            int folder_is_else =
                is_same(kinds[k].is, "folder") &&
                (is_same(places[i].before, "inspect") || strstr(places[i].before, "--into") != NULL);
            if (is_same(kinds[k].is, places[i].wanted) || folder_is_else) {
                continue;
            }
            char says[200];
            tool_run r = run("%s %s %s", places[i].before, kinds[k].file, places[i].after);
            snprintf(says, sizeof says, "is a %s, and a %s is wanted here; %s", kinds[k].is,
                     is_same(kinds[k].is, "folder") ? "file" : places[i].wanted, kinds[k].use);
            ck_assert_msg(r.code == 3 && strstr(r.err, says) != NULL, "%s %s: exit %d\n%s\nwanted: %s",
                          places[i].before, kinds[k].file, r.code, r.err, says);
            run_free(&r);
            tried++;
        }
    }
    ck_assert_int_gt(tried, 130);
    temporary_remove(&t);
}
END_TEST

MARL_SUITE("kinds", each_kind_in_each_place)
