/* SPDX-License-Identifier: MIT
 * What the two halves of the application share. */
#ifndef MARL_APP_PARTS_H
#define MARL_APP_PARTS_H

#include "device/link/cbor.h"
#include "marlinspike/app.h"

/* An empty item, to be filled and sent. One that does not fit, or comes while an answer is owed, is counted and left out:
 * its number is missing to the other end. */
wire_writer marlp_app_item(marl_app *app);
marl_status marlp_app_send(marl_app *app, const wire_writer *item);

/* Answers wait until the line has room, and nothing else is sent meanwhile: who asks on a line that samples fill would
 * never hear of it else. Of several acknowledgements the last one waits. */
enum { MARLP_OWES_IDENTITY = 1, MARLP_OWES_ACK = 2 };
/* Sends what is queued, and of the answers that are owed as much as there is room for. */
marl_status marlp_app_answer(marl_app *app);
void marlp_app_put_ack(const marl_app *app, wire_writer *w);
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
