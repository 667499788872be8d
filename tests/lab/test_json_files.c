/* SPDX-License-Identifier: MIT
 * Calibrations, tunings and sheets: what is read, what is refused with file, line and key. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "temporary.h"
#include <math.h>

#define CAL "{\"marlinspike\": \"calibration/1\",\n"
#define TUNING "{\"marlinspike\": \"tuning/2\",\n \"filter\": \"complementary\",\n"
#define SHEET "{\"marlinspike\": \"sheet/1\",\n \"gyro\": {\"unit\": \"deg/s\",\n"
#define GYRO_SHEET SHEET " \"rate_hz\": 100, \"full_scale\": 500,\n"

typedef marl_status (*reader)(const char *path, marl_error *error);

static marl_status calibration(const char *path, marl_error *error)
{
    marl_calibration_record record;
    return marl_calibration_read(&record, path, error);
}

static marl_status tuning(const char *path, marl_error *error)
{
    marl_named_tuning named;
    return marl_tuning_read(&named, path, NULL, error);
}

static marl_status sheet(const char *path, marl_error *error)
{
    marl_sheet read;
    return marl_sheet_read(&read, path, error);
}

/* What follows the file's name in the message. */
static const struct {
    reader read;
    const char *text, *message;
} bad[] = {
    {calibration, "", ":1: "},
    {calibration, "{\n\"marlinspike\": \"calibration/1\",\n", ":3: "},
    {calibration, "[1]", ":1: not a JSON object"},
    {calibration, "{}", ":1: marlinspike: is missing"},
    {calibration, "{\n\"marlinspike\": \"tuning/2\"}",
     ":2: is a tuning, and a calibration is wanted here; 'marlinspike tuning "},
    {calibration, CAL "\"made\": \"x\", \"made\": \"y\"}", ":2: duplicate object key"},
    {calibration, CAL "\n\"gyros\": {}}",
     ":3: gyros: unknown key; known: marlinspike, device, made, accel, gyro, mag"},
    {calibration, CAL "\"gyro\": {\n\"bias\": [1, 2],\n\"unit\": \"rad/s\"}}",
     ":3: gyro.bias: must be 3 numbers"},
    {calibration, CAL "\"gyro\": {\"bias\": [1, 2, \"x\"]}}", ":2: gyro.bias: must be 3 numbers"},
    {calibration, CAL "\"gyro\": {\"bias\": [1, 2, null]}}", ":2: gyro.bias: must be 3 numbers"},
    {calibration, CAL "\"gyro\": {\"matrix\": [[1,0,0],[0,1,0]]}}",
     ":2: gyro.matrix: must be 3 rows of 3 numbers"},
    {calibration, CAL "\"accel\": {\n\"unit\": \"g\"}}", ":3: accel.unit: is 'g', wanted 'm/s^2'"},
    {calibration, CAL "\"gyro\": 5}", ":2: gyro: must be an object"},
    {calibration, CAL "\"gyro\": {\"field\": 5}}", ":2: gyro.field: unknown key"},
    {calibration, CAL "\"mag\": {\"fit\": {\n\"coverage\": 1.5}}}",
     ":3: mag.fit.coverage: 1.5 is out of its range, 0 to 1"},
    {calibration, CAL "\"gyro\": {\"temperature\": {\"reference_degC\": 20}}}",
     ":2: gyro.temperature.range_degC: is missing"},
    {calibration, CAL "\"mount\": {\"q\": [1,\n1,0,0]}}", ":2: mount.q: must have length 1"},
    {calibration, CAL "\"mount\": {\"q\": [1.0006,0,0,0]}}", ":2: mount.q: must have length 1"},
    {calibration, CAL "\"mag\": {},\n\"gyro\": {\"matrix\": [[0,0,0],[0,0,0],[0,0,0]]}}",
     ":3: gyro: is no correction that a board accepts"},
    {calibration, CAL "\"accel\": {\"matrix\": [[1e45,0,0],[0,1,0],[0,0,1]]}}",
     ":2: accel: is no correction that a board accepts"},
    {calibration, CAL "\"accel\": {\"matrix\": [[1e30,0,0],[0,1e-30,0],[0,0,1]]}}",
     ":2: accel: is no correction that a board accepts"},
    {calibration, CAL "\"mag\": {\"bias\": [1e39,0,0]}}", ":2: mag: is no correction that a board accepts"},
    {calibration, CAL "\"device\": 7}", ":2: device: must be a text of less than 64 bytes"},
    {tuning, "{\"marlinspike\": \"tuning/2\"}", ":1: filter: is missing"},
    {tuning, "{\"marlinspike\": \"tuning/2\",\n\"filter\": \"magic\"}",
     ":2: filter: unknown filter 'magic'; known: gyro, vectors, complementary"},
    {tuning, TUNING "\"world\": \"xyz\"}", ":3: world: is 'xyz', wanted enu or ned"},
    {tuning, TUNING "\"parameters\": {\n\"tilt_tim\": 3}}",
     ":4: parameters.tilt_tim: unknown key; known: use_mag, run_down, tilt_time, heading_time, damping, "
     "bias_spread, mag_noise, "
     "bias_limit, gap_limit, lever_x, lever_y, lever_z, mag_delay"},
    {tuning, TUNING "\"parameters\": {\"tilt_time\": -3}}",
     ":3: parameters.tilt_time: -3 is out of its range, 0.01 to 1000"},
    {tuning, TUNING "\"parameters\": {\"tilt_time\": \"3\"}}", ":3: parameters.tilt_time: must be a number"},
    {tuning, TUNING "\"parameters\": {\"use_mag\": 1}}", ":3: parameters.use_mag: must be true or false"},
    {tuning, TUNING "\"parameters\": {\"damping\": 0}}",
     ":3: parameters.damping: 0 is out of its range, 0.1 to 100"},
    {tuning, TUNING "\"weighting\": {\"x\": 1}}",
     ":3: weighting.x: unknown key; known: accel_threshold, force_time, bias_share, mag_threshold"},
    {tuning, TUNING "\"weighting\": \"none\"}", ":3: weighting: is 'none', wanted \"off\" or an object"},
    {tuning, TUNING "\"weighting\": false}", ":3: weighting: must be an object"},
    {tuning, TUNING "\"trust\": {\"x\": 1}}", ":3: trust: unknown key: it is weighting since tuning/2"},
    {tuning, TUNING "\"parameters\": {\"bias_time\": 1}}",
     ":3: parameters.bias_time: unknown key: it is damping (complementary) or zeta (gradient-descent) since"},
    {tuning, TUNING "\"weighting\": {\"linger\": 1}}",
     ":3: weighting.linger: unknown key: it has no replacement since tuning/2"},
    {tuning, "{\"marlinspike\":\n\"tuning/1\", \"filter\": \"kalman\", \"trust\": {\"accel_slack\": 1}}",
     ":1: marlinspike: 'tuning/1' is no longer read, write 'tuning/2': the filters have new parameters, see "
     "'marlinspike tuning'; trust is now weighting, accel_slack is now accel_threshold"},
    {tuning, "{\"marlinspike\": \"sheet/1\"}", ":1: is a sheet, and a tuning is wanted here; "},
    {tuning, "{\"marlinspike\": \"tuning/2\", \"filter\": \"gyro\", \"parameters\": {\"tilt_time\": 3}}",
     ":1: parameters.tilt_time: unknown key; known: use_mag, gap_limit"},
    {sheet, "{\"marlinspike\": \"sheet/1\"}", ":1: accel: the sheet describes no sensor"},
    {sheet, SHEET " \"rate_hz\": 100}}", ":2: gyro.full_scale: is missing"},
    {sheet, "{\"marlinspike\": \"sheet/1\", \"gyro\": {\"unit\": \"g\"}}",
     ":1: gyro.unit: unknown unit 'g'; known: rad/s, deg/s, mdeg/s"},
    {sheet, GYRO_SHEET "\"bits\": 40}}", ":4: gyro.bits: 40 is out of its range, 2 to 32"},
    {sheet, GYRO_SHEET "\"bits\": 15.5, \"white\": 0.01}}", ":4: gyro.bits: must be a whole number"},
    {sheet, GYRO_SHEET "\"bits\": 16}}", ":2: gyro.white: one of white and white_one_sided is needed"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"white_one_sided\": 1}}",
     ":4: gyro.white: one of white and white_one_sided is needed"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": -1}}", ":4: gyro.white: -1 is out of its range"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"scale_error\": [0, 0, 2]}}",
     ":4: gyro.scale_error: must lie between -1 and 1"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"cross_axis\": [[0.1,0,0],[0,0,0],[0,0,0]]}}",
     ":4: gyro.cross_axis: must lie between -1 and 1, its diagonal be 0"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"resonance_hz\": 300}}", ":2: gyro.damping: is missing"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"damping\": 0.5}}", ":2: gyro.resonance_hz: is missing"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"low_pass_hz\": 0}}",
     ":4: gyro.low_pass_hz: 0 is out of its range"},
    {sheet, GYRO_SHEET "\"bits\": 16, \"white\": 1, \"flicker\": -1}}",
     ":4: gyro.flicker: -1 is out of its range"},
};

START_TEST(each_fault_names_file_line_and_key)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    const char *path = temporary_text(&dir, "a.json", bad[_i].text);
    ck_assert_int_eq(bad[_i].read(path, &error), MARL_ERR_INPUT);
    ck_assert_msg(strncmp(error.text, path, strlen(path)) == 0 &&
                      strncmp(error.text + strlen(path), bad[_i].message, strlen(bad[_i].message)) == 0,
                  "wanted %s\ngot    %s", bad[_i].message, error.text);
    temporary_remove(&dir);
}
END_TEST

START_TEST(calibration_survives_writing)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    marl_calibration_record a = marl_calibration_record_empty(), b;
    char path[160];
    snprintf(path, sizeof path, "%s", temporary_path(&dir, "a.json"));
    snprintf(a.device, sizeof a.device, "pod-07");
    snprintf(a.made, sizeof a.made, "2026-11-23T08:00:00Z");
    a.declination_deg = 3.5;
    a.has_mount = 1;
    a.mount[0] = 0.6;
    a.mount[3] = 0.8;
    marl_fit *f = &a.fit[MARL_MAG];
    *f = (marl_fit){.present = 1,
                    .bias = {0.123456789, -1e-9, 3},
                    .matrix = {{1.01, 0.02, 0}, {0.02, 0.99, 0}, {0, 0, 1}},
                    .has_sigma = 1,
                    .bias_sigma = {0.1, NAN, 0.3},
                    .has_curve = 1,
                    .reference_degC = 20,
                    .range_degC = {-5, 45},
                    .bias_per_degC = {1e-3, 0, 0},
                    .points = 42,
                    .residual_rms = 0.004,
                    .coverage = 0.93,
                    .temperature_degC = NAN,
                    .field = 48.7,
                    .dip_deg = 61.2};
    ck_assert_int_eq(marl_calibration_write(&a, path, &error), MARL_OK);
    ck_assert_int_eq(marl_calibration_read(&b, path, &error), MARL_OK);
    ck_assert_str_eq(b.device, a.device);
    ck_assert_str_eq(b.made, a.made);
    ck_assert_int_eq(b.fit[MARL_GYRO].present, 0);
    ck_assert_double_eq(b.declination_deg, 3.5);
    const marl_fit *g = &b.fit[MARL_MAG];
    ck_assert_double_eq_tol(g->bias[0], f->bias[0], 1e-9);
    ck_assert_double_eq(g->matrix[0][1], 0.02);
    ck_assert(isnan(g->bias_sigma[1]) && g->bias_sigma[2] == 0.3 && isnan(g->temperature_degC));
    ck_assert_double_eq(g->bias_per_degC[0], 1e-3);
    ck_assert_double_eq(g->field, 48.7);
    marl_calibration c = marl_calibration_for_device(&b);
    ck_assert_int_eq(c.mag.present && c.mag.has_curve && !c.gyro.present, 1);
    ck_assert_float_eq_tol(c.mount.z, 0.8f, 1e-6f);
    ck_assert_float_eq_tol(marl_correction_bias(&c.mag, 30).x, 0.133456789f, 1e-6f);
    temporary_remove(&dir);
}
END_TEST

/* Desk and board turn by the same bits, whatever the length of the quaternion in the file. */
START_TEST(a_mount_is_made_a_rotation)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    marl_calibration_record record;
    const char *path = temporary_text(&dir, "cal.json", CAL "\"mount\": {\"q\": [0.60024, 0, 0.80032, 0]}}");
    ck_assert_msg(marl_calibration_read(&record, path, &error) == MARL_OK, "%s", error.text);
    ck_assert_double_eq_tol(record.mount[0], 0.6, 1e-15);
    ck_assert_double_eq_tol(record.mount[2], 0.8, 1e-15);
    marl_calibration desk = marl_calibration_for_device(&record);
    ck_assert_float_eq(desk.mount.w, (float)record.mount[0]);
    ck_assert_float_eq(desk.mount.y, (float)record.mount[2]);
    temporary_remove(&dir);
}
END_TEST

START_TEST(tuning_survives_writing)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    marl_named_tuning a = {.name = "calm", .tuning = marl_tuning_default(MARL_FILTER_COMPLEMENTARY)}, b;
    a.tuning.world = MARL_WORLD_NED;
    a.tuning.value[MARL_PARAMETER_TILT_TIME] = 3.3f;
    a.tuning.value[MARL_PARAMETER_USE_MAG] = 0.0f;
    ck_assert_int_eq(marl_tuning_write(&a, temporary_path(&dir, "a.json"), &error), MARL_OK);
    ck_assert_int_eq(marl_tuning_read(&b, dir.path, NULL, &error), MARL_OK);
    ck_assert_str_eq(b.name, "calm");
    ck_assert_mem_eq(&a.tuning, &b.tuning, sizeof a.tuning);
    ck_assert_int_eq(marl_tuning_read(&b, "vectors", NULL, &error), MARL_OK);
    ck_assert_int_eq(b.tuning.filter, MARL_FILTER_VECTORS);
    temporary_remove(&dir);
}
END_TEST

START_TEST(sheets_are_converted_to_si)
{
    temporary dir = temporary_make();
    marl_error error = {0};
    marl_sheet read;
    const char *path = temporary_text(
        &dir, "a.json",
        GYRO_SHEET "\"bits\": 12, \"white_one_sided\": 0.01, \"bias\": [1,2,3], \"bias_spread\": 0.5}}");
    ck_assert_int_eq(marl_sheet_read(&read, path, &error), MARL_OK);
    const double degree = 3.14159265358979 / 180;
    ck_assert_double_eq_tol(read.gyro.full_scale, 500 * degree, 1e-12);
    ck_assert_double_eq_tol(read.gyro.white, 0.01 / sqrt(2) * degree, 1e-12);
    ck_assert_double_eq_tol(read.gyro.bias[2], 3 * degree, 1e-12);
    ck_assert_double_eq_tol(read.gyro.bias_spread, 0.5 * degree, 1e-12);
    ck_assert_int_eq(read.accel.present, 0);
    temporary_remove(&dir);
}
END_TEST

START_TEST(devices_are_not_mixed)
{
    marl_error error = {0};
    ck_assert_int_eq(marl_device_match("", "a", "pod-07", "b", &error), MARL_OK);
    ck_assert_int_eq(marl_device_match("pod-07", "a", "pod-07", "b", &error), MARL_OK);
    ck_assert_int_eq(marl_device_match("pod-07", "a.csv", "pod-08", "b.json", &error), MARL_ERR_INPUT);
    ck_assert_str_eq(error.text, "b.json:1: is of device 'pod-08', but a.csv is of device 'pod-07'");
}
END_TEST

MARL_SUITE_OF_CASES("json_files", bad, each_fault_names_file_line_and_key, calibration_survives_writing,
                    a_mount_is_made_a_rotation, tuning_survives_writing, sheets_are_converted_to_si,
                    devices_are_not_mixed)
