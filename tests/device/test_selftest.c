/* SPDX-License-Identifier: MIT
 * The self-test passes here, and notices each fault when the machine is set up wrongly. */
#include "check_main.h"
#include "marlinspike/estimator.h"
#include "random_values.h"
#include <fenv.h>
#if defined(__SSE__)
#include <xmmintrin.h>
#endif

#ifdef CAN_FUSE
marl_status selftest_contracted(unsigned *findings, marl_filter_choice choice);
#endif

START_TEST(passes_as_built)
{
    unsigned findings = 99;
    ck_assert_int_eq(marl_selftest(&findings), MARL_OK);
    ck_assert_uint_eq(findings, MARL_SELFTEST_PASSED);
    ck_assert_int_eq(marl_selftest(NULL), MARL_OK);
}
END_TEST

START_TEST(notices_rounding_modes)
{
    const int modes[] = {FE_UPWARD, FE_DOWNWARD, FE_TOWARDZERO};
    for (int i = 0; i < 3; i++) {
        unsigned findings = 0;
        fesetround(modes[i]);
        marl_status status = marl_selftest(&findings);
        fesetround(FE_TONEAREST);
        ck_assert_int_eq(status, MARL_ERR_ARITHMETIC);
        ck_assert_uint_ne(findings & MARL_SELFTEST_ROUNDING, 0);
    }
}
END_TEST

START_TEST(notices_flushed_denormals)
{
#if defined(__SSE__)
    unsigned findings = 0, mode = _mm_getcsr();
    _mm_setcsr(mode | 0x8000u);
    marl_status status = marl_selftest(&findings);
    _mm_setcsr(mode);
    ck_assert_int_eq(status, MARL_ERR_ARITHMETIC);
    ck_assert_uint_ne(findings & MARL_SELFTEST_FLUSHED, 0);
#endif
}
END_TEST

START_TEST(notices_contraction)
{
#ifdef CAN_FUSE
    unsigned findings = 0;
    if (__builtin_cpu_supports("fma")) {
        ck_assert_int_eq(selftest_contracted(&findings, marl_choose_any), MARL_ERR_ARITHMETIC);
        ck_assert_uint_eq(findings, MARL_SELFTEST_CONTRACTED);
    }
#endif
}
END_TEST

/* Has each filter when asked whether, and does not when it is to be started. */
static const marl_filter_functions *choose_every_other_time(marl_filter filter)
{
    static int asked;
    return asked++ % 2 ? NULL : marl_choose_any(filter);
}

START_TEST(notices_a_filter_that_does_not_start)
{
    unsigned findings = 0;
    ck_assert_int_eq(marl_selftest_with(&findings, choose_every_other_time), MARL_ERR_ARITHMETIC);
    ck_assert_uint_eq(findings, MARL_SELFTEST_ESTIMATOR);
}
END_TEST

START_TEST(every_status_has_a_text)
{
    for (int i = 0; i < MARL_STATUS_COUNT; i++) {
        ck_assert_str_ne(marl_status_text((marl_status)i), marl_status_text(MARL_STATUS_COUNT));
    }
    ck_assert_ptr_nonnull(marl_status_text((marl_status)-1));
}
END_TEST

MARL_SUITE("selftest", passes_as_built, notices_rounding_modes, notices_flushed_denormals,
           notices_contraction, notices_a_filter_that_does_not_start, every_status_has_a_text)
