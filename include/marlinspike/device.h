/* SPDX-License-Identifier: MIT
 * The device layer: everything that runs on the microcontroller.
 *
 * Threads and interrupts: no function keeps state of its own, waits, allocates or locks; all state is in the
 * struct that the caller passes. Calls on different structs may run at the same time, from any thread or
 * interrupt. Calls on the same struct must not overlap: guard them, or keep them in one context. Functions
 * that take pointers to const only read. From an interrupt, call what needs bounded time and no bus:
 * marl_sample_check, marl_pipeline_step, marl_estimator_update and its getters, marl_still_update,
 * marl_packet_feed, marl_clock32_ns. Functions that use the port (marl_chip_..., marl_board_...,
 * marl_store_..., marl_app_...) may be called from an interrupt only as far as the port's own functions may.
 */
#ifndef MARLINSPIKE_DEVICE_H
#define MARLINSPIKE_DEVICE_H

#include "marlinspike/app.h"
#include "marlinspike/chip.h"
#include "marlinspike/estimator.h"
#include "marlinspike/port.h"
#include "marlinspike/quat.h"
#include "marlinspike/renew.h"
#include "marlinspike/sample.h"
#include "marlinspike/status.h"
#include "marlinspike/tuning.h"

#endif
