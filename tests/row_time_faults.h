/* SPDX-License-Identifier: MIT
 * What stands in the place of the times of rows that a board took at an even rate. */
#ifndef ROW_TIME_FAULTS_H
#define ROW_TIME_FAULTS_H

#include "random_values.h"
#include <math.h>
#include <stdint.h>

typedef enum time_fault {
    TIME_IS_TRUE,
    TIME_SCATTERS,     /* 2 ms rms, as of a busy host */
    TIME_OF_RECEPTION, /* late by 5 ms in the mean, exponentially */
    TIME_OF_PACKET,    /* of eight rows, when the last one is there */
    TIME_OF_TICK,      /* of a clock that counts in 1/64 s */
    TIME_FAULTS
} time_fault;

/* Of row i, taken at t_ns, behind one with the time last_ns. */
static inline int64_t faulty_time(time_fault fault, size_t i, int64_t t_ns, int64_t step_ns, int64_t last_ns,
                                  dice *d)
{
    const int64_t tick_ns = 15625000;
    int64_t late = fault == TIME_SCATTERS       ? (int64_t)(2e6 * dice_normal(d))
                   : fault == TIME_OF_RECEPTION ? (int64_t)(-5e6 * log(1 - dice_between(d, 0, 1)))
                   : fault == TIME_OF_PACKET    ? (int64_t)(7 - i % 8) * step_ns
                   : fault == TIME_OF_TICK      ? -(t_ns % tick_ns)
                                                : 0;
    return i > 0 && t_ns + late <= last_ns ? last_ns + 1 : t_ns + late;
}

#endif
