/* SPDX-License-Identifier: MIT
 * What the two halves of the station share. */
#ifndef MARL_STATION_PARTS_H
#define MARL_STATION_PARTS_H

#include "marlinspike/station.h"

/* An empty item, to be filled and sent. One that finds no room is counted and left out: its number is missing
 * to the other end. */
marl_cbor_writer station_item(marl_station *station);
marl_status station_send(marl_station *station, const marl_cbor_writer *item);
marl_status station_send_identity(marl_station *station);
/* A sample as it is, and the attitude if there is one. */
marl_status station_stream(marl_station *station, const marl_sample *sample);
/* Corrects, watches for rest, estimates. */
void station_take_sample(marl_station *station, const marl_sample *raw);
/* Estimates anew with the settings as they are now. */
void station_use_settings(marl_station *station);
/* Forgets what it knew of rest: readings are corrected in another way from now on. */
void station_watch_rest(marl_station *station);
/* Settings that the store keeps; without any they stay as they are. */
void station_load(marl_station *station);
/* Takes and answers what has come in. */
marl_status station_listen(marl_station *station);

#endif
