/* SPDX-License-Identifier: MIT
 * The lab layer: everything that runs on the desk. */
#ifndef MARLINSPIKE_LAB_H
#define MARLINSPIKE_LAB_H

#include "marlinspike/axes.h"
#include "marlinspike/calibrate.h"
#include "marlinspike/calibration.h"
#include "marlinspike/columns.h"
#include "marlinspike/compare.h"
#include "marlinspike/device.h"
#include "marlinspike/error.h"
#include "marlinspike/files.h"
#include "marlinspike/guide.h"
#include "marlinspike/inspect.h"
#include "marlinspike/log.h"
#include "marlinspike/merge.h"
#include "marlinspike/noise.h"
#include "marlinspike/outfile.h"
#include "marlinspike/random.h"
#include "marlinspike/receiver.h"
#include "marlinspike/reference.h"
#include "marlinspike/replay.h"
#include "marlinspike/scene.h"
#include "marlinspike/sensor_model.h"
#include "marlinspike/series.h"
#include "marlinspike/session.h"
#include "marlinspike/sheet.h"
#include "marlinspike/simulate.h"
#include "marlinspike/smooth.h"
#include "marlinspike/spans.h"
#include "marlinspike/spectrum.h"
#include "marlinspike/study.h"
#include "marlinspike/verify.h"

#endif
