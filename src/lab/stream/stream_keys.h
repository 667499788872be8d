/* SPDX-License-Identifier: MIT
 * Keys of the bodies of stream items, as docs/schema/stream.cddl has them. The device has its own list: a
 * test lets each side read what the other wrote. */
#ifndef LAB_STREAM_KEYS_H
#define LAB_STREAM_KEYS_H

enum { SAMPLE_T = 1, SAMPLE_ACCEL, SAMPLE_GYRO, SAMPLE_MAG, SAMPLE_TEMP, SAMPLE_SPEED, SAMPLE_Q };
enum { IDENTITY_T = 1, IDENTITY_DEVICE, IDENTITY_FIRMWARE, IDENTITY_SENSORS, IDENTITY_PERIOD };
enum { ACK_TO = 1, ACK_OUTCOME, ACK_TEXT };
enum { EVENT_T = 1, EVENT_PART, EVENT_BUS, EVENT_ADDRESS, EVENT_FAULT, EVENT_COUNTS, EVENT_IDENTITY };
enum { CALIBRATION_FOR = 1, CALIBRATION_ACCEL, CALIBRATION_GYRO, CALIBRATION_MAG, CALIBRATION_MOUNT };
enum { FIT_BIAS = 1, FIT_MATRIX, FIT_CURVE, FIT_PER_DEGC, FIT_PER_DEGC2 };
enum { TUNING_FILTER = 1, TUNING_WORLD, TUNING_PARAMETERS };
/* Of the record that the application keeps in the store. */
enum { KEPT_CALIBRATION = 1, KEPT_TUNING };

#endif
