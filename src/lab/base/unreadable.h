/* SPDX-License-Identifier: MIT
 * Files that cannot be read. */
#ifndef LAB_UNREADABLE_H
#define LAB_UNREADABLE_H

#include "marlinspike/error.h"

/* Fails with the reason in errno, and where there is no such file with the name in its folder that is near. */
marl_status lab_unreadable(const char *path, marl_error *error);

#endif
