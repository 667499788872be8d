/* SPDX-License-Identifier: MIT
 * What is varied, and from where to where. */
#include "lab/search/search_parts.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define COMPLEMENTARY (1u << MARL_FILTER_COMPLEMENTARY)
#define GRADIENT (1u << MARL_FILTER_GRADIENT_DESCENT)
#define KALMAN (1u << MARL_FILTER_KALMAN)

/* Ranges that hold the best value of nearly every use; `of`: filters for which it is worth varying unless others are
 * named. What is not listed has the table's range. */
static const struct {
    marl_parameter_id id;
    double low, high;
    unsigned of;
} usual[] = {
    {MARL_PARAMETER_TILT_TIME, 0.05, 50, COMPLEMENTARY},
    {MARL_PARAMETER_HEADING_TIME, 0.2, 200, COMPLEMENTARY},
    {MARL_PARAMETER_DAMPING, 0.3, 5, 0},
    {MARL_PARAMETER_BETA, 0.001, 1, GRADIENT},
    {MARL_PARAMETER_ZETA, 0.00005, 0.2, 0},
    {MARL_PARAMETER_HEADING_BETA, 0.0003, 0.3, GRADIENT},
    {MARL_PARAMETER_HEADING_ZETA, 0.000005, 0.02, 0},
    {MARL_PARAMETER_ACCEL_THRESHOLD, 0.02, 5, COMPLEMENTARY | GRADIENT},
    {MARL_PARAMETER_MAG_THRESHOLD, 0.1, 30, COMPLEMENTARY | GRADIENT},
    {MARL_PARAMETER_FORCE_TIME, 0.2, 50, 0},
    {MARL_PARAMETER_BIAS_SHARE, 0.002, 1, 0},
    {MARL_PARAMETER_GYRO_WHITE, 0.00001, 0.01, KALMAN},
    {MARL_PARAMETER_GYRO_SCALE, 0.00005, 0.02, 0},
    {MARL_PARAMETER_GYRO_WALK, 0.0000003, 0.001, KALMAN},
    {MARL_PARAMETER_BIAS_SPREAD, 0.0005, 0.3, 0},
    {MARL_PARAMETER_ATTITUDE_SPREAD, 0.01, 3, 0},
    {MARL_PARAMETER_ACCEL_FLOOR, 0.0002, 0.3, 0},
    {MARL_PARAMETER_ACCEL_NOISE, 0.02, 10, 0},
    {MARL_PARAMETER_SPEED_FLOOR, 0.05, 30, KALMAN},
    {MARL_PARAMETER_MAG_NOISE, 0.05, 10, KALMAN},
    {MARL_PARAMETER_DISTURBANCE_TIME, 0.1, 10, KALMAN},
    {MARL_PARAMETER_VELOCITY_TIME, 0.5, 100, 0},
    {MARL_PARAMETER_SPEED_TIME, 5, 600, 0},
    {MARL_PARAMETER_START_SPEED, 0.0005, 0.2, 0},
    {MARL_PARAMETER_START_ARM, 0.5, 200, 0},
    {MARL_PARAMETER_RESET_SPEED, 2, 200, 0},
    {MARL_PARAMETER_LEVER_X, -0.5, 0.5, 0},
    {MARL_PARAMETER_LEVER_Y, -0.5, 0.5, 0},
    {MARL_PARAMETER_LEVER_Z, -0.5, 0.5, 0},
    {MARL_PARAMETER_MAG_DELAY, 0, 0.1, 0},
};
enum { USUAL = sizeof usual / sizeof usual[0] };
/* A range from above zero that spans more than this is searched by its logarithm. */
#define WIDE 5.0

static int is_logarithmic(const marl_range *range)
{
    return range->low > 0 && range->high > WIDE * range->low;
}

int marl_range_usual(marl_filter filter, marl_parameter_id id, marl_range *range)
{
    const marl_parameter *row = marl_parameter_row(id);
    int worth = 0;
    *range = (marl_range){id, (double)row->low, (double)row->high, 0};
    for (size_t i = 0; i < USUAL; i++) {
        if (usual[i].id == id) {
            range->low = usual[i].low;
            range->high = usual[i].high;
            worth = (usual[i].of >> filter) & 1u;
        }
    }
    range->logarithmic = is_logarithmic(range);
    return worth;
}

marl_status lab_search_usual_ranges(marl_search_filter *filter, marl_error *error)
{
    marl_tuning *t = &filter->standard.tuning;
    filter->varied = 0;
    for (int i = 0; i < MARL_PARAMETER_COUNT && filter->varied < MARL_SEARCH_VARIED; i++) {
        marl_range range;
        int acts = marl_parameter_row((marl_parameter_id)i)->group != MARL_GROUP_WEIGHTING ||
                   t->value[MARL_PARAMETER_WEIGHTING] != 0.0f;
        if (acts && marl_range_usual(t->filter, (marl_parameter_id)i, &range)) {
            filter->range[filter->varied++] = range;
        }
    }
    if (filter->varied == 0) {
        return marl_fail(error, MARL_ERR_USE,
                         "%s has nothing that is worth varying; --vary names a parameter",
                         filter->standard.name);
    }
    return MARL_OK;
}

/* "LOW:HIGH" */
static marl_status read_bounds(const char *all, const char *text, marl_range *range, marl_error *error)
{
    const marl_parameter *row = marl_parameter_row(range->id);
    char *end;
    range->low = strtod(text, &end);
    int is_range = end != text && *end == ':';
    const char *second = is_range ? end + 1 : "";
    range->high = strtod(second, &end);
    if (!is_range || end == second || *end != '\0' || row->kind == MARL_KIND_SWITCH) {
        return marl_fail(error, MARL_ERR_USE, "'%s' is not NAME or NAME=LOW:HIGH%s", all,
                         row->kind == MARL_KIND_SWITCH ? ": a switch has no range" : "");
    }
    if (!(range->low < range->high)) {
        return marl_fail(error, MARL_ERR_USE, "%s: the range is upside down or empty: %g to %g", all,
                         range->low, range->high);
    }
    if (!((float)range->low >= row->low && (float)range->high <= row->high)) {
        return marl_fail(error, MARL_ERR_USE, "%s: %s may be from %g to %g %s", all, row->name,
                         (double)row->low, (double)row->high, row->unit);
    }
    range->logarithmic = is_logarithmic(range);
    return MARL_OK;
}

/* No filter has it: which of them have which. */
static marl_status refuse_name(const marl_search *search, const char *name, marl_error *error)
{
    char known[600] = "";
    marl_nearest_word nearest = {.given = name};
    for (size_t f = 0; f < search->filters; f++) {
        for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
            const marl_parameter *row = marl_parameter_row((marl_parameter_id)i);
            if (((row->filters >> search->filter[f].standard.tuning.filter) & 1u) &&
                strstr(known, row->name) == NULL) {
                marl_list_append(known, sizeof known, row->name);
                marl_nearest(&nearest, row->name);
            }
        }
    }
    return marl_fail(error, MARL_ERR_USE, "'%s' is no parameter of %s%s%s%s%s; known: %s", name,
                     search->filter[0].standard.name, search->filters > 1 ? " and the others" : "",
                     nearest.found != NULL ? " (" : "", nearest.found != NULL ? nearest.found : "",
                     nearest.found != NULL ? "?)" : "", known);
}

static marl_status add_range(marl_search_filter *filter, const marl_range *range, marl_error *error)
{
    const char *name = marl_parameter_row(range->id)->name;
    for (size_t i = 0; i < filter->varied; i++) {
        if (filter->range[i].id == range->id) {
            return marl_fail(error, MARL_ERR_USE, "%s is varied twice", name);
        }
    }
    if (filter->varied == MARL_SEARCH_VARIED) {
        return marl_fail(error, MARL_ERR_USE, "at most %d parameters are varied", MARL_SEARCH_VARIED);
    }
    filter->range[filter->varied++] = *range;
    return MARL_OK;
}

marl_status marl_search_vary(marl_search *search, const char *text, marl_error *error)
{
    char name[MARL_PARAMETER_NAME_MAX + 1] = "";
    size_t n = strcspn(text, "=");
    int has_it = 0;
    if (n < sizeof name) {
        memcpy(name, text, n);
    }
    for (size_t f = 0; f < search->filters; f++) {
        marl_search_filter *filter = &search->filter[f];
        marl_range range;
        marl_parameter_id id;
        if (marl_parameter_find(filter->standard.tuning.filter, name, &id) != MARL_OK) {
            continue;
        }
        (void)marl_range_usual(filter->standard.tuning.filter, id, &range);
        MARL_TRY(text[n] == '=' ? read_bounds(text, text + n + 1, &range, error) : MARL_OK);
        MARL_TRY(add_range(filter, &range, error));
        has_it = 1;
    }
    search->varied_given = 1;
    return has_it ? MARL_OK : refuse_name(search, n < sizeof name ? name : text, error);
}

double lab_range_value(const marl_range *range, double unit)
{
    double u = fmin(fmax(unit, 0), 1);
    if (marl_parameter_row(range->id)->kind == MARL_KIND_SWITCH) {
        return u >= 0.5;
    }
    double value = range->logarithmic ? range->low * pow(range->high / range->low, u)
                                      : range->low + u * (range->high - range->low);
    return fmin(fmax(value, range->low), range->high);
}

double lab_range_unit(const marl_range *range, double value)
{
    double u = range->logarithmic ? log(fmax(value, range->low) / range->low) / log(range->high / range->low)
                                  : (value - range->low) / (range->high - range->low);
    return fmin(fmax(u, 0), 1);
}

marl_tuning lab_search_tuning(const marl_search_filter *filter, const double *unit)
{
    marl_tuning tuning = filter->standard.tuning;
    for (size_t i = 0; i < filter->varied; i++) {
        const marl_parameter *row = marl_parameter_row(filter->range[i].id);
        float value = (float)lab_range_value(&filter->range[i], unit[i]);
        tuning.value[filter->range[i].id] = fminf(fmaxf(value, row->low), row->high);
    }
    return tuning;
}
