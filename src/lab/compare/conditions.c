/* SPDX-License-Identifier: MIT
 * What the board was doing, from its readings as the reference turns them into the world. */
#include "lab/inspect/spans.h"
#include "lab/log/reading.h"
#include "lab/log/series.h"
#include "lab/maths/statistics.h"
#include "marlinspike/compare.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define WINDOW_NS INT64_C(500000000)
#define MIN_TURNING 5.0 /* deg/s */
#define MIN_SHAKING 0.5 /* m/s^2 */
#define DISTURBED 0.1   /* of the field */
enum { MIN_FIELDS = 10 };

/* Sums over half a second. */
typedef struct window {
    int64_t from_ns, first_ns, last_ns; /* first and last moment that the reference covers */
    marl_quat first, last;
    unsigned n; /* rows that it covers */
    lab_moments accel[3], mag[3];
} window;

const char *marl_condition_name(marl_condition condition)
{
    static const char *const names[] = {"still", "turning", "shaking", "disturbed"};
    return names[condition];
}

static void add_row(window *w, const marl_sample *s, marl_quat q)
{
    if (w->n++ == 0) {
        w->first = q;
        w->first_ns = s->t_ns;
    }
    w->last = q;
    w->last_ns = s->t_ns;
    if (s->fresh & MARL_FRESH_ACCEL) {
        lab_moments_add_vector(w->accel, marl_quat_rotate(q, s->accel));
    }
    if (s->fresh & MARL_FRESH_MAG) {
        lab_moments_add_vector(w->mag, marl_quat_rotate(q, s->mag));
    }
}

/* Windows of the log that the reference covers, at least in part. */
typedef struct covered {
    window *at;
    size_t n;
} covered;

static marl_status gather_readings(const marl_log *log, const marl_calibration_record *record,
                                   const marl_series *reference, covered *w, marl_error *error)
{
    marl_calibration calibration =
        record != NULL ? marl_calibration_for_device(record) : marl_calibration_none();
    int64_t longest = lab_longest_step_ns(reference), from = log->n > 0 ? log->row[0].sample.t_ns : 0;
    size_t place = 0, capacity = 0;
    marl_corrector corrector;
    marl_corrector_init(&corrector, &calibration);
    for (size_t i = 0; i < log->n; i++) {
        marl_sample s = log->row[i].sample;
        marl_quat q;
        (void)marl_corrector_step(&corrector, &s);
        int64_t at = from + (s.t_ns - from) / WINDOW_NS * WINDOW_NS;
        if (!lab_series_at(reference, longest, s.t_ns, &place, &q)) {
            continue;
        }
        if (w->n == 0 || w->at[w->n - 1].from_ns != at) {
            if (w->n == capacity) {
                capacity = 2 * capacity + 64;
                window *larger = realloc(w->at, capacity * sizeof *larger);
                if (larger == NULL) {
                    return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
                }
                w->at = larger;
            }
            w->at[w->n++] = (window){.from_ns = at};
        }
        marl_calibration_mount(&calibration, &s);
        add_row(&w->at[w->n - 1], &s, q);
    }
    return MARL_OK;
}

static int turns(const window *w)
{
    double seconds = 1e-9 * (double)(w->last_ns - w->first_ns);
    return lab_quat_angle(w->first, w->last) > MIN_TURNING * MARL_DEGREE * seconds && w->n > 1;
}

static int shakes(const window *w)
{
    double squares = w->accel[0].squares + w->accel[1].squares + w->accel[2].squares;
    return squares > MIN_SHAKING * MIN_SHAKING * (double)w->accel[0].n && w->accel[0].n > 2;
}

/* The field of the place, axis by axis; 0 when too few windows have one. */
static int usual_field(const window *windows, size_t n, double *capacity, double field[3])
{
    for (int k = 0; k < 3; k++) {
        size_t used = 0;
        for (size_t i = 0; i < n; i++) {
            capacity[used] = windows[i].mag[k].mean;
            used += windows[i].mag[k].n > 0;
        }
        if (used < MIN_FIELDS) {
            return 0;
        }
        field[k] = lab_quantile(capacity, used, 0.5);
    }
    return 1;
}

static int is_disturbed(const window *w, const double field[3])
{
    double off = 0, length = 0;
    for (int k = 0; k < 3; k++) {
        off += pow(w->mag[k].mean - field[k], 2);
        length += field[k] * field[k];
    }
    return w->mag[0].n > 0 && off > DISTURBED * DISTURBED * length;
}

/* Windows that follow each other become one span. Returns 0 without memory. */
static int extend(marl_spans *spans, const window *w)
{
    if (spans->n > 0 && spans->span[spans->n - 1].to_ns == w->from_ns) {
        spans->span[spans->n - 1].to_ns += WINDOW_NS;
        return 1;
    }
    return lab_spans_add(spans, w->from_ns, w->from_ns + WINDOW_NS);
}

static int mark(const window *windows, size_t n, const double *field, marl_conditions *c)
{
    int fits = 1;
    for (size_t i = 0; i < n && fits; i++) {
        const window *w = &windows[i];
        fits = (!turns(w) || extend(&c->spans[MARL_CONDITION_TURNING], w)) &&
               (!shakes(w) || extend(&c->spans[MARL_CONDITION_SHAKING], w)) &&
               (field == NULL || !is_disturbed(w, field) || extend(&c->spans[MARL_CONDITION_DISTURBED], w));
    }
    return fits;
}

marl_status marl_conditions_find(const marl_log *log, const marl_calibration_record *record,
                                 const marl_series *reference, marl_conditions *conditions, marl_error *error)
{
    covered w = {NULL, 0};
    double field[3], *capacity = NULL;
    memset(conditions, 0, sizeof *conditions);
    marl_status status = marl_inspect_still(log, &conditions->spans[MARL_CONDITION_STILL], error);
    status = status != MARL_OK ? status : gather_readings(log, record, reference, &w, error);
    if (status == MARL_OK) {
        capacity = malloc((w.n + 1) * sizeof *capacity);
        int known = capacity != NULL && usual_field(w.at, w.n, capacity, field);
        if (capacity == NULL || !mark(w.at, w.n, known ? field : NULL, conditions)) {
            status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        }
    }
    free(capacity);
    free(w.at);
    if (status != MARL_OK) {
        marl_conditions_free(conditions);
    }
    return status;
}

void marl_conditions_free(marl_conditions *conditions)
{
    for (int i = 0; i < MARL_CONDITION_COUNT; i++) {
        marl_spans_free(&conditions->spans[i]);
    }
}
