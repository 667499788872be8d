/* SPDX-License-Identifier: MIT
 * The figure of a verification: what is left of each sensor over time, and over the direction. */
#include "cli/verify/verify.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { SERIES = 3 }; /* time, direction, off */

/* Numbers of one sensor: time, s; azimuth, deg; length off, or rate in deg/s. */
typedef struct left {
    size_t n;
    double *t, *azimuth, *off, limit_at[2], limit[2];
} left;

static int make_left(left *l, size_t capacity)
{
    l->t = malloc((SERIES * capacity + 1) * sizeof *l->t);
    l->azimuth = l->t != NULL ? l->t + capacity : NULL;
    l->off = l->t != NULL ? l->t + 2 * capacity : NULL;
    return l->t != NULL;
}

static void add_reading(left *l, int64_t t_ns, const double v[3], double wanted)
{
    l->t[l->n] = 1e-9 * (double)t_ns;
    l->azimuth[l->n] = atan2(v[1], v[0]) / MARL_DEGREE;
    l->off[l->n++] = sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]) - wanted;
}

static marl_status collect_poses(const cli_verified *job, left *l, marl_error *error)
{
    marl_pose_list poses;
    marl_status status = marl_poses_find(&job->log, &poses, error);
    if (status == MARL_OK && !make_left(l, poses.n)) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < poses.n && status == MARL_OK; i++) {
        const marl_pose *p = &poses.pose[i];
        if (p->used) {
            double v[3];
            marl_fit_apply(&job->record.fit[MARL_ACCEL], p->accel, p->temp, v);
            add_reading(l, (p->span.from_ns + p->span.to_ns) / 2, v, job->gravity);
        }
    }
    marl_poses_free(&poses);
    return status;
}

static marl_status collect_field(const cli_verified *job, left *l, marl_error *error)
{
    const marl_calibration calibration = marl_calibration_for_device(&job->record);
    marl_corrector corrector;
    marl_corrector_init(&corrector, &calibration);
    if (!make_left(l, job->log.n)) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < job->log.n; i++) {
        marl_sample s = job->log.row[i].sample;
        (void)marl_corrector_step(&corrector, &s);
        if (s.fresh & MARL_FRESH_MAG) {
            const double v[3] = {(double)s.mag.x, (double)s.mag.y, (double)s.mag.z};
            add_reading(l, s.t_ns, v, job->record.fit[MARL_MAG].field);
        }
    }
    return MARL_OK;
}

/* Over time with the limit of the rms on both sides, and over the azimuth. */
static void add_panels(marl_figure *figure, left *l, const marl_verified *v, const char *label)
{
    marl_panel *time = &figure->panel[figure->panels++], *direction = &figure->panel[figure->panels++];
    *time = (marl_panel){.x_label = "time, s", .y_label = label};
    *direction = (marl_panel){.x_label = "azimuth of the direction, deg", .y_label = label};
    time->curve[time->curves++] =
        (marl_curve){.label = "found", .x = l->t, .y = l->off, .n = l->n, .points = 1};
    direction->curve[direction->curves++] =
        (marl_curve){.x = l->azimuth, .y = l->off, .n = l->n, .points = 1};
    if (l->n > 1) {
        l->limit_at[0] = l->t[0];
        l->limit_at[1] = l->t[l->n - 1];
        l->limit[0] = l->limit[1] = v->limit;
        time->curve[time->curves++] =
            (marl_curve){.label = "limit of the rms", .x = l->limit_at, .y = l->limit, .n = 2};
    }
}

marl_status cli_verify_figure(const cli_verified *job, const char *path, marl_error *error)
{
    const marl_verified *v = job->result.sensor;
    char title[300];
    left accel = {0}, field = {0};
    marl_figure figure = {.title = title, .columns = 2};
    marl_status status = v[MARL_ACCEL].present ? collect_poses(job, &accel, error) : MARL_OK;
    status = status == MARL_OK && v[MARL_MAG].present ? collect_field(job, &field, error) : status;
    if (accel.n > 0) {
        add_panels(&figure, &accel, &v[MARL_ACCEL], "accel length off, m/s^2");
    }
    if (field.n > 0) {
        add_panels(&figure, &field, &v[MARL_MAG], "mag length off, uT");
    }
    snprintf(title, sizeof title, "%.120s %s for %.120s", marl_base_name(job->record_path),
             job->result.holds ? "holds" : "does not hold", marl_base_name(job->log.path));
    if (status == MARL_OK) {
        status = figure.panels > 0
                     ? marl_figure_draw(&figure, path, error)
                     : marl_fail(error, MARL_ERR_INSUFFICIENT,
                                 "%s: no pose and no magnetometer to draw; the gyroscope's rest is a number",
                                 path);
    }
    free(accel.t);
    free(field.t);
    return status;
}
