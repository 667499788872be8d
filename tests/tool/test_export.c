/* SPDX-License-Identifier: MIT
 * What goes into the firmware: compiled as it comes, and with the bits of the files. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "random_values.h"
#include "run_tool.h"
#include <stdlib.h>

/* A firmware that runs samples through what was exported, and prints its digest. */
static const char firmware[] =
    "#include \"board.h\"\n"
    "#include <stdio.h>\n"
    "int main(void)\n"
    "{\n"
    "    marl_pipeline pipeline;\n"
    "    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_GYRO);\n"
    "    config.calibration = NAME_calibration;\n"
    "    config.tuning = NAME_tuning;\n"
    "    if (marl_pipeline_init(&pipeline, &config) != MARL_OK) {\n"
    "        return 1;\n"
    "    }\n"
    "    for (int i = 0; i < 500; i++) {\n"
    "        marl_quat q;\n"
    "        marl_sample s = {(int64_t)i * 10000000, {0.1f * (float)(i % 7), 0.2f, 9.7f}, {0.01f * (float)(i "
    "% 11), 0.3f, "
    "-0.2f}, {20.0f, 3.0f, -40.0f - 0.1f * (float)(i % 5)}, 0.5f * (float)(i % 60), 0.0f, 15};\n"
    "        (void)!marl_pipeline_step(&pipeline, &s, &q);\n"
    "    }\n"
    "    printf(\"%08x\\n\", (unsigned)pipeline.digest);\n"
    "    return 0;\n"
    "}\n";

/* The same from the files. */
static uint32_t digest_of_files(const char *calibration, const char *tuning)
{
    marl_calibration_record record;
    marl_named_tuning named;
    marl_pipeline pipeline;
    marl_error error = {.status = MARL_OK};
    marl_pipeline_config config = marl_pipeline_default(MARL_FILTER_GYRO);
    ck_assert_int_eq(marl_calibration_read(&record, calibration, &error), MARL_OK);
    ck_assert_int_eq(marl_tuning_read(&named, tuning, NULL, &error), MARL_OK);
    config.calibration = marl_calibration_for_device(&record);
    config.tuning = named.tuning;
    ck_assert_int_eq(marl_pipeline_init(&pipeline, &config), MARL_OK);
    for (int i = 0; i < 500; i++) {
        marl_quat q;
        marl_sample s = {(int64_t)i * 10000000,
                         {0.1f * (float)(i % 7), 0.2f, 9.7f},
                         {0.01f * (float)(i % 11), 0.3f, -0.2f},
                         {20.0f, 3.0f, -40.0f - 0.1f * (float)(i % 5)},
                         0.5f * (float)(i % 60),
                         0.0f,
                         15};
        (void)!marl_pipeline_step(&pipeline, &s, &q);
    }
    return pipeline.digest;
}

/* Any calibration: sensors that are missing, curves, a mount; numbers of every size that is allowed. */
static void write_random(dice *d, const char *device, const char *path)
{
    marl_error error = {.status = MARL_OK};
    marl_calibration_record record = marl_calibration_record_empty();
    snprintf(record.device, sizeof record.device, "%s", device);
    for (int k = 0; k < MARL_SENSOR_COUNT; k++) {
        marl_fit *fit = &record.fit[k];
        *fit = marl_fit_none();
        fit->present = dice_below(d, 4) > 0;
        for (int i = 0; i < 3; i++) {
            fit->bias[i] = dice_between(d, -1, 1) * pow(10, dice_between(d, -6, 0));
            for (int j = 0; j < 3; j++) {
                fit->matrix[i][j] = (i == j) + dice_between(d, -0.1, 0.1) * pow(10, dice_between(d, -6, 0));
            }
            fit->bias_per_degC[i] = dice_between(d, -0.01, 0.01);
            fit->bias_per_degC2[i] = dice_between(d, -0.001, 0.001);
        }
        fit->has_curve = fit->present && dice_below(d, 2);
        fit->reference_degC = dice_between(d, 15, 30);
        fit->range_degC[0] = -10;
        fit->range_degC[1] = 50;
    }
    record.has_mount = (int)dice_below(d, 2);
    marl_quat mount = dice_attitude(d);
    const double part[4] = {(double)mount.w, (double)mount.x, (double)mount.y, (double)mount.z};
    memcpy(record.mount, part, sizeof part);
    ck_assert_msg(marl_calibration_write(&record, path, &error) == MARL_OK, "%s", error.text);
}

static void shell(const char *command)
{
    ck_assert_msg(system(command) == 0, "%s", command); /* NOLINT: the commands are constants of this file */
}

START_TEST(firmware_has_the_bits_of_the_files)
{
    static const struct {
        const char *device, *name, *tuning;
    } cases[] = {{"pod-07", "pod_07", "kalman:mag_noise=0.123,speed_floor=3"},
                 {"", "board", "complementary:tilt_time=0.31,weighting=off"},
                 {"7 of */ x", "board_7_of____x", "gradient-descent:world=ned,beta=0.0123"}};
    temporary dir = tool_folder();
    dice d = {77};
    temporary_text(&dir, "main.txt", firmware);
    for (size_t k = 0; k < sizeof cases / sizeof cases[0]; k++) {
        char command[1500], wanted[16];
        write_random(&d, cases[k].device, "any.json");
        run_wants(0, "export any.json --as c-header --tuning %s -o board.h", cases[k].tuning);
        snprintf(command, sizeof command, "sed 's/NAME/%s/' main.txt >main.c", cases[k].name);
        shell(command);
        shell("cc -std=c11 -ffp-contract=off -Wall -Wextra -Wpedantic -Wconversion -Wdouble-promotion "
              "-Werror -I" INCLUDE " main.c " DEVICE " -lm -o firmware");
        shell("g++ -std=c++17 -fsyntax-only -Wall -Wextra -Wpedantic -Wconversion -Werror -x c++ -I" INCLUDE
              " main.c");
        shell("./firmware >printed");
        char *printed = temporary_read("printed");
        snprintf(wanted, sizeof wanted, "%08x\n", (unsigned)digest_of_files("any.json", cases[k].tuning));
        ck_assert_str_eq(printed, wanted);
        free(printed);
    }
    temporary_remove(&dir);
}
END_TEST

/* The image is what a board's own store writes when it is told to keep the same, and a store that has it gives it back. */
START_TEST(an_image_is_what_a_board_keeps)
{
    static const char *const tunings[] = {"kalman:mag_noise=0.3", "complementary:weighting=off", ""};
    temporary dir = tool_folder();
    dice d = {79};
    for (int k = 0; k < 6; k++) {
        const char *tuning = tunings[k % 3], *option = tuning[0] != '\0' ? "--tuning" : "";
        write_random(&d, "pod-07", "any.json");
        run_wants(0, "export any.json --as store %s %s -o image", option, tuning);
        (void)!remove("board.memory");
        run_wants(0, "send --to sim:board.memory --calibration any.json %s %s --commit --quiet", option,
                  tuning);
        FILE *image = fopen("image", "rb"), *memory = fopen("board.memory", "rb");
        int differ = 0, n = 0;
        ck_assert(image != NULL && memory != NULL);
        for (int byte; (byte = fgetc(image)) != EOF; n++) {
            differ += byte != fgetc(memory);
        }
        ck_assert_msg(n > 16 && n % 32 == 0 && differ == 0, "%d of %d bytes differ", differ, n);
        (void)!fclose(image);
        (void)!fclose(memory);
    }
    temporary_remove(&dir);
}
END_TEST

START_TEST(without_a_tuning_and_what_is_refused)
{
    temporary dir = tool_folder();
    dice d = {78};
    write_random(&d, "pod-07", "any.json");
    json_t *r = run_json(0, "export any.json --as c-header -o only.h");
    ck_assert_str_eq(json_string_value(json_object_get(r, "written")), "only.h");
    json_decref(r);
    char *text = temporary_read("only.h");
    ck_assert_ptr_null(strstr(text, "marl_tuning"));
    ck_assert_ptr_nonnull(strstr(text, "pod_07_calibration"));
    free(text);
    run_wants(2, "export any.json -o a.h");
    run_wants(2, "export any.json --as c-header");
    run_wants(2, "export any.json --as spreadsheet -o a.h");
    run_wants(2, "export any.json --as c-header -o any.json");
    run_wants(2, "export any.json --as c-header --tuning magic -o a.h");
    run_wants(3, "export lift.csv --as c-header -o a.h");
    run_wants(3, "export missing.json --as c-header -o a.h");
    run_wants(5, "export any.json --as c-header -o nowhere/a.h");
    temporary_remove(&dir);
}
END_TEST

/* The writes of the header, and what the tables say about them: the Grommet subtracts gyroscope counts of 1/32 deg/s,
 * high byte first, and adds accelerometer counts of half a milli-g. */
START_TEST(registers_are_writes_that_a_set_up_takes)
{
    temporary dir = tool_folder();
    marl_error error = {.status = MARL_OK};
    marl_calibration_record record = marl_calibration_record_empty(), rest;
    snprintf(record.device, sizeof record.device, "pod-07");
    record.fit[MARL_GYRO].present = record.fit[MARL_ACCEL].present = 1;
    record.fit[MARL_GYRO].bias[0] = 10.2 / 32 * 0.017453292519943295;
    record.fit[MARL_ACCEL].bias[1] = 20.3 * 0.0005 * 9.80665;
    record.fit[MARL_ACCEL].bias[2] = 1000; /* beyond the register */
    ck_assert_int_eq(marl_calibration_write(&record, "cal.json", &error), MARL_OK);
    tool_run r = run("export cal.json --as chip-registers --rest rest.json -o offsets.h");
    ck_assert_int_eq(r.code, 0);
    ck_assert_msg(strstr(r.err, "accel z: register 0x3a of grommet holds 160.7 m/s^2 at most") != NULL, "%s",
                  r.err);
    run_free(&r);
    FILE *f = fopen("main.c", "w");
    (void)!fputs("#include \"offsets.h\"\n#include <stdio.h>\n"
                 "int main(void)\n{\n    for (unsigned i = 0; i < sizeof pod_07_offsets / sizeof "
                 "*pod_07_offsets; i++) {\n"
                 "        printf(\"%02x%02x \", pod_07_offsets[i].reg, pod_07_offsets[i].value);\n    }\n    "
                 "return 0;\n}\n",
                 f);
    (void)!fclose(f);
    shell("cc -std=c11 -Wall -Wextra -Wconversion -Werror -I" INCLUDE
          " -I. main.c -o main && ./main > writes");
    char *writes = temporary_read("writes");
    ck_assert_str_eq(writes, "3600 3700 38ff 39ec 3a80 3b00 3000 310a 3200 3300 3400 3500 ");
    free(writes);
    ck_assert_int_eq(marl_calibration_read(&rest, "rest.json", &error), MARL_OK);
    ck_assert_double_eq_tol(rest.fit[MARL_GYRO].bias[0], 0.2 / 32 * 0.017453292519943295, 1e-8);
    ck_assert_double_eq_tol(rest.fit[MARL_ACCEL].bias[1], 0.3 * 0.0005 * 9.80665, 1e-7);
    run_wants(2, "export cal.json --as chip-registers --tuning kalman -o a.h");
    run_wants(2, "export cal.json --as chip-registers --mount 1,2 -o a.h");
    run_wants(2, "export cal.json --as chip-registers --mount 1,2,4 -o a.h");
    run_wants(2, "export cal.json --as chip-registers --mount 1,3,2 -o a.h"); /* that mirrors */
    run_wants(2, "export cal.json --as c-header --mount 1,2,3 -o a.h");
    run_wants(3, "export cal.json --as chip-registers --chip " CHIPS "/swivel.json -o a.h");
    run_wants(3, "export cal.json --as chip-registers --chip lift.csv -o a.h");
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE("export", firmware_has_the_bits_of_the_files, an_image_is_what_a_board_keeps,
           without_a_tuning_and_what_is_refused, registers_are_writes_that_a_set_up_takes)
