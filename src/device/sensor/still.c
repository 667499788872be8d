/* SPDX-License-Identifier: MIT
 * The stillness detector. */
#include "device/math/stats.h"
#include "device/math/vec_quat.h"
#include "marlinspike/sample.h"

marl_still_limits marl_still_default_limits(void)
{
    return (marl_still_limits){.window_s = 0.5f,
                               .accel_deviation = 0.12f,
                               .gyro_deviation = 0.012f,
                               .gyro_mean = 0.09f,
                               .accel_shift = 0.06f,
                               .gyro_shift = 0.005f,
                               .mag_shift = 1.5f};
}

static int usable(float limit)
{
    return isfinite(limit) && limit > 0.0f;
}

marl_status marl_still_init(marl_still *still, const marl_still_limits *limits)
{
    *still = (marl_still){.limits = *limits};
    int good = usable(limits->window_s) && usable(limits->accel_deviation) &&
               usable(limits->gyro_deviation) && usable(limits->gyro_mean) && usable(limits->gyro_shift) &&
               usable(limits->accel_shift) && usable(limits->mag_shift);
    return good ? MARL_OK : MARL_ERR_ARGUMENT;
}

static int longer(marl_vec3 v, float limit)
{
    return vec3_dot(v, v) > limit * limit;
}

static int scatters(const marl_stats *stats, float limit)
{
    marl_vec3 v = marlp_stats_variance(stats);
    return float_max(v.x, float_max(v.y, v.z)) > limit * limit;
}

/* Has the mean left the place where the window before had it? Remembers the new one. */
static int shifted(const marl_stats *stats, marl_vec3 *last, int *have_last, float limit)
{
    if (stats->n == 0) {
        return 0;
    }
    int moved = *have_last && longer(vec3_sub(stats->mean, *last), limit);
    *last = stats->mean;
    *have_last = 1;
    return moved;
}

static void open_window(marl_still *still, int64_t t_ns)
{
    marlp_stats_init(&still->accel);
    marlp_stats_init(&still->gyro);
    marlp_stats_init(&still->mag);
    still->window_start_ns = t_ns;
    still->open = 1;
}

static int window_is_quiet(marl_still *still)
{
    const marl_still_limits *limits = &still->limits;
    int shift = shifted(&still->accel, &still->last_accel, &still->have_last_accel, limits->accel_shift);
    shift |= shifted(&still->gyro, &still->last_gyro, &still->have_last_gyro, limits->gyro_shift);
    shift |= shifted(&still->mag, &still->last_mag, &still->have_last_mag, limits->mag_shift);
    int heard = still->accel.n >= 3 || still->gyro.n >= 3;
    return heard && !shift && !scatters(&still->accel, limits->accel_deviation) &&
           !scatters(&still->gyro, limits->gyro_deviation) && !longer(still->gyro.mean, limits->gyro_mean);
}

static marl_still_verdict close_window(marl_still *still, int quiet, int64_t t_ns)
{
    still->still = quiet && still->quiet_before;
    still->quiet_before = quiet;
    open_window(still, t_ns);
    return quiet ? MARL_STILL_QUIET : MARL_STILL_MOVING;
}

static void gather_readings(marl_still *still, const marl_sample *sample)
{
    if (sample->fresh & MARL_FRESH_ACCEL) {
        marlp_stats_add(&still->accel, sample->accel);
    }
    if (sample->fresh & MARL_FRESH_GYRO) {
        marlp_stats_add(&still->gyro, sample->gyro);
    }
    if (sample->fresh & MARL_FRESH_MAG) {
        marlp_stats_add(&still->mag, sample->mag);
    }
}

marl_still_verdict marl_still_update(marl_still *still, const marl_sample *sample)
{
    marl_still_verdict verdict = MARL_STILL_OPEN;
    float elapsed = 0.0f;
    if (!still->open) {
        open_window(still, sample->t_ns);
    } else if (sample->t_ns != still->window_start_ns) {
        marl_status status = marl_time_step(still->window_start_ns, sample->t_ns, &elapsed);
        if (status != MARL_OK || elapsed > 2.0f * still->limits.window_s) {
            verdict = close_window(still, 0, sample->t_ns);
        } else if (elapsed >= still->limits.window_s) {
            verdict = close_window(still, window_is_quiet(still), sample->t_ns);
        }
    }
    gather_readings(still, sample);
    return verdict;
}

marl_still_verdict marl_still_finish(marl_still *still)
{
    if (!still->open || (still->accel.n < 3 && still->gyro.n < 3)) {
        return MARL_STILL_OPEN;
    }
    return close_window(still, window_is_quiet(still), still->window_start_ns);
}
