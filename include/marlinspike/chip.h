/* SPDX-License-Identifier: MIT
 * Chips as tables, and a board of them. The usual order of calls:
 *
 *   marl_board_init(&board, &port, parts, n, &what);     checks the tables
 *   marl_board_start(&board);                            finds and configures the chips
 *   marl_board_read(&board, &sample);                    until MARL_ERR_NOT_READY
 *   marl_board_rest(&board, &us);                        how long the firmware may sleep */
#ifndef MARLINSPIKE_CHIP_H
#define MARLINSPIKE_CHIP_H

#include "marlinspike/port.h"
#include "marlinspike/sample.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- chip ---- */

/* Sensor chips as tables. A table holds where a chip keeps its identity, settings and readings and what
 * its counts mean, as in its data sheet; one driver serves them all through the port. Tables can be read
 * from JSON (marl_chip_read_file) or stand in flash like that of the Grommet. */

enum {
    MARL_CHIP_MAX_BURST = 64, /* bytes */
    MARL_BUS_TRIES = 3        /* a transfer that fails is tried so often */
};

/* Bits of a register; mask 0 = there are none. */
typedef struct marl_chip_bits {
    uint8_t reg;
    uint16_t mask; /* the high byte only where registers are wide */
} marl_chip_bits;

/* What the bits of a number mean. */
typedef enum marl_chip_coding {
    MARL_TWOS_COMPLEMENT,
    MARL_UNSIGNED,
    MARL_SIGN_MAGNITUDE, /* the top bit is the sign, the others the magnitude; minus zero reads as zero */
    MARL_OFFSET_BINARY   /* unsigned, and the middle, 2^(bits - 1), is zero */
} marl_chip_coding;

/* How a number stands in consecutive bytes.
 *
 *   12 bits left-aligned, little-endian:   byte 0: 3 2 1 0 . . . .   byte 1: 11 10 9 8 7 6 5 4        */
typedef struct marl_chip_word {
    uint8_t bytes; /* 1 to 4 */
    uint8_t bits;  /* 2 to 8 * bytes, at most 31 of an unsigned number */
    uint8_t left_aligned, little_endian;
    uint8_t coding; /* MARL_TWOS_COMPLEMENT ... */
} marl_chip_word;

/* One value of a setting. `code` is the value of the masked bits, as if they began at bit 0. */
typedef struct marl_chip_choice {
    uint16_t code;
    float value;     /* full scale in SI (m/s^2, rad/s, uT), rate in Hz, or corner of the low-pass in Hz; a
                        corner of 0 = no low-pass */
    float per_count; /* SI per count; full scale only */
} marl_chip_choice;

typedef struct marl_chip_setting {
    marl_chip_bits at; /* mask 0: fixed, the one choice there is holds */
    uint8_t n;
    const marl_chip_choice *choice; /* n of them; settings may share a list */
} marl_chip_setting;

/* Registers whose value the chip adds to each reading (sign +1) or takes away (sign -1). They keep their own
 * scale whatever the full scale is. */
typedef struct marl_chip_offset {
    uint8_t present;
    uint8_t reg[3];
    marl_chip_word word;
    float per_count; /* SI per count */
    int8_t sign;
} marl_chip_offset;

typedef struct marl_chip_sensor {
    uint8_t present;
    uint8_t reg[3]; /* first register of x, y, z */
    int8_t sign[3]; /* -1 where the chip's axis points the other way, +1 elsewhere */
    marl_chip_word word;
    int32_t zero;         /* the count that means zero: a reading is (count - zero) * per_count */
    marl_chip_bits ready; /* set while a reading has not been read; mask 0: always taken as fresh */
    marl_chip_setting range, rate, filter; /* range and rate have at least one choice, filter may have none */
    marl_chip_offset offset;
} marl_chip_sensor;

typedef struct marl_chip_thermometer {
    uint8_t present;
    uint8_t reg;
    marl_chip_word word;
    float per_count; /* degC */
    float at_zero;   /* degC at count 0 */
} marl_chip_thermometer;

/* Readings that wait in the chip in frames, one of each sensor in it, so that the firmware can sleep. A frame is one
 * transfer from `data`, which does not count on. Sensors in it have one rate; the others are read by the burst, once a
 * fetching, and are not faster than that. */
typedef struct marl_chip_fifo {
    uint8_t present;
    uint8_t data;   /* register that gives frames out, oldest first */
    uint8_t bytes;  /* of a frame, at most MARL_CHIP_MAX_BURST */
    uint8_t holds;  /* MARL_FRESH_ACCEL, _GYRO, _MAG, _TEMP: what a frame holds */
    uint8_t at[4];  /* the byte of the frame where x of accel, gyro, mag, and temp, begin; y and z follow */
    uint16_t depth; /* frames that it takes */
    uint8_t count_reg; /* where the chip says how much waits ... */
    marl_chip_word count;
    uint8_t count_unit;      /* ... in units of so many bytes */
    marl_chip_bits overflow; /* set when frames were lost since it was last read; mask 0: not said */
} marl_chip_fifo;

typedef struct marl_chip_write {
    uint8_t reg;
    uint16_t value;
    uint8_t wait_ms; /* afterwards */
} marl_chip_write;

/* How much a register holds, and which byte of it goes over the bus first. */
typedef enum marl_chip_registers {
    MARL_REGISTERS_BYTE,       /* 8 bits */
    MARL_REGISTERS_HIGH_FIRST, /* 16 bits */
    MARL_REGISTERS_LOW_FIRST
} marl_chip_registers;

typedef struct marl_chip {
    char name[24];
    uint8_t registers;       /* MARL_REGISTERS_BYTE ... */
    marl_chip_bits identity; /* where ... */
    uint16_t identity_value; /* ... and what it reads */
    uint8_t start_ms;        /* after power-on it may be silent for so long */
    uint8_t setups;
    const marl_chip_write *setup; /* wakes the chip up */
    uint8_t burst_reg, burst_n;   /* one transfer that holds every ready bit and reading; where it holds the
                                   identity, too, each transfer is checked by it */
    marl_chip_bits zeros; /* bits in the burst that always read 0; they reveal garbage: of random bytes the
                             Grommet's identity and zeros let one burst in 4096 pass */
    marl_chip_sensor sensor[MARL_SENSOR_COUNT];
    marl_chip_thermometer temp;
    marl_chip_fifo fifo;
} marl_chip;

/* The made-up nine-axis Grommet; the same as data/chips/grommet.json. */
const marl_chip *marl_chip_grommet(void);

/* MARL_ERR_ARGUMENT when a table contradicts itself; *what (may be NULL) names the place, e.g.
 * "gyro.word.bits". */
MARL_CHECKED marl_status marl_chip_check(const marl_chip *chip, const char **what);

/* The range of a word: least and greatest count. */
void marl_chip_word_range(const marl_chip_word *word, int32_t *min, int32_t *max);
/* Between counts and bytes. A count outside the range is held at its end. */
int32_t marl_chip_word_get(const marl_chip_word *word, const uint8_t *bytes);
void marl_chip_word_put(const marl_chip_word *word, int32_t count, uint8_t *bytes);

/* The choice with the least value that is at least `wanted`, or the one with the greatest (of low-passes, 0
 * counts as the greatest). */
uint8_t marl_chip_choose(const marl_chip_setting *setting, float wanted);

/* A chip on a board. */
typedef struct marl_part {
    const marl_chip *chip;
    marl_place at;
    int8_t mount[3]; /* the body's axis i is the chip's axis |mount[i]| (1 = x), with its sign; a rotation.
                        All 0 = {1, 2, 3} */
    uint8_t use;     /* MARL_FRESH_ACCEL, _GYRO, _MAG, _TEMP: what is taken from it; 0 = all it has */
    uint8_t range[MARL_SENSOR_COUNT], rate[MARL_SENSOR_COUNT], filter[MARL_SENSOR_COUNT]; /* choices */
    uint8_t
        ready_line; /* its data-ready line is wired: readings get the stamp of its edge, from port->data_ready */
    uint8_t batch; /* frames of the FIFO that a board lets gather before it fetches them; 0 = 1 */
} marl_part;

/* MARL_ERR_ARGUMENT when the table, the mounting or a choice is invalid. */
MARL_CHECKED marl_status marl_part_check(const marl_part *part, const char **what);

/* Identifies and configures a chip, reads every setting back. Lasts as long as the waits of its setup and
 * the transfers, and with `wait` start_ms at most when it is silent at first, as after power-on.
 * MARL_ERR_BUS_SILENT, _LATE, _GARBAGE: the last of MARL_BUS_TRIES; what came back was not what was
 * written, or two readings differ. MARL_ERR_IDENTITY: another chip; *identity (may be NULL) is what it
 * reports. */
MARL_CHECKED marl_status marl_part_start(const marl_port *port, const marl_part *part, int wait,
                                         uint16_t *identity);

/* One burst: the fresh readings in SI, in the body's axes, stamped with the port's clock after the transfer; of sensors
 * in a FIFO none (marl_part_read_frame). MARL_ERR_NOT_READY when nothing is fresh, else as marl_part_start. */
MARL_CHECKED marl_status marl_part_read(const marl_port *port, const marl_part *part, marl_sample *sample);

/* Frames that wait in the FIFO. MARL_ERR_OVERFLOW: *frames is good, and others were lost since the last call; else as
 * marl_part_start, and *frames is 0. */
MARL_CHECKED marl_status marl_part_count_frames(const marl_port *port, const marl_part *part,
                                                uint16_t *frames);

/* The oldest frame, as marl_part_read but for the stamp, which stays 0: only who knows how many wait knows the time
 * (marl_board_read). Call it only when a frame waits. */
MARL_CHECKED marl_status marl_part_read_frame(const marl_port *port, const marl_part *part,
                                              marl_sample *sample);

/* The counts of the offset registers that take `bias` (SI, body axes) away from every reading, for the chip's x, y and
 * z, rounded and held in their range. *left is what they leave for software: the bias that still shows in the readings.
 * MARL_ERR_ARGUMENT when the chip has none or a bias is not finite. */
MARL_CHECKED marl_status marl_part_offset_counts(const marl_part *part, marl_sensor sensor, marl_vec3 bias,
                                                 int32_t counts[3], marl_vec3 *left);

/* Writes the registers that take `bias` (SI, body axes) away from every reading, rounded to their counts, and
 * reads them back. MARL_ERR_ARGUMENT when the chip has none or the bias does not fit; nothing is written. */
MARL_CHECKED marl_status marl_part_write_offset(const marl_port *port, const marl_part *part,
                                                marl_sensor sensor, marl_vec3 bias);

/* ---- board ---- */

/* A board: the list of its chips, read one after the other. A chip that fails is counted, reported and
 * started again when nothing fresh has come from it for a while: after a power dip it has forgotten its
 * settings. */

enum { MARL_BOARD_MAX_PARTS = 4 };

/* What went wrong with a part since the start. */
typedef struct marl_part_counts {
    uint32_t reads;  /* samples given out */
    uint32_t silent; /* transfers that failed, after all their tries */
    uint32_t late;
    uint32_t garbage; /* also another identity */
    uint32_t restarts;
    uint32_t overflows; /* times that a FIFO lost frames */
} marl_part_counts;

typedef struct marl_part_state {
    marl_part_counts counts;
    marl_status fault; /* MARL_OK, or why the last transfer failed */
    uint16_t identity; /* that the chip gave */
    uint8_t running;   /* configured */
    uint8_t timed;     /* frame_ns is the stamp of a frame */
    uint8_t burst_due; /* what is in no frame is to be read */
    uint16_t frames;   /* counted in the FIFO and not fetched yet */
    int32_t period_ns; /* of the frames, as measured */
    int32_t step_ns;   /* between the frames of this fetching */
    int64_t frame_ns;  /* stamp of the last frame */
    int64_t empty_ns;  /* when the FIFO was last seen empty */
    int64_t due_ns;    /* nothing fresh is to be expected before */
    int64_t fresh_ns;  /* when it last gave something, or was started */
} marl_part_state;

typedef struct marl_board {
    const marl_port *port;
    const marl_part *part; /* the caller's */
    uint8_t parts;
    uint8_t next;                       /* to be read */
    int64_t last_ns;                    /* stamp of the last sample given out */
    marl_vec3 taken[MARL_SENSOR_COUNT]; /* bias that offset registers take away, SI, body axes */
    uint8_t takes;                      /* MARL_FRESH_...: of these sensors */
    marl_part_state state[MARL_BOARD_MAX_PARTS];
} marl_board;

/* The caller keeps `part` for as long as the board. MARL_ERR_ARGUMENT when the port or a part is invalid, or frames are
 * to gather (`batch`) on a board of several chips, whose readings would then come out of order; *what (may be NULL)
 * names what. Nothing is sent yet. */
MARL_CHECKED marl_status marl_board_init(marl_board *board, const marl_port *port, const marl_part *part,
                                         uint8_t parts, const char **what);

/* Starts every chip; goes on after one that fails. Returns the first failure (see marl_part_start); which
 * part it was and why stands in board->state. */
MARL_CHECKED marl_status marl_board_start(marl_board *board);

/* 1 when every chip that gives this sensor has offset registers for it. */
int marl_board_has_offset(const marl_board *board, marl_sensor sensor);

/* What rounding would leave of a bias (SI, body axes) in the readings after marl_board_take_bias. Its errors, too. */
MARL_CHECKED marl_status marl_board_bias_left(const marl_board *board, marl_sensor sensor, marl_vec3 bias,
                                              marl_vec3 *left);

/* Makes the offset registers of every chip that gives this sensor take `bias` (SI, body axes) away from its readings, now
 * and after each start of the chip, which forgets them. Zero takes nothing away any more. MARL_ERR_ARGUMENT, and nothing is changed, when no chip gives the sensor, one has no such
 * registers or the bias does not fit; else as marl_part_write_offset: a chip that failed is then started again, and
 * written to. */
MARL_CHECKED marl_status marl_board_take_bias(marl_board *board, marl_sensor sensor, marl_vec3 bias);

/* The next fresh sample of any chip that is due, with its own stamp: of a burst the time after the transfer; of a chip
 * whose data-ready line is wired the time of its edge; of the frames of a FIFO times evenly between the last frame and
 * the newest, whose own time is known to a fiftieth of a period, or to one period where frames gather. MARL_ERR_NOT_READY when none has any;
 * another status when a part failed and no other had any. The caller may keep calling after any of these
 * statuses. */
MARL_CHECKED marl_status marl_board_read(marl_board *board, marl_sample *sample);

/* Time until the next reading can be ready, us; polling starts a tenth of a period early and repeats every
 * fiftieth. */
MARL_CHECKED marl_status marl_board_rest(const marl_board *board, uint32_t *us);

/* The shortest time between two readings of any sensor that is used, in us. */
uint32_t marl_board_period_us(const marl_board *board);

/* The sensors that are used: MARL_FRESH_... */
uint8_t marl_board_sensors(const marl_board *board);

#ifdef __cplusplus
}
#endif
#endif
