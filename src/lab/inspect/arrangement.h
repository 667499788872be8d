/* SPDX-License-Identifier: MIT
 * All arrangements of a sensor's axes. */
#ifndef LAB_ARRANGEMENT_H
#define LAB_ARRANGEMENT_H

#include "marlinspike/inspect.h"

enum { LAB_ARRANGEMENTS = 48 };

/* Number 0 to 47; 0 to 23 and 24 to 47 are each other's opposites. */
marl_arrangement lab_arrangement(int number);

#endif
