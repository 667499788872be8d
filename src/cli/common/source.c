/* SPDX-License-Identifier: MIT
 * Where a stream comes from. */
#include "cli/common/source.h"
#include <errno.h>
#include <math.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define FIRST_ADDRESS 0x2a
enum { WAIT_MS = 20, SIM_STEPS = 200 };

static marl_status open_serial(source *s, const char *text, marl_error *error)
{
    const char *at = strrchr(text, '@');
    char device[256];
    char *end = NULL;
    s->kind = SOURCE_SERIAL;
    s->baud = at != NULL ? strtol(at + 1, &end, 10) : MARL_SERIAL_BAUD;
    snprintf(device, sizeof device, "%.*s", (int)(at != NULL ? (size_t)(at - text) : strlen(text)), text);
    snprintf(s->name, sizeof s->name, "%s", device);
    if (end != NULL && *end != '\0') {
        s->baud = 0;
    }
    marl_status status = marl_serial_open(&s->serial, device, s->baud);
    if (status == MARL_ERR_ARGUMENT) {
        return marl_fail(error, MARL_ERR_USE, "%s: unknown baud rate '%s'; known: %s", device,
                         at != NULL ? at + 1 : "", marl_serial_bauds());
    }
    if (status != MARL_OK) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: %s", device,
                         errno == ENOTTY ? "is no serial line" : strerror(errno));
    }
    return MARL_OK;
}

/* The chips of the simulated board, one address behind the other. */
static marl_status fit_chips(source *s, const source_options *o, const marl_sheet *sheet, uint8_t *parts,
                             marl_error *error)
{
    *parts = 0;
    for (char **path = o->chips; path != NULL && *path != NULL; path++) {
        if (*parts == MARL_BOARD_MAX_PARTS) {
            return marl_fail(error, MARL_ERR_USE, "--chip: a board has at most %d chips",
                             MARL_BOARD_MAX_PARTS);
        }
        MARL_TRY(marl_chip_read_file(&s->chip[*parts], *path, error));
        ++*parts;
    }
    if (*parts == 0) {
        s->chip[(*parts)++].chip = *marl_chip_grommet();
    }
    for (uint8_t i = 0; i < *parts; i++) {
        marl_place at = {.bus = 0, .address = (uint8_t)(FIRST_ADDRESS + i)};
        s->part[i] = marl_sim_part(&s->chip[i].chip, at, sheet, o->rate);
    }
    return MARL_OK;
}

static marl_status load_flash(source *s, marl_error *error)
{
    FILE *f = s->flash != NULL ? fopen(s->flash, "rb") : NULL;
    if (f == NULL) {
        return MARL_OK; /* a new board: its memory is erased */
    }
    size_t n = fread(marl_sim_flash(s->sim), 1, MARL_SIM_FLASH_SIZE, f);
    int more = fgetc(f) != EOF;
    fclose(f);
    return n == MARL_SIM_FLASH_SIZE && !more
               ? MARL_OK
               : marl_fail(error, MARL_ERR_INPUT, "%s: not the memory of a simulated board: wanted %d bytes",
                           s->flash, MARL_SIM_FLASH_SIZE);
}

static marl_status open_sim(source *s, const source_options *o, marl_sim_config *config, marl_error *error)
{
    marl_app_config app = {.device = o->device,
                           .firmware = marl_version(),
                           .silent = (uint8_t)o->silent,
                           .choice = marl_choose_any};
    s->kind = SOURCE_SIM;
    config->seed = (uint64_t)o->seed;
    config->faults = marl_sim_faults_none();
    config->part = s->part;
    MARL_TRY(fit_chips(s, o, config->sheet, &config->parts, error));
    if (o->faults != NULL) {
        MARL_TRY(marl_sim_faults_parse(&config->faults, o->faults, error));
    }
    MARL_TRY(marl_sim_create(&s->sim, config, error));
    s->flash = o->flash;
    MARL_TRY(load_flash(s, error));
    return marl_sim_start(s->sim, &app, error);
}

static marl_status open_scene(source *s, const source_options *o, const char *scene, marl_error *error)
{
    marl_sim_config config = {.sheet = &s->sheet};
    snprintf(s->name, sizeof s->name, "sim:%.200s", scene);
    s->sheet = o->reading != NULL && o->reading->options.sheet != NULL ? *o->reading->options.sheet
                                                                       : marl_sheet_grommet();
    if (marl_scene_from_name(scene, &config.scene) != MARL_OK) {
        return cli_unknown_scene(scene, error);
    }
    s->max_s = marl_scene_seconds(config.scene);
    return open_sim(s, o, &config, error);
}

static marl_status open_log(source *s, const source_options *o, const char *path, marl_error *error)
{
    marl_sim_config config = {.sheet = &s->sheet, .log = &s->log};
    source_options of_log = *o;
    snprintf(s->name, sizeof s->name, "%.299s", path);
    s->max_s = INFINITY;
    MARL_TRY(marl_log_load(&s->log, path, o->reading != NULL ? &o->reading->options : NULL, error));
    s->sheet = marl_sim_sheet_of_log(&s->log);
    if (o->device[0] == '\0') {
        of_log.device = s->log.info.device[0] ? s->log.info.device : "sim";
    }
    return open_sim(s, &of_log, &config, error);
}

marl_status source_open(source *s, const source_options *o, marl_error *error)
{
    source_options of_sim = *o;
    memset(s, 0, sizeof *s);
    if (o->device == NULL) {
        of_sim.device = "pod-07";
    }
    if (strcmp(o->from, "-") == 0) {
        s->kind = SOURCE_STDIN;
        snprintf(s->name, sizeof s->name, "standard input");
        return MARL_OK;
    }
    if (strncmp(o->from, "serial:", 7) == 0) {
        return open_serial(s, o->from + 7, error);
    }
    if (strncmp(o->from, "log:", 4) == 0) {
        of_sim.device = o->device != NULL ? o->device : "";
        return open_log(s, &of_sim, o->from + 4, error);
    }
    if (strcmp(o->from, "sim") == 0 || strncmp(o->from, "sim:", 4) == 0) {
        return open_scene(s, &of_sim, o->from[3] == ':' ? o->from + 4 : "still", error);
    }
    return marl_fail(error, MARL_ERR_USE,
                     "'%s' is no source; known: sim:SCENE, log:FILE, serial:DEVICE[@BAUD], -", o->from);
}

/* Lets the board work until something has come. */
static marl_status read_sim(source *s, uint8_t *bytes, size_t n, size_t *got, marl_error *error)
{
    marl_status status = MARL_OK;
    for (int i = 0; i < SIM_STEPS && *got == 0 && status == MARL_OK; i++) {
        status = marl_sim_step(s->sim, error);
        *got = marl_sim_receive(s->sim, bytes, n);
    }
    return *got > 0 ? MARL_OK : status;
}

marl_status source_read(source *s, uint8_t *bytes, size_t n, size_t *got, marl_error *error)
{
    *got = 0;
    switch (s->kind) {
    case SOURCE_SIM:
        return read_sim(s, bytes, n, got, error);
    case SOURCE_SERIAL:
        return marl_serial_read(s->serial, bytes, n, WAIT_MS, got);
    default:
        break;
    }
    struct pollfd ready = {.fd = STDIN_FILENO, .events = POLLIN};
    if (poll(&ready, 1, WAIT_MS) == 0) {
        return MARL_OK;
    }
    ssize_t in = read(STDIN_FILENO, bytes, n);
    if (in < 0 && errno != EINTR) {
        return marl_fail(error, MARL_ERR_INPUT, "%s: cannot be read: %s", s->name, strerror(errno));
    }
    *got = in > 0 ? (size_t)in : 0;
    return in == 0 ? MARL_END : MARL_OK;
}

marl_status source_write(source *s, const uint8_t *bytes, size_t n, marl_error *error)
{
    if (s->kind == SOURCE_SIM) {
        marl_sim_give(s->sim, bytes, n);
        return MARL_OK;
    }
    if (s->kind == SOURCE_STDIN) {
        return MARL_OK; /* nobody listens there */
    }
    marl_status status = marl_serial_write(s->serial, bytes, n, 500);
    if (status == MARL_ERR_BUS_LATE) {
        return marl_fail(error, MARL_ERR_SYSTEM, "%s: accepts no bytes", s->name);
    }
    return status;
}

double source_seconds(const source *s)
{
    struct timespec t;
    if (s->kind == SOURCE_SIM) {
        return marl_sim_seconds(s->sim);
    }
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + 1e-9 * (double)t.tv_nsec;
}

marl_status source_keep(source *s, marl_error *error)
{
    marl_outfile *out;
    if (s->sim == NULL || s->flash == NULL) {
        return MARL_OK;
    }
    marl_status status = marl_outfile_open(&out, s->flash, error);
    if (status == MARL_OK) {
        marl_outfile_write(out, (const char *)marl_sim_flash(s->sim), MARL_SIM_FLASH_SIZE);
        status = marl_outfile_commit(out, error);
    }
    return status;
}

void source_close(source *s)
{
    marl_sim_free(s->sim);
    marl_serial_close(s->serial);
    marl_log_free(&s->log);
}
