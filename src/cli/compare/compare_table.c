/* SPDX-License-Identifier: MIT
 * A comparison as tables. */
#include "cli/compare/compare.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { MIN_NAME = 24, MAX_NAME = 60 };

/* Width of the column of names: the longest, within limits. */
static int name_width(const marl_study *study)
{
    int width = MIN_NAME;
    for (size_t i = 0; i < study->tuning_n; i++) {
        char label[sizeof study->tunings[i].name];
        marl_study_label(study, i, label, sizeof label);
        int n = (int)strlen(label);
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

static void print_alignment(const marl_study *study, const marl_study_case *it)
{
    const marl_match *m = &it->match;
    if (study->options.find_offset) {
        print_clock(&it->clock);
    }
    if (!m->has_world) {
        return;
    }
    print_turn("match: world side:", m->world, m->world_sigma_deg);
    if (m->has_body) {
        print_turn("       body side: ", m->body, m->body_sigma_deg);
    } else if (m->kind == MARL_MATCH_WORLD_AND_BODY && it->clock_is_off) {
        cli_print("       body side:  left out: with a clock that is off nothing is known of it\n");
    } else if (m->kind == MARL_MATCH_WORLD_AND_BODY) {
        cli_print(
            "       body side:  left out: this motion mixes it up with the world's, errors would come out "
            "%.0f times larger;\n                   record turns about a second level axis, too\n",
            fmin(m->condition, 999));
    }
    cli_print("       %.2f deg rms remain; constant errors of %s are absorbed into the frame rotations\n",
              m->residual_deg,
              it->match_smoothed                ? "the smoothed log"
              : study->options.match_by != NULL ? study->options.match_by->name
                                                : study->kalman.name);
}

static double percent(uint32_t part, uint32_t of)
{
    return of > 0 ? 100.0 * (double)part / of : NAN;
}

static void print_name(const marl_study *study, const marl_run *r)
{
    char name[80];
    marl_study_run_name(study, r, name, sizeof name);
    cli_print("%-*.*s", name_width(study), name_width(study), name);
}

static void print_run(const marl_study *study, const marl_run *r)
{
    const marl_comparison *c = &r->comparison;
    print_name(study, r);
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
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        const marl_scalar *row = marl_scalar_row((marl_scalar_id)i);
        print_cell(row->width, row->decimals, marl_scalar_value(c, (marl_scalar_id)i));
    }
    print_cell(6, 1, percent(r->counts.downweighted_accel, r->counts.used_accel));
    print_cell(5, 1, percent(r->counts.downweighted_mag, r->counts.used_mag));
    cli_print("%s%s\n", r->heading_is_magnetic ? "" : "  heading relative",
              r->error.status != MARL_OK ? "  failed" : "");
}

static void print_runs(const marl_study *study, const marl_study_case *it)
{
    cli_print("%-*s %6s %6s %6s %8s %6s %7s", name_width(study), "", "tilt", "", "", "heading", "", "total");
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        const marl_scalar *row = marl_scalar_row((marl_scalar_id)i);
        cli_print(" %*s", row->width, row->title);
    }
    cli_print(" %12s\n%-*s %6s %6s %6s %8s %6s %7s", "weight < 0.5", name_width(study), "error in degrees",
              "rms", "p95", "max", "rms", "max", "rms");
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        const marl_scalar *row = marl_scalar_row((marl_scalar_id)i);
        cli_print(" %*s", row->width, row->unit);
    }
    cli_print(" %6s %5s\n", "acc %", "mag %");
    for (size_t i = 0; i < study->run_n; i++) {
        if (study->runs[i].on == it) {
            print_run(study, &study->runs[i]);
        }
    }
}

/* What was left out, once a log: it is the same for every tuning; and what low weights mean. */
static void print_weights(const marl_study *study, const marl_study_case *it)
{
    uint32_t invalid[3] = {0};
    int low = 0;
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_estimator_counts *c = &study->runs[i].counts;
        if (study->runs[i].on == it) {
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

static const char *by_name(const marl_study *study)
{
    return study->rank_by == MARL_RANK_BY_TILT ? "tilt" : "total";
}

static void print_conditions(const marl_study *study, const marl_study_case *it)
{
    const marl_run *any = NULL;
    char title[40];
    snprintf(title, sizeof title, "%s error, rms, while", by_name(study));
    cli_print("\n%-*s", name_width(study), title);
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        cli_print(" %10s", marl_condition_name((marl_condition)k));
    }
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *r = &study->runs[i];
        if (r->on != it || !r->compared) {
            continue;
        }
        if (any == NULL) {
            cli_print("\n%-*s", name_width(study), "share of the time, %");
            for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
                print_cell(10, 0, 100 * r->comparison.by_condition[k].share);
            }
            cli_print("\n");
            any = r;
        }
        print_name(study, r);
        for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
            print_cell(10, 2, marl_study_score(study, &r->comparison.by_condition[k]));
        }
        cli_print("\n");
    }
}

/* Tunings down, rates across. */
static void print_rates(const marl_study *study, const marl_study_case *it)
{
    char title[40];
    snprintf(title, sizeof title, "%s error, rms, at", by_name(study));
    cli_print("%-*s", name_width(study), title);
    for (size_t k = 0; k < study->rate_n; k++) {
        cli_print(" %7.4g", study->rates[k]);
    }
    cli_print(" Hz\n");
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *r = &study->runs[i];
        if (r->on != it) {
            continue;
        }
        if (i / study->case_n % study->rate_n == 0) {
            char label[sizeof r->tuning->name];
            marl_study_label(study, (size_t)(r->tuning - study->tunings), label, sizeof label);
            cli_print("%-*.*s", name_width(study), name_width(study), label);
        }
        if (r->error.status == MARL_OK) {
            print_cell(7, 2, marl_study_score(study, &r->comparison.all));
        } else {
            cli_print(" %7s", "failed");
        }
        if (i / study->case_n % study->rate_n == study->rate_n - 1) {
            cli_print("\n");
        }
    }
}

/* Significance of the ranking: on what was recorded, and on other logs of the kind. */
static const char *worth(const marl_study *study, const marl_rank *k)
{
    if (!isfinite(k->low) || !marl_study_is_aligned(study)) {
        return "";
    }
    if (isfinite(k->ratio_low)) {
        return marl_rank_is_worse_elsewhere(k) ? "  worse"
               : marl_rank_is_worse(k)         ? "  worse on these logs, not shown for others"
                                               : "  not distinguishable from the first";
    }
    if (!marl_rank_is_worse(k)) {
        return "  not distinguishable from the first";
    }
    return study->case_n > 1 ? "  worse on these recordings" : "  worse on this recording";
}

/* A difference that the recording shows is decided by a smoothed reference only where it exceeds that reference's own
 * standard deviation. */
static const char *decided(const marl_study *study, const marl_rank *k)
{
    double sigma = marl_study_reference_sigma(study);
    if (!(sigma > 0) || !marl_rank_is_worse(k)) {
        return "";
    }
    return marl_study_is_worse(study, k) ? ", decided" : ", not decided by this reference";
}

static void print_difference(const marl_study *study, const marl_rank *k)
{
    cli_print("  +%.3f (%.3f to %.3f)", k->difference, k->low, k->high);
    if (isfinite(k->ratio_low)) {
        cli_print("  x %.2f (%.2f to %.2f)", k->ratio, k->ratio_low, k->ratio_high);
    }
    cli_print("%s%s\n", worth(study, k), decided(study, k));
}

static void print_ranking(const marl_study *study)
{
    size_t contenders = study->tuning_n * study->rate_n;
    if (contenders < 2 || study->rate_n > 1) {
        return;
    }
    int over_logs = isfinite(study->rank[0].ratio_low);
    cli_print("\nIn order of the %s error, rms%s; then how much more than the first%s, with its 95 %% "
              "interval%s:\n",
              by_name(study), study->case_n > 1 ? ", geometric mean over the logs" : "",
              over_logs ? " on these logs" : "",
              over_logs ? ";\nthen how many times as much, with the interval for other logs of the kind"
                        : "");
    for (size_t i = 0; i < contenders; i++) {
        const marl_rank *k = &study->rank[i];
        print_name(study, &study->runs[k->tuning * study->case_n]);
        print_cell(7, 3, k->score_deg);
        if (k->failed > 0) {
            cli_print("  failed on %zu of %zu\n", k->failed, study->case_n);
        } else if (i > 0 && isfinite(k->low)) {
            print_difference(study, k);
        } else {
            cli_print("\n");
        }
    }
    if (contenders > 1 && !over_logs) {
        cli_print("The interval holds for what was recorded. Three logs or more (--case) show what holds for "
                  "others.\n");
    }
    if (!marl_study_is_aligned(study)) {
        cli_print("Log and reference are not on one clock or not in one frame (see the warnings): these "
                  "errors are of the "
                  "frames, and\nthe order says nothing about the tunings.\n");
    }
    if (isinf(marl_study_reference_sigma(study))) {
        cli_print(
            "The reference is the log itself, smoothed, and not to be trusted (see the warnings): nothing is "
            "decided.\n");
    } else if (marl_study_reference_sigma(study) > 0) {
        cli_print(
            "The reference is the log itself, smoothed, with a standard deviation of %.3f deg. It shares the "
            "sensors of\n"
            "the estimates: a magnetometer error along an axis that never turned is in both, and hidden.\n",
            marl_study_reference_sigma(study));
    }
    if (study->rank_by == MARL_RANK_BY_TILT) {
        cli_print(
            "By tilt, since a heading among them is relative; --match heading makes headings comparable.\n");
    }
}

int cli_compare_table(const marl_study *study, const char *figure)
{
    for (size_t i = 0; i < study->case_n; i++) {
        const marl_study_case *it = &study->cases[i];
        cli_print("%s%s against %s\n", i > 0 ? "\n" : "", it->log_path, it->reference_path);
        print_alignment(study, it);
        char common[600];
        marl_study_common(study, common, sizeof common);
        cli_print(common[0] != '\0' ? "all tunings: %s\n\n" : "\n", common);
        if (study->rate_n > 1) {
            print_rates(study, it);
        } else {
            print_runs(study, it);
            print_weights(study, it);
            print_conditions(study, it);
        }
    }
    print_ranking(study);
    if (figure != NULL) {
        cli_print("figure: %s\n", figure);
    }
    return cli_print_done();
}
