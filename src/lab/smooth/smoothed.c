/* SPDX-License-Identifier: MIT
 * What a smoothed log shows, and whether it is to be trusted. */
#include "lab/smooth/smooth_parts.h"
#include <math.h>
#include <stdlib.h>

#define SHOWN 5.0      /* standard deviations of what is shown */
#define LONG_ARM 1.0   /* m */
#define MIN_FIELD 10.0 /* uT, with steel around */
#define MAX_FIELD 150.0
#define UNSURE (2 * MARL_DEGREE) /* of a heading: where turns show the hard iron it is under one degree */
#define SHOWN_FORCE (0.02 * MARL_DEGREE / MARL_STANDARD_GRAVITY) /* rad/s per m/s^2 */

const char *marl_smoothed_distrust(const marl_smoothed *s)
{
    double field = hypot(s->field_north, s->field_up);
    if (s->dead_axes != 0) {
        return "an axis of a sensor always reads the same";
    }
    if (s->heading_is_magnetic && !(field > MIN_FIELD && field < MAX_FIELD)) {
        return "the field is none of the Earth's (20 to 70 uT): the magnetometer's unit is wrong";
    }
    return lab_smooth_distrust(s->change, s->missed, s->worst, s->worst_of);
}

int marl_smoothed_hides_iron(const marl_smoothed *s)
{
    return s->heading_is_magnetic && s->sensors_are_raw && s->sigma_heading_rms > UNSURE;
}

int marl_smoothed_shows_arm(const marl_smoothed *s, int *is_long)
{
    double length2 = 0;
    int is_shown = 0;
    for (int k = 0; k < 3; k++) {
        is_shown |= fabs(s->arm[k]) > SHOWN * s->arm_sigma[k];
        length2 += s->arm[k] * s->arm[k];
    }
    *is_long = is_shown && length2 > LONG_ARM * LONG_ARM;
    return is_shown;
}

/* On a rope an accelerometer reads the same all the time, late or not, which must not pass for a delay of nothing. */
marl_sensor_delays marl_smoothed_delays(const marl_smoothed *smoothed)
{
    marl_sensor_delays delays;
    int is_long;
    (void)!marl_smoothed_shows_arm(smoothed, &is_long);
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        const marl_sensor_errors *e = &smoothed->errors[i];
        int is_unseen = i == MARL_GYRO || (i == MARL_ACCEL && is_long) || isnan(e->delay_sigma);
        delays.of[i] =
            is_unseen ? (marl_sensor_delay){0, NAN, NAN} : (marl_sensor_delay){1, e->delay, e->delay_sigma};
    }
    return delays;
}

int marl_smoothed_shows_force(const marl_smoothed *smoothed)
{
    int is_shown = 0;
    for (int i = 0; i < 9; i++) {
        double value = fabs(smoothed->gyro_by_force[i]);
        is_shown |= value > SHOWN * smoothed->gyro_by_force_sigma[i] && value > SHOWN_FORCE;
    }
    return is_shown;
}

marl_status marl_smoothed_series(const marl_smoothed *smoothed, marl_series *series, marl_error *error)
{
    series->n = 0;
    series->at = malloc((smoothed->n + 1) * sizeof *series->at);
    if (series->at == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    for (size_t i = 0; i < smoothed->n; i++) {
        series->at[i] = (marl_attitude){smoothed->row[i].t_ns, smoothed->row[i].q};
    }
    series->n = smoothed->n;
    return MARL_OK;
}

void marl_smoothed_free(marl_smoothed *smoothed)
{
    free(smoothed->row);
    free(smoothed->knot);
    smoothed->row = NULL;
    smoothed->knot = NULL;
    smoothed->n = smoothed->knots = 0;
}
