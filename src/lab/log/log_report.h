/* SPDX-License-Identifier: MIT
 * What the readings of a log show while they are read. */
#ifndef LAB_LOG_REPORT_H
#define LAB_LOG_REPORT_H

#include "marlinspike/log.h"

/* Of one sensor, in the block of readings at hand. */
typedef struct lab_repeats_block {
    marl_vec3 last;
    unsigned n, all, some; /* readings; of them, equal to the one before in all axes, in one or two */
    unsigned of_axis[3];
} lab_repeats_block;

typedef struct lab_repeats {
    lab_repeats_block of[3]; /* accelerometer, gyroscope, magnetometer */
    unsigned begun;          /* bit 1 << sensor: `last` holds a reading */
} lab_repeats;

/* No reading yet; the rest of the report is 0. */
void lab_report_init(marl_log_report *report);
/* The fresh readings of a sample, into the report's ranges and repeats. */
void lab_report_readings(lab_repeats *repeats, const marl_sample *sample, marl_log_report *report);

/* Sets in of_row, which is for log->n rows, the MARL_FRESH_... of readings that repeat the one before, of sensors that are held
 * (marl_log_is_held). */
void lab_held_find(const marl_log *log, uint8_t *of_row);

#endif
