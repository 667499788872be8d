/* SPDX-License-Identifier: MIT
 * The version of the library: of the headers at compile time, and of what is linked. */
#ifndef MARLINSPIKE_VERSION_H
#define MARLINSPIKE_VERSION_H

#ifdef __cplusplus
extern "C" {
#endif

#define MARL_VERSION "0.2.0"
#define MARL_VERSION_MAJOR 0
#define MARL_VERSION_MINOR 2
#define MARL_VERSION_PATCH 0

/* MARL_VERSION of the library that is linked. */
const char *marl_version(void);

#ifdef __cplusplus
}
#endif
#endif
