/* SPDX-License-Identifier: MIT
 * A calibration session as a program calls it, against the sheet that the recordings were made with. */
#include "check_main.h"
#include "marlinspike/calibrate.h"
#include "memory_log.h"
#include "temporary.h"
#include <math.h>

/* The Grommet with the same bias at every power-on and temperature, so that the sheet is the truth. */
static marl_sheet constant_sheet(void)
{
    marl_sheet sheet = marl_sheet_grommet();
    marl_sensor_sheet *sensor[] = {&sheet.accel, &sheet.gyro, &sheet.mag};
    for (int i = 0; i < MARL_SENSOR_COUNT; i++) {
        sensor[i]->bias_spread = sensor[i]->flicker = sensor[i]->walk = 0;
        memset(sensor[i]->bias_per_degC, 0, sizeof sensor[i]->bias_per_degC);
    }
    return sheet;
}

static const char *write_scene(temporary *t, marl_scene_kind scene, double seconds, const char *device)
{
    marl_sheet sheet = constant_sheet();
    marl_log log = memory_log_simulated(scene, &sheet, 100, seconds, 5);
    marl_log_writer *writer;
    marl_log_info info = {.columns = MEMORY_LOG_ALL};
    snprintf(info.device, sizeof info.device, "%s", device);
    ck_assert_int_eq(marl_log_create(&writer, temporary_path(t, "log.csv"), &info, NULL), MARL_OK);
    for (size_t i = 0; i < log.n; i++) {
        log.row[i].has_q = 0;
        marl_log_write(writer, &log.row[i]);
    }
    ck_assert_int_eq(marl_log_commit(writer, NULL), MARL_OK);
    marl_log_free(&log);
    return t->path;
}

/* Every kind of recording from its own scene: accepted, and the record has what the scene was made with. */
START_TEST(every_recording_fills_the_record)
{
    static const struct {
        marl_scene_kind scene;
        double seconds;
        marl_sensor sensor;
    } given[MARL_RECORDING_COUNT] = {
        [MARL_RECORDING_STILL] = {MARL_SCENE_STILL, 60, MARL_GYRO},
        [MARL_RECORDING_TURNS] = {MARL_SCENE_TURNS, 120, MARL_GYRO},
        [MARL_RECORDING_POSES] = {MARL_SCENE_POSES, 150, MARL_ACCEL},
        [MARL_RECORDING_TUMBLE] = {MARL_SCENE_TUMBLE, 60, MARL_MAG},
        [MARL_RECORDING_SOAK] = {MARL_SCENE_SOAK, 600, MARL_GYRO},
        [MARL_RECORDING_AXES] = {MARL_SCENE_TUMBLE, 60, MARL_MAG},
        [MARL_RECORDING_MOVES] = {MARL_SCENE_POSES, 150, MARL_GYRO},
    };
    marl_sheet sheet = constant_sheet();
    const marl_sensor_sheet *truth[MARL_SENSOR_COUNT] = {&sheet.accel, &sheet.gyro, &sheet.mag};
    for (int i = 0; i < MARL_RECORDING_COUNT; i++) {
        temporary t = temporary_make();
        marl_error error = {0};
        marl_session *s = marl_session_create((marl_recording)i);
        ck_assert_ptr_nonnull(s);
        const char *path = write_scene(&t, given[i].scene, given[i].seconds, "pod-07");
        ck_assert_int_eq(marl_session_add_log(s, path, NULL, &error), MARL_OK);
        ck_assert_int_eq(marl_session_start_record(s, NULL, &error), MARL_OK);
        marl_status status = marl_session_fit(s, &error);
        ck_assert_msg(status == MARL_OK, "%s: %s", marl_recording_name((marl_recording)i), error.text);
        ck_assert(s->outcome->accepted && s->outcome->next[0] == '\0');
        ck_assert_int_eq(s->outcome->sensor, given[i].sensor);
        ck_assert_str_eq(s->record.device, "pod-07");
        const marl_fit *fit = &s->record.fit[given[i].sensor];
        for (int k = 0; k < 3 && i != MARL_RECORDING_AXES && i != MARL_RECORDING_SOAK; k++) {
            double off = fit->bias[k] - truth[given[i].sensor]->bias[k];
            ck_assert_msg(fabs(off) < 5 * fit->bias_sigma[k] + 1e-9, "%s: axis %d is off by %g, sigma %g",
                          marl_recording_name((marl_recording)i), k, off, fit->bias_sigma[k]);
        }
        for (size_t k = 0; k < s->warnings.n; k++) {
            const char *text = s->warnings.item[k].text; /* "path: what", and there is something */
            ck_assert_msg(text[0] != '\0' && text[strlen(text) - 1] != ' ', "an empty warning: %s", text);
        }
        marl_session_free(s);
        temporary_remove(&t);
    }
}
END_TEST

/* The result is put into the file's calibration, which keeps its other sensors; of another device it is
 * refused. */
START_TEST(the_record_keeps_its_other_sensors)
{
    temporary t = temporary_make();
    char path[200];
    marl_error error = {0};
    marl_calibration_record before = marl_calibration_record_empty();
    before.fit[MARL_ACCEL] = marl_fit_none();
    before.fit[MARL_ACCEL].present = 1;
    before.fit[MARL_ACCEL].bias[0] = 0.125;
    snprintf(before.device, sizeof before.device, "pod-07");
    snprintf(path, sizeof path, "%s/cal.json", t.dir);
    ck_assert_int_eq(marl_calibration_write(&before, path, &error), MARL_OK);
    for (int other = 0; other < 2; other++) {
        marl_session *s = marl_session_create(MARL_RECORDING_STILL);
        const char *log = write_scene(&t, MARL_SCENE_STILL, 60, other ? "pod-08" : "pod-07");
        ck_assert_int_eq(marl_session_add_log(s, log, NULL, &error), MARL_OK);
        ck_assert_int_eq(marl_session_start_record(s, path, &error), other ? MARL_ERR_INPUT : MARL_OK);
        if (!other) {
            ck_assert_int_eq(marl_session_fit(s, &error), MARL_OK);
            ck_assert_double_eq(s->record.fit[MARL_ACCEL].bias[0], 0.125);
            ck_assert(s->record.fit[MARL_GYRO].present);
        }
        marl_session_free(s);
    }
    temporary_remove(&t);
}
END_TEST

/* Two recordings count as one, with a warning; nothing at all says what to record. */
START_TEST(recordings_go_on_and_none_says_what_to_record)
{
    temporary t = temporary_make();
    marl_error error = {0};
    marl_session *s = marl_session_create(MARL_RECORDING_STILL);
    ck_assert(!s->outcome->accepted && s->outcome->next[0] != '\0');
    ck_assert_int_eq(marl_session_fit(s, &error), MARL_ERR_ARGUMENT);
    const char *path = write_scene(&t, MARL_SCENE_STILL, 30, "");
    ck_assert_int_eq(marl_session_add_log(s, path, NULL, &error), MARL_OK);
    size_t n = s->log.n;
    ck_assert_int_eq(marl_session_add_log(s, path, NULL, &error), MARL_OK);
    ck_assert_uint_eq(s->log.n, 2 * n);
    ck_assert_str_eq(s->warnings.item[s->warnings.n - 1].code, "appended");
    ck_assert_int_eq(marl_session_start_record(s, NULL, &error), MARL_OK);
    ck_assert_int_eq(marl_session_fit(s, &error), MARL_OK);
    marl_session_free(s);
    marl_session_free(NULL);
    ck_assert_ptr_null(marl_session_create(MARL_RECORDING_COUNT));
    temporary_remove(&t);
}
END_TEST

MARL_SUITE("session", every_recording_fills_the_record, the_record_keeps_its_other_sensors,
           recordings_go_on_and_none_says_what_to_record)
