/* SPDX-License-Identifier: MIT
 * The JavaScript libraries of the pages, as the system has them. */
#ifndef SHOW_LIBRARY_H
#define SHOW_LIBRARY_H

#include "marlinspike/error.h"

typedef enum show_library {
    SHOW_LIBRARY_STYLE,
    SHOW_LIBRARY_DYGRAPH,
    SHOW_LIBRARY_THREE,
    SHOW_LIBRARIES
} show_library;

/* The whole file as text, to be freed; NULL with an error. It is looked for in the folder that the build names, or in
 * that of the environment's MARLINSPIKE_JAVASCRIPT. */
char *show_library_read(show_library library, marl_error *error);

#endif
