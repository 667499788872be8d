/* SPDX-License-Identifier: MIT
 * One log and its reference: read, checked, brought to one clock and into one frame. */
#include "lab/study/study_case.h"
#include "marlinspike/smooth.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The standard deviations that a file of smooth carries. */
static void read_sigma(marl_study_case *it, const marl_log *log)
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
    it->reference_smoothed = log->info.smoothed && n > 0;
    it->reference_tilt_deg = sqrt(tilt2 / n);
    it->reference_heading_deg = sqrt(heading2 / n);
}

static int matches_smoothed(const marl_study *study)
{
    return study->options.match_by == NULL && study->options.match != MARL_MATCH_START;
}

static const marl_named_tuning *matched_tuning(const marl_study *study)
{
    return study->options.match_by != NULL ? study->options.match_by : &study->kalman;
}

static void drop_held(marl_study *study, marl_study_case *it)
{
    char times[60] = "";
    const marl_held held = marl_reference_drop_held(&it->reference);
    if (held.stretches > 1) {
        snprintf(times, sizeof times, "%zu times, %.2f s in all, the longest ", held.stretches, held.seconds);
    }
    if (held.stretches > 0) {
        marl_warn(&study->warnings, "reference-held",
                  "%s: repeats an attitude and then jumps, as a rig does that lost the body: %s%.2f s from t "
                  "= %.3f "
                  "s; left out",
                  it->reference_path, times, held.longest_s, 1e-9 * (double)held.first_ns);
    }
}

static marl_status load_reference(marl_study *study, marl_study_case *it, marl_error *error)
{
    marl_log log;
    const char *world = study->options.reference_world;
    marl_log_options options = {.decimal = study->options.reading.decimal};
    marl_column_map map;
    char *colon = (char *)marl_column_map_in(it->reference_path);
    int guessed;
    if (colon != NULL) { /* FILE:MAP; from here on it is the file */
        MARL_TRY(marl_column_map_read(&map, colon + 1, error));
        options.columns = &map;
        *colon = '\0';
    }
    marl_status status = marl_log_load_named(&log, it->reference_path, &options, &guessed, error);
    if (status != MARL_OK) {
        return status;
    }
    marl_log_warn(&study->warnings, &log.report, log.path);
    if (world != NULL && log.info.world_given && strcmp(world, marl_world_name(log.info.world)) != 0) {
        status = marl_fail(error, MARL_ERR_INPUT, "%s:1: has world=%s, but --reference-world is %s", log.path,
                           marl_world_name(log.info.world), world);
    }
    if (world != NULL) {
        log.info.world = strcmp(world, "ned") == 0 ? MARL_WORLD_NED : MARL_WORLD_ENU;
    }
    it->reference_relative = log.info.relative_heading;
    if (it->reference_relative && study->options.match == MARL_MATCH_NONE) {
        marl_warn(&study->warnings, "relative-heading",
                  "%s:1: its heading is relative: heading errors hold an unknown constant; --match heading "
                  "takes it out",
                  log.path);
    }
    if (log.info.columns & (MARL_COLUMNS_ACCEL | MARL_COLUMNS_GYRO)) {
        marl_warn(&study->warnings, "same-sensors",
                  "%s: holds sensors, too: an attitude made from the same sensors as the estimate shares "
                  "their errors",
                  log.path);
    }
    read_sigma(it, &log);
    status = status != MARL_OK ? status : marl_series_from_log(&it->reference, &log, error);
    if (status == MARL_OK) {
        drop_held(study, it);
        status = marl_reference_check(&it->reference, &log, error);
    }
    marl_log_free(&log);
    return status;
}

#define MAX_DISTURBED 0.3 /* of the log */

/* What speaks against a reference that comes of the log itself: nothing is decided by it then. */
static void warn_of_smoothed(marl_study *study, marl_study_case *it, const marl_smoothed *s)
{
    const char *why = marl_smoothed_distrust(s), *path = it->log_path;
    it->reference_untrusted = why != NULL || s->disturbed_share > MAX_DISTURBED;
    if (why != NULL) {
        marl_warn(&study->warnings, "reference-untrusted",
                  "%s: the smoothed log is not to be trusted: %s; nothing is decided by it. Calibrate first "
                  "(still, "
                  "poses, tumble), and pass --calibration",
                  path, why);
    } else if (it->reference_untrusted) {
        marl_warn(&study->warnings, "disturbed",
                  "%s: the field is disturbed for %.0f %% of the time: the smoothed log is in that of the "
                  "first 20 s, "
                  "nothing is decided by it",
                  path, 100 * s->disturbed_share);
    }
    if (marl_smoothed_hides_iron(s)) {
        marl_warn(
            &study->warnings, "hard-iron-unseen",
            "%s: its turns do not show the magnetometer's hard iron: the smoothed log's heading is known to "
            "%.1f deg for some 5 uT of it; calibrate tumble, or record turns",
            path, s->sigma_heading_rms / MARL_DEGREE);
    }
    if (s->calibration_is_wrong) {
        marl_warn(&study->warnings, "calibration-wrong",
                  "%s: its calibration does not hold on this log: calibrate again", path);
    }
    for (int i = 0; i < MARL_SENSOR_COUNT && !s->calibration_is_wrong; i++) {
        if (s->is_worse[i]) {
            marl_warn(&study->warnings, "calibrate-first",
                      "%s: the %s is off by more than twice what a calibration leaves: calibrate it again",
                      path, marl_sensor_name((marl_sensor)i));
        }
    }
}

/* Does a tuning have one of these parameters, whose default is 0? */
static int is_known(const marl_study *study, marl_parameter_id first, marl_parameter_id last)
{
    int known = 0;
    for (size_t i = 0; i < study->tuning_n; i++) {
        for (int id = (int)first; id <= (int)last; id++) {
            known |= study->tunings[i].tuning.value[id] != 0.0f;
        }
    }
    return known;
}

/* What the log itself shows of how the body is hung, and no tuning knows. */
static void warn_of_lever(marl_study *study, const marl_study_case *it, const marl_smoothed *s)
{
    int is_long;
    (void)marl_smoothed_shows_arm(s, &is_long);
    if (is_long && !it->reference_untrusted &&
        !is_known(study, MARL_PARAMETER_LEVER_X, MARL_PARAMETER_LEVER_Z)) {
        marl_warn(
            &study->warnings, "lever-arm",
            "%s: the body turns about a point %.1f m away, which misleads a filter that does not know it: "
            "compare with --tuning kalman:lever_x=%.2f,lever_y=%.2f,lever_z=%.2f, too",
            it->log_path, sqrt(s->arm[0] * s->arm[0] + s->arm[1] * s->arm[1] + s->arm[2] * s->arm[2]),
            s->arm[0], s->arm[1], s->arm[2]);
    }
}

/* The same of a magnetometer that is late. */
static void warn_of_delay(marl_study *study, const marl_study_case *it, const marl_smoothed *s)
{
    const marl_sensor_delays found = marl_smoothed_delays(s), named = marl_sensor_delays_named(&found);
    const marl_sensor_delay *mag = &found.of[MARL_MAG];
    int is_late = named.of[MARL_MAG].found || named.of[MARL_GYRO].found;
    if (is_late && mag->found && !it->reference_untrusted &&
        !is_known(study, MARL_PARAMETER_MAG_DELAY, MARL_PARAMETER_MAG_DELAY)) {
        marl_warn(
            &study->warnings, "sensor-delay",
            "%s: the magnetometer's readings are %.1f ms %s than the gyroscope's, which misleads a filter "
            "that does not know it: compare with --tuning kalman:mag_delay=%.4f, too",
            it->log_path, 1e3 * fabs(mag->delay_s), mag->delay_s > 0 ? "later" : "earlier", mag->delay_s);
    }
}

typedef struct smoothing {
    const marl_study_options *options;
    char stage[200];
} smoothing;

static void show_smoothing(void *context, double share)
{
    const smoothing *s = context;
    s->options->progress(s->options->progress_context, s->stage, share);
}

marl_status lab_study_smooth(const marl_study *study, const marl_log *log, marl_smoothed *smoothed,
                             marl_error *error)
{
    smoothing s = {.options = &study->options};
    marl_smooth_options options = {.record = study->options.record,
                                   .record_path = study->options.record_path};
    if (study->options.progress != NULL) {
        snprintf(s.stage, sizeof s.stage, "smoothing %s", log->path);
        options.progress = show_smoothing;
        options.progress_context = &s;
    }
    return marl_smooth(log, &options, smoothed, error);
}

/* --reference smooth: from the log itself. */
static marl_status smooth_reference(marl_study *study, marl_study_case *it, marl_error *error)
{
    marl_smoothed s;
    MARL_TRY(lab_study_smooth(study, &it->log, &s, error));
    it->reference_relative = !s.heading_is_magnetic;
    it->reference_smoothed = 1;
    it->reference_tilt_deg = s.sigma_tilt_rms / MARL_DEGREE;
    it->reference_heading_deg = s.sigma_heading_rms / MARL_DEGREE;
    warn_of_smoothed(study, it, &s);
    warn_of_lever(study, it, &s);
    warn_of_delay(study, it, &s);
    marl_status status = marl_smoothed_series(&s, &it->reference, error);
    marl_smoothed_free(&s);
    return status;
}

static marl_status find_clock(marl_study *study, marl_study_case *it, marl_error *error)
{
    const marl_clock given = {1, study->options.offset_s, NAN, 0, NAN, NAN, 0};
    it->clock = given;
    if (study->options.find_offset) {
        MARL_TRY(marl_clock_find(&it->log, &it->reference, &it->clock, error));
        if (!it->clock.found) {
            return marl_fail(error, MARL_ERR_INSUFFICIENT,
                             "%s: no offset to %s stands out: both must see the same turning, which must not "
                             "repeat itself; record with some brisk turns at the beginning and the end, or "
                             "give --time-offset in seconds",
                             it->log_path, it->reference_path);
        }
        if (it->clock.repeats) {
            marl_warn(
                &study->warnings, "clock-repeats",
                "%s: the motion repeats itself, other offsets fit as well: this is the one at which log "
                "and reference have most in common",
                it->log_path);
        }
    }
    marl_clock_apply(&it->clock, it->log.row[0].sample.t_ns, &it->reference);
    return MARL_OK;
}

static marl_status check_overlap(const marl_study_case *it, marl_error *error)
{
    const marl_series *r = &it->reference;
    int64_t from = it->log.row[0].sample.t_ns, to = it->log.row[it->log.n - 1].sample.t_ns;
    if (r->at[r->n - 1].t_ns < from || r->at[0].t_ns > to) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s runs from %.3f to %.3f s, %s from %.3f to %.3f s: no time in common; "
                         "--time-offset auto finds the offset of their clocks from turning",
                         it->log_path, 1e-9 * (double)from, 1e-9 * (double)to, it->reference_path,
                         1e-9 * (double)r->at[0].t_ns, 1e-9 * (double)r->at[r->n - 1].t_ns);
    }
    return MARL_OK;
}

/* What a filter states of itself at the end of the log, rad; NaN where it states nothing: then nobody knows how far off what
 * is matched by it may be. */
static void sigma_of_filter(const marl_estimator *e, double sigma[2])
{
    float tilt, heading;
    int is_stated = marl_estimator_sigma(e, &tilt, &heading) == MARL_OK;
    sigma[0] = is_stated ? (double)tilt : (double)NAN;
    sigma[1] = is_stated ? (double)heading : (double)NAN;
}

/* The attitude that is matched: of the smoothed log, whose own standard deviations (rad) are part of the
 * match's; or of one tuning. */
static marl_status matched_attitude(const marl_study *study, marl_study_case *it, marl_series *estimate,
                                    double sigma[2], marl_error *error)
{
    const marl_replay_options options = {.record = study->options.record,
                                         .record_path = study->options.record_path};
    marl_pipeline pipeline;
    marl_smoothed s;
    marl_error why = {0};
    sigma[0] = sigma[1] = 0;
    if (!matches_smoothed(study) || lab_study_smooth(study, &it->log, &s, &why) != MARL_OK) {
        if (why.status == MARL_ERR_SYSTEM) {
            return marl_fail(error, why.status, "%s", why.text);
        }
        MARL_TRY(
            marl_replay_log(&pipeline, &it->log, &matched_tuning(study)->tuning, &options, estimate, error));
        sigma_of_filter(&pipeline.estimator, sigma);
        return MARL_OK;
    }
    sigma[0] = s.sigma_tilt_rms;
    sigma[1] = s.sigma_heading_rms;
    it->match_smoothed = 1;
    marl_status status = marl_smoothed_series(&s, estimate, error);
    marl_smoothed_free(&s);
    return status;
}

/* Of one attitude, so that all others are compared in the same frames. */
static marl_status find_match(const marl_study *study, marl_study_case *it, marl_error *error)
{
    marl_series estimate = {0, NULL};
    marl_status status = MARL_OK;
    marl_error why = {0};
    double sigma[2] = {0, 0};
    if (study->options.match != MARL_MATCH_NONE) {
        status = matched_attitude(study, it, &estimate, sigma, &why);
        if (status != MARL_OK) {
            return marl_fail(error, status,
                             "--match by the attitude of %s: %.400s; --match-by names another tuning",
                             matched_tuning(study)->name, why.text);
        }
    }
    status = marl_match_find(&estimate, &it->reference, study->options.match, &it->match, &why);
    if (status != MARL_OK) {
        (void)!marl_fail(error, status, "%s: %.400s", it->log_path, why.text);
    }
    if (status == MARL_OK) {
        marl_match_add_sigma(&it->match, &estimate, sigma[0], sigma[1]);
        marl_match_apply(&it->match, &it->reference);
    }
    marl_series_free(&estimate);
    return status;
}

/* The reference's attitude when the log begins. */
static void find_start(marl_study_case *it)
{
    const marl_series *r = &it->reference;
    int64_t t = it->log.row[0].sample.t_ns;
    size_t i = 1;
    while (i < r->n && r->at[i].t_ns < t) {
        i++;
    }
    it->has_start = i < r->n && r->at[0].t_ns <= t;
    if (it->has_start) {
        double u = (double)(t - r->at[i - 1].t_ns) / (double)(r->at[i].t_ns - r->at[i - 1].t_ns);
        it->start = marl_slerp(r->at[i - 1].q, r->at[i].q, u);
    }
}

marl_status lab_study_case_load(marl_study *study, marl_study_case *it, marl_error *error)
{
    MARL_TRY(marl_log_load(&it->log, it->log_path, &study->options.reading, error));
    marl_log_warn(&study->warnings, &it->log.report, it->log.path);
    marl_replay_warn(&study->warnings, study->options.record, &it->log.info, it->log.path);
    MARL_TRY(lab_study_warn_readings(study, it, error));
    if (it->reference_path == NULL) {
        return marl_conditions_find(&it->log, study->options.record, &it->reference, &it->conditions, error);
    }
    int smoothed = strcmp(it->reference_path, "smooth") == 0;
    MARL_TRY(smoothed ? smooth_reference(study, it, error) : load_reference(study, it, error));
    if (!smoothed && !study->options.find_offset) {
        MARL_TRY(lab_study_check_clock(study, it, error));
    }
    MARL_TRY(find_clock(study, it, error));
    MARL_TRY(check_overlap(it, error));
    MARL_TRY(find_match(study, it, error));
    MARL_TRY(lab_study_check_frames(study, it, error));
    find_start(it);
    if (study->options.start == MARL_START_REFERENCE && !it->has_start) {
        return marl_fail(error, MARL_ERR_INSUFFICIENT,
                         "%s: has no attitude at the log's first moment; omit --start", it->reference_path);
    }
    return marl_conditions_find(&it->log, study->options.record, &it->reference, &it->conditions, error);
}

void lab_study_case_free(marl_study_case *it)
{
    marl_log_free(&it->log);
    marl_series_free(&it->reference);
    marl_conditions_free(&it->conditions);
    free(it->log_path);
    free(it->reference_path);
}
