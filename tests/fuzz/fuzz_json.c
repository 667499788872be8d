/* SPDX-License-Identifier: MIT
 * The four kinds of JSON files: what is read can be written and reads back the same; a board accepts what the
 * desk accepts. The first byte is the kind. */
#include "fuzz_tuning.h"

static void calibration(const char *path)
{
    marl_calibration_record record, again;
    marl_error error = {0};
    if (marl_calibration_read(&record, path, &error) != MARL_OK) {
        FUZZ_HOLDS(error.text[0] != '\0');
        return;
    }
    marl_calibration device = marl_calibration_for_device(&record);
    FUZZ_HOLDS(marl_calibration_check(&device) == MARL_OK);
    char *text = marl_calibration_text(&record);
    FUZZ_HOLDS(text != NULL);
    marl_status status =
        marl_calibration_read(&again, fuzz_file(1, (const uint8_t *)text, strlen(text)), &error);
    FUZZ_HOLDS(status == MARL_OK && strcmp(again.device, record.device) == 0);
    char *twice = marl_calibration_text(&again);
    FUZZ_HOLDS(twice != NULL && strcmp(text, twice) == 0);
    free(text);
    free(twice);
}

static void tuning(const char *path)
{
    marl_named_tuning tuning;
    marl_error error = {0};
    if (marl_tuning_read(&tuning, path, NULL, &error) == MARL_OK) {
        fuzz_tuning_survives(&tuning);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    marl_error error = {0};
    marl_sheet sheet;
    static marl_chip_file chip;
    if (size == 0) {
        return 0;
    }
    const char *path = fuzz_file(0, data + 1, size - 1);
    switch (data[0] % 4) {
    case 0:
        calibration(path);
        break;
    case 1:
        tuning(path);
        break;
    case 2:
        if (marl_sheet_read(&sheet, path, &error) == MARL_OK) {
            marl_tuning made = marl_tuning_for_sheet(MARL_FILTER_KALMAN, &sheet);
            FUZZ_HOLDS(marl_tuning_check(&made) == MARL_OK);
        }
        break;
    default:
        if (marl_chip_read_file(&chip, path, &error) == MARL_OK) {
            FUZZ_HOLDS(marl_chip_check(&chip.chip, NULL) == MARL_OK);
        }
    }
    return 0;
}
