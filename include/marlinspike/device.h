/* SPDX-License-Identifier: MIT
 * The device floor: everything that runs on the microcontroller. */
#ifndef MARLINSPIKE_DEVICE_H
#define MARLINSPIKE_DEVICE_H

#include "marlinspike/correction.h"
#include "marlinspike/digest.h"
#include "marlinspike/estimator.h"
#include "marlinspike/frame.h"
#include "marlinspike/quat.h"
#include "marlinspike/root.h"
#include "marlinspike/sample.h"
#include "marlinspike/selftest.h"
#include "marlinspike/stats.h"
#include "marlinspike/status.h"
#include "marlinspike/still.h"
#include "marlinspike/tuning.h"
#include "marlinspike/vec.h"

#endif
