/* SPDX-License-Identifier: MIT
 * The undisturbed magnetic field: strength and vertical part, against which a reading is held. */
#include "device/attitude/estimator_parts.h"

/* Readings that the reference rests on at most, s; and the noise of its first moment, s. */
#define MAX_MEMORY 30.0f
#define FIRST_MEMORY 0.1f

float marlp_field_reference_excess(const marl_field_reference *f, marl_vec3 field, float noise)
{
    if (!f->known) {
        return 0.0f;
    }
    float strength = float_root(vec3_dot(field, field)) - f->strength, vertical = field.z - f->vertical;
    return float_max(strength * strength + vertical * vertical - 2.0f * noise * noise, 0.0f);
}

void marlp_field_reference_follow(marl_field_reference *f, marl_vec3 field, float age, float r, float least)
{
    float strength = float_root(vec3_dot(field, field));
    float share = f->known ? float_min(1.0f, float_max(r, least) * age / (f->memory + FIRST_MEMORY)) : 1.0f;
    f->strength = float_snap(f->strength + share * (strength - f->strength));
    f->vertical = float_snap(f->vertical + share * (field.z - f->vertical));
    f->memory = float_min(MAX_MEMORY, f->memory + age * float_min(r, 1.0f));
    f->known = 1;
}
