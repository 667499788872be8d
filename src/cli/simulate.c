/* SPDX-License-Identifier: MIT
 * marlinspike simulate */
#include "cli/common/cli.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

typedef struct options {
    char *scene, *sheet, *out, *truth, *device;
    double rate, duration, skip;
    int speed;
    long long seed;
} options;

static unsigned columns_of(const marl_sheet *sheet, int speed)
{
    return (sheet->accel.present ? MARL_COLUMNS_ACCEL : 0u) | (sheet->gyro.present ? MARL_COLUMNS_GYRO : 0u) |
           (sheet->mag.present ? MARL_COLUMNS_MAG : 0u) | MARL_COLUMNS_TEMP |
           (speed ? MARL_COLUMNS_SPEED : 0u);
}

/* Writes both files row by row; the truth may be absent. Returns the number of rows. */
static unsigned long write_rows(marl_simulator *simulator, unsigned long rows, marl_log_writer *log,
                                marl_log_writer *truth)
{
    for (unsigned long i = 0; i < rows; i++) {
        marl_log_row row = {.has_q = 1};
        marl_simulator_next(simulator, &row.sample, &row.q);
        marl_log_write(log, &row);
        if (truth != NULL) {
            marl_log_write(truth, &row);
        }
    }
    return rows;
}

static void list_scenes(char *text, size_t size)
{
    size_t used = strlen(text);
    for (int i = 0; i < MARL_SCENE_COUNT && used < size; i++) {
        marl_scene_kind kind = (marl_scene_kind)i;
        used += (size_t)snprintf(text + used, size - used, "  %-7s %s; %.0f s%s", marl_scene_name(kind),
                                 marl_scene_about(kind), marl_scene_seconds(kind),
                                 i + 1 < MARL_SCENE_COUNT ? "\n" : "");
    }
}

static marl_status prepare(const options *o, marl_sheet *sheet, marl_simulator **simulator, marl_error *error)
{
    marl_scene_kind scene;
    marl_status status;
    *sheet = marl_sheet_grommet();
    if (o->scene == NULL || o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "simulate: --scene and -o are needed");
    }
    if (o->device != NULL && (o->device[0] == '\0' || strpbrk(o->device, " \t\r\n,") != NULL)) {
        return marl_fail(error, MARL_ERR_USE, "simulate: --device is one word");
    }
    if (marl_scene_from_name(o->scene, &scene) != MARL_OK) {
        return cli_unknown_scene(o->scene, error);
    }
    if (o->duration <= 0 || o->duration > 1e6 || o->seed < 0) {
        return marl_fail(error, MARL_ERR_USE,
                         "simulate: --duration is more than 0 and at most 1e6 s, --seed not negative");
    }
    if (o->sheet != NULL && marl_sheet_read(sheet, o->sheet, error) != MARL_OK) {
        return error->status;
    }
    status = marl_simulator_create(simulator, scene, sheet, o->rate, (uint64_t)o->seed);
    if (status != MARL_OK) {
        return status == MARL_ERR_SYSTEM
                   ? marl_fail(error, status, "no memory")
                   : marl_fail(error, MARL_ERR_USE, "simulate: --rate lies between 1 and 100000 Hz");
    }
    if (marl_simulator_set(*simulator, o->skip, o->speed) != MARL_OK) {
        return marl_fail(error, MARL_ERR_USE, "simulate: --skip is from 0 to 1e6 s, and not %g", o->skip);
    }
    return MARL_OK;
}

static marl_status write_logs(const options *o, const marl_sheet *sheet, marl_simulator *simulator,
                              unsigned long *rows, marl_error *error)
{
    marl_scene_kind scene;
    marl_log_writer *log = NULL, *truth = NULL;
    marl_log_info info = {.columns = columns_of(sheet, o->speed)};
    snprintf(info.device, sizeof info.device, "%.63s", o->device != NULL ? o->device : "pod-07");
    MARL_TRY(marl_scene_from_name(o->scene, &scene));
    marl_status status = marl_log_create(&log, o->out, &info, error);
    info.columns = MARL_COLUMNS_Q;
    if (status == MARL_OK && o->truth != NULL) {
        status = marl_log_create(&truth, o->truth, &info, error);
    }
    if (status != MARL_OK) {
        marl_log_abort(log);
        return status;
    }
    double seconds = isnan(o->duration) ? marl_scene_seconds(scene) : o->duration;
    unsigned long wanted = (unsigned long)(seconds * marl_simulator_rate(simulator) + 0.5);
    *rows = write_rows(simulator, wanted > 0 ? wanted : 1, log, truth);
    status = marl_log_commit(log, error);
    if (truth != NULL && status != MARL_OK) {
        marl_log_abort(truth);
    } else if (truth != NULL) {
        status = marl_log_commit(truth, error);
    }
    return status;
}

static marl_status simulate(const options *o, unsigned long *rows, marl_error *error)
{
    marl_sheet sheet;
    marl_simulator *simulator = NULL;
    marl_status status = prepare(o, &sheet, &simulator, error);
    status = status != MARL_OK ? status : write_logs(o, &sheet, simulator, rows, error);
    marl_simulator_free(simulator);
    return status;
}

static int report(const cli *c, const options *o, unsigned long rows)
{
    if (c->json) {
        json_t *root = json_object();
        json_object_set_new(root, "log", cli_text(o->out));
        json_object_set_new(root, "truth", o->truth ? cli_text(o->truth) : json_null());
        json_object_set_new(root, "scene", cli_text(o->scene));
        json_object_set_new(root, "seed", json_integer(o->seed));
        json_object_set_new(root, "rows", json_integer((json_int_t)rows));
        return cli_print_json(root);
    }
    if (!c->quiet) {
        cli_print("%s: %lu rows of scene %s, seed %lld%s%s\n", o->out, rows, o->scene, o->seed,
                  o->truth ? "; true attitude: " : "", o->truth ? o->truth : "");
    }
    return cli_print_done();
}

int cli_simulate(int argc, const char **argv)
{
    options o = {.duration = NAN, .seed = 1};
    marl_error error = {0};
    unsigned long rows = 0;
    cli c;
    const struct poptOption table[] = {
        {"scene", '\0', POPT_ARG_STRING, &o.scene, 0, "what happens (listed below)", "S"},
        {"sheet", '\0', POPT_ARG_STRING, &o.sheet, CLI_READS, "sensor sheet (default: the Grommet chip)",
         "F"},
        {"rate", '\0', POPT_ARG_DOUBLE, &o.rate, 0, "rows per second (default: that of the sheet)", "HZ"},
        {"duration", '\0', POPT_ARG_DOUBLE, &o.duration, 0, "length in s (default: that of the scene)", "S"},
        {"skip", '\0', POPT_ARG_DOUBLE, &o.skip, 0, "start the log S seconds late in the scene", "S"},
        {"speed", '\0', POPT_ARG_NONE, &o.speed, 0, "the log holds the speed along body x as well", NULL},
        {"seed", '\0', POPT_ARG_LONGLONG, &o.seed, 0, "same seed, same log (default 1)", "N"},
        {"device", '\0', POPT_ARG_STRING, &o.device, 0, "device named in the log (default pod-07)", "NAME"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES_ROWS, "the log to write", "LOG"},
        {"truth", '\0', POPT_ARG_STRING, &o.truth, CLI_WRITES_ROWS, "the true attitude to write", "ATT"},
        POPT_TABLEEND,
    };
    char about[2000] = "Makes a log as the pod would record it, and the attitude it really had. Scenes:\n";
    list_scenes(about, sizeof about);
    const cli_usage usage = {
        "", CLI_NO_FILE, 0,
        0,  about,       "simulate --scene lift --duration 60 --seed 7 -o lift.csv --truth truth.csv"};
    int code = cli_open(&c, argc, argv, table, &usage);
    if (code == CLI_GO) {
        (void)!simulate(&o, &rows, &error);
        code = cli_exit(&error);
        code = code == CLI_DONE ? report(&c, &o, rows) : code;
    }
    cli_close(&c);
    return code;
}
