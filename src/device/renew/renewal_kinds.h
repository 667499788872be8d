/* SPDX-License-Identifier: MIT
 * What the three kinds of renewal give to the common part. */
#ifndef MARL_RENEWAL_KINDS_H
#define MARL_RENEWAL_KINDS_H

#include "marlinspike/renew.h"

/* Each takes a checked raw sample, and sets the stage. */
void marlp_renewal_rest_start(marl_renewal *job);
void marlp_renewal_rest_feed(marl_renewal *job, const marl_sample *sample);
void marlp_renewal_poses_start(marl_renewal *job);
void marlp_renewal_poses_feed(marl_renewal *job, const marl_sample *sample);
void marlp_renewal_tumble_start(marl_renewal *job);
void marlp_renewal_tumble_feed(marl_renewal *job, const marl_sample *sample);

/* Does the stored matrix have measured axes? One of bias and scale alone does not. */
int marlp_renewal_knows_axes(const marl_correction *stored);

/* The detector of rest for a board whose gyroscope is not calibrated. */
void marlp_renewal_watch_rest(marl_still *still, float window_s);

void marlp_renewal_refuse(marl_renewal *job, marl_renewal_reason reason);

/* The stored correction with a surface found in readings that it has corrected: unit = (corrected - middle) / size, and
 * the lengths are to be `factor` times what the surface makes of unit. Sets correction, change and bias_sigma. */
void marlp_renewal_compose(marl_renewal *job, const marl_surface_fit *fit, marl_vec3 middle, float size,
                           float factor);

/* 0 to 5 for +x -x +y -y +z -z. */
marl_vec3 marlp_renewal_face(int face);

#endif
