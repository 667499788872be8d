/* SPDX-License-Identifier: MIT
 * Serial lines. The usual order of calls:
 *
 *   marl_serial_open(&serial, "/dev/ttyACM0", MARL_SERIAL_BAUD);
 *   marl_serial_read(serial, bytes, n, timeout_ms, &got);
 *   marl_serial_close(serial); */
#ifndef MARLINSPIKE_POSIX_H
#define MARLINSPIKE_POSIX_H

#include "marlinspike/status.h"
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- port posix ---- */

/* Serial lines on POSIX systems: raw bytes, no echo, no translation. Pseudo-terminals are taken as well. */

typedef struct marl_serial marl_serial;

#define MARL_SERIAL_BAUD 115200 /* where none is given */

/* MARL_ERR_ARGUMENT: this system has no such baud rate. MARL_ERR_SYSTEM: see errno (ENOTTY: no serial line).
 */
MARL_CHECKED marl_status marl_serial_open(marl_serial **serial, const char *device, long baud);
void marl_serial_close(marl_serial *serial); /* NULL is allowed */

/* Waits until something has come in, at most timeout_ms; *got may be 0 then, or when a signal came. MARL_END
 * when the line is gone (unplugged, or the other end of a pseudo-terminal closed). */
MARL_CHECKED marl_status marl_serial_read(marl_serial *serial, uint8_t *bytes, size_t n, int timeout_ms,
                                          size_t *got);
/* Writes all, waits at most timeout_ms. MARL_END when the line is gone, MARL_ERR_BUS_LATE when it accepts
 * nothing. */
MARL_CHECKED marl_status marl_serial_write(marl_serial *serial, const uint8_t *bytes, size_t n,
                                           int timeout_ms);

/* The baud rates there are, as "9600, 19200, ...". */
const char *marl_serial_bauds(void);

#ifdef __cplusplus
}
#endif
#endif
