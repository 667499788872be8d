/* SPDX-License-Identifier: MIT
 * The inner steps on eight problems. */
#ifndef STEPS_ON_LANES_H
#define STEPS_ON_LANES_H

enum { STEP_OUTPUTS = 24 };

#endif
