/* SPDX-License-Identifier: MIT
 * The show layer: figures and the report page. */
#ifndef MARLINSPIKE_SHOW_H
#define MARLINSPIKE_SHOW_H

#include "marlinspike/figure.h"
#include "marlinspike/lab.h"
#include "marlinspike/page.h"

#endif
