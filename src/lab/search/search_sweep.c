/* SPDX-License-Identifier: MIT
 * A sweep of the whole range. */
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdlib.h>

enum { BATCH = 32, SWEEP_EACH = 32, REFINE_EACH = 20, REFINE_BASE = 10 };
#define PULL 0.1        /* for a parameter that leaves the default by its whole range: a tenth of the score */
#define SWEEP_SHARE 0.4 /* of a limit that is given */

size_t lab_search_sweep_size(const marl_search *search, size_t varied)
{
    size_t limit = search->options.limit / search->filters;
    size_t size = limit > 0 ? (size_t)(SWEEP_SHARE * (double)limit) : SWEEP_EACH * varied;
    return size > 0 ? size : 1;
}

size_t lab_search_refine_size(const marl_search *search, size_t varied)
{
    size_t limit = search->options.limit / search->filters;
    size_t left = limit - (limit > 0 ? lab_search_sweep_size(search, varied) : 0);
    return search->options.limit > 0 ? left / LAB_STARTS : REFINE_EACH * varied + REFINE_BASE;
}

/* Of tunings that do equally well on these logs the one nearest to the default: what the logs do not show is left as it
 * is, and what is found on other logs of the kind differs less. */
double lab_search_cost(const marl_search *search, const marl_trial *trial, double score)
{
    const marl_search_filter *filter = &search->filter[trial->filter];
    double squares = 0;
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_range *range = &filter->range[i];
        squares += pow(lab_range_unit(range, (double)trial->tuning.value[range->id]) -
                           lab_range_unit(range, (double)filter->standard.tuning.value[range->id]),
                       2);
    }
    return isfinite(score) ? log(fmax(score, LAB_MIN_SCORE)) + PULL * squares / (double)filter->varied
                           : INFINITY;
}

int lab_search_is_better(const marl_search *search, const marl_trial *a, const marl_trial *b)
{
    return lab_search_cost(search, a, a->score) < lab_search_cost(search, b, b->score);
}

/* "On the efficiency of certain quasi-random sequences of points in evaluating multi-dimensional integrals" (1960). */
static double radical_inverse(size_t n, unsigned base)
{
    double inverse = 0, digit = 1.0 / base;
    for (; n > 0; n /= base, digit /= base) {
        inverse += (double)(n % base) * digit;
    }
    return inverse;
}

static marl_tuning point_of_sweep(const marl_search_filter *filter, size_t n)
{
    static const unsigned prime[MARL_SEARCH_VARIED] = {2, 3, 5, 7, 11, 13, 17, 19};
    double unit[MARL_SEARCH_VARIED];
    for (size_t i = 0; i < filter->varied; i++) {
        unit[i] = radical_inverse(n, prime[i]);
    }
    return lab_search_tuning(filter, unit);
}

marl_status lab_search_keep(marl_search *search, const marl_trial *trial, size_t n, marl_error *error)
{
    marl_trial *larger = realloc(search->trial, (search->trials + n + 1) * sizeof *larger);
    if (larger == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    search->trial = larger;
    for (size_t i = 0; i < n; i++) {
        search->trial[search->trials++] = trial[i];
    }
    return MARL_OK;
}

static marl_status run_batch(marl_search *search, lab_race *race, marl_trial *batch, size_t n,
                             marl_error *error)
{
    lab_ran ran[BATCH];
    MARL_TRY(lab_race_run(race, batch, ran, n, error));
    lab_race_set_pace(race, ran, n);
    return lab_search_keep(search, batch, n, error);
}

/* The pace changes between batches alone, so that it does not depend on which thread is first. */
marl_status lab_search_sweep(marl_search *search, lab_race *race, marl_error *error)
{
    marl_trial batch[BATCH];
    for (size_t f = 0; f < search->filters; f++) {
        const marl_search_filter *filter = &search->filter[f];
        size_t size = lab_search_sweep_size(search, filter->varied), n = 0;
        for (size_t i = 1; i <= size && !lab_search_is_over(search); i++) {
            batch[n++] = (marl_trial){.filter = f, .tuning = point_of_sweep(filter, i)};
            if (n == BATCH || i == size) {
                MARL_TRY(run_batch(search, race, batch, n, error));
                n = 0;
            }
        }
    }
    return MARL_OK;
}
