/* SPDX-License-Identifier: MIT
 * What a command will write, before it reads anything. */
#ifndef PATHS_H
#define PATHS_H

#include "cli/common/cli.h"

/* Looks at every option and argument, by the files behind links and other spellings. MARL_ERR_USE when an output
 * is an input, or two outputs are one; MARL_ERR_SYSTEM when something stands there that is never replaced. */
MARL_CHECKED marl_status paths_check(const cli *c, int first, marl_error *error);

#endif
