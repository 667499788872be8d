/* SPDX-License-Identifier: MIT
 * The simulated board. The usual order of calls:
 *
 *   marl_sim_create(&sim, &config, &error);
 *   marl_sim_start(sim, &app_config, &error);
 *   marl_sim_step(sim, &error);                until MARL_END
 *   marl_sim_receive(sim, bytes, n);           what the board sent
 *   marl_sim_free(sim); */
#ifndef MARLINSPIKE_SIM_H
#define MARLINSPIKE_SIM_H

#include "marlinspike/app.h"
#include "marlinspike/files.h"
#include "marlinspike/log.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- port sim ---- */

/* The simulated board: chips behind registers, a bus, flash and a serial line behind the port, with a
 * scene or a recorded log as the world around them, and faults on demand. The firmware on it is the
 * application that runs on a real board. Time is virtual, so that an hour takes seconds, or keeps pace
 * with the wall clock. */

/* Faults. Shares lie in [0, 1]; times are seconds since power-on, NaN = never. */
typedef struct marl_sim_faults {
    double late;      /* share of transfers to which a chip responds too late */
    double silent;    /* share of transfers without a response */
    double garbage;   /* share of transfers that read random bytes */
    double drop;      /* share of readings that a chip leaves out */
    double stuck_s;   /* from then on the first axis of every gyroscope keeps its value */
    double jitter_us; /* a reading is ready by up to so much later than it was taken, evenly spread */
    double clock_ppm; /* how much faster the chips' own clock runs than the port's */
    double dip_s;     /* the chips lose power for a moment and forget their settings */
    double cut_s;     /* the whole board loses power for half a second */
    double wrap_s;    /* the port's clock counts 32 bits of microseconds and wraps then */
    double lose;      /* share of bytes on the line that are lost */
    double noise;     /* share of bytes on the line with a bit turned */
    double unplug_s;  /* the line ends */
} marl_sim_faults;

marl_sim_faults marl_sim_faults_none(void);
/* Takes "late=0.01,unplug=3": names as above without their units. MARL_ERR_USE names what is wrong. */
MARL_CHECKED marl_status marl_sim_faults_parse(marl_sim_faults *faults, const char *text, marl_error *error);

typedef struct marl_sim_config {
    marl_scene_kind scene;
    const marl_log *log;     /* played through the chips in place of the scene; NULL = the scene */
    const marl_sheet *sheet; /* errors and noise of the sensors; unused with a log. Range, resolution, rate
                                and low-pass are those set in the chips */
    uint64_t seed;
    const marl_part *part; /* what is soldered on, with its settings; the caller's */
    uint8_t parts;
    marl_sim_faults faults;
    double baud;   /* of the line, ten bits a byte; 0 = without limit */
    int real_pace; /* 1: keeps pace with the wall clock */
} marl_sim_config;

/* A chip at a place, set to the least full scale and rate that hold the values of the sheet (rate_hz other
 * than 0 replaces its rates; the magnetometer is never faster than the sheet has it) and to its low-pass.
 * */
marl_part marl_sim_part(const marl_chip *chip, marl_place at, const marl_sheet *sheet, double rate_hz);
/* What a log asks of the chips that play it: rates and full scales. */
marl_sheet marl_sim_sheet_of_log(const marl_log *log);

/* What happened, to be compared with what the other end reports. */
typedef struct marl_sim_counts {
    uint64_t readings;    /* that the chips made, each sensor for itself */
    uint64_t overwritten; /* of these, never read */
    uint64_t dropped;     /* readings left out on demand */
    uint64_t transfers, failed_transfers, garbled_transfers;
    uint64_t bytes, bytes_lost, bytes_spoilt; /* board to host */
    uint32_t starts;                          /* of the firmware */
} marl_sim_counts;

typedef struct marl_sim marl_sim;

MARL_CHECKED marl_status marl_sim_create(marl_sim **sim, const marl_sim_config *config, marl_error *error);
void marl_sim_free(marl_sim *sim); /* NULL is allowed */

/* The board's port, for firmware of one's own. While the power is cut every call gives MARL_ERR_SYSTEM. */
const marl_port *marl_sim_port(marl_sim *sim);

/* The application as firmware: start, then one pass of its loop at a time with the sleep behind it. After
 * a power cut it restarts by itself. MARL_END when log, power or line have come to their end. */
MARL_CHECKED marl_status marl_sim_start(marl_sim *sim, const marl_app_config *config, marl_error *error);
MARL_CHECKED marl_status marl_sim_step(marl_sim *sim, marl_error *error);
const marl_app *marl_sim_app(const marl_sim *sim);

/* The host's end of the line. `take` gives what the board sent, at most n bytes. */
size_t marl_sim_receive(marl_sim *sim, uint8_t *bytes, size_t n);
void marl_sim_give(marl_sim *sim, const uint8_t *bytes, size_t n);
/* Its button is pressed: the next step begins that calibration; and what its lamp shows. */
void marl_sim_press(marl_sim *sim, marl_renewal_kind kind);
marl_renewal_stage marl_sim_lamp(const marl_sim *sim);
int marl_sim_unplugged(const marl_sim *sim);

double marl_sim_seconds(const marl_sim *sim); /* since power-on, by the board's true time */
const marl_sim_counts *marl_sim_counted(const marl_sim *sim);

/* The flash: 16 KiB in sectors of 2 KiB and units of 8 bytes; direct access, to save or corrupt it. */
enum { MARL_SIM_FLASH_SIZE = 16384, MARL_SIM_FLASH_SECTOR = 2048, MARL_SIM_FLASH_UNIT = 8 };
uint8_t *marl_sim_flash(marl_sim *sim);
/* The power is cut in the middle of the n-th erase or write from now on; 0 = never. What was being erased or
 * written is then partly so. Power comes back with marl_sim_power_on. */
void marl_sim_cut_flash(marl_sim *sim, unsigned long n);
void marl_sim_power_on(marl_sim *sim);

#ifdef __cplusplus
}
#endif
#endif
