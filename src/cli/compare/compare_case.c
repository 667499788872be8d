/* SPDX-License-Identifier: MIT
 * One log and its reference: read, checked, brought to one clock and into one frame. */
#include "cli/compare/compare.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* The standard deviations that a file of smooth carries. */
static void read_sigma(cli_case *of, const marl_log *log)
{
    double tilt2 = 0, heading2 = 0, n = 0;
    for (size_t i = 0; i < log->n; i++) {
        const float *sigma = log->row[i].sigma_deg;
        if (sigma[0] >= 0.0f && sigma[1] >= 0.0f) {
            tilt2 += pow((double)sigma[0], 2);
            heading2 += pow((double)sigma[1], 2);
            n++;
        }
    }
    of->reference_smoothed = log->info.smoothed && n > 0;
    of->reference_tilt_deg = sqrt(tilt2 / n);
    of->reference_heading_deg = sqrt(heading2 / n);
}

static marl_status load_reference(cli_comparison *job, cli_case *of, const cli_reading *reading,
                                  marl_error *error)
{
    marl_log log;
    const char *world = job->matching.reference_world;
    const marl_log_options options = {.decimal = reading->options.decimal};
    marl_status status = marl_log_load(&log, of->reference_path, &options, error);
    if (status != MARL_OK) {
        return status;
    }
    cli_warn_of_log(&job->warnings, &log.report, log.path);
    if (world != NULL && log.info.world_given && strcmp(world, marl_world_name(log.info.world)) != 0) {
        status = marl_fail(error, MARL_ERR_INPUT, "%s:1: has world=%s, but --reference-world is %s", log.path,
                           marl_world_name(log.info.world), world);
    }
    if (world != NULL) {
        log.info.world = strcmp(world, "ned") == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
    }
    of->reference_relative = log.info.relative_heading;
    if (of->reference_relative && job->matching.kind == MARL_MATCH_NONE) {
        cli_warn(&job->warnings, "relative-heading",
                 "%s:1: its heading is relative: heading errors hold an unknown constant; --match heading "
                 "takes it out",
                 log.path);
    }
    if (log.info.columns & (MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO)) {
        cli_warn(&job->warnings, "same-sensors",
                 "%s: holds sensors, too: an attitude made from the same sensors as the estimate shares "
                 "their errors",
                 log.path);
    }
    read_sigma(of, &log);
    status = status != MARL_OK ? status : marl_series_from_log(&of->reference, &log, error);
    status = status != MARL_OK ? status : marl_reference_check(&of->reference, &log, error);
    marl_log_free(&log);
    return status;
}

/* --reference smooth: from the log itself. */
static marl_status smooth_reference(cli_comparison *job, cli_case *of, marl_error *error)
{
    marl_smoothed s;
    const marl_smooth_options options = {.record = job->calibration, .record_path = job->calibration_path};
    marl_status status = marl_smooth(&of->log, &options, &s, error);
    if (status != MARL_OK) {
        return status;
    }
    of->reference_relative = !s.heading_is_magnetic;
    of->reference_smoothed = 1;
    of->reference_tilt_deg = s.sigma_tilt_rms / MARL_DEGREE;
    of->reference_heading_deg = s.sigma_heading_rms / MARL_DEGREE;
    if (s.accel_is_worse || s.mag_is_worse) {
        cli_warn(
            &job->warnings, "calibrate-first",
            "%s: the %s is off by more than twice what was assumed: calibrate first, or pass --calibration",
            of->log_path, s.mag_is_worse ? "magnetometer" : "accelerometer");
    }
    status = marl_smoothed_series(&s, &of->reference, error);
    marl_smoothed_free(&s);
    return status;
}

static marl_status find_clock(cli_comparison *job, cli_case *of, marl_error *error)
{
    const marl_clock given = {1, job->matching.offset_s, NAN, 0, NAN, NAN, 0};
    of->clock = given;
    if (job->matching.find_offset) {
        marl_status status = marl_clock_find(&of->log, &of->reference, &of->clock, error);
        if (status != MARL_OK) {
            return status;
        }
        if (!of->clock.found) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT,
                             "%s: no offset to %s stands out: both must see the same turning, which must not "
                             "repeat itself; record with some brisk turns at the beginning and the end, or "
                             "give --time-offset in seconds",
                             of->log_path, of->reference_path);
        }
        if (of->clock.repeats) {
            cli_warn(&job->warnings, "clock-repeats",
                     "%s: the motion repeats itself, other offsets fit as well: this is the one at which log "
                     "and reference have most in common",
                     of->log_path);
        }
    }
    marl_clock_apply(&of->clock, of->log.row[0].sample.t_ns, &of->reference);
    return MARL_OK;
}

static marl_status check_overlap(const cli_case *of, marl_error *error)
{
    const marl_series *r = &of->reference;
    int64_t from = of->log.row[0].sample.t_ns, to = of->log.row[of->log.n - 1].sample.t_ns;
    if (r->at[r->n - 1].t_ns < from || r->at[0].t_ns > to) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s runs from %.3f to %.3f s, %s from %.3f to %.3f s: no time in common; "
                         "--time-offset auto finds the offset of their clocks from turning",
                         of->log_path, 1e-9 * (double)from, 1e-9 * (double)to, of->reference_path,
                         1e-9 * (double)r->at[0].t_ns, 1e-9 * (double)r->at[r->n - 1].t_ns);
    }
    return MARL_OK;
}

/* The attitude that is matched: of the smoothed log, whose own standard deviations (rad) are part of the
 * match's; or of one tuning. */
static marl_status matched_attitude(const cli_comparison *job, cli_case *of, marl_series *estimate,
                                    double sigma[2], marl_error *error)
{
    const marl_replay_options options = {.record = job->calibration, .record_path = job->calibration_path};
    const marl_smooth_options by_smooth = {.record = job->calibration, .record_path = job->calibration_path};
    marl_pipeline pipeline;
    marl_smoothed s;
    marl_error why = {0};
    sigma[0] = sigma[1] = 0;
    if (!job->matching.by_smooth || marl_smooth(&of->log, &by_smooth, &s, &why) != MARL_OK) {
        if (why.status == MARL_ERR_SYSTEM) {
            return marl_fail(error, why.status, "%s", why.text);
        }
        return marl_replay_log(&pipeline, &of->log, &job->matching.by.tuning, &options, estimate, error);
    }
    sigma[0] = s.sigma_tilt_rms;
    sigma[1] = s.sigma_heading_rms;
    of->match_smoothed = 1;
    marl_status status = marl_smoothed_series(&s, estimate, error);
    marl_smoothed_free(&s);
    return status;
}

/* Of one attitude, so that all others are compared in the same frames. */
static marl_status find_match(const cli_comparison *job, cli_case *of, marl_error *error)
{
    marl_series estimate = {0, NULL};
    marl_status status = MARL_OK;
    marl_error why = {0};
    double sigma[2] = {0, 0};
    if (job->matching.kind != MARL_MATCH_NONE) {
        status = matched_attitude(job, of, &estimate, sigma, &why);
        if (status != MARL_OK) {
            return marl_fail(error, status,
                             "--match by the attitude of %s: %.400s; --match-by names another tuning",
                             job->matching.by.name, why.text);
        }
    }
    status = marl_match_find(&estimate, &of->reference, job->matching.kind, &of->match, &why);
    if (status != MARL_OK) {
        (void)!marl_fail(error, status, "%s: %.400s", of->log_path, why.text);
    }
    if (status == MARL_OK) {
        marl_match_add_sigma(&of->match, sigma[0], sigma[1]);
        marl_match_apply(&of->match, &of->reference);
    }
    marl_series_free(&estimate);
    return status;
}

/* The reference's attitude when the log begins. */
static marl_status start_of_reference(cli_case *of, marl_error *error)
{
    const marl_series *r = &of->reference;
    int64_t t = of->log.row[0].sample.t_ns;
    size_t i = 1;
    while (i < r->n && r->at[i].t_ns < t) {
        i++;
    }
    if (r->n < 2 || i == r->n || r->at[0].t_ns > t) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: has no attitude at the log's first moment; omit --start", of->reference_path);
    }
    double u = (double)(t - r->at[i - 1].t_ns) / (double)(r->at[i].t_ns - r->at[i - 1].t_ns);
    of->start = marl_slerp(r->at[i - 1].q, r->at[i].q, u);
    return MARL_OK;
}

marl_status cli_case_load(cli_comparison *job, cli_case *of, const cli_reading *reading, marl_error *error)
{
    MARL_TRY(marl_log_load(&of->log, of->log_path, &reading->options, error));
    cli_warn_of_log(&job->warnings, &of->log.report, of->log.path);
    int smoothed = strcmp(of->reference_path, "smooth") == 0;
    MARL_TRY(smoothed ? smooth_reference(job, of, error) : load_reference(job, of, reading, error));
    MARL_TRY(find_clock(job, of, error));
    MARL_TRY(check_overlap(of, error));
    MARL_TRY(find_match(job, of, error));
    if (job->start.from == CLI_START_REFERENCE) {
        MARL_TRY(start_of_reference(of, error));
    }
    return marl_conditions_find(&of->log, job->calibration, &of->reference, &of->conditions, error);
}

void cli_case_free(cli_case *of)
{
    marl_log_free(&of->log);
    marl_series_free(&of->reference);
    marl_conditions_free(&of->conditions);
    free(of->log_path);
    free(of->reference_path);
}

double cli_reference_sigma(const cli_comparison *job)
{
    double squares = 0;
    for (size_t i = 0; i < job->cases; i++) {
        const cli_case *of = &job->of[i];
        double heading = job->rank_by == MARL_RANK_BY_TILT ? 0 : of->reference_heading_deg;
        squares += of->reference_smoothed ? pow(of->reference_tilt_deg, 2) + heading * heading : NAN;
    }
    return sqrt(squares / (double)job->cases);
}
