/* SPDX-License-Identifier: MIT
 * The lab layer: everything that runs on the desk. */
#ifndef MARLINSPIKE_LAB_H
#define MARLINSPIKE_LAB_H

#include "marlinspike/calibrate.h"
#include "marlinspike/compare.h"
#include "marlinspike/device.h"
#include "marlinspike/error.h"
#include "marlinspike/files.h"
#include "marlinspike/inspect.h"
#include "marlinspike/live.h"
#include "marlinspike/log.h"
#include "marlinspike/record.h"
#include "marlinspike/replay.h"
#include "marlinspike/search.h"
#include "marlinspike/simulate.h"
#include "marlinspike/smooth.h"
#include "marlinspike/trace.h"

#endif
