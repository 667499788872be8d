/* SPDX-License-Identifier: MIT
 * One suite a file: MARL_SUITE("name", test, test, ...) writes its main. MARL_SUITE_OF_CASES runs the first
 * test once for each row of a table (the row's number is _i), then the others. */
#ifndef CHECK_MAIN_H
#define CHECK_MAIN_H

#include <check.h>
#include <stdlib.h>

static inline int check_run(const char *name, const TTest *looped, int rows, const TTest *const *tests,
                            size_t n)
{
    Suite *suite = suite_create(name);
    TCase *tcase = tcase_create(name);
    SRunner *runner = srunner_create(suite);
    tcase_set_timeout(tcase, 120);
    if (looped != NULL) {
        tcase_add_loop_test(tcase, looped, 0, rows);
    }
    for (size_t i = 0; i < n; i++) {
        tcase_add_test(tcase, tests[i]);
    }
    suite_add_tcase(suite, tcase);
    srunner_run_all(runner, CK_ENV);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed != 0;
}

#define MARL_SUITE(name, ...)                                                                                \
    int main(void)                                                                                           \
    {                                                                                                        \
        const TTest *const tests[] = {__VA_ARGS__};                                                          \
        return check_run(name, NULL, 0, tests, sizeof tests / sizeof tests[0]);                              \
    }

#define MARL_SUITE_OF_CASES(name, table, looped, ...)                                                        \
    int main(void)                                                                                           \
    {                                                                                                        \
        const TTest *const tests[] = {__VA_ARGS__};                                                          \
        return check_run(name, looped, (int)(sizeof table / sizeof table[0]), tests,                         \
                         sizeof tests / sizeof tests[0]);                                                    \
    }

#endif
