/* SPDX-License-Identifier: MIT
 * The outcome of a replay, as text and as JSON. */
#include "cli/replay/replay_job.h"
#include <math.h>
#include <stdio.h>

/* Bias, and for a filter with a covariance the standard deviations at the end. */
static void add_state(json_t *root, const marl_estimator *e)
{
    float tilt, heading;
    marl_vec3 b = marl_estimator_bias(e);
    const double bias[3] = {(double)b.x, (double)b.y, (double)b.z};
    json_object_set_new(root, "gyro_bias", cli_numbers(bias, 3));
    if (marl_estimator_sigma(e, &tilt, &heading) == MARL_OK) {
        json_object_set_new(root, "sigma_tilt_deg", cli_number((double)tilt / MARL_DEGREE));
        json_object_set_new(root, "sigma_heading_deg", cli_number((double)heading / MARL_DEGREE));
    }
}

json_t *cli_replay_json(const cli_replay_job *j)
{
    const marl_estimator_counts counts = marl_estimator_count(&j->pipeline->estimator);
    json_t *root = json_object();
    char digest[16];
    snprintf(digest, sizeof digest, "%08x", (unsigned)j->pipeline->digest);
    json_object_set_new(root, "name", cli_text(j->tuning.name));
    json_object_set_new(root, "filter", cli_text(marl_filter_name(j->tuning.tuning.filter)));
    json_object_set_new(root, "world", cli_text(marl_world_name(j->tuning.tuning.world)));
    json_object_set_new(
        root, "heading",
        cli_text(marl_estimator_heading_is_magnetic(&j->pipeline->estimator) ? "magnetic" : "relative"));
    json_object_set_new(root, "attitudes", json_integer((json_int_t)j->pipeline->attitudes));
    json_object_set_new(root, "updates", json_integer(counts.updates));
    json_object_set_new(root, "restarts", json_integer(counts.restarts));
    json_object_set_new(root, "limited_bias", json_integer(counts.limited_bias));
    json_object_set_new(root, "invalid", cli_invalid_json(&counts));
    json_object_set_new(root, "downweighted", cli_downweighted_json(&counts));
    add_state(root, &j->pipeline->estimator);
    double speed = marl_start_watch_speed(&j->start_watch);
    json_object_set_new(root, "start_speed_mps", cli_number(speed > 0 ? speed : (double)NAN));
    json_object_set_new(root, "digest", cli_text(digest));
    return root;
}

static double percent(uint32_t part, uint32_t of)
{
    return of > 0 ? 100.0 * (double)part / of : 0;
}

/* What it means that a sensor was down-weighted most of the time, and which parameter decides it. */
static void print_advice(const marl_estimator *e, const marl_estimator_counts *counts)
{
    int kalman = e->tuning.filter == MARL_FILTER_KALMAN;
    if (2.0 * counts->downweighted_accel > counts->used_accel) {
        cli_print_prose(
            2,
            kalman
                ? "  The acceleration changed by more than 0.1 m/s^2, or the body turned, most of the time: "
                  "the tilt rests on the gyroscope and on the mean force. accel_floor and disturbance_time "
                  "set "
                  "how much one reading counts."
                : "  Accelerations were beyond accel_threshold = %g m/s^2 most of the time: the tilt rests "
                  "on the gyroscope and on the mean force. A larger accel_threshold uses the readings more, "
                  "and follows accelerations more.",
            (double)e->tuning.value[MARL_PARAMETER_ACCEL_THRESHOLD]);
    }
    if (2.0 * counts->downweighted_mag > counts->used_mag) {
        cli_print_prose(
            2,
            "  The field differed from its reference by more than %g uT most of the time: steel nearby, "
            "or a magnetometer without calibration. The heading rests on the gyroscope meanwhile; %s "
            "decides.",
            kalman ? 1.0 : (double)e->tuning.value[MARL_PARAMETER_MAG_THRESHOLD],
            kalman ? "mag_noise" : "mag_threshold");
    }
}

static void print_bias(const marl_estimator *e)
{
    marl_vec3 bias = marl_estimator_bias(e), sigma;
    cli_print("gyroscope bias estimate: %+.3f %+.3f %+.3f deg/s", (double)bias.x / MARL_DEGREE,
              (double)bias.y / MARL_DEGREE, (double)bias.z / MARL_DEGREE);
    if (marl_estimator_bias_sigma(e, &sigma) == MARL_OK) {
        cli_print(" (1 sigma %.3f %.3f %.3f)", (double)sigma.x / MARL_DEGREE, (double)sigma.y / MARL_DEGREE,
                  (double)sigma.z / MARL_DEGREE);
    }
    cli_print("\n");
    uint32_t limited = marl_estimator_count(e).limited_bias;
    if (limited > 0) {
        cli_print_prose(
            2,
            "  It stood at bias_limit, %.1f deg/s, during %u corrections, and the attitude is wrong "
            "by what is beyond: calibrate the gyroscope (calibrate still), or raise bias_limit.",
            (double)e->tuning.value[MARL_PARAMETER_BIAS_LIMIT] / MARL_DEGREE, (unsigned)limited);
    }
}

static void print_start(const marl_start_watch *watch)
{
    double speed = marl_start_watch_speed(watch);
    if (speed > 0) {
        cli_print_prose(
            2,
            "  The log begins in motion, and the motion shows speeds of up to %.0f m/s: tilt and heading "
            "may be off by ten degrees, which no standard deviation holds. Begin at rest, record the "
            "speed, or use smooth.",
            speed);
    }
}

static void print_state(const marl_estimator *e, const marl_start_watch *watch)
{
    const marl_estimator_counts counts = marl_estimator_count(e);
    float tilt, heading;
    if (e->tuning.filter == MARL_FILTER_GYRO || e->tuning.filter == MARL_FILTER_VECTORS) {
        return;
    }
    cli_print(
        "down-weighted (weight < 0.5): accelerometer in %.1f %%, magnetometer in %.1f %% of their readings\n",
        percent(counts.downweighted_accel, counts.used_accel),
        percent(counts.downweighted_mag, counts.used_mag));
    print_advice(e, &counts);
    print_bias(e);
    if (marl_estimator_sigma(e, &tilt, &heading) == MARL_OK) {
        cli_print_prose(2,
                        "standard deviation (1 sigma) at the end: tilt %.2f, heading %.2f deg; errors that "
                        "calibration left come on top",
                        (double)tilt / MARL_DEGREE, (double)heading / MARL_DEGREE);
    }
    print_start(watch);
}

int cli_replay_print_table(const cli_replay_job *j, const cli_replay_options *o)
{
    const marl_estimator *e = &j->pipeline->estimator;
    const marl_estimator_counts counts = marl_estimator_count(e);
    marl_rpy angles = marl_quat_to_rpy(j->last.q);
    float heading;
    cli_print("%s: %u attitudes in %s, heading %s\n", j->tuning.name, (unsigned)j->pipeline->attitudes,
              marl_world_name(e->tuning.world),
              marl_estimator_heading_is_magnetic(e) ? "magnetic" : "relative to the start");
    cli_print("invalid readings: accel %u, gyro %u, mag %u; restarts: %u\n", (unsigned)counts.invalid_accel,
              (unsigned)counts.invalid_gyro, (unsigned)counts.invalid_mag, (unsigned)counts.restarts);
    cli_print("at the end, %.3f s: roll %.2f, pitch %.2f, yaw %.2f deg", (double)j->last.sample.t_ns * 1e-9,
              (double)angles.roll / MARL_DEGREE, (double)angles.pitch / MARL_DEGREE,
              (double)angles.yaw / MARL_DEGREE);
    if (marl_estimator_heading_is_magnetic(e) &&
        marl_frame_heading(j->last.q, e->tuning.world, &heading) == MARL_OK) {
        double turned = isnan(j->declination_deg) ? 0 : j->declination_deg;
        cli_print(", %s heading %.2f deg", isnan(j->declination_deg) ? "compass" : "true",
                  fmod((double)heading / MARL_DEGREE + turned + 360, 360));
    }
    cli_print("%s\n", angles.at_pole ? " (pitch at its pole: roll and yaw are one angle)" : "");
    print_state(e, &j->start_watch);
    if (o->digest) {
        cli_print("digest: %08x\n", (unsigned)j->pipeline->digest);
    }
    if (o->out != NULL) {
        cli_print("written: %s\n", o->out);
    }
    if (o->figure != NULL) {
        cli_print("figure: %s\n", o->figure);
    }
    if (o->page != NULL) {
        cli_print("report: %s\n", o->page);
    }
    return cli_print_done();
}
