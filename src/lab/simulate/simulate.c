/* SPDX-License-Identifier: MIT
 * The simulated recording: a scene seen through the sensors of a sheet. */
#include "lab/maths/random.h"
#include "lab/simulate/sensor_model.h"
#include "lab/simulate/simulator.h"
#include <math.h>
#include <stdlib.h>

enum { STREAM_ACCEL = 1, STREAM_GYRO, STREAM_MAG };

/* The wheel: readings per second, resolution in m/s, largest error of its scale. */
#define SPEED_HZ 10.0
#define SPEED_STEP 0.02
#define SPEED_SCALE 0.01

static double base_rate(const marl_sheet *sheet)
{
    double rate = sheet->gyro.present ? sheet->gyro.rate_hz : 0.0;
    rate = sheet->accel.present ? fmax(rate, sheet->accel.rate_hz) : rate;
    return rate > 0.0 ? rate : sheet->mag.rate_hz;
}

marl_status lab_simulator_init(marl_simulator *s, marl_scene_kind scene, const marl_sheet *sheet,
                               double rate_hz, uint64_t seed)
{
    double rate = rate_hz == 0.0 ? base_rate(sheet) : rate_hz;
    if (!(rate >= 1.0 && rate <= 100000.0)) {
        return MARL_ERR_ARGUMENT;
    }
    double mag_rate = fmin(sheet->mag.rate_hz, rate);
    *s = (marl_simulator){.scene = marl_scene_make(scene, seed), .rate_hz = rate};
    s->accel = lab_sensor_model_make(&sheet->accel, rate, lab_random_seeded(seed, STREAM_ACCEL));
    s->gyro = lab_sensor_model_make(&sheet->gyro, rate, lab_random_seeded(seed, STREAM_GYRO));
    s->mag = lab_sensor_model_make(&sheet->mag, mag_rate, lab_random_seeded(seed, STREAM_MAG));
    s->mag_step = mag_rate / rate;
    s->mag_phase = 1.0; /* fresh in the first row */
    return MARL_OK;
}

marl_status marl_simulator_create(marl_simulator **simulator, marl_scene_kind scene, const marl_sheet *sheet,
                                  double rate_hz, uint64_t seed)
{
    marl_simulator *s = malloc(sizeof *s);
    *simulator = NULL;
    marl_status status = s != NULL ? lab_simulator_init(s, scene, sheet, rate_hz, seed) : MARL_ERR_SYSTEM;
    if (status != MARL_OK) {
        free(s);
        return status;
    }
    *simulator = s;
    return MARL_OK;
}

void marl_simulator_free(marl_simulator *simulator)
{
    free(simulator);
}

double marl_simulator_rate(const marl_simulator *simulator)
{
    return simulator->rate_hz;
}

marl_status marl_simulator_set(marl_simulator *s, double skip_s, int with_speed)
{
    if (!(skip_s >= 0.0 && skip_s <= 1e6)) {
        return MARL_ERR_ARGUMENT;
    }
    s->skip_s = skip_s;
    s->with_speed = with_speed;
    s->speed_scale = 1 + SPEED_SCALE * (2 * s->scene.draw[31] - 1);
    return MARL_OK;
}

/* As a wheel measures it: ten times a second, or with every row where these are slower. */
static void read_speed(const marl_simulator *s, const marl_motion *m, marl_sample *sample)
{
    uint64_t every = (uint64_t)fmax(1, floor(s->rate_hz / SPEED_HZ + 0.5));
    if (s->with_speed && s->tick % every == 0) {
        sample->speed = (float)(SPEED_STEP * round(m->velocity[0] * s->speed_scale / SPEED_STEP));
        sample->fresh |= MARL_FRESH_SPEED;
    }
}

static int mag_is_due(marl_simulator *s)
{
    int due = s->mag_phase >= 1.0 - 1e-9;
    s->mag_phase += s->mag_step - (due ? 1.0 : 0.0);
    return due;
}

void marl_simulator_next(marl_simulator *s, marl_sample *sample, marl_quat *truth)
{
    double t = (double)s->tick / s->rate_hz;
    marl_motion m = marl_scene_at(&s->scene, s->skip_s + t);
    *sample = (marl_sample){.t_ns = (int64_t)llround(t * 1e9), .fresh = MARL_FRESH_TEMP};
    sample->temp = (float)m.temp;
    if (s->accel.sheet.present) {
        sample->accel = lab_sensor_model_read(&s->accel, m.force, m.temp);
        sample->fresh |= MARL_FRESH_ACCEL;
    }
    if (s->gyro.sheet.present) {
        sample->gyro = lab_sensor_model_read(&s->gyro, m.rate, m.temp);
        sample->fresh |= MARL_FRESH_GYRO;
    }
    if (s->mag.sheet.present && mag_is_due(s)) {
        sample->mag = lab_sensor_model_read(&s->mag, m.field, m.temp);
        sample->fresh |= MARL_FRESH_MAG;
    }
    read_speed(s, &m, sample);
    *truth = marl_quat_canonical((marl_quat){(float)m.q[0], (float)m.q[1], (float)m.q[2], (float)m.q[3]});
    s->tick++;
}
