/* SPDX-License-Identifier: MIT
 * The shipped tuning beside the default of its filter, on seeds that it was not made on. */
#include "accuracy_scenes.h"
#include "bench.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { COLUMNS = 2 };

static const char *const texts[COLUMNS] = {"complementary", SHIPPED "/calm.json"};

void bench_tunings(void)
{
    marl_named_tuning tuning[COLUMNS];
    marl_error error = {0};
    printf("\ntotal error, degrees rms from 5 s after the start; seeds %d to %d\n%-20s",
           ACCURACY_REPORTED_FROM, ACCURACY_REPORTED_FROM + ACCURACY_SEEDS - 1, "");
    for (int i = 0; i < COLUMNS; i++) {
        if (marl_tuning_read(&tuning[i], texts[i], NULL, &error) != MARL_OK) {
            fprintf(stderr, "%s\n", error.text);
            exit(1);
        }
        printf(" %13s", tuning[i].name);
    }
    for (int c = 0; c < ACCURACY_CLASSES; c++) {
        accuracy_sum sum[COLUMNS] = {{0}};
        for (int k = 0; k < ACCURACY_SEEDS; k++) {
            accuracy_run run =
                accuracy_run_make(&accuracy_classes[c], (uint64_t)(ACCURACY_REPORTED_FROM + k));
            for (int i = 0; i < COLUMNS; i++) {
                accuracy_run_ours(&tuning[i].tuning, &run, &sum[i]);
            }
            accuracy_run_free(&run);
        }
        printf("\n%-20s", accuracy_classes[c].name);
        for (int i = 0; i < COLUMNS; i++) {
            printf(" %13.2f", accuracy_rms(sum[i].total, sum[i].n));
        }
    }
    printf("\n");
}
