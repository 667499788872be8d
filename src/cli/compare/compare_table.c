/* SPDX-License-Identifier: MIT
 * A comparison as tables. */
#include "cli/compare/compare.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { NAME = 23 }; /* width of the column of names */

/* A longer name has a line of its own. */
static void print_label(const char *label)
{
    if (strlen(label) <= NAME) {
        cli_print("%-*s", NAME, label);
    } else {
        cli_print("%s\n%*s", label, NAME, "");
    }
}

void cli_compare_cell(int width, int decimals, double value)
{
    if (!isfinite(value)) {
        cli_print(" %*s", width, "-");
        return;
    }
    double shown = fabs(value) < 0.5 * pow(10, -decimals) ? 0 : value; /* no -0 */
    while (decimals > 0 && width > 0 && snprintf(NULL, 0, "%.*f", decimals, shown) > width) {
        decimals--;
    }
    cli_print(" %*.*f", width, decimals, shown);
}

static void print_turn(const char *side, marl_quat q, const double sigma[3])
{
    marl_rpy r = marl_quat_to_rpy(q);
    cli_print("%s roll %.2f, pitch %.2f, yaw %.2f deg", side, (double)r.roll / MARL_DEGREE,
              (double)r.pitch / MARL_DEGREE, (double)r.yaw / MARL_DEGREE);
    if (isnan(sigma[0]) && isnan(sigma[1]) && isnan(sigma[2])) { /* of a filter that states none */
        cli_print(" (standard deviation not known)\n");
        return;
    }
    cli_print(" (+-");
    for (int i = 0; i < 3; i++) {
        cli_compare_cell(0, 2, sigma[i]);
    }
    cli_print(" about x, y, z)\n");
}

static void print_clock(const marl_clock *clock)
{
    char pace[64] = "";
    if (isfinite(clock->ppm)) {
        snprintf(pace, sizeof pace, " and runs %+.1f ppm (+- %.1f)", clock->ppm, clock->ppm_sigma);
    }
    cli_print_prose(7,
                    "clock: the reference's shows %+.5f s (+- %.5f) at the log's first row%s; the gyroscope, "
                    "whose own delay is in it, explains %.1f %% of the turning",
                    clock->offset_s, clock->offset_sigma_s, pace, 100 * clock->r_squared);
}

static void print_body_side(const marl_study_case *it)
{
    const marl_match *m = &it->match;
    if (m->has_body || m->body_is_mixed) {
        print_turn("       body side: ", m->body, m->body_sigma_deg);
    }
    if (m->body_is_mixed) {
        cli_print_prose(
            19,
            "                   but for its turn about (%.2f, %.2f, %.2f), which this motion mixes up "
            "with the world's: their sum is known, each of them %.0f times less well; record turns "
            "about a second level axis, too",
            m->mixed_axis[0], m->mixed_axis[1], m->mixed_axis[2], fmin(m->condition, 999));
    }
    if (m->has_body || m->body_is_mixed || m->kind != MARL_MATCH_WORLD_AND_BODY) {
        return;
    }
    if (it->clock_is_off) {
        cli_print("       body side:  left out: with a clock that is off nothing is known of it\n");
    } else {
        cli_print_prose(19,
                        "       body side:  left out: this motion mixes it up with the world's, errors would "
                        "come out %.0f times larger; record turns about a second level axis, too",
                        fmin(m->condition, 999));
    }
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
    print_body_side(it);
    cli_print_prose(7,
                    "       %.2f deg rms remain; constant errors of %s are absorbed into the frame rotations",
                    m->residual_deg,
                    it->match_smoothed                ? "the smoothed log"
                    : study->options.match_by != NULL ? study->options.match_by->name
                                                      : study->kalman.name);
}

static double percent(uint32_t part, uint32_t of)
{
    return of > 0 ? 100.0 * (double)part / of : NAN;
}

void cli_compare_name(const marl_study *study, const marl_run *r)
{
    char name[80];
    marl_study_run_name(study, r, name, sizeof name);
    print_label(name);
}

/* The columns of the table of errors that some run of a log fills. */
typedef struct columns {
    int heading, scalar[MARL_SCALAR_COUNT], accel, mag;
} columns;

static columns filled_columns(const marl_study *study, const marl_study_case *it)
{
    columns has = {0};
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *r = &study->runs[i];
        if (r->on != it || !r->compared) {
            continue;
        }
        has.heading |= isfinite(r->comparison.all.heading.rms);
        for (int k = 0; k < MARL_SCALAR_COUNT; k++) {
            has.scalar[k] |= isfinite(marl_scalar_value(&r->comparison, (marl_scalar_id)k));
        }
        has.accel |= r->counts.downweighted_accel > 0;
        has.mag |= r->counts.downweighted_mag > 0;
    }
    return has;
}

static void print_run(const marl_study *study, const marl_run *r, const columns *has)
{
    const marl_comparison *c = &r->comparison;
    cli_compare_name(study, r);
    if (!r->compared) {
        cli_print(" failed\n");
        return;
    }
    cli_compare_cell(5, 2, c->all.tilt.rms);
    cli_compare_cell(5, 2, c->all.tilt.p95);
    cli_compare_cell(5, 2, c->all.tilt.max);
    if (has->heading) {
        cli_compare_cell(6, 2, c->all.heading.rms);
        cli_compare_cell(5, 2, c->all.heading.max);
        cli_compare_cell(6, 2, c->all.total.rms);
    }
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        const marl_scalar *row = marl_scalar_row((marl_scalar_id)i);
        if (has->scalar[i]) {
            cli_compare_cell(row->width, row->decimals, marl_scalar_value(c, (marl_scalar_id)i));
        }
    }
    if (has->accel) {
        cli_compare_cell(5, 1, percent(r->counts.downweighted_accel, r->counts.used_accel));
    }
    if (has->mag) {
        cli_compare_cell(5, 1, percent(r->counts.downweighted_mag, r->counts.used_mag));
    }
    cli_print("%s\n", r->error.status != MARL_OK ? "  failed" : "");
    if (!r->heading_is_magnetic) {
        cli_print("  (its heading is relative to the start)\n");
    }
}

/* Titles or units of the measures that are shown. */
static void print_scalar_heads(const columns *has, int as_units)
{
    for (int i = 0; i < MARL_SCALAR_COUNT; i++) {
        const marl_scalar *row = marl_scalar_row((marl_scalar_id)i);
        if (has->scalar[i]) {
            cli_print(" %*s", row->width, as_units ? row->unit : row->title);
        }
    }
}

/* The two lines above the errors: groups, then measures or units. */
static void print_heads(const columns *has)
{
    int weights = has->accel + has->mag;
    cli_print("%-*s %11s%6s%s", NAME, "", "tilt", "", has->heading ? "   heading     total" : "");
    print_scalar_heads(has, 0);
    cli_print("%s\n", weights == 2 ? "  weight<0.5" : weights == 1 ? " w<0.5" : "");
    cli_print("%-*s %5s %5s %5s%s", NAME, "error in degrees", "rms", "p95", "max",
              has->heading ? "    rms   max    rms" : "");
    print_scalar_heads(has, 1);
    cli_print("%s%s\n", has->accel ? " acc %" : "", has->mag ? " mag %" : "");
}

static void print_runs(const marl_study *study, const marl_study_case *it)
{
    columns has = filled_columns(study, it);
    print_heads(&has);
    for (size_t i = 0; i < study->run_n; i++) {
        if (study->runs[i].on == it) {
            print_run(study, &study->runs[i], &has);
        }
    }
}

/* What was left out, once a log: it is the same for every tuning. */
static void print_invalid(const marl_study *study, const marl_study_case *it)
{
    uint32_t invalid[3] = {0};
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_estimator_counts *c = &study->runs[i].counts;
        if (study->runs[i].on == it) {
            invalid[0] = c->invalid_accel > invalid[0] ? c->invalid_accel : invalid[0];
            invalid[1] = c->invalid_gyro > invalid[1] ? c->invalid_gyro : invalid[1];
            invalid[2] = c->invalid_mag > invalid[2] ? c->invalid_mag : invalid[2];
        }
    }
    if (invalid[0] + invalid[1] + invalid[2] > 0) {
        cli_print("invalid readings, left out: accel %u, gyro %u, mag %u\n", (unsigned)invalid[0],
                  (unsigned)invalid[1], (unsigned)invalid[2]);
    }
}

/* What low weights mean, once for all logs. */
static void print_weights(const marl_study *study)
{
    int low = 0;
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_estimator_counts *c = &study->runs[i].counts;
        low |= 2.0 * c->downweighted_accel > c->used_accel || 2.0 * c->downweighted_mag > c->used_mag;
    }
    if (low) {
        cli_print_prose(0, "\nweight<0.5: share of the readings that disturbances made count less than half; "
                           "the estimate rests on the gyroscope meanwhile. accel_threshold, mag_threshold "
                           "(kalman: accel_floor, disturbance_time, mag_noise) decide it.");
    }
}

const char *cli_compare_by(const marl_study *study)
{
    return study->rank_by == MARL_RANK_BY_TILT ? "tilt" : "total";
}

/* Set for the conditions in which some tuning of this log has an error. */
static void met_conditions(const marl_study *study, const marl_study_case *it, int met[MARL_CONDITION_COUNT])
{
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        met[k] = 0;
        for (size_t i = 0; i < study->run_n; i++) {
            const marl_run *r = &study->runs[i];
            met[k] |= r->on == it && r->compared &&
                      isfinite(marl_study_score(study, &r->comparison.by_condition[k]));
        }
    }
}

static void print_conditions(const marl_study *study, const marl_study_case *it)
{
    const marl_run *any = NULL;
    char title[40];
    int met[MARL_CONDITION_COUNT];
    met_conditions(study, it, met);
    snprintf(title, sizeof title, "%s error, rms, while", cli_compare_by(study));
    cli_print("\n%-*s", NAME, title);
    for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
        if (met[k]) {
            cli_print(" %10s", marl_condition_name((marl_condition)k));
        }
    }
    for (size_t i = 0; i < study->run_n; i++) {
        const marl_run *r = &study->runs[i];
        if (r->on != it || !r->compared) {
            continue;
        }
        if (any == NULL) {
            cli_print("\n%-*s", NAME, "share of the time, %");
            for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
                if (met[k]) {
                    cli_print(" %10.0f", 100 * r->comparison.by_condition[k].share);
                }
            }
            cli_print("\n");
            any = r;
        }
        cli_compare_name(study, r);
        for (int k = 0; k < MARL_CONDITION_COUNT; k++) {
            if (met[k]) {
                cli_compare_cell(10, 2, marl_study_score(study, &r->comparison.by_condition[k]));
            }
        }
        cli_print("\n");
    }
}

/* Tunings down, rates across. */
static void print_rates(const marl_study *study, const marl_study_case *it)
{
    char title[40];
    snprintf(title, sizeof title, "%s error, rms, at", cli_compare_by(study));
    cli_print("%-*s", NAME, title);
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
            print_label(label);
        }
        if (r->error.status == MARL_OK) {
            cli_compare_cell(7, 2, marl_study_score(study, &r->comparison.all));
        } else {
            cli_print(" %7s", "failed");
        }
        if (i / study->case_n % study->rate_n == study->rate_n - 1) {
            cli_print("\n");
        }
    }
}

int cli_compare_table(const marl_study *study, const char *figure)
{
    char common[600];
    marl_study_common(study, common, sizeof common);
    if (common[0] != '\0') {
        cli_print_prose(2, "all tunings: %s", common);
    }
    cli_compare_ranking(study);
    for (size_t i = 0; i < study->case_n; i++) {
        const marl_study_case *it = &study->cases[i];
        cli_print("%s%s against %s\n", i > 0 ? "\n" : "", it->log_path, it->reference_path);
        print_alignment(study, it);
        cli_print("\n");
        if (study->rate_n > 1) {
            print_rates(study, it);
        } else {
            print_runs(study, it);
            print_invalid(study, it);
            print_conditions(study, it);
        }
    }
    if (study->rate_n <= 1) {
        print_weights(study);
    }
    if (figure != NULL) {
        cli_print("figure: %s\n", figure);
    }
    return cli_print_done();
}
