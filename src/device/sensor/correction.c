/* SPDX-License-Identifier: MIT
 * Correction of raw readings. */
#include "device/math/vec_quat.h"
#include "marlinspike/sample.h"

#define VOLUME_MAX 1e3f
#define MOUNT_SLACK 1e-3f /* of the square of the length */
/* Closer than this a mount stays as it is, so that every reader has the same bits. */
#define MOUNT_ROUNDING 1e-6f

marl_calibration marl_calibration_none(void)
{
    marl_correction none = {0};
    none.matrix = marl_mat3_identity();
    return (marl_calibration){.accel = none, .gyro = none, .mag = none, .mount = marl_quat_identity()};
}

static int finite3(marl_vec3 v)
{
    return isfinite(v.x) && isfinite(v.y) && isfinite(v.z);
}

static int matrix_is_meant(const marl_mat3 *matrix)
{
    const float(*m)[3] = matrix->m;
    for (int i = 0; i < 9; i++) {
        if (!(fabsf(m[i / 3][i % 3]) <= MARL_MATRIX_MAX)) {
            return 0;
        }
    }
    float volume = fabsf(m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) -
                         m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
                         m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]));
    return volume > 1 / VOLUME_MAX && volume < VOLUME_MAX;
}

static int curve_is_meant(const marl_bias_curve *curve)
{
    return isfinite(curve->reference_degC) && isfinite(curve->low_degC) && isfinite(curve->high_degC) &&
           curve->low_degC <= curve->high_degC && finite3(curve->per_degC) && finite3(curve->per_degC2);
}

marl_status marl_correction_check(const marl_correction *c)
{
    int meant = !c->present || (finite3(c->bias) && matrix_is_meant(&c->matrix) &&
                                (!c->has_curve || curve_is_meant(&c->curve)));
    return meant ? MARL_OK : MARL_ERR_ARGUMENT;
}

marl_status marl_calibration_check(marl_calibration *c)
{
    const marl_quat q = c->mount;
    float off = fabsf(q.w * q.w + q.x * q.x + q.y * q.y + q.z * q.z - 1.0f);
    if (marl_correction_check(&c->accel) != MARL_OK || marl_correction_check(&c->gyro) != MARL_OK ||
        marl_correction_check(&c->mag) != MARL_OK || (c->has_mount && !(off < MOUNT_SLACK))) {
        return MARL_ERR_ARGUMENT;
    }
    return c->has_mount && off > MOUNT_ROUNDING ? marl_quat_normalize(&c->mount) : MARL_OK;
}

marl_vec3 marl_correction_bias(const marl_correction *correction, float degC)
{
    const marl_bias_curve *curve = &correction->curve;
    if (!correction->has_curve || isnan(degC)) {
        return correction->bias;
    }
    float held = float_max(float_min(degC, curve->high_degC), curve->low_degC);
    float d = held - curve->reference_degC;
    marl_vec3 linear = vec3_scale(curve->per_degC, d);
    marl_vec3 square = vec3_scale(curve->per_degC2, d * d);
    return vec3_add(correction->bias, vec3_add(linear, square));
}

int marl_correction_is_bias_alone(const marl_correction *c)
{
    int alone = c->present;
    for (int i = 0; i < 9; i++) {
        alone = alone && !(fabsf(c->matrix.m[i / 3][i % 3] - (i % 4 == 0 ? 1.0f : 0.0f)) > 0.0f);
    }
    return alone;
}

marl_vec3 marl_correction_apply(const marl_correction *correction, marl_vec3 raw, float degC)
{
    if (!correction->present) {
        return raw;
    }
    return marl_mat3_apply(&correction->matrix, vec3_sub(raw, marl_correction_bias(correction, degC)));
}

void marl_calibration_correct(const marl_calibration *calibration, float degC, marl_sample *sample)
{
    if (sample->fresh & MARL_FRESH_ACCEL) {
        sample->accel = marl_correction_apply(&calibration->accel, sample->accel, degC);
    }
    if (sample->fresh & MARL_FRESH_GYRO) {
        sample->gyro = marl_correction_apply(&calibration->gyro, sample->gyro, degC);
    }
    if (sample->fresh & MARL_FRESH_MAG) {
        sample->mag = marl_correction_apply(&calibration->mag, sample->mag, degC);
    }
}

void marl_calibration_mount(const marl_calibration *calibration, marl_sample *sample)
{
    if (!calibration->has_mount) {
        return;
    }
    if (sample->fresh & MARL_FRESH_ACCEL) {
        sample->accel = quat_rotate(calibration->mount, sample->accel);
    }
    if (sample->fresh & MARL_FRESH_GYRO) {
        sample->gyro = quat_rotate(calibration->mount, sample->gyro);
    }
    if (sample->fresh & MARL_FRESH_MAG) {
        sample->mag = quat_rotate(calibration->mount, sample->mag);
    }
}

void marl_corrector_init(marl_corrector *corrector, const marl_calibration *calibration)
{
    *corrector = (marl_corrector){.calibration = *calibration, .degC = NAN};
}

uint8_t marl_corrector_step(marl_corrector *corrector, marl_sample *sample)
{
    uint8_t invalid;
    (void)!marl_sample_check(sample, &invalid);
    if (sample->fresh & MARL_FRESH_TEMP) {
        corrector->degC = sample->temp;
    }
    marl_calibration_correct(&corrector->calibration, corrector->degC, sample);
    return invalid;
}
