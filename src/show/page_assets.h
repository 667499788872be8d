/* SPDX-License-Identifier: MIT
 * The page's own style, scripts and module, which the build embeds from src/show/page, src/show/live and src/show/module. */
#ifndef SHOW_PAGE_ASSETS_H
#define SHOW_PAGE_ASSETS_H

#include <stddef.h>
#include <stdint.h>

extern const char show_page_style[], show_page_script[];
extern const char show_live_script[];    /* what the live page has beside show_page_script */
extern const char show_page_engine[];    /* the text of the worker */
extern const uint8_t show_page_module[]; /* gzip */
extern const size_t show_page_module_size;

#endif
