/* SPDX-License-Identifier: MIT
 * Is the Kalman filter's attitude wrong beyond what its covariance allows? Three tests that do not use its
 * innovations (3.8): a force that would need an impossible speed, a board at rest whose force is gravity from
 * elsewhere, a heading that the field contradicts for seconds. */
#include "device/attitude/estimator_parts.h"

/* Time constants of the force, s: of the direction that a restart takes, and of the test of the speed. */
#define RECENT_TIME 1.0f
#define LONG_TIME 30.0f
/* At rest: rate, rad/s, and change of the force from one correction to the next, m/s^2, with its memory, s.
 */
#define REST_RATE 0.05f
#define REST_CHANGE 0.02f
#define REST_TIME 0.3f
/* At rest a wrong tilt shows in the direction of the force alone; an acceleration would add to its length.
 * Its horizontal part must be large enough for that to be seen in spite of what calibration leaves,
 * (m/s^2)^2. */
#define REST_FORCE2 2.25f
#define REST_SHARE 0.5f
/* The heading: memory of the innovation, s, standard deviations that it must exceed, and a margin, rad, at
 * rest and in motion, where steel that passes turns the field by 0.2 rad before it changes its strength. */
#define HEADING_TIME 3.0f
#define HEADING_SIGMAS 4.0f
#define HEADING_MARGIN_AT_REST 0.1f
#define HEADING_MARGIN 0.25f

static float square_sum(const float v[2])
{
    return v[0] * v[0] + v[1] * v[1];
}

static float tilt_variance(const marl_kalman *k)
{
    return k->p[0][0] + k->p[1][1];
}

/* The forces behind the tests; `d` is the turn that the correction made. */
static void follow_force(marl_estimator *e, const estimator_means *means, marl_vec3 d)
{
    marl_kalman *k = &e->kalman;
    float t = k->force_age = float_min(k->force_age + means->age, LONG_TIME), age = means->age;
    float slow = age / LONG_TIME, moved = MARL_GRAVITY * t / LONG_TIME;
    marl_vec3 change = vec3_sub(means->force, k->last_force);
    float steady = age / (age + REST_TIME);
    k->force_change = float_snap(k->force_change + steady * (vec3_dot(change, change) - k->force_change));
    k->last_force = vec3_add(means->force, vec3_cross(d, means->force));
    k->recent_force = vec3_follow(k->recent_force, means->force, age / (age + float_min(RECENT_TIME, t)));
    k->recent_force = vec3_add(k->recent_force, vec3_cross(d, k->recent_force));
    k->long_force[0] =
        float_snap(k->long_force[0] + slow * (means->force.x - k->long_force[0]) + moved * d.y);
    k->long_force[1] =
        float_snap(k->long_force[1] + slow * (means->force.y - k->long_force[1]) - moved * d.x);
}

static int needs_impossible_speed(const marl_estimator *e)
{
    float sigma = float_root(0.5f * tilt_variance(&e->kalman));
    float limit = PARAMETER(e, RESET_SPEED) / LONG_TIME + 2.0f * MARL_GRAVITY * sigma;
    return square_sum(e->kalman.long_force) > limit * limit;
}

static int is_at_rest(const marl_estimator *e)
{
    marl_vec3 rate = vec3_sub(e->rate, e->bias);
    return e->kalman.force_change < REST_CHANGE * REST_CHANGE && vec3_dot(rate, rate) < REST_RATE * REST_RATE;
}

static int is_gravity_from_elsewhere(const marl_estimator *e, marl_vec3 f)
{
    float level2 = f.x * f.x + f.y * f.y,
          expected2 = 4.0f * MARL_GRAVITY * MARL_GRAVITY * tilt_variance(&e->kalman);
    float longer = float_abs(float_root(vec3_dot(f, f)) - MARL_GRAVITY);
    if (f.z < 0.0f) { /* upside down: no horizontal part is needed */
        level2 = MARL_GRAVITY * MARL_GRAVITY;
    }
    return level2 > REST_FORCE2 && level2 > expected2 && longer < REST_SHARE * level2 / (2.0f * MARL_GRAVITY);
}

/* The angle of the field from north at rest, where the force is "up" whatever the estimate is: east is
 * square to both. */
static float innovation_at_rest(const marl_estimator *e, marl_vec3 field, float *weight)
{
    marl_vec3 up = vec3_scale(e->kalman.last_force, 1.0f / MARL_GRAVITY), east = vec3_cross(field, up);
    float noise = PARAMETER(e, MAG_NOISE), vertical = vec3_dot(field, up);
    marl_vec3 upright = {float_root(vec3_dot(east, east)), 0.0f, vertical};
    *weight = 1.0f / (1.0f + marlp_field_reference_excess(&e->field, upright, noise) / (noise * noise));
    return east.x != 0.0f || east.y != 0.0f ? angle_from_north(-east.y, east.x) : 0.0f;
}

/* The innovation of the heading, as far as the field is the undisturbed one. */
static void follow_heading(marl_estimator *e, const estimator_means *means, int at_rest)
{
    marl_kalman *k = &e->kalman;
    float weight = k->innovation_weight, angle = k->innovation;
    if (at_rest) {
        angle = innovation_at_rest(e, means->field, &weight);
    }
    float share = weight * means->field_age / (means->field_age + HEADING_TIME);
    k->heading_error = float_snap(k->heading_error + share * (angle - k->heading_error));
}

static int heading_is_contradicted(const marl_kalman *k, int at_rest)
{
    float margin = at_rest ? HEADING_MARGIN_AT_REST : HEADING_MARGIN;
    float limit = HEADING_SIGMAS * float_root(k->p[2][2]) + margin;
    return float_abs(k->heading_error) > limit;
}

void marlp_kalman_reset_if_lost(marl_estimator *e, const estimator_means *means, marl_vec3 d)
{
    marl_kalman *k = &e->kalman;
    follow_force(e, means, d);
    int at_rest = is_at_rest(e);
    if (means->has_field) {
        follow_heading(e, means, at_rest);
    }
    int contradicted = heading_is_contradicted(k, at_rest);
    if (needs_impossible_speed(e) ||
        (at_rest && (contradicted || is_gravity_from_elsewhere(e, k->last_force)))) {
        world_axes world = world_axes_of(e->q);
        marlp_estimator_start_from_up(e, to_body(&world, at_rest ? k->last_force : k->recent_force));
    } else if (contradicted) {
        marlp_kalman_start_heading(e);
    }
}
