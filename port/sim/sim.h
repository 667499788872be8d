/* SPDX-License-Identifier: MIT
 * What the files of the simulated board share. */
#ifndef SIM_H
#define SIM_H

#include "lab/maths/random.h"
#include "lab/simulate/sensor_model.h"
#include "marlinspike/sim.h"

enum { SIM_LINE_CAPACITY = 1 << 18, SIM_REGISTERS = 512, SIM_FRAMES = 512 };

/* A log that is played begins when the firmware has started. */
#define SIM_LOG_BEGINS_S 0.1

/* One sensor of a chip: takes readings by the chip's own clock. */
typedef struct sim_sensor {
    int running;
    uint8_t range, rate, filter; /* choices, as the registers say */
    double rate_hz;              /* by true time */
    double started_s;            /* when the chip's oscillator began */
    uint64_t readings;           /* taken since then, one a period */
    size_t row;                  /* of the log, next */
    double ready_s;              /* when the next one is ready */
    int32_t held;                /* count of the stuck axis */
    int is_held;
    int waiting; /* the ready bit: a reading has not been read */
    lab_sensor_model model;
} sim_sensor;

/* Frames that wait, oldest first; what is older than the depth of the chip's FIFO is lost. */
typedef struct sim_fifo {
    uint8_t bytes[SIM_FRAMES][MARL_CHIP_MAX_BURST];
    double ready_s[SIM_FRAMES];
    uint16_t start, n;
} sim_fifo;

typedef struct sim_chip {
    const marl_part *part;
    uint8_t reg[SIM_REGISTERS + 1]; /* byte by byte; two a register where these are wide */
    double on_s;                    /* when it got power */
    int dipped;
    double edge_s; /* last edge of the data-ready line that nobody asked for; infinity: none */
    sim_fifo fifo;
    sim_sensor sensor[MARL_SENSOR_COUNT];
} sim_chip;

/* Bytes on their way, oldest at `begin`. */
typedef struct sim_queue {
    uint8_t *bytes;
    size_t capacity, start, n;
} sim_queue;

struct marl_sim {
    marl_sim_config config;
    marl_port port;
    marl_scene scene;
    double now_s, motion_s;
    marl_motion motion; /* at motion_s */
    double wall_s;      /* wall clock at now_s = 0 */
    int powered, cut_done;
    double off_s;   /* when the power went */
    double power_s; /* when it came back last: there the clock begins at 0 */
    sim_chip chip[MARL_BOARD_MAX_PARTS];
    lab_random random; /* of the faults */
    sim_queue out, in;
    double sent_s; /* when the line will have sent what it took */
    uint8_t flash[MARL_SIM_FLASH_SIZE];
    unsigned long flash_left; /* erases and writes until the power is cut */
    marl_sim_counts counts;
    marl_app_config app_config;
    marl_app_renewal renewal;
    uint8_t pressed, lamp; /* marl_renewal_kind, marl_renewal_stage */
    marl_app app;
};

/* Chips. `power` clears the registers; `written` follows a change of them; `advance` takes what readings have
 * become ready; `read_done` clears the ready bits of what stood in the registers read. */
void lab_sim_chip_power(marl_sim *sim, sim_chip *chip);
void lab_sim_chip_written(marl_sim *sim, sim_chip *chip);
void lab_sim_chip_advance(marl_sim *sim, sim_chip *chip);
void lab_sim_chip_read_done(sim_chip *chip, uint8_t reg, size_t n);
/* FIFO: `add` puts a reading that was taken at ready_s into its frame; `take` gives bytes of the oldest frames out;
 * `show` brings the count up to date. */
void lab_sim_fifo_add(marl_sim *sim, sim_chip *chip, unsigned which, double ready_s);
void lab_sim_fifo_take(sim_chip *chip, uint8_t *bytes, size_t n);
void lab_sim_fifo_show(sim_chip *chip);
/* Where a register stands in chip->reg. */
size_t lab_sim_at(const sim_chip *chip, uint8_t reg);
/* Bits of a register, read and changed. */
unsigned lab_sim_bits(const sim_chip *chip, const marl_chip_bits *bits);
void lab_sim_put_bits(sim_chip *chip, const marl_chip_bits *bits, unsigned value);
/* When a row of the log that is played happens. */
double lab_sim_row_time(const marl_log *log, size_t row);

/* Members of the port. */
marl_status lab_sim_bus_read(void *context, marl_place at, uint8_t reg, uint8_t *bytes, size_t n);
marl_status lab_sim_bus_write(void *context, marl_place at, uint8_t reg, const uint8_t *bytes, size_t n);
marl_status lab_sim_data_ready(void *context, marl_place at, int64_t *t_ns);
marl_status lab_sim_nv_read(void *context, uint32_t at, uint8_t *bytes, size_t n);
marl_status lab_sim_nv_erase(void *context, uint32_t at);
marl_status lab_sim_nv_write(void *context, uint32_t at, const uint8_t *bytes, size_t n);
marl_status lab_sim_bytes_out(void *context, const uint8_t *bytes, size_t n, size_t *accepted);
marl_status lab_sim_bytes_in(void *context, uint8_t *bytes, size_t n, size_t *got);

/* True time goes on; the power may go with it. */
void lab_sim_pass(marl_sim *sim, double seconds);
void lab_sim_power_off(marl_sim *sim);
/* The true motion of now or of any other time. */
const marl_motion *lab_sim_motion(marl_sim *sim, double t);
int lab_sim_chance(marl_sim *sim, double share);

#endif
