/* SPDX-License-Identifier: MIT
 * marlinspike calibrate */
#include "cli/calibrate/calibrate.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

typedef struct options {
    cli_reading reading;
    char *into, *out, *figure, *page, *hemisphere, *up;
    double turn_angle, gravity, field, latitude; /* deg, m/s^2, uT, deg */
    int quick;
} options;

/* "z", "+z" or "-z": 1 to 3, negative for down. */
static marl_status read_up(const char *option, int *up, marl_error *error)
{
    const char *text = option;
    int sign = *text == '-' ? -1 : 1;
    text += *text == '-' || *text == '+';
    if (strlen(text) != 1 || *text < 'x' || *text > 'z') {
        return marl_fail(error, MARL_ERR_USE, "--up is one of x y z -x -y -z, and not '%s'", option);
    }
    *up = sign * (*text - 'x' + 1);
    return MARL_OK;
}

static marl_status check_options(const options *o, const marl_session *session, marl_error *error)
{
    MARL_TRY(o->figure != NULL ? marl_figure_check_path(o->figure, error) : MARL_OK);
    MARL_TRY(o->page != NULL ? marl_page_check_path(o->page, error) : MARL_OK);
    if (o->figure != NULL && session->recording == MARL_RECORDING_AXES) {
        return marl_fail(error, MARL_ERR_USE, "calibrate: --figure is of all but axes, which are a table");
    }
    if (!(o->turn_angle > 0 && o->gravity > 1 && o->gravity < 100 && o->field >= 0)) {
        return marl_fail(error, MARL_ERR_USE,
                         "calibrate: --turn-angle, --gravity and --field are positive, gravity in m/s^2");
    }
    if (isfinite(o->latitude) && !(fabs(o->latitude) <= 90)) {
        return marl_fail(error, MARL_ERR_USE, "--latitude is from -90 to 90 degrees");
    }
    if (o->hemisphere != NULL && strcmp(o->hemisphere, "north") != 0 && strcmp(o->hemisphere, "south") != 0) {
        return marl_fail(error, MARL_ERR_USE, "--hemisphere is north or south, and not '%s'", o->hemisphere);
    }
    return MARL_OK;
}

static marl_status load(options *o, const cli *c, marl_session *session, marl_error *error)
{
    marl_session_options *to = &session->options;
    MARL_TRY(check_options(o, session, error));
    MARL_TRY(cli_reading_prepare(&o->reading, 1, error));
    MARL_TRY(o->up != NULL ? read_up(o->up, &to->up, error) : MARL_OK);
    to->turn_angle = o->turn_angle * MARL_DEGREE;
    to->gravity = o->gravity;
    to->field = o->field > 0 ? o->field : NAN;
    to->quick = o->quick;
    to->latitude = o->latitude * MARL_DEGREE;
    to->hemisphere = o->hemisphere == NULL ? 0 : strcmp(o->hemisphere, "north") == 0 ? 1 : -1;
    for (int i = 1; i < c->files; i++) {
        MARL_TRY(marl_session_add_log(session, c->file[i], &o->reading.options, error));
    }
    if (o->into != NULL) {
        cli_lock_until_exit(o->into);
    }
    return marl_session_start_record(session, o->into, error);
}

/* There is nothing to fit. A log without samples is too little data, and --json reports it as any other
 * refusal. */
static int refuse(const cli *c, const marl_session *session, const marl_error *error)
{
    if (c->json && error->status == MARL_ERR_INSUFFICIENT) {
        (void)cli_calibrated_json(session);
    }
    return cli_exit(error);
}

/* What cannot be drawn takes nothing from what was calibrated. */
static void draw(const options *o, const marl_session *session, marl_error *drawing)
{
    marl_error page = {0};
    if (o->figure != NULL) {
        (void)!marl_figure_draw_session(session, o->figure, drawing);
    }
    if (o->page != NULL && cli_calibrated_page(session, o->page, &page) != MARL_OK &&
        drawing->status == MARL_OK) {
        *drawing = page;
    }
}

/* Shows the result, accepted or not, and writes it when it was accepted. */
static int finish(const cli *c, const options *o, marl_session *session, marl_error *error)
{
    const marl_calibrated *r = session->outcome;
    const char *target = o->out != NULL ? o->out : o->into;
    int code = CLI_DONE, written = 0;
    marl_error drawing = {0};
    if (r->accepted && target != NULL) {
        written = marl_calibration_write(&session->record, target, error) == MARL_OK;
    }
    int reported =
        !r->accepted || error->status == MARL_OK; /* a result that could not be written is not shown */
    if (r->fit.present && reported) {
        draw(o, session, &drawing);
    }
    if (c->json && reported) {
        code = cli_calibrated_json(session);
    } else if (!c->quiet && r->fit.present) {
        code = cli_calibrated_table(session, written ? target : NULL, target);
    }
    if (error->status != MARL_OK) {
        code = cli_exit(error);
        if (!r->accepted && r->next[0] != '\0') {
            cli_message("next: %s", r->next);
        }
    } else if (drawing.status != MARL_OK) {
        code = cli_exit(&drawing);
    }
    return code;
}

static int calibrate(const cli *c, options *o, marl_session *session)
{
    marl_error error = {0};
    if (load(o, c, session, &error) != MARL_OK) {
        return refuse(c, session, &error);
    }
    marl_status status = marl_session_fit(session, &error);
    if (!c->quiet) {
        cli_print_warnings(&session->warnings);
    }
    if (status == MARL_ERR_SYSTEM || status == MARL_ERR_INPUT) {
        return cli_exit(&error);
    }
    return finish(c, o, session, &error);
}

static int find_recording(const char *name, marl_recording *recording)
{
    char known[80] = "", meant[80] = "";
    marl_nearest_word nearest = {.given = name};
    for (int i = 0; i < MARL_RECORDING_COUNT; i++) {
        *recording = (marl_recording)i;
        if (strcmp(name, marl_recording_name(*recording)) == 0) {
            return 1;
        }
        marl_list_append(known, sizeof known, marl_recording_name(*recording));
        marl_nearest(&nearest, marl_recording_name(*recording));
    }
    cli_meant(&nearest, meant, sizeof meant);
    cli_message("calibrate: unknown recording '%s'%s; known: %s", name, meant, known);
    return 0;
}

static int run(const cli *c, options *o)
{
    marl_recording recording;
    if (!find_recording(c->file[0], &recording)) {
        return CLI_WRONG_USE;
    }
    marl_session *session = marl_session_create(recording);
    if (session == NULL) {
        cli_message("no memory");
        return CLI_MACHINE;
    }
    int code = calibrate(c, o, session);
    marl_session_free(session);
    return code;
}

int cli_calibrate(int argc, const char **argv)
{
    options o = {.turn_angle = 360, .gravity = MARL_STANDARD_GRAVITY, .latitude = NAN};
    cli c;
    const struct poptOption table[] = {
        {"into", '\0', POPT_ARG_STRING, &o.into, CLI_UPDATES,
         "put the result into this calibration, keep its other sensors", "CAL"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_UPDATES, "write here (default: the file of --into)", "CAL"},
        {"turn-angle", '\0', POPT_ARG_DOUBLE, &o.turn_angle, 0, "turns: the angle of each (default 360)",
         "DEG"},
        {"gravity", '\0', POPT_ARG_DOUBLE, &o.gravity, 0, "poses: local gravity, m/s^2 (default 9.80665)",
         "G"},
        {"field", '\0', POPT_ARG_DOUBLE, &o.field, 0,
         "tumble: strength of the Earth's field there (default: as found)", "UT"},
        {"hemisphere", '\0', POPT_ARG_STRING, &o.hemisphere, 0,
         "axes: north or south (default north, with a message)", "H"},
        {"up", '\0', POPT_ARG_STRING, &o.up, 0,
         "axes: what points up in the first still pose, x y z -x -y -z (default: accelerometer right)",
         "AXIS"},
        {"latitude", '\0', POPT_ARG_DOUBLE, &o.latitude, 0,
         "still: subtracts the Earth's rate; north is positive (default: it stays in the bias)", "DEG"},
        {"quick", '\0', POPT_ARG_NONE, &o.quick, 0, "tumble: midpoint of the extremes, a rough first result",
         NULL},
        {"figure", '\0', POPT_ARG_STRING, &o.figure, CLI_WRITES,
         "what was fitted, and how well: .png, .svg or .gp", "FILE"},
        {"report", '\0', POPT_ARG_STRING, &o.page, CLI_WRITES,
         "write a page to look at: numbers, points on the sphere, what is left", "PAGE.html"},
        CLI_READING_OPTIONS(o.reading),
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "still|turns|poses|tumble|soak|axes|moves LOG...",
        CLI_NO_FILE,
        2,
        64,
        "still   the gyroscope's bias, from a recording in which nobody touches the board: 60 s are good\n"
        "turns   the gyroscope's bias and scale, from turns through a known angle with rest between,\n"
        "        both ways about each axis\n"
        "poses   the accelerometer's bias and scale from six faces, its misalignment too from twelve\n"
        "        attitudes and more; they are found in one recording: lay it down, let go for three\n"
        "        seconds, go on\n"
        "tumble  the magnetometer's hard and soft iron, field strength and dip, from turning it to all\n"
        "        sides\n"
        "soak    bias over temperature of gyroscope and accelerometer, from a recording at rest, cold\n"
        "        to warm\n"
        "axes    which way the gyroscope's and the magnetometer's axes stand to the accelerometer's,\n"
        "        from a tumble\n"
        "moves   the gyroscope's bias, scale and misalignment, from a recording of poses or any\n"
        "        handling with rests; the accelerometer of --into is the reference\n"
        "Several logs of the same kind count as one recording.\n"
        "Every number comes with its standard error. A recording that does not bear it out is shown,\n"
        "with what to record next; then nothing is written and the exit code is 4.",
        "calibrate still data/demo/still.csv --into pod-07.json"};
    int code = cli_open(&c, argc, argv, table, &usage);
    code = code == CLI_GO ? run(&c, &o) : code;
    cli_close(&c);
    return code;
}
