/* SPDX-License-Identifier: MIT
 * Jets against divided differences. */
#include "check_main.h"
#include "lab/simulate/jet.h"
#include "random_values.h"

/* Something that uses every operation. */
static jet mixture(double t)
{
    jet x = jet_time(t), ramp = jet_ramp(x, 0.2, 1.7);
    jet wave = jet_product(jet_sin(jet_scale(x, 3)), jet_cos(jet_product(x, x)));
    jet_quat q = jet_quat_product(jet_quat_about(0, wave),
                                  jet_quat_product(jet_quat_about(1, ramp), jet_quat_about(2, x)));
    jet_quat r = jet_quat_product(q, jet_quat_conjugate(jet_quat_about(1, wave)));
    return jet_add(jet_sub(r.w, jet_product(r.x, r.y)), jet_add(r.z, jet_product(ramp, jet_constant(2))));
}

START_TEST(derivatives_agree_with_differences)
{
    const double h = 1e-4;
    for (double t = -0.5; t < 2.5; t += 0.0173) {
        jet at = mixture(t);
        double before = mixture(t - h).v, after = mixture(t + h).v;
        /* central differences err by h^2 times the next derivatives, rounding by 1e-16 / h^2 */
        ck_assert_double_eq_tol(at.d, (after - before) / (2 * h), 3e-5);
        ck_assert_double_eq_tol(at.dd, (after - 2 * at.v + before) / (h * h), 2e-4);
    }
}
END_TEST

START_TEST(ramps_join_smoothly)
{
    ck_assert_double_eq(jet_ramp(jet_time(0), 1, 2).v, 0);
    ck_assert_double_eq(jet_ramp(jet_time(3), 1, 2).v, 1);
    ck_assert_double_eq_tol(jet_ramp(jet_time(1.5), 1, 2).v, 0.5, 1e-12);
    for (int end = 1; end <= 2; end++) {
        jet edge = jet_ramp(jet_time(end + (end == 1 ? 1e-7 : -1e-7)), 1, 2);
        ck_assert(fabs(edge.d) < 1e-9 && fabs(edge.dd) < 1e-4);
    }
}
END_TEST

MARL_SUITE("jet", derivatives_agree_with_differences, ramps_join_smoothly)
