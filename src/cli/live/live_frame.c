/* SPDX-License-Identifier: MIT
 * What viewers of live get to see: frames many times a second, the state when it changes. */
#include "cli/common/page_data.h"
#include "cli/common/study_compute.h"
#include "cli/live/live_job.h"
#include <errno.h>
#include <math.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define TRACE_STEP_NS INT64_C(10000000) /* between the rows of a trace */
#define POINT_STEP_NS INT64_C(50000000)
#define RATE_NS INT64_C(1000000000)

static const uint8_t fresh[MARL_SENSOR_COUNT] = {
    [MARL_ACCEL] = MARL_FRESH_ACCEL, [MARL_GYRO] = MARL_FRESH_GYRO, [MARL_MAG] = MARL_FRESH_MAG};

/* ---- what comes in ---- */

static void put_vector(float *to, marl_vec3 v, int is_there, float scale)
{
    to[0] = is_there ? v.x * scale : NAN;
    to[1] = is_there ? v.y * scale : NAN;
    to[2] = is_there ? v.z * scale : NAN;
}

/* In the units that people read: m/s^2, deg/s, uT. */
static void put_readings(float *to, const marl_sample *s)
{
    put_vector(to, s->accel, s->fresh & MARL_FRESH_ACCEL, 1.0f);
    put_vector(to + 3, s->gyro, s->fresh & MARL_FRESH_GYRO, (float)(1 / MARL_DEGREE));
    put_vector(to + 6, s->mag, s->fresh & MARL_FRESH_MAG, 1.0f);
}

static void put_angles(float *to, const marl_live_run *run)
{
    const float degree = (float)MARL_DEGREE;
    float heading;
    to[0] = to[1] = to[2] = NAN;
    if (run->has_q) {
        const marl_rpy rpy = marl_quat_to_rpy(run->q);
        to[0] = rpy.roll / degree;
        to[1] = rpy.pitch / degree;
        to[2] = marl_frame_heading(run->q, MARL_WORLD_ENU, &heading) == MARL_OK ? heading / degree : NAN;
    }
}

static void follow_rates(live_rates *r, const marl_sample *s)
{
    double past_s = 1e-9 * (double)(s->t_ns - r->from_ns);
    if (r->from_ns == 0 || past_s < 0) {
        r->from_ns = s->t_ns;
        return;
    }
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        r->n[i] += (s->fresh & fresh[i]) != 0;
        if (s->t_ns - r->from_ns >= RATE_NS) {
            r->hz[i] = r->n[i] / past_s;
            r->n[i] = 0;
        }
    }
    r->from_ns = s->t_ns - r->from_ns >= RATE_NS ? s->t_ns : r->from_ns;
}

void live_batch_row(live_job *job, const marl_sample *raw)
{
    live_batch *b = &job->batch;
    const marl_live *live = job->live;
    const marl_sample *corrected = &live->corrected;
    follow_rates(&job->rates, raw);
    if ((raw->fresh & MARL_FRESH_MAG) && b->points < LIVE_POINTS &&
        raw->t_ns - b->point_ns >= POINT_STEP_NS) {
        float *p = b->point[b->points++];
        b->point_ns = raw->t_ns;
        put_vector(p, raw->mag, 1, 1.0f);
        put_vector(p + 3, corrected->mag, corrected->fresh & MARL_FRESH_MAG, 1.0f);
    }
    if (b->rows < LIVE_TRACE_ROWS && raw->t_ns - b->row_ns >= TRACE_STEP_NS) {
        float *to = b->row[b->rows];
        b->t[b->rows++] = 1e-9 * (double)raw->t_ns;
        b->row_ns = raw->t_ns;
        put_readings(to, raw);
        put_readings(to + 9, corrected);
        for (size_t i = 0; i < live->n; i++) {
            put_angles(to + 18 + 3 * i, &live->run[i]);
        }
    }
}

/* ---- frames ---- */

static json_t *rounded(const float *value, size_t n, int decimals)
{
    json_t *list = json_array();
    for (size_t i = 0; i < n; i++) {
        json_array_append_new(list, cli_page_number((double)value[i], decimals));
    }
    return list;
}

/* "" while it does what it can. */
static const char *trouble_of(live_job *job, size_t i)
{
    const marl_live_run *run = &job->live->run[i];
    const marl_estimator_counts counts = marl_estimator_count(&run->pipeline.estimator);
    if (run->failure[0] != '\0') {
        return run->failure;
    }
    if (!run->has_q) {
        return "no attitude yet";
    }
    return counts.limited_bias != job->limited[i] ? "the gyroscope's bias is at its limit: it is larger" : "";
}

static void follow_limits(live_job *job)
{
    if (job->live->t_ns - job->limited_ns >= RATE_NS) {
        job->limited_ns = job->live->t_ns;
        for (size_t i = 0; i < job->live->n; i++) {
            job->limited[i] = marl_estimator_count(&job->live->run[i].pipeline.estimator).limited_bias;
        }
    }
}

static json_t *run_json(live_job *job, size_t i)
{
    const marl_live_run *run = &job->live->run[i];
    const marl_estimator *e = &run->pipeline.estimator;
    json_t *one = json_object();
    const char *trouble = trouble_of(job, i);
    float angle[3], weight[2], sigma[2];
    put_angles(angle, run);
    json_object_set_new(one, "name", cli_text(run->tuning.name));
    json_object_set_new(one, "q", run->has_q ? cli_page_quat(run->q) : json_null());
    json_object_set_new(one, "roll_deg", cli_page_number((double)angle[0], 3));
    json_object_set_new(one, "pitch_deg", cli_page_number((double)angle[1], 3));
    json_object_set_new(one, "heading_deg", cli_page_number((double)angle[2], 3));
    json_object_set_new(one, "trouble", trouble[0] != '\0' ? cli_text(trouble) : json_null());
    if (run->failure[0] != '\0') {
        return one;
    }
    char digest[16];
    snprintf(digest, sizeof digest, "%08x", (unsigned)run->pipeline.digest);
    json_object_set_new(one, "digest", json_string(digest));
    marl_filter filter = run->tuning.tuning.filter;
    int corrects = filter != MARL_FILTER_GYRO && filter != MARL_FILTER_VECTORS;
    int magnetic = marl_estimator_heading_is_magnetic(e);
    marl_estimator_weights(e, &weight[0], &weight[1]);
    const marl_vec3 bias = marl_estimator_bias(e);
    const float bias_deg[3] = {bias.x / (float)MARL_DEGREE, bias.y / (float)MARL_DEGREE,
                               bias.z / (float)MARL_DEGREE};
    int known = marl_estimator_sigma(e, &sigma[0], &sigma[1]) == MARL_OK;
    json_object_set_new(one, "heading", cli_text(magnetic ? "magnetic" : "relative"));
    json_object_set_new(one, "bias_deg_s", rounded(bias_deg, 3, 4));
    json_object_set_new(one, "weight_accel", corrects ? cli_page_number((double)weight[0], 3) : json_null());
    json_object_set_new(one, "weight_mag",
                        corrects && magnetic ? cli_page_number((double)weight[1], 3) : json_null());
    json_object_set_new(one, "sigma_tilt_deg",
                        known ? cli_page_number((double)sigma[0] / MARL_DEGREE, 3) : json_null());
    json_object_set_new(one, "sigma_heading_deg",
                        known ? cli_page_number((double)sigma[1] / MARL_DEGREE, 3) : json_null());
    return one;
}

static json_t *sensors_json(const live_job *job)
{
    json_t *sensors = json_object();
    marl_estimator_counts counts = {0};
    for (size_t i = 0; i < job->live->n; i++) {
        if (job->live->run[i].failure[0] == '\0') {
            counts = marl_estimator_count(&job->live->run[i].pipeline.estimator);
            break;
        }
    }
    const uint32_t invalid[MARL_SENSOR_COUNT] = {[MARL_ACCEL] = counts.invalid_accel,
                                                 [MARL_GYRO] = counts.invalid_gyro,
                                                 [MARL_MAG] = counts.invalid_mag};
    const uint8_t there = marl_replay_sensors(&job->live->info);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (there & fresh[i]) {
            json_object_set_new(sensors, marl_sensor_name((marl_sensor)i),
                                json_pack("{s:o,s:I}", "rate_hz", cli_page_number(job->rates.hz[i], 1),
                                          "invalid", (json_int_t)invalid[i]));
        }
    }
    return sensors;
}

static json_t *frame_json(live_job *job)
{
    const marl_stream_report *report = marl_receiver_report(job->recording.receiver);
    json_t *root = json_object(), *runs = json_array();
    for (size_t i = 0; i < job->live->n; i++) {
        json_array_append_new(runs, run_json(job, i));
    }
    json_object_set_new(root, "t", cli_page_number(1e-9 * (double)job->live->t_ns, 6));
    json_object_set_new(root, "clock_s", cli_page_number(job->shown_wall_s, 6));
    json_object_set_new(root, "rows", json_integer((json_int_t)job->live->rows));
    json_object_set_new(root, "runs", runs);
    json_object_set_new(root, "sensors", sensors_json(job));
    json_object_set_new(root, "gaps", json_integer((json_int_t)marl_guide_gaps(job->recording.guide)));
    json_object_set_new(root, "packets_lost", json_integer((json_int_t)report->items_lost));
    return root;
}

/* What only the page draws. */
static void add_drawn(live_job *job, json_t *root)
{
    const live_batch *b = &job->batch;
    json_t *trace = json_array(), *points = json_array();
    for (int i = 0; i < b->rows; i++) {
        json_t *one = rounded(b->row[i], 18 + 3 * job->live->n, 3);
        json_array_insert_new(one, 0, cli_page_number(b->t[i], 4));
        json_array_append_new(trace, one);
    }
    for (int i = 0; i < b->points; i++) {
        json_array_append_new(points, rounded(b->point[i], 6, 2));
    }
    json_object_set_new(root, "trace", trace);
    json_object_set_new(root, "points", points);
    json_object_set_new(root, "guide", live_guide_json(job));
    json_object_set_new(root, "latency_ms", cli_page_number(1e3 * job->latency_s, 2));
}

/* A line as long as this goes into a pipe whole or not at all, without waiting. */
enum { PIPE_LINE = 4096 };

static void print_line(live_job *job, json_t *root)
{
    struct pollfd out = {.fd = STDOUT_FILENO, .events = POLLOUT};
    char line[PIPE_LINE];
    size_t n = json_dumpb(root, line, sizeof line - 1, JSON_COMPACT | JSON_REAL_PRECISION(15));
    if (n == 0 || n >= sizeof line || poll(&out, 1, live_is_unpaced(job) ? -1 : 0) <= 0) {
        return; /* a reader that is slow loses lines */
    }
    line[n++] = '\n';
    if (write(STDOUT_FILENO, line, n) < 0 && errno == EPIPE) {
        raise(SIGTERM); /* nobody reads any more: the recording ends in order */
    }
}

static void publish(live_job *job, const char *event, json_t *root)
{
    char *text = json_dumps(root, JSON_COMPACT | JSON_REAL_PRECISION(9));
    if (text != NULL) {
        marl_live_server_publish(job->server, event, text);
    }
    free(text);
}

void live_show_frame(live_job *job)
{
    double now = live_wall_s();
    job->shown_wall_s = now;
    if (job->live == NULL || job->oldest_wall_s < 0) {
        return; /* nothing new */
    }
    job->shown_ns = job->live->t_ns;
    follow_limits(job);
    job->latency_s = now - job->oldest_wall_s;
    job->oldest_wall_s = -1;
    job->frames++;
    for (size_t i = 0; job->osc != NULL && i < job->live->n; i++) {
        const marl_live_run *run = &job->live->run[i];
        if (run->has_q) {
            (void)marl_osc_send(job->osc, run->tuning.name, 1e-9 * (double)job->live->t_ns, run->q);
        }
    }
    int viewed = job->server != NULL && marl_live_server_viewers(job->server) > 0;
    if (viewed || job->json) {
        json_t *root = frame_json(job);
        if (job->json) {
            print_line(job, root);
        }
        if (viewed) {
            add_drawn(job, root);
            publish(job, "frame", root);
        }
        json_decref(root);
    }
    job->batch.rows = job->batch.points = 0;
}

/* ---- state ---- */

static json_t *parameters_json(void)
{
    json_t *list = json_array();
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        const marl_parameter *p = marl_parameter_row((marl_parameter_id)i);
        json_t *one = json_object();
        json_object_set_new(one, "id", json_integer(i));
        json_object_set_new(one, "name", cli_text(p->name));
        json_object_set_new(one, "unit", cli_text(p->unit));
        json_object_set_new(one, "isSwitch", json_boolean(p->kind == MARL_KIND_SWITCH));
        json_object_set_new(one, "weighting", json_boolean(p->group == MARL_GROUP_WEIGHTING));
        json_object_set_new(one, "standard", json_real((double)p->standard));
        json_object_set_new(one, "low", json_real((double)p->low));
        json_object_set_new(one, "high", json_real((double)p->high));
        json_object_set_new(one, "filters", json_integer((json_int_t)p->filters));
        json_object_set_new(one, "about", cli_text(p->about));
        json_array_append_new(list, one);
    }
    return list;
}

static json_t *setup_json(const marl_named_tuning *tuning, const char *failure)
{
    json_t *one = json_object(), *values = json_array();
    char *text = marl_tuning_text(tuning);
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        json_array_append_new(values, json_real((double)tuning->tuning.value[i]));
    }
    json_object_set_new(one, "name", cli_text(tuning->name));
    json_object_set_new(one, "filter", json_integer(tuning->tuning.filter));
    json_object_set_new(one, "values", values);
    json_object_set_new(one, "file", text != NULL ? json_loads(text, 0, NULL) : json_null());
    json_object_set_new(one, "failure", failure != NULL && failure[0] ? cli_text(failure) : json_null());
    free(text);
    return one;
}

static json_t *runs_json(const live_job *job)
{
    json_t *runs = json_array();
    for (size_t i = 0; i < job->tuning_n; i++) {
        const marl_live_run *run = job->live != NULL ? &job->live->run[i] : NULL;
        json_array_append_new(runs, run != NULL ? setup_json(&run->tuning, run->failure)
                                                : setup_json(&job->tunings[i], NULL));
    }
    return runs;
}

static json_t *calibration_json(const live_job *job)
{
    const marl_calibration_record *record = job->live != NULL ? &job->live->record : &job->record;
    int used = job->has_record || (job->live != NULL && record->made[0] != '\0');
    char *text = used ? marl_calibration_text(record) : NULL;
    json_t *value = text != NULL ? json_loads(text, 0, NULL) : json_null();
    free(text);
    return value;
}

void live_show_state(live_job *job)
{
    static const char *const names[] = {"waiting", "running", "lost", "over", "failed"};
    if (job->server == NULL) {
        return;
    }
    json_t *root = json_object();
    const recording *r = &job->recording;
    json_object_set_new(root, "source", cli_text(job->where.from));
    json_object_set_new(root, "device", cli_text(r->info.device));
    json_object_set_new(root, "status", json_string(names[job->status]));
    json_object_set_new(root, "failure", job->failure != NULL ? cli_text(job->failure) : json_null());
    json_object_set_new(root, "recording", r->out != NULL ? cli_text(r->out) : json_null());
    json_object_set_new(root, "takes", json_boolean(job->from.kind != SOURCE_STDIN));
    json_object_set_new(root, "every", json_integer(job->every));
    json_object_set_new(root, "runs", runs_json(job));
    json_object_set_new(root, "calibration", calibration_json(job));
    json_object_set_new(root, "guide", live_guide_json(job));
    json_object_set_new(root, "fit", live_fit_json(job));
    json_object_set_new(root, "parameters", parameters_json());
    json_object_set_new(root, "filters", cli_compute_filters(job->reading->options.sheet));
    publish(job, "state", root);
    json_decref(root);
}

void live_show_failure(live_job *job, const marl_error *error)
{
    job->status = LIVE_FAILED;
    job->failure = error->text;
    live_show_state(job);
}
