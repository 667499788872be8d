/* SPDX-License-Identifier: MIT
 * One sensor of a sample. */
#ifndef LAB_READING_H
#define LAB_READING_H

#include "marlinspike/sample.h"

/* The reading of a sensor in a sample. */
const marl_vec3 *lab_reading(const marl_sample *sample, marl_sensor sensor);

#endif
