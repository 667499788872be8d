/* SPDX-License-Identifier: MIT
 * The device layer: everything that runs on the microcontroller. */
#ifndef MARLINSPIKE_DEVICE_H
#define MARLINSPIKE_DEVICE_H

#include "marlinspike/app.h"
#include "marlinspike/axis_filter.h"
#include "marlinspike/board.h"
#include "marlinspike/cbor.h"
#include "marlinspike/chip.h"
#include "marlinspike/correction.h"
#include "marlinspike/csv_line.h"
#include "marlinspike/digest.h"
#include "marlinspike/estimator.h"
#include "marlinspike/frame.h"
#include "marlinspike/packet.h"
#include "marlinspike/port.h"
#include "marlinspike/quat.h"
#include "marlinspike/root.h"
#include "marlinspike/sample.h"
#include "marlinspike/selftest.h"
#include "marlinspike/stats.h"
#include "marlinspike/status.h"
#include "marlinspike/still.h"
#include "marlinspike/store.h"
#include "marlinspike/telemetry.h"
#include "marlinspike/tuning.h"
#include "marlinspike/vec.h"

#endif
