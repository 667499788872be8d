/* SPDX-License-Identifier: MIT
 * The estimators' bits. Any change of a constant changes them; what it means is for the other tests. */
#include "known_answers.h"
#include "known_renewal.h"
#include "marlinspike/quat.h"
#include "perfect_sensors.h"

/* The bits promised on every machine: port/cortex_m runs the same samples on ARM. */
START_TEST(known_answers)
{
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        marl_tuning tuning = known_tuning((marl_filter)f);
        marl_estimator e;
        ck_assert_int_eq(marl_estimator_init(&e, &tuning), MARL_OK);
        uint32_t digest = 0;
        for (int i = 0; i < KNOWN_SAMPLES; i++) {
            marl_sample s = known_sample(i);
            ck_assert_int_eq(marl_estimator_update(&e, &s), MARL_OK);
            digest = marl_digest_add(digest, s.t_ns, attitude_of(&e));
        }
        ck_assert_msg(digest == known_digest[f], "%s: %08x", marl_filter_name((marl_filter)f),
                      (unsigned)digest);
    }
}
END_TEST

START_TEST(known_calibrations)
{
    static marl_renewal job;
    for (int kind = MARL_RENEW_STILL; kind <= MARL_RENEW_TUMBLE; kind++) {
        uint32_t digest = known_renewal_digest(&job, (marl_renewal_kind)kind);
        ck_assert_msg(digest == known_renewal[kind], "kind %d: %08x", kind, digest);
    }
}
END_TEST

MARL_SUITE("known answers", known_answers, known_calibrations)
