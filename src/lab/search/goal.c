/* SPDX-License-Identifier: MIT
 * What a search makes small. */
#include "lab/search/goal.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* Measures in one list: total, tilt and heading in four statistics each, then the scalars. */
enum { ANGLES = 3, STATISTICS = 4, ANGLE_MEASURES = ANGLES * STATISTICS };
static const char *const angle_name[ANGLES] = {"total", "tilt", "heading"};
static const char *const statistic_name[STATISTICS] = {"rms", "mean", "p95", "max"};

static void name_measure(unsigned measure, char *name, size_t size)
{
    if (measure < ANGLE_MEASURES) {
        snprintf(name, size, "%s.%s", angle_name[measure / STATISTICS], statistic_name[measure % STATISTICS]);
    } else {
        snprintf(name, size, "%s", marl_scalar_row((marl_scalar_id)(measure - ANGLE_MEASURES))->title);
    }
}

static marl_status refuse_measure(const char *name, marl_error *error)
{
    char known[200] = "", one[32];
    marl_nearest_word nearest = {.given = name};
    char all[ANGLE_MEASURES + MARL_SCALAR_COUNT][32];
    for (unsigned i = 0; i < ANGLE_MEASURES + MARL_SCALAR_COUNT; i++) {
        name_measure(i, one, sizeof one);
        snprintf(all[i], sizeof all[i], "%s", one);
        marl_list_append(known, sizeof known, one);
        marl_nearest(&nearest, all[i]);
    }
    return marl_fail(error, MARL_ERR_USE, "'%s' is no measure%s%s%s; known: %s", name,
                     nearest.found != NULL ? " (" : "", nearest.found != NULL ? nearest.found : "",
                     nearest.found != NULL ? "?)" : "", known);
}

/* "0.5*tilt.rms" */
static marl_status read_term(marl_goal *goal, char *text, marl_error *error)
{
    char *name = strchr(text, '*'), *end, one[32];
    double weight = 1;
    if (name != NULL) {
        weight = strtod(text, &end);
        if (end != name || !(weight > 0 && weight < 1e9)) {
            return marl_fail(error, MARL_ERR_USE, "a weight is a number above 0, and not '%.*s'",
                             (int)(name - text), text);
        }
    }
    name = name != NULL ? name + 1 : text;
    if (goal->n == MARL_GOAL_TERMS) {
        return marl_fail(error, MARL_ERR_USE, "a goal has up to %d measures", MARL_GOAL_TERMS);
    }
    for (unsigned i = 0; i < ANGLE_MEASURES + MARL_SCALAR_COUNT; i++) {
        name_measure(i, one, sizeof one);
        if (strcmp(one, name) == 0) {
            goal->term[goal->n++] = (marl_goal_term){weight, i};
            return MARL_OK;
        }
    }
    return refuse_measure(name, error);
}

static const char *unit_of(unsigned measure)
{
    return measure < ANGLE_MEASURES ? "deg"
                                    : marl_scalar_row((marl_scalar_id)(measure - ANGLE_MEASURES))->unit;
}

marl_status marl_goal_read(marl_goal *goal, const char *text, marl_error *error)
{
    char copy[sizeof goal->text];
    int worst = goal->worst;
    if (strlen(text) >= sizeof copy) {
        return marl_fail(error, MARL_ERR_USE, "the goal is longer than %zu characters", sizeof copy - 1);
    }
    *goal = (marl_goal){.worst = worst};
    snprintf(goal->text, sizeof goal->text, "%s", text);
    snprintf(copy, sizeof copy, "%s", text);
    for (char *at = copy; at != NULL;) {
        char *plus = strchr(at, '+');
        if (plus != NULL) {
            *plus = '\0';
        }
        MARL_TRY(read_term(goal, at, error));
        at = plus != NULL ? plus + 1 : NULL;
    }
    goal->unit = unit_of(goal->term[0].measure);
    return MARL_OK;
}

static double measure_value(unsigned measure, const marl_comparison *c)
{
    if (measure >= ANGLE_MEASURES) {
        return fabs(marl_scalar_value(c, (marl_scalar_id)(measure - ANGLE_MEASURES)));
    }
    const marl_measure *angles[ANGLES] = {&c->all.total, &c->all.tilt, &c->all.heading};
    const marl_measure *m = angles[measure / STATISTICS];
    const double statistic[STATISTICS] = {m->rms, m->mean, m->p95, m->max};
    return statistic[measure % STATISTICS];
}

double marl_goal_value(const marl_goal *goal, const marl_comparison *comparison)
{
    double sum = 0;
    for (size_t i = 0; i < goal->n; i++) {
        sum += goal->term[i].weight * measure_value(goal->term[i].measure, comparison);
    }
    return sum;
}

int lab_goal_is_of_sums(const marl_goal *goal)
{
    int is = 1;
    for (size_t i = 0; i < goal->n; i++) {
        is = is && goal->term[i].measure < ANGLE_MEASURES && goal->term[i].measure % STATISTICS == 0;
    }
    return is;
}

double lab_goal_of_sums(const marl_goal *goal, const double rms[LAB_ANGLES])
{
    double sum = 0;
    for (size_t i = 0; i < goal->n; i++) {
        unsigned measure = goal->term[i].measure;
        sum += measure < ANGLE_MEASURES ? goal->term[i].weight * rms[measure / STATISTICS] : 0;
    }
    return sum;
}

int lab_goal_needs_parts(const marl_goal *goal)
{
    int needs = 0;
    for (size_t i = 0; i < goal->n; i++) {
        needs |= goal->term[i].measure / STATISTICS != 0;
    }
    return needs;
}

int lab_goal_needs_heading(const marl_goal *goal)
{
    int needs = 0;
    for (size_t i = 0; i < goal->n; i++) {
        unsigned measure = goal->term[i].measure;
        int is_tilt = measure < ANGLE_MEASURES && measure / STATISTICS == 1;
        needs |= (measure < ANGLE_MEASURES && !is_tilt) || measure == ANGLE_MEASURES + MARL_SCALAR_SETTLE;
    }
    return needs;
}

void lab_goal_undetermined(const marl_goal *goal, const marl_comparison *comparison, char *names, size_t size)
{
    char one[32];
    names[0] = '\0';
    for (size_t i = 0; i < goal->n; i++) {
        if (!isfinite(measure_value(goal->term[i].measure, comparison))) {
            name_measure(goal->term[i].measure, one, sizeof one);
            marl_list_append(names, size, one);
        }
    }
}

/* rms of the total error or of the tilt alone is what studies rank by. */
int lab_goal_rank_by(const marl_goal *goal, marl_rank_by *by)
{
    unsigned measure = goal->term[0].measure;
    *by = measure == 0 ? MARL_RANK_BY_TOTAL : MARL_RANK_BY_TILT;
    return goal->n == 1 && (measure == 0 || measure == STATISTICS) && !goal->worst;
}

double lab_goal_over_logs(const marl_goal *goal, const double *by_log, size_t n)
{
    double sum = 0, worst = 0;
    for (size_t i = 0; i < n; i++) {
        sum += log(fmax(by_log[i], LAB_MIN_SCORE));
        worst = fmax(worst, by_log[i]);
        if (!isfinite(by_log[i])) {
            return INFINITY;
        }
    }
    return goal->worst ? worst : n > 0 ? exp(sum / (double)n) : INFINITY;
}
