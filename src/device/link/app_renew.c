/* SPDX-License-Identifier: MIT
 * The streaming application: calibrations that it renews itself, by a message, a button, or at rest. */
#include "device/link/app_parts.h"
#include "device/link/telemetry.h"
#include "device/math/vec_quat.h"
#include <string.h>

#define SHOWN_EVERY_NS INT64_C(500000000)
#define BIAS_SIGMA 1e-3f /* rad/s, 0.06 deg/s: of a bias that came from elsewhere */
#define FAR 3.0f         /* standard errors: what is in use is out of date */

static int ends(const marl_renewal *job)
{
    return job->stage == MARL_RENEWAL_DONE || job->stage == MARL_RENEWAL_REFUSED;
}

/* A stage that is new, and from time to time how far it is. What the line has no room for is sent the next time. */
static marl_status show(marl_app *app, marl_app_renewal *r, int64_t t_ns)
{
    uint32_t unsent = app->unsent;
    int is_new = r->job.stage != r->shown;
    if (is_new && app->port->lamp != NULL && r->running) {
        app->port->lamp(app->port->context, r->job.stage);
    }
    int64_t since = t_ns - r->shown_ns;
    if ((app->config.as_lines && (!r->running || r->by_button)) ||
        (!is_new && since >= 0 && since < SHOWN_EVERY_NS)) {
        r->shown = r->job.stage;
        return MARL_OK;
    }
    wire_writer w = marlp_app_item(app);
    const item_renewal item = {(marl_renewal_kind)r->job.kind, (marl_renewal_stage)r->job.stage,
                               (marl_renewal_reason)r->job.reason, &r->job.found};
    marlp_item_put_renewal(&w, app->number, t_ns, &item);
    MARL_TRY(marlp_app_send(app, &w));
    if (app->unsent == unsent) {
        r->shown = r->job.stage;
        r->shown_ns = t_ns;
    }
    return MARL_OK;
}

/* Is the bias that was found at rest better than the one in use, or does it show that one to be out of date? */
static int is_better(const marl_app_renewal *r)
{
    const marl_renewed *f = &r->job.found;
    const marl_vec3 *now = &r->gyro_sigma, *then = &f->bias_sigma, *off = &f->change;
    float old2 = vec3_dot(*now, *now), new2 = vec3_dot(*then, *then);
    return new2 < old2 || vec3_dot(*off, *off) > FAR * FAR * (old2 + new2);
}

static void refuse(marl_app_renewal *r, marl_renewal_reason reason)
{
    r->job.stage = MARL_RENEWAL_REFUSED;
    r->job.reason = (uint8_t)reason;
}

/* What the button began is kept at once, where there is a memory; what cannot be kept is not used either. */
static void use(marl_app *app, marl_app_renewal *r)
{
    const marl_calibration before = app->settings.calibration;
    marl_status status = marl_renewal_apply(&r->job, &app->settings.calibration);
    marl_renewal_reason reason = status != MARL_OK ? MARL_RENEWAL_SCATTER : MARL_RENEWAL_STORE;
    if (status == MARL_OK && r->by_button && app->port->nv_write != NULL) {
        status = marlp_app_commit(app);
    }
    if (status != MARL_OK) {
        app->settings.calibration = before;
        refuse(r, reason);
        return;
    }
    app->changed = app->changed || !r->by_button || app->port->nv_write == NULL;
    marl_field_watch_init(&r->watch);
    if (r->job.kind == MARL_RENEW_STILL) {
        r->gyro_sigma = r->job.found.bias_sigma;
    }
    marlp_app_recalibrate(app);
}

/* Nobody asked for anything: the next rest may show the bias of the gyroscope. */
static void watch_rest(marl_app *app, marl_app_renewal *r)
{
    if ((r->does & MARL_APP_RENEWS_BIAS) && (marl_board_sensors(&app->board) & MARL_FRESH_GYRO)) {
        marl_renewal_options options = marl_renewal_default(MARL_RENEW_STILL);
        options.patience_s = 2000.0f; /* then it only begins anew */
        (void)!marl_renewal_start(&r->job, MARL_RENEW_STILL, &app->settings.calibration, &options);
    }
}

static void end_in_background(marl_app *app, marl_app_renewal *r)
{
    if (r->job.stage == MARL_RENEWAL_DONE && is_better(r)) {
        use(app, r);
    } else if (r->job.stage == MARL_RENEWAL_DONE) {
        refuse(r, MARL_RENEWAL_WORSE);
    }
}

static marl_status ask(marl_app *app, marl_renewal_kind kind, const marl_renewal_options *options)
{
    static const uint8_t sensor[] = {0, MARL_FRESH_GYRO, MARL_FRESH_ACCEL, MARL_FRESH_MAG};
    marl_app_renewal *r = app->config.renewal;
    if (kind == MARL_RENEW_NOTHING) {
        if (r->running && !ends(&r->job)) {
            refuse(r, MARL_RENEWAL_STOPPED);
        }
        return MARL_OK;
    }
    if (r->running) {
        return MARL_ERR_NOT_READY;
    }
    if (!app->fed && !(marl_board_sensors(&app->board) & sensor[kind])) {
        return MARL_ERR_ARGUMENT;
    }
    MARL_TRY(marl_renewal_start(&r->job, kind, &app->settings.calibration, options));
    r->running = 1;
    r->by_button = 0;
    r->shown = MARL_RENEWAL_IDLE;
    return MARL_OK;
}

static void press(marl_app *app, marl_app_renewal *r)
{
    uint8_t kind = app->port->button != NULL ? app->port->button(app->port->context) : 0;
    if (kind != MARL_RENEW_NOTHING && kind <= MARL_RENEW_TUMBLE) {
        const marl_renewal_options options = marl_renewal_default((marl_renewal_kind)kind);
        int began = !r->running && ask(app, (marl_renewal_kind)kind, &options) == MARL_OK;
        r->by_button = r->by_button || began;
    }
}

/* What the field contradicts is sent as the result of a tumble that nobody made. */
static marl_status watch_field(marl_app *app, marl_app_renewal *r, const marl_sample *raw)
{
    const marl_correction *c = &app->settings.calibration.mag;
    marl_sample sample = *raw;
    (void)!marl_sample_check(&sample, NULL);
    if (!(r->does & MARL_APP_WATCHES_FIELD) || !c->present || !(sample.fresh & MARL_FRESH_MAG)) {
        return MARL_OK;
    }
    marl_vec3 mag = marl_correction_apply(c, sample.mag, app->pipeline.corrector.degC);
    if (!marl_field_watch_feed(&r->watch, sample.t_ns, mag) || app->config.as_lines) {
        return MARL_OK;
    }
    const marl_renewed found = {.correction = *c,
                                .change = r->watch.off,
                                .bias_sigma = r->watch.sigma,
                                .length = r->watch.length,
                                .missing = 6,
                                .sensor = MARL_MAG};
    uint32_t unsent = app->unsent;
    wire_writer w = marlp_app_item(app);
    const item_renewal item = {MARL_RENEW_TUMBLE, MARL_RENEWAL_AGAIN, MARL_RENEWAL_NO_REASON, &found};
    marlp_item_put_renewal(&w, app->number, sample.t_ns, &item);
    MARL_TRY(marlp_app_send(app, &w));
    r->watch.again = app->unsent == unsent; /* else it is said at the next tick */
    return MARL_OK;
}

static marl_status feed(marl_app *app, const marl_sample *raw)
{
    marl_app_renewal *r = app->config.renewal;
    press(app, r);
    MARL_TRY(watch_field(app, r, raw));
    if (r->job.kind == MARL_RENEW_NOTHING) {
        watch_rest(app, r);
    }
    int was_over = ends(&r->job);
    if (!was_over) {
        marl_renewal_feed(&r->job, raw);
    }
    int is_over = ends(&r->job);
    if (is_over && !was_over && r->running && r->job.stage == MARL_RENEWAL_DONE) {
        use(app, r);
    } else if (is_over && !was_over && !r->running) {
        end_in_background(app, r);
    }
    int quiet = !r->running && r->job.stage != MARL_RENEWAL_DONE; /* at rest only what is used is shown */
    MARL_TRY(quiet ? MARL_OK : show(app, r, raw->t_ns));
    if (is_over && (quiet || r->shown == r->job.stage)) {
        r->running = 0;
        marl_renewal_init(&r->job);
        r->shown = MARL_RENEWAL_IDLE;
    }
    return MARL_OK;
}

/* What was seen through other settings does not count; what somebody asked for goes on, since those settings that would
 * disturb it are refused meanwhile. */
static void forget(marl_app_renewal *r)
{
    marl_field_watch_init(&r->watch);
    r->gyro_sigma = (marl_vec3){BIAS_SIGMA, BIAS_SIGMA, BIAS_SIGMA};
    if (!r->running) {
        marl_renewal_init(&r->job);
    }
}

void marl_app_renewal_init(marl_app_renewal *renewal, unsigned does)
{
    memset(renewal, 0, sizeof *renewal);
    renewal->ask = ask;
    renewal->feed = feed;
    renewal->forget = forget;
    renewal->does = (uint8_t)does;
    forget(renewal);
}
