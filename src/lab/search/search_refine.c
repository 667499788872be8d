/* SPDX-License-Identifier: MIT
 * Refinement of the best of the sweep, without derivatives. */
#include "lab/base/parallel.h"
#include "lab/search/search_parts.h"
#include <math.h>
#include <nlopt.h>
#include <stdlib.h>

#define FIRST_STEP 0.12 /* of a range */
/* Of a range: where refinement ends. Three parameters and more lie in valleys that a coarse end would stop in. */
#define CLOSE_FEW 4e-3
#define CLOSE_MANY 1e-3
#define HOPELESS 20.0 /* logarithm of a score that is none */

typedef struct objective {
    const lab_race *race;
    const marl_search_filter *filter;
    marl_trial base; /* switches keep their values */
    size_t free_n, which[MARL_SEARCH_VARIED];
    lab_tried *to;
    nlopt_opt optimiser;
    marl_error *error;
    marl_status status;
} objective;

static double evaluate(unsigned n, const double *x, double *gradient, void *context)
{
    objective *o = context;
    double unit[MARL_SEARCH_VARIED];
    lab_ran ran;
    (void)gradient;
    for (size_t i = 0; i < o->filter->varied; i++) {
        const marl_range *range = &o->filter->range[i];
        unit[i] = lab_range_unit(range, (double)o->base.tuning.value[range->id]);
    }
    for (unsigned i = 0; i < n; i++) {
        unit[o->which[i]] = x[i];
    }
    if (o->status != MARL_OK || lab_search_is_over(o->race->search) || o->to->n == o->to->most) {
        nlopt_force_stop(o->optimiser);
        return HOPELESS;
    }
    marl_trial *trial = &o->to->tried[o->to->n++];
    *trial = (marl_trial){.filter = o->base.filter, .tuning = lab_search_tuning(o->filter, unit)};
    o->status = lab_race_run(o->race, trial, &ran, 1, o->error);
    return fmin(lab_search_cost(o->race->search, trial, ran.estimate), HOPELESS);
}

/* Two and more: "The BOBYQA algorithm for bound constrained optimization without derivatives" (2009); one: "A simplex
 * method for function minimization" (1965). */
static void optimise(objective *o)
{
    double x[MARL_SEARCH_VARIED], low[MARL_SEARCH_VARIED], high[MARL_SEARCH_VARIED], least;
    unsigned n = (unsigned)o->free_n;
    for (unsigned i = 0; i < n; i++) {
        const marl_range *range = &o->filter->range[o->which[i]];
        x[i] = lab_range_unit(range, (double)o->base.tuning.value[range->id]);
        low[i] = 0;
        high[i] = 1;
    }
    o->optimiser = nlopt_create(n > 1 ? NLOPT_LN_BOBYQA : NLOPT_LN_NELDERMEAD, n);
    if (o->optimiser == NULL) {
        o->status = marl_fail(o->error, MARL_ERR_SYSTEM, "no memory");
        return;
    }
    nlopt_set_min_objective(o->optimiser, evaluate, o);
    nlopt_set_lower_bounds(o->optimiser, low);
    nlopt_set_upper_bounds(o->optimiser, high);
    nlopt_set_initial_step1(o->optimiser, FIRST_STEP);
    nlopt_set_xtol_abs1(o->optimiser, n > 2 ? CLOSE_MANY : CLOSE_FEW);
    nlopt_set_maxeval(o->optimiser, (int)o->to->most);
    (void)nlopt_optimize(o->optimiser, x, &least); /* what it tried is looked at, however it ended */
    nlopt_destroy(o->optimiser);
}

marl_status lab_search_refine(const lab_race *race, marl_trial *trial, lab_tried *to, marl_error *error)
{
    objective o = {.race = race,
                   .filter = &race->search->filter[trial->filter],
                   .base = *trial,
                   .to = to,
                   .error = error};
    to->n = 0;
    for (size_t i = 0; i < o.filter->varied; i++) {
        if (marl_parameter_row(o.filter->range[i].id)->kind != MARL_KIND_SWITCH) {
            o.which[o.free_n++] = i;
        }
    }
    if (o.free_n > 0 && to->most > 0) {
        optimise(&o);
    }
    for (size_t i = 0; i < to->n; i++) {
        *trial = lab_search_is_better(race->search, &to->tried[i], trial) ? to->tried[i] : *trial;
    }
    return o.status;
}

/* ---- all filters ---- */

/* One start. */
typedef struct job {
    marl_trial start;
    lab_tried to;
    marl_status status;
    marl_error error;
} job;

typedef struct jobs {
    const lab_race *race;
    job at[LAB_STARTS * MARL_SEARCH_FILTERS];
    size_t n;
} jobs;

static void refine_start(void *context, size_t i)
{
    jobs *all = context;
    job *it = &all->at[i];
    const marl_search *search = all->race->search;
    it->to.most = lab_search_refine_size(search, search->filter[it->start.filter].varied);
    it->to.tried = calloc(it->to.most + 1, sizeof *it->to.tried);
    it->status = it->to.tried == NULL ? marl_fail(&it->error, MARL_ERR_SYSTEM, "no memory")
                                      : lab_search_refine(all->race, &it->start, &it->to, &it->error);
}

static double distance(const marl_search_filter *filter, const marl_trial *a, const marl_trial *b)
{
    double squares = 0;
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_range *range = &filter->range[i];
        squares += pow(lab_range_unit(range, (double)a->tuning.value[range->id]) -
                           lab_range_unit(range, (double)b->tuning.value[range->id]),
                       2);
    }
    return sqrt(squares);
}

#define APART 0.2 /* of the range, between two starts */

/* The best trial of a filter, not close to another one; NULL without one. */
static const marl_trial *best_of(const marl_search *search, size_t filter, const marl_trial *other)
{
    const marl_trial *best = NULL;
    for (size_t i = 0; i < search->trials; i++) {
        const marl_trial *t = &search->trial[i];
        int far = other == NULL || distance(&search->filter[filter], t, other) > APART;
        if (t->filter == filter && isfinite(t->score) && far &&
            (best == NULL || lab_search_is_better(search, t, best))) {
            best = t;
        }
    }
    return best;
}

static void choose_starts(const marl_search *search, jobs *all)
{
    for (size_t f = 0; f < search->filters; f++) {
        const marl_trial *first = best_of(search, f, NULL);
        const marl_trial *second = first != NULL ? best_of(search, f, first) : NULL;
        if (first != NULL) {
            all->at[all->n++].start = *first;
        }
        if (second != NULL) {
            all->at[all->n++].start = *second;
        }
    }
}

/* Each start on one thread; what was tried is kept in the order of the starts. */
marl_status lab_search_refine_all(marl_search *search, const lab_race *race, marl_error *error)
{
    lab_race alone = *race;
    marl_status status = MARL_OK;
    jobs *all = calloc(1, sizeof *all);
    if (all == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    alone.threads = 1;
    all->race = &alone;
    choose_starts(search, all);
    lab_parallel(race->threads, all->n, refine_start, all);
    for (size_t i = 0; i < all->n; i++) {
        job *it = &all->at[i];
        status = status != MARL_OK || it->status == MARL_OK
                     ? status
                     : marl_fail(error, it->status, "%s", it->error.text);
        status = status != MARL_OK ? status : lab_search_keep(search, it->to.tried, it->to.n, error);
        free(it->to.tried);
    }
    free(all);
    return status;
}
