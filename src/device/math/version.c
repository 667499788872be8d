/* SPDX-License-Identifier: MIT
 * The version of what is linked. */
#include "marlinspike/status.h"

const char *marl_version(void)
{
    return MARL_VERSION;
}
