/* SPDX-License-Identifier: MIT
 * The page's own style and script, which the build embeds from src/show/page. */
#ifndef SHOW_PAGE_ASSETS_H
#define SHOW_PAGE_ASSETS_H

extern const char show_page_style[], show_page_script[];

#endif
