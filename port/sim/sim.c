/* SPDX-License-Identifier: MIT
 * The simulated board: time, power, and the firmware on it. */
#include "sim.h"
#include "lab/maths/random.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#define OFF_S 0.5    /* how long a power cut lasts */
#define AHEAD_S 2e-3 /* at real pace the board runs ahead by so much at most */
#define WRAP_US 4294967296.0

int lab_sim_chance(marl_sim *sim, double share)
{
    return share > 0 && lab_random_uniform(&sim->random) < share;
}

const marl_motion *lab_sim_motion(marl_sim *sim, double t)
{
    if (t != sim->motion_s) {
        sim->motion = marl_scene_at(&sim->scene, t);
        sim->motion_s = t;
    }
    return &sim->motion;
}

void lab_sim_power_off(marl_sim *sim)
{
    sim->powered = 0;
    sim->off_s = sim->now_s;
}

void lab_sim_pass(marl_sim *sim, double seconds)
{
    sim->now_s += seconds;
    if (!sim->cut_done && sim->now_s >= sim->config.faults.cut_s) {
        sim->cut_done = 1;
        lab_sim_power_off(sim);
    }
}

static double wall_now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + 1e-9 * (double)t.tv_nsec;
}

/* Lets the wall clock catch up. When it has run ahead, because the machine was busy, simulated time catches
 * up; it does not depend on the host. */
static void keep_pace(const marl_sim *sim)
{
    double ahead = sim->now_s - (wall_now() - sim->wall_s);
    if (sim->config.real_pace && ahead > AHEAD_S) {
        struct timespec t = {.tv_sec = (time_t)ahead, .tv_nsec = (long)(1e9 * (ahead - floor(ahead)))};
        nanosleep(&t, NULL);
    }
}

static marl_status sim_clock(void *context, int64_t *t_ns)
{
    const marl_sim *sim = context;
    double since = sim->now_s - sim->power_s, wrap = sim->config.faults.wrap_s;
    *t_ns = (int64_t)(since * 1e9);
    if (!isnan(wrap)) {
        *t_ns = 1000 * (int64_t)fmod(since * 1e6 + WRAP_US - 1e6 * wrap, WRAP_US);
    }
    return sim->powered ? MARL_OK : MARL_ERR_SYSTEM;
}

static marl_status sim_sleep(void *context, uint32_t us)
{
    marl_sim *sim = context;
    lab_sim_pass(sim, 1e-6 * us);
    keep_pace(sim);
    return sim->powered ? MARL_OK : MARL_ERR_SYSTEM;
}

void marl_sim_power_on(marl_sim *sim)
{
    sim->powered = 1;
    sim->power_s = sim->now_s;
    for (int i = 0; i < sim->config.parts; i++) {
        lab_sim_chip_power(sim, &sim->chip[i]);
    }
}

static marl_status check(const marl_sim_config *config, marl_error *error)
{
    const char *what = "";
    if (config->parts < 1 || config->parts > MARL_BOARD_MAX_PARTS) {
        return marl_fail(error, MARL_ERR_USE, "a board has 1 to %d chips", MARL_BOARD_MAX_PARTS);
    }
    for (int i = 0; i < config->parts; i++) {
        const marl_part *a = &config->part[i];
        if (marl_part_check(a, &what) != MARL_OK) {
            return marl_fail(error, MARL_ERR_USE, "chip %s: %s cannot be so", a->chip->name, what);
        }
        for (int k = 0; k < i; k++) {
            const marl_part *b = &config->part[k];
            if (a->at.bus == b->at.bus && a->at.address == b->at.address) {
                return marl_fail(error, MARL_ERR_USE, "two chips at address 0x%02x of bus %d", a->at.address,
                                 a->at.bus);
            }
        }
    }
    return MARL_OK;
}

static uint8_t sim_button(void *context)
{
    marl_sim *sim = context;
    uint8_t pressed = sim->pressed;
    sim->pressed = 0;
    return pressed;
}

static void sim_lamp(void *context, uint8_t stage)
{
    ((marl_sim *)context)->lamp = stage;
}

static void fill_port(marl_sim *sim)
{
    sim->port = (marl_port){.context = sim,
                            .clock = sim_clock,
                            .sleep = sim_sleep,
                            .bus_read = lab_sim_bus_read,
                            .bus_write = lab_sim_bus_write,
                            .data_ready = lab_sim_data_ready,
                            .nv = {MARL_SIM_FLASH_SIZE, MARL_SIM_FLASH_SECTOR, MARL_SIM_FLASH_UNIT},
                            .nv_read = lab_sim_nv_read,
                            .nv_erase = lab_sim_nv_erase,
                            .nv_write = lab_sim_nv_write,
                            .bytes_out = lab_sim_bytes_out,
                            .bytes_in = lab_sim_bytes_in,
                            .button = sim_button,
                            .lamp = sim_lamp};
}

marl_status marl_sim_create(marl_sim **sim, const marl_sim_config *config, marl_error *error)
{
    *sim = NULL;
    if (check(config, error) != MARL_OK) {
        return error != NULL ? error->status : MARL_ERR_USE;
    }
    marl_sim *s = calloc(1, sizeof *s);
    if (s == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    s->config = *config;
    s->out = (sim_queue){.bytes = malloc(SIM_LINE_CAPACITY), .capacity = SIM_LINE_CAPACITY};
    s->in = (sim_queue){.bytes = malloc(SIM_LINE_CAPACITY), .capacity = SIM_LINE_CAPACITY};
    if (s->out.bytes == NULL || s->in.bytes == NULL) {
        marl_sim_free(s);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    memset(s->flash, 0xff, sizeof s->flash);
    s->scene = marl_scene_make(config->scene, config->seed);
    s->motion_s = NAN;
    s->random = lab_random_seeded(config->seed, 100);
    s->wall_s = wall_now();
    fill_port(s);
    for (int i = 0; i < config->parts; i++) {
        s->chip[i].part = &config->part[i];
    }
    marl_sim_power_on(s);
    *sim = s;
    return MARL_OK;
}

void marl_sim_free(marl_sim *sim)
{
    if (sim != NULL) {
        free(sim->out.bytes);
        free(sim->in.bytes);
        free(sim);
    }
}

const marl_port *marl_sim_port(marl_sim *sim)
{
    return &sim->port;
}

marl_status marl_sim_start(marl_sim *sim, const marl_app_config *config, marl_error *error)
{
    const char *what = "";
    sim->app_config = *config;
    sim->counts.starts++;
    if (config->renewal == NULL) {
        sim->app_config.renewal = &sim->renewal;
    }
    if (sim->app_config.renewal == &sim->renewal) {
        marl_app_renewal_init(&sim->renewal, MARL_APP_WATCHES_FIELD);
    }
    marl_status status =
        marl_app_start(&sim->app, &sim->port, sim->config.part, sim->config.parts, &sim->app_config, &what);
    if (status == MARL_ERR_ARGUMENT) {
        return marl_fail(error, MARL_ERR_USE, "the firmware cannot start: %s", what);
    }
    return sim->powered ? status : MARL_OK; /* the next step brings the power back */
}

/* Everything that the log holds has been taken. */
static int log_is_over(const marl_sim *sim)
{
    const marl_log *log = sim->config.log;
    return log != NULL && sim->now_s > lab_sim_row_time(log, log->n - 1) + 0.1;
}

marl_status marl_sim_step(marl_sim *sim, marl_error *error)
{
    uint32_t rest_us;
    if (!sim->powered) {
        lab_sim_pass(sim, OFF_S);
        marl_sim_power_on(sim);
        return marl_sim_start(sim, &sim->app_config, error);
    }
    if (log_is_over(sim) || marl_sim_unplugged(sim)) {
        return MARL_END;
    }
    marl_status status = marl_app_step(&sim->app, &rest_us);
    if (status == MARL_OK) {
        status = sim_sleep(sim, rest_us);
    }
    return sim->powered ? status : MARL_OK;
}

void marl_sim_press(marl_sim *sim, marl_renewal_kind kind)
{
    sim->pressed = (uint8_t)kind;
}

marl_renewal_stage marl_sim_lamp(const marl_sim *sim)
{
    return (marl_renewal_stage)sim->lamp;
}

const marl_app *marl_sim_app(const marl_sim *sim)
{
    return &sim->app;
}

double marl_sim_seconds(const marl_sim *sim)
{
    return sim->now_s;
}

const marl_sim_counts *marl_sim_counted(const marl_sim *sim)
{
    return &sim->counts;
}
