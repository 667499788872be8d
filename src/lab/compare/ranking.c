/* SPDX-License-Identifier: MIT
 * Ranking with a bootstrap over blocks of time. */
#include "lab/maths/random.h"
#include "lab/maths/statistics.h"
#include "marlinspike/compare.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define MIN_BLOCK_NS INT64_C(5000000000)
#define MAX_BLOCKS 400         /* a case; longer ones have longer blocks */
#define MIN_BLOCKS 8           /* a case, whatever its errors remember */
#define MEMORIES 3             /* times the memory of the errors is a block */
#define CONFIDENCE 1.959963985 /* deviations of a normal number: 95 % */
#define MAX_SECONDS 20000
#define SEED 20261123
#define MIN_SQUARE 1e-12 /* deg^2, in place of zero, which has no logarithm */
enum { DRAWS = 1000, MIN_CASES = 3, STRETCHES = 5 };

/* Sums over one block. */
typedef struct sums {
    double squares, n;
} sums;

/* Blocks of a case, the same times for all tunings. */
typedef struct blocks {
    size_t n;
    int64_t from_ns, length_ns;
    sums *sum; /* n for each tuning */
} blocks;

/* How long the squared errors of a comparison remember, s: the sum of their autocorrelation over means of a
 * second until it is first negative. */
static double memory_of(const marl_comparison *c, marl_rank_by by, double *second, size_t seconds)
{
    double mean = 0, variance = 0, sum = 1;
    size_t n = 0, at = 0;
    for (size_t k = 0; k < seconds; k++) {
        int64_t until = c->t_ns[0] + (int64_t)(k + 1) * INT64_C(1000000000);
        double squares = 0, count = 0;
        for (; at < c->n && c->t_ns[at] < until; at++) {
            double e = by == MARL_RANK_BY_TILT ? c->error[at].tilt_deg : c->error[at].total_deg;
            squares += e * e;
            count++;
        }
        if (count > 0) {
            second[n++] = squares / count;
            mean += squares / count;
        }
    }
    mean /= n > 0 ? (double)n : 1;
    for (size_t i = 0; i < n; i++) {
        variance += pow(second[i] - mean, 2);
    }
    for (size_t lag = 1; lag < n && variance > 0; lag++) {
        double product = 0;
        for (size_t i = lag; i < n; i++) {
            product += (second[i] - mean) * (second[i - lag] - mean);
        }
        if (product <= 0) {
            break;
        }
        sum += 2 * product / variance;
    }
    return sum;
}

/* The longest memory of a case's errors; negative without memory for it. */
static double memory_of_case(const marl_comparison *const *compared, size_t tunings, size_t cases,
                             marl_rank_by by)
{
    double longest = 0;
    for (size_t t = 0; t < tunings; t++) {
        const marl_comparison *c = compared[t * cases];
        if (c == NULL || c->n == 0) {
            continue;
        }
        size_t seconds = (size_t)((c->t_ns[c->n - 1] - c->t_ns[0]) / 1000000000) + 1;
        double *second = seconds < MAX_SECONDS ? malloc(seconds * sizeof *second) : NULL;
        if (second == NULL) {
            return seconds < MAX_SECONDS ? -1 : longest; /* days: blocks are long in any case */
        }
        longest = fmax(longest, memory_of(c, by, second, seconds));
        free(second);
    }
    return longest;
}

static void cover(const marl_comparison *const *compared, size_t tunings, size_t cases, double memory_s,
                  blocks *b)
{
    int64_t last = 0;
    int any = 0;
    for (size_t t = 0; t < tunings; t++) {
        const marl_comparison *c = compared[t * cases];
        if (c != NULL && c->n > 0) {
            b->from_ns = !any || c->t_ns[0] < b->from_ns ? c->t_ns[0] : b->from_ns;
            last = !any || c->t_ns[c->n - 1] > last ? c->t_ns[c->n - 1] : last;
            any = 1;
        }
    }
    int64_t seconds = any ? last - b->from_ns : 0, even = seconds / MAX_BLOCKS;
    int64_t wanted = (int64_t)(1e9 * fmin(MEMORIES * memory_s, 1e-9 * (double)seconds / MIN_BLOCKS));
    even = wanted > even ? wanted : even;
    b->length_ns = even > MIN_BLOCK_NS ? even : MIN_BLOCK_NS;
    b->n = any ? (size_t)(seconds / b->length_ns) : 0;
    b->n = any && b->n == 0 ? 1 : b->n;
}

static void add_up(const marl_comparison *c, marl_rank_by by, const blocks *b, sums *sum)
{
    for (size_t i = 0; i < c->n; i++) {
        double e = by == MARL_RANK_BY_TILT ? c->error[i].tilt_deg : c->error[i].total_deg;
        size_t at = (size_t)((c->t_ns[i] - b->from_ns) / b->length_ns);
        at = at < b->n ? at : b->n - 1; /* the rest at the end belongs to the last */
        sum[at].squares += e * e;
        sum[at].n++;
    }
}

static marl_status make_blocks(const marl_contest *c, blocks *b, marl_error *error)
{
    for (size_t k = 0; k < c->cases; k++) {
        double memory_s = memory_of_case(c->compared + k, c->tunings, c->cases, c->by);
        if (memory_s < 0) {
            return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        }
        cover(c->compared + k, c->tunings, c->cases, memory_s, &b[k]);
        b[k].sum = calloc(c->tunings * b[k].n + 1, sizeof *b[k].sum);
        if (b[k].sum == NULL) {
            return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
        }
        for (size_t t = 0; t < c->tunings; t++) {
            if (c->compared[t * c->cases + k] != NULL) {
                add_up(c->compared[t * c->cases + k], c->by, &b[k], b[k].sum + t * b[k].n);
            }
        }
    }
    return MARL_OK;
}

/* Mean square error of a case from some of its blocks; `drawn` NULL = all once. */
static double mean_square(const sums *block, const size_t *drawn, size_t n)
{
    double squares = 0, count = 0;
    for (size_t i = 0; i < n; i++) {
        const sums *s = &block[drawn != NULL ? drawn[i] : i];
        squares += s->squares;
        count += s->n;
    }
    return count > 0 ? squares / count : NAN;
}

/* The blocks of all cases. */
typedef struct blocked {
    const blocks *by_case;
    size_t tunings, cases;
} blocked;

/* Scores of all tunings from the same drawn blocks for all; *drawn NULL = all blocks once. A case without an error
 * is left out of a tuning's score. */
static void score_all(const blocked *b, size_t *const *drawn, double *score)
{
    for (size_t t = 0; t < b->tunings; t++) {
        double sum = 0, n = 0;
        for (size_t k = 0; k < b->cases; k++) {
            const blocks *one = &b->by_case[k];
            double square = mean_square(one->sum + t * one->n, drawn != NULL ? drawn[k] : NULL, one->n);
            sum += isfinite(square) ? log(fmax(square, MIN_SQUARE)) : 0;
            n += isfinite(square);
        }
        score[t] = n > 0 ? exp(0.5 * sum / n) : NAN;
    }
}

static int comes_before(const marl_rank *a, const marl_rank *b)
{
    if (a->failed != b->failed) {
        return a->failed < b->failed;
    }
    return isfinite(a->score_deg) && !(a->score_deg >= b->score_deg);
}

/* Straight insertion: there are few. */
static void put_in_order(marl_rank *rank, size_t n)
{
    for (size_t i = 1; i < n; i++) {
        marl_rank moved = rank[i];
        size_t k = i;
        for (; k > 0 && comes_before(&moved, &rank[k - 1]); k--) {
            rank[k] = rank[k - 1];
        }
        rank[k] = moved;
    }
}

/* What the bootstrap works on. */
typedef struct scratch {
    size_t **drawn;             /* a case */
    double *score, *difference; /* a tuning; DRAWS a tuning */
} scratch;

static int allocate_scratch(scratch *r, const blocked *b)
{
    size_t tunings = b->tunings, cases = b->cases;
    int fits = 1;
    r->drawn = calloc(cases + 1, sizeof *r->drawn);
    r->score = malloc((tunings + 1) * sizeof *r->score);
    r->difference = malloc((tunings + 1) * DRAWS * sizeof *r->difference);
    for (size_t k = 0; k < cases && r->drawn != NULL; k++) {
        r->drawn[k] = malloc((b->by_case[k].n + 1) * sizeof *r->drawn[k]);
        fits = fits && r->drawn[k] != NULL;
    }
    return fits && r->drawn != NULL && r->score != NULL && r->difference != NULL;
}

static void free_scratch(scratch *r, size_t cases)
{
    for (size_t k = 0; k < cases && r->drawn != NULL; k++) {
        free(r->drawn[k]);
    }
    free(r->drawn);
    free(r->score);
    free(r->difference);
}

static void draw(scratch *r, const blocked *b, size_t first)
{
    lab_random random = lab_random_seeded(SEED, 0);
    for (size_t i = 0; i < DRAWS; i++) {
        for (size_t k = 0; k < b->cases; k++) {
            for (size_t j = 0; j < b->by_case[k].n; j++) {
                r->drawn[k][j] = (size_t)(lab_random_uniform(&random) * (double)b->by_case[k].n);
            }
        }
        score_all(b, r->drawn, r->score);
        for (size_t t = 0; t < b->tunings; t++) {
            double difference = r->score[t] - r->score[first];
            r->difference[t * DRAWS + i] = isfinite(difference) ? difference : 0;
        }
    }
}

/* Of the errors of one tuning to those of the first, with Student's interval of its logarithm. */
static void find_ratio(const blocked *b, size_t first, marl_rank *rank)
{
    double n = (double)b->cases, mean = 0, squares = 0;
    for (int pass = 0; pass < 2; pass++) {
        for (size_t k = 0; k < b->cases; k++) {
            const blocks *one = &b->by_case[k];
            double own = fmax(mean_square(one->sum + rank->tuning * one->n, NULL, one->n), MIN_SQUARE);
            double other = fmax(mean_square(one->sum + first * one->n, NULL, one->n), MIN_SQUARE);
            double ratio = 0.5 * log(own / other);
            mean += pass == 0 ? ratio / n : 0;
            squares += pass == 1 ? (ratio - mean) * (ratio - mean) : 0;
        }
    }
    rank->ratio = exp(mean);
    if (b->cases >= MIN_CASES) {
        double half = lab_student_deviation(CONFIDENCE, n - 1) * sqrt(squares / (n * (n - 1)));
        rank->ratio_low = exp(mean - half);
        rank->ratio_high = exp(mean + half);
    }
}

/* Stretches of one recording differ as recordings do: one more of them would lie within Student's interval. A whole recording
 * averages, but differs from this one by more than stretches of it do. */
static void find_next(const blocks *one, size_t first, marl_rank *rank)
{
    lab_moments ratios = {0};
    for (size_t k = 0; k < STRETCHES && one->n >= STRETCHES; k++) {
        size_t from = k * one->n / STRETCHES, n = (k + 1) * one->n / STRETCHES - from;
        double own = fmax(mean_square(one->sum + rank->tuning * one->n + from, NULL, n), MIN_SQUARE);
        double other = fmax(mean_square(one->sum + first * one->n + from, NULL, n), MIN_SQUARE);
        lab_moments_add(&ratios, 0.5 * log(own / other));
    }
    if (ratios.n == STRETCHES) {
        double half = lab_student_deviation(CONFIDENCE, STRETCHES - 1) * lab_moments_deviation(&ratios) *
                      sqrt(1 + 1.0 / STRETCHES);
        rank->next_low = rank->ratio * exp(-half);
        rank->next_high = rank->ratio * exp(half);
    }
}

static marl_status find_intervals(const blocked *b, marl_rank *rank, marl_error *error)
{
    scratch r = {NULL, NULL, NULL};
    if (!allocate_scratch(&r, b)) {
        free_scratch(&r, b->cases);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    draw(&r, b, rank[0].tuning);
    for (size_t i = 0; i < b->tunings; i++) {
        double *d = r.difference + rank[i].tuning * DRAWS;
        if (rank[i].failed == 0 && rank[0].failed == 0) {
            rank[i].low = lab_quantile(d, DRAWS, 0.025);
            rank[i].high = lab_quantile(d, DRAWS, 0.975);
        }
    }
    free_scratch(&r, b->cases);
    return MARL_OK;
}

marl_status marl_rank_tunings(const marl_contest *contest, marl_rank *rank, marl_error *error)
{
    size_t tunings = contest->tunings, cases = contest->cases;
    blocks *b = calloc(cases + 1, sizeof *b);
    double *score = malloc((tunings + 1) * sizeof *score);
    marl_status status = b != NULL && score != NULL ? make_blocks(contest, b, error)
                                                    : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    size_t total = 0;
    for (size_t k = 0; k < cases && status == MARL_OK && b != NULL; k++) {
        total += b[k].n;
    }
    if (status == MARL_OK && b != NULL && score != NULL) {
        const blocked all = {b, tunings, cases};
        score_all(&all, NULL, score);
        for (size_t t = 0; t < tunings; t++) {
            rank[t] = (marl_rank){.tuning = t,
                                  .score_deg = score[t],
                                  .low = NAN,
                                  .high = NAN,
                                  .ratio = NAN,
                                  .ratio_low = NAN,
                                  .ratio_high = NAN,
                                  .next_low = NAN,
                                  .next_high = NAN};
            for (size_t k = 0; k < cases; k++) {
                rank[t].failed += contest->compared[t * cases + k] == NULL;
            }
        }
        put_in_order(rank, tunings);
        for (size_t t = 0; t < tunings; t++) {
            rank[t].difference = rank[t].score_deg - rank[0].score_deg;
        }
        for (size_t t = 0; t < tunings && rank[0].failed == 0 && rank[t].failed == 0; t++) {
            find_ratio(&all, rank[0].tuning, &rank[t]);
            if (cases == 1) {
                find_next(&b[0], rank[0].tuning, &rank[t]);
            }
        }
        if (total >= 2) {
            status = find_intervals(&all, rank, error);
        }
    }
    for (size_t k = 0; k < cases && b != NULL; k++) {
        free(b[k].sum);
    }
    free(b);
    free(score);
    return status;
}
