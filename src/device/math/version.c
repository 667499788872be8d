/* SPDX-License-Identifier: MIT
 * The version of what is linked. */
#include "marlinspike/version.h"

const char *marl_version(void)
{
    return MARL_VERSION;
}
