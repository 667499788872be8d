/* SPDX-License-Identifier: MIT
 * A search as the command of that name shows it. */
#ifndef CLI_SEARCH_H
#define CLI_SEARCH_H

#include "cli/common/cli.h"
#include "marlinspike/search.h"

/* What --trade gave; n 0: not asked for. */
typedef struct cli_trade {
    const char *name;
    size_t n;
    marl_trade_point point[MARL_TRADE_POINTS];
} cli_trade;

/* The verdict in a sentence or two. */
void cli_search_verdict(const marl_search *search, char *text, size_t size);
int cli_search_table(const marl_search *search, const cli_trade *trade, const char *out);
json_t *cli_search_object(const marl_search *search, const cli_trade *trade);
/* The sweep as a curve, a map or slices; with a trade its curve. */
MARL_CHECKED marl_status cli_search_figure(const marl_search *search, const cli_trade *trade,
                                           const char *path, marl_error *error);
/* The report page: slices, and traces of what was found, of the default and of some points of the slices. Sets the
 * study's tunings. */
MARL_CHECKED marl_status cli_search_page(marl_search *search, const cli_trade *trade, const char *path,
                                         marl_error *error);

#endif
