/* SPDX-License-Identifier: MIT
 * Are log and reference on one clock and in one frame, as the study takes them to be? Nobody asked; but with a clock or a
 * frame that is off, every figure of the comparison is wrong. */
#include "lab/compare/match_pairs.h"
#include "lab/log/reading.h"
#include "lab/log/series.h"
#include "lab/study/study_case.h"
#include "marlinspike/smooth.h"
#include <math.h>

/* What is said: a clock that is off by more, s; a rotation that is more, degrees; and each by so many standard errors.
 * Of a rotation they are those of the smoother, which are wide for sensors that are not calibrated. */
#define CLOCK_OFF 0.05
#define CLOCK_SIGMAS 5.0
#define UPSIDE_DOWN_DEG 170.0
#define TURNED_DEG 5.0
#define TURNED_SIGMAS 4.0
/* A filter that follows the reference more closely than this, degrees rms, shows that the frames are the same. */
#define CLOSE_DEG 4.0
/* A rotation that is constant takes away this share of the difference and more. */
#define EXPLAINED 0.5
/* The parts of a log that are looked at for its clock, and smoothed for its frame, s. */
#define CLOCK_SECONDS 600.0
#define FRAME_SECONDS 300.0

/* Without memory nothing is known; anything else that fails is no finding. */
static marl_status only_memory(const marl_error *why, marl_error *error)
{
    return why->status == MARL_ERR_SYSTEM ? marl_fail(error, why->status, "%s", why->text) : MARL_OK;
}

marl_status lab_study_check_clock(marl_study *study, marl_study_case *it, marl_error *error)
{
    marl_log part = lab_log_first(&it->log, CLOCK_SECONDS);
    marl_clock clock;
    marl_error why = {0};
    if (part.n == 0 || it->reference.n == 0) {
        return MARL_OK;
    }
    if (marl_clock_find(&part, &it->reference, &clock, &why) != MARL_OK) {
        return only_memory(&why, error);
    }
    double off = clock.offset_s - study->options.offset_s;
    if (!clock.found || clock.repeats || !(fabs(off) > CLOCK_OFF + CLOCK_SIGMAS * clock.offset_sigma_s)) {
        return MARL_OK;
    }
    it->clock_is_off = 1;
    marl_warn(&study->warnings, "clock-off",
              "%s: by its turning the reference's clock shows %+.3f s (+- %.3f) beside the log's, not %+.3f: "
              "--time-offset auto takes that out",
              it->log_path, clock.offset_s, clock.offset_sigma_s, study->options.offset_s);
    return MARL_OK;
}

/* rms of the rotations between two series, and of their tilt, degrees; negative when they have too little in common. */
typedef struct difference {
    double total, tilt;
} difference;

static difference rms_between(const lab_pairs *p)
{
    difference squares = {0, 0};
    for (size_t i = 0; i < p->n; i++) {
        marl_error_angles e = marl_error_between(p->estimate[i].q, p->reference[i]);
        squares.total += e.total_deg * e.total_deg;
        squares.tilt += e.tilt_deg * e.tilt_deg;
    }
    double n = p->n > 0 ? (double)p->n : 1;
    return (difference){sqrt(squares.total / n), sqrt(squares.tilt / n)};
}

/* A relative heading says nothing: it is matched first. MARL_ERR_SYSTEM without memory. */
static marl_status find_difference(const marl_series *estimate, const marl_series *reference, int relative,
                                   difference *found, marl_error *error)
{
    lab_pairs all = {0, NULL, NULL};
    marl_match heading;
    marl_error why = {0};
    *found = (difference){-1, -1};
    if (relative) {
        if (marl_match_find(estimate, reference, MARL_MATCH_HEADING, &heading, &why) == MARL_OK) {
            found->total = found->tilt = heading.residual_deg;
        }
    } else if (lab_pairs_make(estimate, reference, &all, &why) == MARL_OK) {
        lab_pairs settled = lab_pairs_settled(&all);
        *found = rms_between(&settled);
    }
    lab_pairs_free(&all);
    return only_memory(&why, error);
}

static double angle_of(marl_quat q)
{
    return lab_quat_angle(q, marl_quat_identity()) / MARL_DEGREE;
}

/* How far a rotation tilts the vertical, degrees. */
static double tilt_of(marl_quat q)
{
    return 2 * asin(fmin(hypot((double)q.x, (double)q.y), 1)) / MARL_DEGREE;
}

static int is_large(double angle, double sigma)
{
    return angle > TURNED_DEG && angle > TURNED_SIGMAS * sigma;
}

/* About one of the axes by more than its standard error: level axes are known better than the vertical. */
static int is_turned(marl_quat q, const double sigma[3])
{
    const double sine[3] = {(double)q.x, (double)q.y, (double)q.z};
    int shows = 0;
    for (int k = 0; k < 3; k++) {
        shows |= fabs(2 * asin(fmax(-1, fmin(sine[k], 1)))) / MARL_DEGREE > TURNED_SIGMAS * sigma[k];
    }
    return shows && angle_of(q) > TURNED_DEG;
}

/* The turn of the body side that the motion determines: without what it mixes up with the world's. */
static marl_quat body_side_of(const marl_match *m)
{
    const marl_vec3 axis = {(float)m->mixed_axis[0], (float)m->mixed_axis[1], (float)m->mixed_axis[2]};
    if (!m->body_is_mixed) {
        return m->body;
    }
    marl_vec3 to = marl_quat_rotate(m->body, axis);
    marl_quat between = {1 + axis.x * to.x + axis.y * to.y + axis.z * to.z, axis.y * to.z - axis.z * to.y,
                         axis.z * to.x - axis.x * to.z, axis.x * to.y - axis.y * to.x};
    if (marl_quat_normalize(&between) != MARL_OK) {
        return m->body; /* upside down */
    }
    return between;
}

static int is_body_turned(const marl_match *m)
{
    return (m->has_body || m->body_is_mixed) && is_turned(body_side_of(m), m->body_sigma_deg);
}

/* Both sides; the world's alone where the body's is not seen to be turned and part of it is mixed up with the world's. */
static marl_status find_rotation(const marl_series *estimate, const marl_series *reference,
                                 const marl_smoothed *s, marl_match *m, marl_error *error)
{
    MARL_TRY(marl_match_find(estimate, reference, MARL_MATCH_WORLD_AND_BODY, m, error));
    marl_match_add_sigma(m, estimate, s->sigma_tilt_rms, s->sigma_heading_rms);
    if (m->body_is_mixed && !is_body_turned(m)) {
        MARL_TRY(marl_match_find(estimate, reference, MARL_MATCH_WORLD, m, error));
        marl_match_add_sigma(m, estimate, s->sigma_tilt_rms, s->sigma_heading_rms);
    }
    return MARL_OK;
}

/* `before`: the difference, of which `sigma` is the smoothed log's own. */
static void warn_of_frames(marl_study *study, marl_study_case *it, const marl_match *m,
                           const difference *before, const difference *sigma)
{
    double world = angle_of(m->world), body = angle_of(body_side_of(m));
    int body_is = is_body_turned(m);
    int world_is = is_turned(m->world, m->world_sigma_deg);
    int constant = (body_is || world_is) && m->residual_deg < EXPLAINED * before->total;
    it->frames_differ =
        constant || is_large(before->total, sigma->total) || is_large(before->tilt, sigma->tilt);
    if (constant) {
        const char *cure = body_is ? "world+body" : tilt_of(m->world) > TURNED_DEG ? "world" : "heading";
        int is_upside_down = !body_is && tilt_of(m->world) > UPSIDE_DOWN_DEG;
        marl_warn(
            &study->warnings, "frames-differ",
            "%s: log and reference differ by a constant rotation of %.1f deg on the %s side (%s), %.1f deg "
            "rms; "
            "without it %.1f: --match %s takes it out",
            it->log_path, body_is ? body : world, body_is ? "body" : "world",
            is_upside_down
                ? "upside down: another world, or an accelerometer of the other sign, which at rest must "
                  "read +9.8 m/s^2 along what points up"
                : "a mount, zero, or another north",
            before->total, m->residual_deg, cure);
    } else if (it->frames_differ) {
        marl_warn(&study->warnings, "frames-differ",
                  "%s: log and reference differ by %.1f deg rms, more than errors of the sensors make: "
                  "another mount, or a wrong reference. This motion does not show which; --match world+body "
                  "needs turns about two level axes",
                  it->log_path, before->total);
    }
}

/* The smoothed log against the reference, in frames that are free. */
static marl_status look_for_rotation(marl_study *study, marl_study_case *it, marl_error *error)
{
    const marl_log part = lab_log_first(&it->log, FRAME_SECONDS);
    marl_smoothed s;
    marl_series estimate = {0, NULL};
    marl_match m;
    marl_error why = {0};
    if (lab_study_smooth(study, &part, &s, &why) != MARL_OK) {
        return only_memory(&why, error);
    }
    int relative = !s.heading_is_magnetic || it->reference_relative;
    difference before = {-1, -1}, sigma = {hypot(s.sigma_tilt_rms, s.sigma_heading_rms) / MARL_DEGREE,
                                           s.sigma_tilt_rms / MARL_DEGREE};
    marl_status status = MARL_OK;
    if (marl_smoothed_distrust(&s) == NULL) {
        status = marl_smoothed_series(&s, &estimate, error);
        status =
            status != MARL_OK ? status : find_difference(&estimate, &it->reference, relative, &before, error);
    }
    if (status == MARL_OK && before.total > 0) {
        if (find_rotation(&estimate, &it->reference, &s, &m, &why) == MARL_OK) {
            warn_of_frames(study, it, &m, &before, &sigma);
        }
        status = only_memory(&why, error);
    }
    marl_series_free(&estimate);
    marl_smoothed_free(&s);
    return status;
}

marl_status lab_study_check_frames(marl_study *study, marl_study_case *it, marl_error *error)
{
    const marl_replay_options options = {.record = study->options.record,
                                         .record_path = study->options.record_path};
    marl_pipeline pipeline;
    marl_series estimate = {0, NULL};
    marl_error why = {0};
    difference found;
    if (study->options.match != MARL_MATCH_NONE || it->clock_is_off || it->reference_smoothed) {
        return MARL_OK;
    }
    if (marl_replay_log(&pipeline, &it->log, &study->kalman.tuning, &options, &estimate, &why) != MARL_OK) {
        return only_memory(&why, error);
    }
    int relative = !marl_estimator_heading_is_magnetic(&pipeline.estimator) || it->reference_relative;
    marl_status status = find_difference(&estimate, &it->reference, relative, &found, error);
    marl_series_free(&estimate);
    return status == MARL_OK && found.total > CLOSE_DEG ? look_for_rotation(study, it, error) : status;
}
