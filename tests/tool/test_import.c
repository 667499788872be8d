/* SPDX-License-Identifier: MIT
 * The files of a phone, one for each sensor: imported right, or refused with the reason, and never wrong. */
#include "check_main.h"
#include "marlinspike/log.h"
#include "marlinspike/quat.h"
#include "run_tool.h"
#include <math.h>
#include <stdio.h>
#include <sys/stat.h>

typedef enum clock_kind { SECONDS, EPOCH_NS, EPOCH_MS, ELAPSED_US, IN_WORDS } clock_kind;

/* How one program writes its files. */
typedef struct writer {
    const char *file[3]; /* of accelerometer, gyroscope, magnetometer */
    const char *header[3];
    clock_kind clock;
    double factor[3]; /* of SI */
    const char *order;
    char delimiter;
    int extra; /* a further column of whole numbers */
    int code;  /* of inspect */
} writer;

static const writer writers[] = {
    {{"Accelerometer.csv", "Gyroscope.csv", "Magnetometer.csv"},
     {"clock_ns,z,y,x", "clock_ns,z,y,x", "clock_ns,z,y,x"},
     EPOCH_NS,
     {1, 1, 1},
     "zyx",
     ',',
     0,
     0},
    {{"accelerometer.csv", "gyroscope.csv", "magnetometer.csv"},
     {"timestamp_ms,x,y,z", "timestamp_ms,x,y,z", "timestamp_ms,x,y,z"},
     EPOCH_MS,
     {1, 1, 1},
     "xyz",
     ',',
     0,
     0},
    {{"a.txt", "b.txt", "c.txt"},
     {"Time (s);X (m/s^2);Y (m/s^2);Z (m/s^2)", "Time (s);X (rad/s);Y (rad/s);Z (rad/s)",
      "Time (s);X (uT);Y (uT);Z (uT)"},
     SECONDS,
     {1, 1, 1},
     "xyz",
     ';',
     0,
     0},
    {{"accel.csv", "gyro.csv", "mag.csv"},
     {"seconds_elapsed,x,y,z", "seconds_elapsed,x,y,z", "seconds_elapsed,x,y,z"},
     SECONDS,
     {0, 0, 1},
     "xyz",
     ',',
     0,
     0},
    {{"run_acc_1.csv", "run_gyr_1.csv", "run_mag_1.csv"},
     {"t_us,axis_x,axis_y,axis_z,accuracy", "t_us,axis_x,axis_y,axis_z,accuracy",
      "t_us,axis_x,axis_y,axis_z,accuracy"},
     ELAPSED_US,
     {1, 1, 1},
     "xyz",
     ',',
     1,
     0},
    {{"1.tsv", "2.tsv", "3.tsv"},
     {"elapsed[ms]\taccel_y[g]\taccel_x[g]\taccel_z[g]", "elapsed[ms]\tgyro_y[dps]\tgyro_x[dps]\tgyro_z[dps]",
      "elapsed[ms]\tmag_y[nT]\tmag_x[nT]\tmag_z[nT]"},
     EPOCH_MS,
     {0, 0, 1000},
     "yxz",
     '\t',
     0,
     0},
    /* what says too little, or is no reading of these sensors */
    {{"Accelerometer.csv", "Gyroscope.csv", "Magnetometer.csv"},
     {"date,x,y,z", "date,x,y,z", "date,x,y,z"},
     IN_WORDS,
     {1, 1, 1},
     "xyz",
     ',',
     0,
     3},
    {{"one.csv", "two.csv", "three.csv"},
     {"time,x,y,z", "time,x,y,z", "time,x,y,z"},
     SECONDS,
     {1, 1, 1},
     "xyz",
     ',',
     0,
     3},
    {{"LinearAcceleration.csv", "gravity.csv", "user_acceleration_linear.csv"},
     {"time,x,y,z", "time,x,y,z", "time,x,y,z"},
     SECONDS,
     {1, 1, 1},
     "xyz",
     ',',
     0,
     3},
    {{"accel.csv", "accel2.csv", "accel3.csv"},
     {"time_s,a,b,c", "time_s,p,q,r", "time_s,u,v,w"},
     SECONDS,
     {1, 1, 1},
     "xyz",
     ',',
     0,
     3},
};
static void write_time(FILE *f, clock_kind clock, int64_t t_ns)
{
    const int64_t epoch = INT64_C(1796000000000000000);
    switch (clock) {
    case SECONDS:
        fprintf(f, "%.6f", 1e-9 * (double)t_ns);
        break;
    case EPOCH_NS:
        fprintf(f, "%lld", (long long)(epoch + t_ns));
        break;
    case EPOCH_MS:
        fprintf(f, "%lld", (long long)((epoch + t_ns) / 1000000));
        break;
    case ELAPSED_US:
        fprintf(f, "%lld", (long long)(t_ns / 1000));
        break;
    case IN_WORDS:
        fprintf(f, "2026-11-29 10:%02d:%06.3f", (int)(t_ns / 60000000000), fmod(1e-9 * (double)t_ns, 60));
        break;
    }
}

static void write_sensor(const marl_log *log, const writer *w, int sensor, const char *folder)
{
    static const double units[3] = {0.101971621297793, 57.29577951308232,
                                    1}; /* g and deg/s where the factor is 0 */
    char path[200];
    snprintf(path, sizeof path, "%s/%s", folder, w->file[sensor]);
    FILE *f = fopen(path, "w");
    ck_assert_ptr_nonnull(f);
    fprintf(f, "%s\n", w->header[sensor]);
    double factor = w->factor[sensor] > 0 ? w->factor[sensor] : units[sensor];
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *s = &log->row[i].sample;
        const marl_vec3 *v = sensor == 0 ? &s->accel : sensor == 1 ? &s->gyro : &s->mag;
        const double axis[3] = {(double)v->x, (double)v->y, (double)v->z};
        if (!(s->fresh & (1u << sensor))) {
            continue;
        }
        write_time(f, w->clock, s->t_ns);
        for (int k = 0; k < 3; k++) {
            fprintf(f, "%c%.9g", w->delimiter, factor * axis[w->order[k] - 'x']);
        }
        fprintf(f, w->extra ? ",3\n" : "\n");
    }
    ck_assert_int_eq(fclose(f), 0);
}

static double off_by(marl_vec3 a, marl_vec3 b)
{
    return fmax(fabs((double)(a.x - b.x)), fmax(fabs((double)(a.y - b.y)), fabs((double)(a.z - b.z))));
}

/* Every reading at its time, in its unit, on its axis. */
static void check_imported(const marl_log *was, const char *path, const char *name)
{
    marl_log is;
    ck_assert_int_eq(marl_log_load(&is, path, NULL, NULL), MARL_OK);
    ck_assert_uint_eq(is.n, was->n);
    for (size_t i = 0; i < is.n; i++) {
        const marl_sample *a = &was->row[i].sample, *b = &is.row[i].sample;
        double later = 1e-9 * (double)(b->t_ns - is.row[0].sample.t_ns - a->t_ns + was->row[0].sample.t_ns);
        ck_assert_msg(fabs(later) < 0.0011 && ((a->fresh ^ b->fresh) & 7) == 0, "%s: row %zu, %g s, %x", name,
                      i, later, b->fresh);
        ck_assert_msg(off_by(a->accel, b->accel) < 1e-4 && off_by(a->gyro, b->gyro) < 1e-5 &&
                          (!(a->fresh & MARL_FRESH_MAG) || off_by(a->mag, b->mag) < 1e-3),
                      "%s: row %zu", name, i);
    }
    marl_log_free(&is);
}

/* A file for each sensor, as a folder and one by one. */
START_TEST(files_of_a_phone)
{
    temporary dir = tool_folder();
    marl_log log;
    const writer *w = &writers[_i];
    run_wants(0, "simulate --scene handle --seed 8 --rate 100 --duration 40 -o base.csv --quiet");
    ck_assert_int_eq(marl_log_load(&log, "base.csv", NULL, NULL), MARL_OK);
    ck_assert_int_eq(mkdir("phone", 0755), 0);
    for (int sensor = 0; sensor < 3; sensor++) {
        write_sensor(&log, w, sensor, "phone");
    }
    temporary_text(&dir, "phone/empty.csv", "");
    run_wants(w->code, "inspect phone -o folder.csv --quiet");
    run_wants(w->code, "inspect phone/%s phone/%s phone/%s -o files.csv --quiet", w->file[0], w->file[1],
              w->file[2]);
    struct stat file;
    ck_assert_int_eq(stat("folder.csv", &file) == 0, w->code == 0);
    if (w->code == 0) {
        check_imported(&log, "folder.csv", w->file[0]);
        check_imported(&log, "files.csv", w->file[0]);
        tool_run r = run("inspect phone");
        ck_assert_ptr_nonnull(strstr(r.err, "left out: phone/empty.csv:1: the file is empty"));
        run_free(&r);
    }
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* Of three files one is of another hour: left out with the reason, and the others are put together. */
START_TEST(files_that_do_not_overlap)
{
    temporary dir = tool_folder();
    marl_log log;
    run_wants(0, "simulate --scene handle --seed 8 --rate 100 --duration 40 -o base.csv --quiet");
    ck_assert_int_eq(marl_log_load(&log, "base.csv", NULL, NULL), MARL_OK);
    for (int sensor = 0; sensor < 3; sensor++) {
        for (size_t i = 0; i < log.n && sensor == 2; i++) {
            log.row[i].sample.t_ns += INT64_C(3600000000000);
        }
        write_sensor(&log, &writers[4], sensor, ".");
    }
    tool_run r = run("inspect %s %s %s --time-offset 0 -o two.csv", writers[4].file[0], writers[4].file[1],
                     writers[4].file[2]);
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.err, "left out: run_mag_1.csv: from 3600.000 to "));
    run_free(&r);
    json_t *j = run_json(0, "inspect two.csv");
    ck_assert_double_eq(json_at(j, "sensors.gyro.readings"), 4000);
    json_decref(j);
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* FILE:MAP, a file that is not there among others, sensors that are there twice, and a map that physics contradicts. */
START_TEST(maps_beside_their_files)
{
    temporary dir = tool_folder();
    marl_log log;
    run_wants(0, "simulate --scene handle --seed 8 --rate 100 --duration 40 -o base.csv --quiet");
    ck_assert_int_eq(marl_log_load(&log, "base.csv", NULL, NULL), MARL_OK);
    for (int sensor = 0; sensor < 3; sensor++) {
        write_sensor(&log, &writers[7], sensor, ".");
    }
    const char *maps[3] = {"'one.csv:t=1[s]; accel=2,3,4[m/s^2]'", "'two.csv:t=1[s]; gyro=2,3,4[rad/s]'",
                           "'three.csv:t=1[s]; mag=x,y,z[uT]'"};
    run_wants(0, "inspect %s %s %s -o all.csv --quiet", maps[0], maps[1], maps[2]);
    check_imported(&log, "all.csv", "maps");
    tool_run r =
        run("inspect %s %s %s 'none.csv:t=1[s]; temp=2' one.csv -o all2.csv", maps[0], maps[1], maps[2]);
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.err, "left out: none.csv: "));
    ck_assert_ptr_nonnull(strstr(r.err, "left out: one.csv: "));
    run_free(&r);
    check_imported(&log, "all2.csv", "with others");
    r = run("inspect %s 'two.csv:t=1[s]; gyro=2,3,4[deg/s]' -o wrong.csv", maps[0]);
    ck_assert_int_eq(r.code, 3);
    ck_assert_ptr_nonnull(strstr(r.err, "nothing is written by such a map"));
    run_free(&r);
    struct stat file;
    ck_assert_int_ne(stat("wrong.csv", &file), 0);
    run_wants(3, "inspect 'one.csv:t=1[s]; accel=2,3,4[g]' -o wrong.csv --quiet");
    marl_log_free(&log);
    temporary_remove(&dir);
}
END_TEST

/* Stamps of reception scatter about an even rate, also in the log that becomes of them; those of the board do not, nor do those
 * that were set evenly. A column that is called t and never changes is no time. */
START_TEST(stamps_of_reception_are_named)
{
    temporary dir = tool_folder();
    ck_assert_int_eq(
        system(
            "awk -F, -v OFS=, '/^[0-9]/ { print $1, $2, $3, $4, $5, $6, $7 > \"even.txt\"; if (NR % 3 == 0) "
            "$1 += 0.006; print $1, $2, $3, $4, $5, $6, $7 > \"host.txt\" }' handle.csv"),
        0);
    tool_run r =
        run("inspect host.txt --columns 't=1[s]; accel=2,3,4[m/s^2]; gyro=5,6,7[rad/s]' -o host.csv");
    ck_assert_int_eq(r.code, 0);
    ck_assert_ptr_nonnull(strstr(r.err, "about rows every 10 ms, as those of reception"));
    run_free(&r);
    r = run("inspect even.txt --columns 't=1[s]; accel=2,3,4[m/s^2]; gyro=5,6,7[rad/s]'");
    ck_assert_ptr_null(strstr(r.err, "reception"));
    run_free(&r);
    r = run("inspect host.csv --even-times -o set.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "set evenly: rows every 10 ms; their times scattered by 2.83 ms"));
    run_free(&r);
    r = run("compare host.csv --reference handle.reference.csv --tuning kalman");
    ck_assert_ptr_nonnull(strstr(r.err, "readings fit even times "));
    run_free(&r);
    r = run("compare set.csv --reference handle.reference.csv --tuning kalman");
    ck_assert_ptr_null(strstr(r.err, "reception"));
    run_free(&r);
    ck_assert_int_eq(
        system("awk -F, -v OFS=, 'NR == 1 { print \"Time,ax,ay,az,gx,gy,gz,T\" } /^[0-9]/ { print "
               "sprintf(\"14:20:%02d\", $1), $2, $3, $4, $5, $6, $7, 24 }' handle.csv > clock.csv"),
        0);
    r = run("inspect clock.csv");
    ck_assert_ptr_nonnull(strstr(r.out, "called a time, but always the same"));
    ck_assert_ptr_nonnull(strstr(r.out, "--columns 't=@100; accel=ax,ay,az[m/s^2]"));
    run_free(&r);
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_CASES("tool imports", writers, files_of_a_phone, maps_beside_their_files,
                    files_that_do_not_overlap, stamps_of_reception_are_named)
