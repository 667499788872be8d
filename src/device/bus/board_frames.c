/* SPDX-License-Identifier: MIT
 * Times of the frames of a FIFO. The newest frame that waits was taken at most a period ago, and after the FIFO was last
 * seen empty: n frames after the last one its time is known from the period, and held within that window. The period
 * follows, since a chip's oscillator is off by up to some percent. */
#include "device/bus/board_frames.h"
#include "device/math/float_math.h"

#define FOLLOW 16         /* fetches over which the period follows */
#define MAX_DEVIATION 10u /* percent that an oscillator may be off */
#define MAX_AHEAD 8       /* periods by which frames may differ from the clock until they are timed anew */

static int64_t within(int64_t value, int64_t low, int64_t high)
{
    return value < low ? low : value > high ? high : value;
}

/* The earliest time of the newest frame. */
static int64_t window_begins(const marl_part_state *state, int64_t now)
{
    int64_t period_ago = now - state->period_ns;
    int64_t after_empty = state->empty_ns + (int64_t)(state->frames - 1) * state->period_ns;
    return after_empty > period_ago && after_empty < now ? after_empty : period_ago;
}

/* The frames before these are unknown, or were lost. */
static void time_anew(marl_part_state *state, int32_t nominal_ns, int64_t now)
{
    state->period_ns = state->period_ns > 0 ? state->period_ns : nominal_ns;
    state->step_ns = state->period_ns;
    int32_t window = (int32_t)(now - window_begins(state, now));
    state->frame_ns = now - window / 2 - (int64_t)state->frames * state->period_ns;
    state->timed = 1;
}

static void time_on(marl_part_state *state, int32_t nominal_ns, int64_t now)
{
    int32_t n = state->frames, most = (int32_t)((uint32_t)nominal_ns / 100u * MAX_DEVIATION);
    int64_t expected = state->frame_ns + (int64_t)n * state->period_ns;
    int64_t newest = within(expected, window_begins(state, now), now);
    int64_t off = newest - expected, far = (int64_t)MAX_AHEAD * nominal_ns;
    if (off > far || off < -far || newest - state->frame_ns < (int64_t)n * (nominal_ns / 2)) {
        time_anew(state, nominal_ns, now);
        return;
    }
    int32_t each = (int32_t)off / n; /* `far` fits: marl_part_check sees to it */
    state->step_ns = state->period_ns + each;
    state->period_ns =
        (int32_t)within(state->period_ns + each / FOLLOW, nominal_ns - most, nominal_ns + most);
}

marl_status marlp_frames_count(const marl_port *port, const marl_part *part, marl_part_state *state,
                               uint32_t period_us, int64_t now)
{
    int32_t nominal_ns = (int32_t)(1000u * period_us);
    marl_status status = marl_part_count_frames(port, part, &state->frames);
    if (status == MARL_ERR_OVERFLOW) {
        state->timed = 0;
        state->counts.overflows++;
    } else if (status != MARL_OK) {
        return status;
    }
    if (state->frames == 0) {
        state->empty_ns = now;
        return status != MARL_OK ? status : MARL_ERR_NOT_READY;
    }
    if (state->timed) {
        time_on(state, nominal_ns, now);
    } else {
        time_anew(state, nominal_ns, now);
    }
    return status;
}

marl_status marlp_frames_next(const marl_port *port, const marl_part *part, marl_part_state *state,
                              marl_sample *sample)
{
    marl_status status = marl_part_read_frame(port, part, sample);
    state->frames--;
    state->frame_ns += state->step_ns;
    sample->t_ns = state->frame_ns;
    return status;
}
