/* SPDX-License-Identifier: MIT
 * replay --write: every column against the quaternion beside it, or against what the log must give. */
#include "check_main.h"
#include "marlinspike/log.h"
#include "run_tool.h"
#include <math.h>

enum {
    Q = 1,
    RPY = 5,
    HEADING = 8,
    UNWRAPPED = 9,
    MATRIX = 12,
    LINEAR = 28,
    BIAS = 31,
    SIGMA = 34,
    POINT = 36,
    COLUMNS = 39
};

/* The cells of a row; NaN for an empty one. Returns how many. */
static int cells_of(char *line, double *value)
{
    int n = 0;
    for (char *at = line; at != NULL && n < COLUMNS + 1;) {
        char *comma = strchr(at, ',');
        if (comma != NULL) {
            *comma = '\0';
        }
        value[n++] = *at != '\0' && *at != '\n' ? strtod(at, NULL) : (double)NAN;
        at = comma != NULL ? comma + 1 : NULL;
    }
    return n;
}

static void check_row(const double *v)
{
    const double *q = v + Q, *m = v + MATRIX;
    double w = q[0], x = q[1], y = q[2], z = q[3];
    const double r[9] = {1 - 2 * (y * y + z * z), 2 * (x * y - w * z),     2 * (x * z + w * y),
                         2 * (x * y + w * z),     1 - 2 * (x * x + z * z), 2 * (y * z - w * x),
                         2 * (x * z - w * y),     2 * (y * z + w * x),     1 - 2 * (x * x + y * y)};
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            ck_assert_double_eq_tol(m[4 * i + k], r[3 * i + k], 1e-5);
        }
        ck_assert_double_eq_tol(m[4 * i + 3], 0, 1e-12);
        ck_assert_double_eq_tol(v[POINT + i], r[3 * i] * 1 + r[3 * i + 2] * -2, 1e-5);
        ck_assert_double_eq_tol(remainder(v[UNWRAPPED + i] - v[RPY + i], 360), 0, 1e-4);
    }
    ck_assert_double_eq_tol(m[15], 1, 1e-12);
    ck_assert_double_eq_tol(v[RPY], atan2(r[7], r[8]) / MARL_DEGREE, 0.01);
    ck_assert_double_eq_tol(v[RPY + 1], asin(-r[6]) / MARL_DEGREE, 0.01);
    ck_assert_double_eq_tol(remainder(v[RPY + 2] - atan2(r[3], r[0]) / MARL_DEGREE, 360), 0, 0.01);
}

START_TEST(columns_agree_with_the_attitude)
{
    temporary dir = tool_folder();
    run_wants(0, "calibrate still still.csv --into cal.json --quiet");
    run_wants(0, "replay lift.csv --tuning kalman --calibration cal.json --quiet -o w.csv --point 1,0,-2 "
                 "--write rpy,heading,unwrapped,matrix,linear,bias,sigma,point");
    FILE *f = fopen("w.csv", "r");
    char line[2000];
    double v[COLUMNS + 1], before[3] = {NAN, NAN, NAN}, rest = 0;
    int rows = 0, readings = 0;
    ck_assert_ptr_nonnull(f);
    ck_assert_ptr_nonnull(fgets(line, sizeof line, f));
    ck_assert_str_eq(line, "# marlinspike log/1 world=enu\n");
    ck_assert_ptr_nonnull(fgets(line, sizeof line, f));
    ck_assert_ptr_nonnull(strstr(line, "t[s],q_w,q_x,q_y,q_z,roll[deg],pitch[deg],yaw[deg],heading[deg],"));
    while (fgets(line, sizeof line, f) != NULL) {
        ck_assert_int_eq(cells_of(line, v), COLUMNS);
        check_row(v);
        for (int k = 0; k < 3; k++) {
            ck_assert(rows == 0 || fabs(v[UNWRAPPED + k] - before[k]) < 90);
            before[k] = v[UNWRAPPED + k];
            ck_assert(isfinite(v[BIAS + k]) && isfinite(v[SIGMA + k % 2]));
        }
        ck_assert(v[HEADING] >= 0 && v[HEADING] < 360);
        for (int k = 0; k < 3 && v[0] > 112 && isfinite(v[LINEAR]); k++, readings++) {
            rest += v[LINEAR + k];
        }
        rows++;
    }
    ck_assert_int_eq(fclose(f), 0);
    ck_assert_int_eq(rows, 12000);
    ck_assert_double_lt(fabs(rest / readings),
                        0.1); /* at rest at the end: nothing but gravity, but for a bias of 6 mg */
    run_wants(
        0,
        "compare lift.csv --reference w.csv --tuning kalman --calibration cal.json"); /* it is a reference */
    temporary_remove(&dir);
}
END_TEST

START_TEST(what_cannot_be_written_is_refused_with_its_reason)
{
    temporary dir = tool_folder();
    const char *const wrong[] = {
        "--write rpy,foo -o w.csv", "--write rpy,rpy -o w.csv", "--write rpy",
        "--write point -o w.csv",   "--point 1,2,3 -o w.csv",   "--write point --point 1,2 -o w.csv"};
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        run_wants(2, "replay still.csv %s", wrong[i]);
        ck_assert_int_eq(access("w.csv", F_OK), -1);
    }
    run_wants(0, "replay still.csv --tuning gyro --write weights,sigma -o w.csv --quiet"); /* empty cells: it
                                                                                              has neither */
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("tool replay write", columns_agree_with_the_attitude,
           what_cannot_be_written_is_refused_with_its_reason)
