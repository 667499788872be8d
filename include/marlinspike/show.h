/* SPDX-License-Identifier: MIT
 * The show layer: figures. */
#ifndef MARLINSPIKE_SHOW_H
#define MARLINSPIKE_SHOW_H

#include "marlinspike/figure.h"
#include "marlinspike/lab.h"

#endif
