/* SPDX-License-Identifier: MIT
 * What the two halves of the application share. */
#ifndef MARL_APP_PARTS_H
#define MARL_APP_PARTS_H

#include "device/link/cbor.h"
#include "marlinspike/app.h"

/* An empty item, to be filled and sent. One that does not fit is counted and left out: its number is missing
 * to the other end. */
wire_writer marlp_app_item(marl_app *app);
marl_status marlp_app_send(marl_app *app, const wire_writer *item);
marl_status marlp_app_send_identity(marl_app *app);
/* Estimates, and streams the sample as it is with the attitude if there is one. */
marl_status marlp_app_feed(marl_app *app, const marl_sample *raw);
/* The settings of a new board: no calibration, the first filter's default tuning. The estimate goes on with its own. */
void marlp_app_forget_settings(marl_app *app);

/* Restarts the estimate with the current settings. */
void marlp_app_use_settings(marl_app *app);
/* Goes on with another calibration: the attitude stays as it is. */
void marlp_app_recalibrate(marl_app *app);
/* Keeps the settings over power cuts. */
marl_status marlp_app_commit(marl_app *app);
/* Settings that the store keeps; without any they stay as they are. */
void marlp_app_load(marl_app *app);
/* Reads and acknowledges what has arrived. */
marl_status marlp_app_listen(marl_app *app);

#endif
