/* SPDX-License-Identifier: MIT
 * The ports that ship with the library for the desk: the simulated board, and serial lines. */
#ifndef MARLINSPIKE_PORTS_H
#define MARLINSPIKE_PORTS_H

#include "marlinspike/port_posix.h"
#include "marlinspike/port_sim.h"

#endif
