/* SPDX-License-Identifier: MIT
 * --delay: readings that are late are put where they belong before the recording is written. */
#include "cli/inspect/inspect.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define LONGEST_S 10.0

/* "mag=0.04": the sensor and what stands behind the number; NULL where that is none. */
static const char *read_one(const char *text, marl_sensor_delays *delays)
{
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const char *name = marl_sensor_name((marl_sensor)i);
        size_t n = strlen(name);
        if (strncmp(text, name, n) == 0 && text[n] == '=') {
            char *end;
            double s = strtod(text + n + 1, &end);
            delays->of[i] = (marl_sensor_delay){1, s, 0};
            return end > text + n + 1 && fabs(s) <= LONGEST_S ? end : NULL;
        }
    }
    return NULL;
}

static marl_status read_delays(const char *text, marl_sensor_delays *delays, marl_error *error)
{
    const char *at = text;
    memset(delays, 0, sizeof *delays);
    while (at != NULL && *at != '\0') {
        at = read_one(at, delays);
        at += at != NULL && *at == ',' ? 1 : 0;
    }
    if (at == NULL || *text == '\0') {
        return marl_fail(
            error, MARL_ERR_USE,
            "--delay is auto, or seconds by which a sensor is late, such as mag=0.04,accel=0.01, up "
            "to %g, and not '%s'",
            LONGEST_S, text);
    }
    return MARL_OK;
}

marl_status cli_inspect_check_delay(const char *text, const char *out, marl_error *error)
{
    marl_sensor_delays delays;
    if (text != NULL && out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "--delay is of the log that -o writes");
    }
    return text == NULL || strcmp(text, "auto") == 0 ? MARL_OK : read_delays(text, &delays, error);
}

marl_status cli_inspect_remove_delays(cli_inspected *seen, const char *text, marl_error *error)
{
    marl_sensor_delays delays = marl_sensor_delays_named(&seen->delays);
    if (text == NULL) {
        return MARL_OK;
    }
    seen->looked_for_delays = strcmp(text, "auto") == 0;
    MARL_TRY(seen->looked_for_delays ? MARL_OK : read_delays(text, &delays, error));
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        if (delays.of[i].found) {
            MARL_TRY(marl_sensor_delay_remove(&seen->log, (marl_sensor)i, delays.of[i].delay_s, error));
            seen->removed.of[i] = delays.of[i];
        }
    }
    return MARL_OK;
}
