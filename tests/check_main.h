/* SPDX-License-Identifier: MIT
 * One suite a file: MARL_SUITE("name", test, test, ...) writes its main. MARL_SUITE_OF_CASES runs the first
 * test once for each row of a table (the row's number is _i), then the others; MARL_SUITE_OF_TRIALS the same,
 * but only the first row outside a campaign.
 *
 * A test of many seeds, of minutes or of waiting stands there as CAMPAIGN(test): it runs where the environment
 * has MARLINSPIKE_CAMPAIGN, as in CI. */
#ifndef CHECK_MAIN_H
#define CHECK_MAIN_H

#include <check.h>
#include <stdlib.h>

static inline int in_campaign(void)
{
    return getenv("MARLINSPIKE_CAMPAIGN") != NULL;
}

#define CAMPAIGN(test) (in_campaign() ? (test) : NULL)

static inline int check_run(const char *name, const TTest *looped, int rows, const TTest *const *tests,
                            size_t n)
{
    Suite *suite = suite_create(name);
    TCase *tcase = tcase_create(name);
    SRunner *runner = srunner_create(suite);
    tcase_set_timeout(tcase, in_campaign() ? 400 : 120); /* sanitizers, on a slow machine */
    if (looped != NULL) {
        tcase_add_loop_test(tcase, looped, 0, rows);
    }
    for (size_t i = 0; i < n; i++) {
        if (tests[i] != NULL) {
            tcase_add_test(tcase, tests[i]);
        }
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

#define MARL_SUITE_OF_ROWS(name, rows, looped, ...)                                                          \
    int main(void)                                                                                           \
    {                                                                                                        \
        const TTest *const tests[] = {__VA_ARGS__};                                                          \
        return check_run(name, looped, (int)(rows), tests, sizeof tests / sizeof tests[0]);                  \
    }

#define MARL_SUITE_OF_CASES(name, table, looped, ...)                                                        \
    MARL_SUITE_OF_ROWS(name, sizeof table / sizeof table[0], looped, __VA_ARGS__)

#define MARL_SUITE_OF_TRIALS(name, table, looped, ...)                                                       \
    MARL_SUITE_OF_ROWS(name, in_campaign() ? sizeof table / sizeof table[0] : 1, looped, __VA_ARGS__)

#endif
