/* SPDX-License-Identifier: MIT
 * Offset registers: what the chip itself takes away from its readings. */
#include "device/bus/transfer.h"
#include "device/math/vec_quat.h"

/* From the body's axes back to the chip's. */
static void unmounted(const int8_t mount[3], marl_vec3 v, float chip[3])
{
    const float body[3] = {v.x, v.y, v.z};
    for (int i = 0; i < 3; i++) {
        int axis = mount[i] < 0 ? -mount[i] : mount[i];
        chip[axis == 0 ? i : axis - 1] = mount[i] < 0 ? -body[i] : body[i];
    }
}

marl_status marl_part_offset_counts(const marl_part *part, marl_sensor sensor, marl_vec3 bias,
                                    int32_t counts[3], marl_vec3 *left)
{
    const marl_chip_sensor *s = &part->chip->sensor[sensor];
    const marl_chip_offset *offset = &s->offset;
    float chip[3] = {0.0f, 0.0f, 0.0f};
    int32_t min, max;
    if (!s->present || !offset->present || !(vec3_dot(bias, bias) < INFINITY)) {
        return MARL_ERR_ARGUMENT;
    }
    unmounted(part->mount, bias, chip);
    marl_chip_word_range(&offset->word, &min, &max);
    for (int k = 0; k < 3; k++) {
        float per_count = (float)(s->sign[k] * offset->sign) * offset->per_count;
        float wanted = -chip[k] / per_count;
        wanted += wanted < 0.0f ? -0.5f : 0.5f;
        counts[k] = wanted <= (float)min ? min : wanted >= (float)max ? max : (int32_t)wanted;
        chip[k] += (float)counts[k] * per_count;
    }
    *left = marlp_mounted(part->mount, chip);
    return MARL_OK;
}

marl_status marlp_part_offsets_fit(const marl_part *part, marl_sensor sensor, marl_vec3 bias,
                                   int32_t counts[3], marl_vec3 *left)
{
    MARL_TRY(marl_part_offset_counts(part, sensor, bias, counts, left));
    float most = float_max(float_abs(left->x), float_max(float_abs(left->y), float_abs(left->z)));
    return most > 0.51f * part->chip->sensor[sensor].offset.per_count ? MARL_ERR_ARGUMENT : MARL_OK;
}

marl_status marl_part_write_offset(const marl_port *port, const marl_part *part, marl_sensor sensor,
                                   marl_vec3 bias)
{
    const marl_chip_offset *offset = &part->chip->sensor[sensor].offset;
    int32_t counts[3];
    marl_vec3 left;
    MARL_TRY(marlp_part_offsets_fit(part, sensor, bias, counts, &left));
    marl_status status = MARL_OK;
    for (int k = 0; k < 3 && status == MARL_OK; k++) {
        uint8_t bytes[4];
        marl_chip_word_put(&offset->word, counts[k], bytes);
        status = marlp_bus_write_surely(port, part, offset->reg[k], bytes, offset->word.bytes);
    }
    return status;
}
