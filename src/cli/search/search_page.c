/* SPDX-License-Identifier: MIT
 * A search as a report page: the page of a comparison of some of its tunings, and the slices before it. */
#include "cli/common/page_data.h"
#include "cli/common/study_show.h"
#include "cli/search/search.h"
#include <math.h>
#include <stdio.h>

enum { SHOWN_POINTS = 4 }; /* of the slice of the parameter that matters most */

static size_t most_important(const marl_search *search)
{
    size_t most = 0;
    for (size_t i = 1; i < search->filter[search->best_filter].varied; i++) {
        most = search->slice[i].share > search->slice[most].share ? i : most;
    }
    return most;
}

static void add_tuning(marl_study *study, const marl_named_tuning *from, const char *name)
{
    marl_named_tuning *to = &study->tunings[study->tuning_n++];
    *to = *from;
    snprintf(to->name, sizeof to->name, "%s", name);
}

/* Found, default, and some points of one slice; the list says which. */
static json_t *set_tunings(marl_search *search)
{
    marl_study *study = search->study;
    size_t which = most_important(search);
    const marl_slice *s = &search->slice[which];
    const marl_parameter *row = marl_parameter_row(search->filter[search->best_filter].range[which].id);
    json_t *list = json_array();
    study->tuning_n = study->rate_n = 0;
    add_tuning(study, &search->best, "found");
    add_tuning(study, &search->filter[search->best_filter].standard, "default");
    for (size_t i = 0; i < SHOWN_POINTS && s->n >= SHOWN_POINTS; i++) {
        size_t at = i * (s->n - 1) / (SHOWN_POINTS - 1);
        marl_named_tuning point = search->best;
        char name[80];
        float value = (float)s->value[at];
        point.tuning.value[search->filter[search->best_filter].range[which].id] =
            fminf(fmaxf(value, row->low), row->high);
        snprintf(name, sizeof name, "%s %.3g %s", row->name, s->value[at], row->unit);
        json_array_append_new(list, json_pack("{s:i,s:i,s:i}", "run", (int)study->tuning_n, "parameter",
                                              (int)which, "point", (int)at));
        add_tuning(study, &point, name);
    }
    return list;
}

marl_status cli_search_page(marl_search *search, const cli_trade *trade, const char *path, marl_error *error)
{
    char title[300], verdict[900];
    json_t *shown = set_tunings(search);
    json_t *root = marl_study_run(search->study, error) == MARL_OK
                       ? cli_study_page_object(search->study, "board", path, error)
                       : NULL;
    if (root == NULL) {
        json_decref(shown);
        (void)!marl_fail(error, MARL_ERR_SYSTEM, "no memory"); /* unless another reason is there already */
        return error->status;
    }
    snprintf(title, sizeof title, "%.240s: the search for a tuning",
             marl_base_name(search->study->cases[0].log_path));
    cli_search_verdict(search, verdict, sizeof verdict);
    json_object_set_new(root, "title", cli_text(title));
    json_object_set_new(root, "question",
                        cli_text("Which tuning follows the references best, and is it better elsewhere?"));
    json_object_set_new(root, "verdict", cli_text(verdict));
    json_object_set_new(root, "search", cli_search_object(search, trade));
    json_object_set_new(root, "shown", shown);
    return cli_page_write(path, title, root, error);
}
