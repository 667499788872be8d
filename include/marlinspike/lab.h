/* SPDX-License-Identifier: MIT
 * The lab floor: everything that runs on the desk. */
#ifndef MARLINSPIKE_LAB_H
#define MARLINSPIKE_LAB_H

#include "marlinspike/axes.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/calibration.h"
#include "marlinspike/chip_file.h"
#include "marlinspike/columns.h"
#include "marlinspike/compare.h"
#include "marlinspike/conditions.h"
#include "marlinspike/device.h"
#include "marlinspike/error.h"
#include "marlinspike/guide.h"
#include "marlinspike/inspect.h"
#include "marlinspike/likeness.h"
#include "marlinspike/log.h"
#include "marlinspike/losses.h"
#include "marlinspike/merge.h"
#include "marlinspike/message.h"
#include "marlinspike/noise.h"
#include "marlinspike/outfile.h"
#include "marlinspike/ranking.h"
#include "marlinspike/receiver.h"
#include "marlinspike/reference.h"
#include "marlinspike/replay.h"
#include "marlinspike/series.h"
#include "marlinspike/sheet.h"
#include "marlinspike/simulate.h"
#include "marlinspike/spectrum.h"
#include "marlinspike/tuning_file.h"

#endif
