/* SPDX-License-Identifier: MIT
 * The desk's own fit beside the board's. */
#include "cli/send/send_desk.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MAX_ROWS = 1 << 21 };

marl_status send_desk_add(send_desk *desk, const marl_log_row *row, marl_error *error)
{
    if (desk->log.n == desk->capacity) {
        size_t capacity = desk->capacity > 0 ? 2 * desk->capacity : 4096;
        marl_log_row *larger =
            capacity <= MAX_ROWS ? realloc(desk->log.row, capacity * sizeof *larger) : NULL;
        if (larger == NULL) {
            return marl_fail(error, MARL_ERR_SYSTEM, "no memory for what the board streams");
        }
        desk->log.row = larger;
        desk->capacity = capacity;
    }
    desk->log.row[desk->log.n++] = *row;
    return MARL_OK;
}

static marl_status fit(const marl_log *log, marl_renewal_kind kind, double gravity, marl_fit *found,
                       marl_error *error)
{
    marl_still_result rest;
    marl_poses_result poses;
    marl_tumble_result tumble;
    const marl_tumble_options options = {.field = (double)NAN};
    marl_status status;
    switch (kind) {
    case MARL_RENEW_STILL:
        status = marl_calibrate_still(log, &rest, error);
        *found = rest.outcome.fit;
        return status;
    case MARL_RENEW_POSES:
        status = marl_calibrate_poses(log, gravity, &poses, error);
        *found = poses.outcome.fit;
        marl_poses_result_free(&poses);
        return status;
    default:
        status = marl_calibrate_tumble(log, &options, &tumble, error);
        *found = tumble.outcome.fit;
        marl_tumble_result_free(&tumble);
        return status;
    }
}

marl_status send_desk_fit(send_desk *desk, unsigned columns, const marl_renewal_report *report,
                          double gravity, marl_error *error)
{
    static char path[] = "streamed meanwhile";
    marl_fit found = {0};
    marl_error why = {0};
    desk->log.info.columns = columns;
    if (desk->log.n == 0) {
        return MARL_OK;
    }
    desk->log.path = path;
    marl_status status = fit(&desk->log, report->kind, gravity, &found, &why);
    desk->log.path = NULL;
    desk->accepted = status == MARL_OK;
    memcpy(desk->bias, found.bias, sizeof desk->bias);
    memcpy(desk->sigma, found.bias_sigma, sizeof desk->sigma);
    snprintf(desk->refused, sizeof desk->refused, "%.290s", why.text);
    return status == MARL_ERR_SYSTEM ? marl_fail(error, status, "%s", why.text) : MARL_OK;
}

void send_desk_print(const send_desk *desk, const marl_renewal_report *report, double scale, const char *unit)
{
    const marl_vec3 *b = &report->found.correction.bias, *s = &report->found.bias_sigma;
    const double bias[3] = {(double)b->x, (double)b->y, (double)b->z},
                 sigma[3] = {(double)s->x, (double)s->y, (double)s->z};
    double far = 0, z = 0;
    if (desk->log.n == 0) {
        return;
    }
    if (!desk->accepted) {
        cli_print("  the desk refuses the same readings: %s\n", desk->refused);
        return;
    }
    for (int k = 0; k < 3; k++) {
        far = fmax(far, fabs(bias[k] - desk->bias[k]));
        z = fmax(z, fabs(bias[k] - desk->bias[k]) / fmax(sigma[k], desk->sigma[k]));
    }
    cli_print("  the desk finds the same bias in the same readings within %.2g %s (%.1f std errors)\n",
              scale * far, unit, z);
}

json_t *send_desk_json(const send_desk *desk)
{
    if (desk->log.n == 0) {
        return json_null();
    }
    json_t *root = json_object();
    json_object_set_new(root, "accepted", json_boolean(desk->accepted));
    json_object_set_new(root, "rows", json_integer((json_int_t)desk->log.n));
    json_object_set_new(root, "bias", desk->accepted ? cli_numbers(desk->bias, 3) : json_null());
    json_object_set_new(root, "bias_sigma", desk->accepted ? cli_numbers(desk->sigma, 3) : json_null());
    json_object_set_new(root, "reason", desk->accepted ? json_null() : cli_text(desk->refused));
    return root;
}

void send_desk_free(send_desk *desk)
{
    free(desk->log.row);
}
