/* SPDX-License-Identifier: MIT
 * Correction of raw readings. */
#include "marlinspike/correction.h"
#include "vec_quat.h"

marl_calibration marl_calibration_none(void)
{
    marl_correction none = {0};
    none.matrix = marl_mat3_identity();
    return (marl_calibration){.accel = none, .gyro = none, .mag = none, .mount = marl_quat_identity()};
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

marl_vec3 marl_correction_apply(const marl_correction *correction, marl_vec3 raw, float degC)
{
    if (!correction->present) {
        return raw;
    }
    return marl_mat3_apply(&correction->matrix, vec3_sub(raw, marl_correction_bias(correction, degC)));
}

void marl_calibration_apply(const marl_calibration *calibration, float degC, marl_sample *sample)
{
    const struct {
        uint8_t flag;
        const marl_correction *correction;
        marl_vec3 *reading;
    } each[] = {
        {MARL_FRESH_ACCEL, &calibration->accel, &sample->accel},
        {MARL_FRESH_GYRO, &calibration->gyro, &sample->gyro},
        {MARL_FRESH_MAG, &calibration->mag, &sample->mag},
    };
    for (int i = 0; i < 3; i++) {
        if (sample->fresh & each[i].flag) {
            marl_vec3 v = marl_correction_apply(each[i].correction, *each[i].reading, degC);
            *each[i].reading = calibration->has_mount ? quat_rotate(calibration->mount, v) : v;
        }
    }
}
