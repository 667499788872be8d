/* SPDX-License-Identifier: MIT
 * One suite a file: MARL_SUITE("name", test, test, ...) writes its main. */
#ifndef CHECK_MAIN_H
#define CHECK_MAIN_H

#include <check.h>
#include <stdlib.h>

#define MARL_SUITE(name, ...)                                                                                \
    int main(void)                                                                                           \
    {                                                                                                        \
        const TTest *const tests[] = {__VA_ARGS__};                                                          \
        Suite *suite = suite_create(name);                                                                   \
        TCase *tcase = tcase_create(name);                                                                   \
        SRunner *runner = srunner_create(suite);                                                             \
        tcase_set_timeout(tcase, 120);                                                                       \
        for (size_t i = 0; i < sizeof tests / sizeof tests[0]; i++) {                                        \
            tcase_add_test(tcase, tests[i]);                                                                 \
        }                                                                                                    \
        suite_add_tcase(suite, tcase);                                                                       \
        srunner_run_all(runner, CK_ENV);                                                                     \
        int failed = srunner_ntests_failed(runner);                                                          \
        srunner_free(runner);                                                                                \
        return failed != 0;                                                                                  \
    }

#endif
