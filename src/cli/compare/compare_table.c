/* SPDX-License-Identifier: MIT
 * A comparison as tables. */
#include "cli/compare/compare.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { MIN_NAME = 24, MAX_NAME = 44 };

/* Width of the column of names: the longest, within limits. */
static int name_width(const cli_comparison *job)
{
    int width = MIN_NAME;
    for (size_t i = 0; i < job->tunings; i++) {
        int n = (int)strlen(job->tuning[i].name);
        width = n > width ? n : width;
    }
    return width < MAX_NAME ? width : MAX_NAME;
}

static void print_cell(int width, int decimals, double value)
{
    if (isfinite(value)) {
        double shown = fabs(value) < 0.5 * pow(10, -decimals) ? 0 : value; /* no -0 */
        cli_print(" %*.*f", width, decimals, shown);
    } else {
        cli_print(" %*s", width, "-");
    }
}

static void print_turn(const char *side, marl_quat q, const double sigma[3])
{
    marl_rpy r = marl_quat_to_rpy(q);
    cli_print("%s roll %.2f, pitch %.2f, yaw %.2f deg (+-", side, (double)r.roll / MARL_DEGREE,
              (double)r.pitch / MARL_DEGREE, (double)r.yaw / MARL_DEGREE);
    for (int i = 0; i < 3; i++) {
        print_cell(0, 2, sigma[i]);
    }
    cli_print(" about x, y, z)\n");
}

static void print_clock(const marl_clock *clock)
{
    cli_print("clock: the reference's shows %+.5f s (+- %.5f) at the log's first row", clock->offset_s,
              clock->offset_sigma_s);
    if (isfinite(clock->ppm)) {
        cli_print(" and runs %+.1f ppm (+- %.1f)", clock->ppm, clock->ppm_sigma);
    }
    cli_print(";\n       the gyroscope, whose own delay is in it, explains %.1f %% of the turning\n",
              100 * clock->r_squared);
}

static void print_alignment(const cli_comparison *job, const cli_case *of)
{
    const marl_match *m = &of->match;
    if (job->matching.find_offset) {
        print_clock(&of->clock);
    }
    if (!m->has_world) {
        return;
    }
    print_turn("match: world side:", m->world, m->world_sigma_deg);
    if (m->has_body) {
        print_turn("       body side: ", m->body, m->body_sigma_deg);
    } else if (m->kind == MARL_MATCH_WORLD_AND_BODY) {
        cli_print(
            "       body side:  left out: this motion mixes it up with the world's, errors would come out "
            "%.0f times larger;\n                   record turns about a second level axis, too\n",
            fmin(m->condition, 999));
    }
    cli_print("       %.2f deg rms remain; constant errors of %s are absorbed into the frame rotations\n",
              m->residual_deg, of->match_smoothed ? "the smoothed log" : job->matching.by.name);
}

static double percent(uint32_t part, uint32_t of)
{
    return of > 0 ? 100.0 * (double)part / of : NAN;
}

static void print_name(const cli_comparison *job, const cli_run *r)
{
    char name[80];
    cli_run_name(job, r, name, sizeof name);
    cli_print("%-*.*s", name_width(job), name_width(job), name);
}

static void print_run(const cli_comparison *job, const cli_run *r)
{
    const marl_comparison *c = &r->comparison;
    print_name(job, r);
    if (!r->compared) {
        cli_print(" failed\n");
        return;
    }
    print_cell(6, 2, c->all.tilt.rms);
    print_cell(6, 2, c->all.tilt.p95);
    print_cell(6, 2, c->all.tilt.max);
    print_cell(8, 2, c->all.heading.rms);
    print_cell(6, 2, c->all.heading.max);
    print_cell(7, 2, c->all.total.rms);
    print_cell(6, 1, c->settle_s);
    print_cell(7, 3, c->jitter_deg);
    print_cell(5, 0, c->lag_ms);
    print_cell(6, 0, c->drift_deg_per_h);
    print_cell(6, 1, percent(r->counts.downweighted_accel, r->counts.used_accel));
    print_cell(5, 1, percent(r->counts.downweighted_mag, r->counts.used_mag));
    cli_print("%s%s\n", r->heading_is_magnetic ? "" : "  heading relative",
              r->error.status != MARL_OK ? "  failed" : "");
}

static void print_runs(const cli_comparison *job, const cli_case *of)
{
    cli_print("%-*s %6s %6s %6s %8s %6s %7s %6s %7s %5s %6s %12s\n", name_width(job), "", "tilt", "", "",
              "heading", "", "total", "settle", "jitter", "lag", "drift", "weight < 0.5");
    cli_print("%-*s %6s %6s %6s %8s %6s %7s %6s %7s %5s %6s %6s %5s\n", name_width(job), "error in degrees",
              "rms", "p95", "max", "rms", "max", "rms", "s", "deg", "ms", "deg/h", "acc %", "mag %");
    for (size_t i = 0; i < job->runs; i++) {
        if (job->run[i].of == of) {
            print_run(job, &job->run[i]);
        }
    }
}

/* What was left out, once a log: it is the same for every tuning; and what low weights mean. */
static void print_weights(const cli_comparison *job, const cli_case *of)
{
    uint32_t invalid[3] = {0};
    int low = 0;
    for (size_t i = 0; i < job->runs; i++) {
        const marl_estimator_counts *c = &job->run[i].counts;
        if (job->run[i].of == of) {
            invalid[0] = c->invalid_accel > invalid[0] ? c->invalid_accel : invalid[0];
            invalid[1] = c->invalid_gyro > invalid[1] ? c->invalid_gyro : invalid[1];
            invalid[2] = c->invalid_mag > invalid[2] ? c->invalid_mag : invalid[2];
            low |= 2.0 * c->downweighted_accel > c->used_accel || 2.0 * c->downweighted_mag > c->used_mag;
        }
    }
    if (invalid[0] + invalid[1] + invalid[2] > 0) {
        cli_print("invalid readings, left out: accel %u, gyro %u, mag %u\n", (unsigned)invalid[0],
                  (unsigned)invalid[1], (unsigned)invalid[2]);
    }
    if (low) {
        cli_print("weight < 0.5: share of the readings that disturbances made count less than half; the "
                  "estimate rests on "
                  "the gyroscope\nmeanwhile. accel_threshold, mag_threshold (kalman: accel_floor, "
                  "disturbance_time, mag_noise) "
                  "decide it.\n");
    }
}

static double score(const cli_comparison *job, const marl_measures *m)
{
    return job->rank_by == MARL_RANK_BY_TILT ? m->tilt.rms : m->total.rms;
}

static const char *by_name(const cli_comparison *job)
{
    return job->rank_by == MARL_RANK_BY_TILT ? "tilt" : "total";
}

static void print_conditions(const cli_comparison *job, const cli_case *of)
{
    const cli_run *any = NULL;
    char title[40];
    snprintf(title, sizeof title, "%s error, rms, while", by_name(job));
    cli_print("\n%-*s", name_width(job), title);
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        cli_print(" %10s", marl_condition_name((marl_condition)k));
    }
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *r = &job->run[i];
        if (r->of != of || !r->compared) {
            continue;
        }
        if (any == NULL) {
            cli_print("\n%-*s", name_width(job), "share of the time, %");
            for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
                print_cell(10, 0, 100 * r->comparison.by_condition[k].share);
            }
            cli_print("\n");
            any = r;
        }
        print_name(job, r);
        for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
            print_cell(10, 2, score(job, &r->comparison.by_condition[k]));
        }
        cli_print("\n");
    }
}

/* Tunings down, rates across. */
static void print_rates(const cli_comparison *job, const cli_case *of)
{
    char title[40];
    snprintf(title, sizeof title, "%s error, rms, at", by_name(job));
    cli_print("%-*s", name_width(job), title);
    for (size_t k = 0; k < job->rates; k++) {
        cli_print(" %7.4g", job->rate_hz[k]);
    }
    cli_print(" Hz\n");
    for (size_t i = 0; i < job->runs; i++) {
        const cli_run *r = &job->run[i];
        if (r->of != of) {
            continue;
        }
        if (i / job->cases % job->rates == 0) {
            cli_print("%-*.*s", name_width(job), name_width(job), r->tuning->name);
        }
        if (r->error.status == MARL_OK) {
            print_cell(7, 2, score(job, &r->comparison.all));
        } else {
            cli_print(" %7s", "failed");
        }
        if (i / job->cases % job->rates == job->rates - 1) {
            cli_print("\n");
        }
    }
}

/* What the order is worth; less than is printed is nothing. */
static const char *worth(const marl_rank *k)
{
    if (!isfinite(k->low)) {
        return "";
    }
    if (k->low <= 0.0005) {
        return "  not distinguishable from the first";
    }
    return k->over_logs ? "  worse" : "  worse on this recording";
}

/* A difference of two tunings is decided by a smoothed reference only where it exceeds that reference's own
 * standard deviation. */
static const char *decided(const cli_comparison *job, const marl_rank *k)
{
    double sigma = cli_reference_sigma(job);
    return !(sigma > 0) ? "" : k->difference > sigma ? ", decided" : ", not decided by this reference";
}

static void print_ranking(const cli_comparison *job)
{
    size_t contenders = job->tunings * job->rates;
    if (contenders < 2 || job->rates > 1) {
        return;
    }
    cli_print(
        "\nIn order of the %s error, rms%s; then how much more than the first, with its 95 %% interval:\n",
        by_name(job), job->cases > 1 ? " over all logs" : "");
    for (size_t i = 0; i < contenders; i++) {
        const marl_rank *k = &job->rank[i];
        print_name(job, &job->run[k->tuning * job->cases]);
        print_cell(7, 3, k->score_deg);
        if (k->failed > 0) {
            cli_print("  failed on %zu of %zu\n", k->failed, job->cases);
        } else if (i > 0 && isfinite(k->low)) {
            cli_print("  +%.3f (%.3f to %.3f)%s%s\n", k->difference, k->low, k->high, worth(k),
                      decided(job, k));
        } else {
            cli_print("\n");
        }
    }
    if (contenders > 1 && !job->rank[0].over_logs) {
        cli_print("The interval holds for what was recorded. Three logs or more (--case) show what holds for "
                  "others.\n");
    }
    if (cli_reference_sigma(job) > 0) {
        cli_print(
            "The reference is the log itself, smoothed, with a standard deviation of %.3f deg. It shares the "
            "sensors of\n"
            "the estimates: a magnetometer error along an axis that never turned is in both, and hidden.\n",
            cli_reference_sigma(job));
    }
    if (job->rank_by == MARL_RANK_BY_TILT) {
        cli_print(
            "By tilt, since a heading among them is relative; --match heading makes headings comparable.\n");
    }
}

int cli_compare_table(const cli_comparison *job, const char *figure)
{
    for (size_t i = 0; i < job->cases; i++) {
        const cli_case *of = &job->of[i];
        cli_print("%s%s against %s\n", i > 0 ? "\n" : "", of->log_path, of->reference_path);
        print_alignment(job, of);
        cli_print("\n");
        if (job->rates > 1) {
            print_rates(job, of);
        } else {
            print_runs(job, of);
            print_weights(job, of);
            print_conditions(job, of);
        }
    }
    print_ranking(job);
    if (figure != NULL) {
        cli_print("figure: %s\n", figure);
    }
    return cli_print_done();
}
