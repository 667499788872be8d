/* SPDX-License-Identifier: MIT
 * Renewal of a calibration on the device: what the kinds share. */
#include "device/math/attitude_math.h"
#include "device/math/exact.h"
#include "device/renew/renewal_kinds.h"
#include <string.h>

#define PATIENCE_S 180.0f
#define REST_RATE 0.35f /* rad/s: no bias is so large, and the bias is what is asked for */
#define LONGEST_PATIENCE_S 2000.0f

marl_renewal_options marl_renewal_default(marl_renewal_kind kind)
{
    return (marl_renewal_options){.length = kind == MARL_RENEW_POSES ? MARL_GRAVITY : 0.0f,
                                  .patience_s = PATIENCE_S,
                                  .poses = 6,
                                  .coverage = 0.8f};
}

const char *marl_renewal_reason_text(marl_renewal_reason reason)
{
    static const char *const text[] = {
        [MARL_RENEWAL_NO_REASON] = "",
        [MARL_RENEWAL_MOVES] = "it did not rest for long enough",
        [MARL_RENEWAL_TURNS] = "it turned slowly while it rested",
        [MARL_RENEWAL_FEW] = "too few readings",
        [MARL_RENEWAL_DIRECTIONS] = "the directions do not determine it",
        [MARL_RENEWAL_SCATTER] = "the readings do not have one length",
        [MARL_RENEWAL_STEEL] = "the field changes from place to place: steel stands near",
        [MARL_RENEWAL_STOPPED] = "stopped",
        [MARL_RENEWAL_WORSE] = "what is stored agrees and has smaller errors",
        [MARL_RENEWAL_STORE] = "the memory did not keep it",
    };
    return reason <= MARL_RENEWAL_STORE ? text[reason] : "";
}

marl_vec3 marlp_renewal_face(int face)
{
    float one = face & 1 ? -1.0f : 1.0f;
    return (marl_vec3){face / 2 == 0 ? one : 0.0f, face / 2 == 1 ? one : 0.0f, face / 2 == 2 ? one : 0.0f};
}

void marlp_renewal_refuse(marl_renewal *job, marl_renewal_reason reason)
{
    job->stage = MARL_RENEWAL_REFUSED;
    job->reason = (uint8_t)reason;
}

int marlp_renewal_knows_axes(const marl_correction *c)
{
    int known = 0;
    for (int k = 0; k < 9; k++) { /* of the diagonal every fourth */
        known |= k % 4 != 0 && c->matrix.m[k / 3][k % 3] != 0.0f;
    }
    return c->present && known;
}

void marlp_renewal_watch_rest(marl_still *still, float window_s)
{
    marl_still_limits limits = marl_still_default_limits();
    limits.gyro_mean = REST_RATE;
    limits.window_s = window_s;
    (void)!marl_still_init(still, &limits); /* these limits are good */
}

static int options_are_meant(marl_renewal_kind kind, const marl_renewal_options *o)
{
    int length = kind == MARL_RENEW_POSES ? o->length > 9.0f && o->length < 11.0f
                                          : o->length == 0.0f || (o->length > 5.0f && o->length < 1000.0f);
    return kind >= MARL_RENEW_STILL && kind <= MARL_RENEW_TUMBLE && (kind == MARL_RENEW_STILL || length) &&
           o->patience_s > 0.0f && o->patience_s <= LONGEST_PATIENCE_S && o->poses >= 6 &&
           o->poses <= MARL_RENEWAL_POSES && o->coverage > 0.2f && o->coverage <= 1.0f;
}

marl_status marl_renewal_start(marl_renewal *job, marl_renewal_kind kind, const marl_calibration *stored,
                               const marl_renewal_options *options)
{
    const marl_renewal_options standard = marl_renewal_default(kind),
                               *o = options != NULL ? options : &standard;
    if (!options_are_meant(kind, o)) {
        return MARL_ERR_ARGUMENT;
    }
    const marl_renewal_options kept = *o;
    marl_renewal_init(job);
    job->kind = (uint8_t)kind;
    job->options = kept;
    job->degC = NAN;
    job->found.missing = 6;
    if (kind == MARL_RENEW_STILL) {
        job->stored = stored->gyro;
        job->found.sensor = MARL_GYRO;
        marlp_renewal_rest_start(job);
    } else if (kind == MARL_RENEW_POSES) {
        job->stored = stored->accel;
        job->found.sensor = MARL_ACCEL;
        marlp_renewal_poses_start(job);
    } else {
        job->stored = stored->mag;
        job->found.sensor = MARL_MAG;
        marlp_renewal_tumble_start(job);
    }
    if (!job->stored.present) {
        job->stored = (marl_correction){.matrix = marl_mat3_identity()};
    }
    return MARL_OK;
}

static int is_running(const marl_renewal *job)
{
    return job->stage == MARL_RENEWAL_WAIT || job->stage == MARL_RENEWAL_MOVE_ON;
}

/* Seconds since the first sample; a clock that goes back or leaps only loses that step. */
static void keep_time(marl_renewal *job, int64_t t_ns)
{
    float step;
    if (job->first_ns != 0 && marl_time_step(job->first_ns, t_ns, &step) == MARL_OK && step < 10.0f) {
        job->seconds += step;
    }
    job->first_ns = t_ns;
    job->ending = job->ending || job->seconds > job->options.patience_s;
}

void marl_renewal_feed(marl_renewal *job, const marl_sample *raw)
{
    marl_sample sample = *raw;
    if (!is_running(job)) {
        return;
    }
    (void)!marl_sample_check(&sample, NULL);
    keep_time(job, sample.t_ns);
    job->degC = sample.fresh & MARL_FRESH_TEMP ? sample.temp : job->degC;
    if (job->kind == MARL_RENEW_TUMBLE) {
        marlp_renewal_tumble_feed(job, &sample);
    } else if (job->kind == MARL_RENEW_STILL) {
        marlp_renewal_rest_feed(job, &sample);
    } else {
        marlp_renewal_poses_feed(job, &sample);
    }
}

void marl_renewal_finish(marl_renewal *job)
{
    job->ending = 1;
}

void marl_renewal_init(marl_renewal *job)
{
    memset(job, 0, sizeof *job);
}

marl_status marl_renewal_apply(const marl_renewal *job, marl_calibration *calibration)
{
    marl_correction *c = job->found.sensor == MARL_ACCEL  ? &calibration->accel
                         : job->found.sensor == MARL_GYRO ? &calibration->gyro
                                                          : &calibration->mag;
    if (job->stage != MARL_RENEWAL_DONE) {
        return MARL_ERR_NOT_READY;
    }
    MARL_TRY(marl_correction_check(&job->found.correction));
    *c = job->found.correction;
    return MARL_OK;
}

/* Cofactors over the determinant. */
static marl_mat3 inverse(const marl_mat3 *matrix)
{
    const float(*m)[3] = matrix->m;
    marl_mat3 out;
    for (int i = 0; i < 3; i++) {
        for (int j = 0; j < 3; j++) {
            int r = (j + 1) % 3, s = (j + 2) % 3, c = (i + 1) % 3, d = (i + 2) % 3;
            out.m[i][j] = m[r][c] * m[s][d] - m[r][d] * m[s][c];
        }
    }
    float volume = m[0][0] * out.m[0][0] + m[0][1] * out.m[1][0] + m[0][2] * out.m[2][0];
    for (int i = 0; i < 9; i++) {
        out.m[i / 3][i % 3] /= volume;
    }
    return out;
}

void marlp_renewal_compose(marl_renewal *job, const marl_surface_fit *fit, marl_vec3 middle, float size,
                           float factor)
{
    static const uint8_t place[3][3] = {{0, 3, 4}, {3, 1, 5}, {4, 5, 2}};
    marl_renewed *found = &job->found;
    const marl_mat3 *stored = &job->stored.matrix, back = inverse(stored);
    marl_vec3 off = {fit->unknown[0], fit->unknown[1], fit->unknown[2]};
    marl_correction *c = &found->correction;
    *c = job->stored;
    c->present = 1;
    found->change = marl_mat3_apply(&back, vec3_add(middle, vec3_scale(off, size)));
    c->bias = vec3_add(c->bias, found->change);
    float *sigma[3] = {&found->bias_sigma.x, &found->bias_sigma.y, &found->bias_sigma.z};
    for (int i = 0; i < 3; i++) {
        float square = 0.0f;
        for (int j = 0; j < 3; j++) {
            float part = size * back.m[i][j] * fit->bias_sigma[j], sum = 0.0f;
            square += part * part;
            for (int k = 0; k < 3; k++) {
                sum += fit->unknown[3 + place[i][k]] * stored->m[k][j];
            }
            c->matrix.m[i][j] = factor * sum;
        }
        *sigma[i] = float_root(square);
    }
}
