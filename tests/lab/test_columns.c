/* SPDX-License-Identifier: MIT
 * Logs from elsewhere: column maps, what is read by them, and what a file seems to hold. */
#include "check_main.h"
#include "marlinspike/lab.h"
#include "memory_log.h"
#include "random_values.h"
#include "temporary.h"
#include <math.h>
#include <stdio.h>

#define G 9.80665f

/* A file, its map, and what the second row then holds; or how the message goes on. */
static const struct {
    const char *name, *text, *map;
    marl_status status;
    const char *message; /* after the file's name where it begins with ':' */
    unsigned long rows, dropped;
    int64_t t_ns; /* of the second row */
    float value;  /* accel_x, else gyro_x, else mag_x, else temp */
} cases[] = {
    {"by number, without a header", "0,1\n10,2\n", "t=1[ms]; temp=2", MARL_OK, "", 2, 0, 10000000, 2},
    {"by name, order free", "T0,when,x\n7,0,3\n8,5,4\n", "temp=T0; t=when[us]", MARL_OK, "", 2, 0, 5000, 8},
    {"units from round brackets", "time (ms),a (g),b (g),c (g)\n0,1,0,0\n4,2,0,0\n", "t=time; accel=a,b,c",
     MARL_OK, "", 2, 0, 4000000, 2 * G},
    {"units from square brackets", "time [ns];w[deg/s];x[deg/s];y[deg/s]\n0;1;0;0\n4;90;0;0\n",
     "t=time;gyro=w,x,y", MARL_OK, "", 2, 0, 4, (float)(90 * MARL_DEGREE)},
    {"the map's unit wins", "time[s],b[T]\n0,1\n1,2\n", "t=1[ms]; mag_x=2[nT]", MARL_OK, "", 2, 0, 1000000,
     0.002f},
    {"sign and order", "0 1 2 3\n1 4 5 6\n", "t=1[s]; accel=-4,2,-3", MARL_OK, "", 2, 0, 1000000000, -6},
    {"blanks, ragged", "  0   1 2 \n 1  3   4  \n", "t=1; temp=3", MARL_OK, "", 2, 0, 1000000000, 4},
    {"bars", "t|k\n0|1\n1|2\n", "t=1; temp=k", MARL_OK, "", 2, 0, 1000000000, 2},
    {"constant rate", "1\n2\n3\n", "t=@250; temp=1", MARL_OK, "", 3, 0, 4000000, 2},
    {"a bad row keeps its place in time", "1,1\nx\n3,1\n4,1\n", "t=@10; temp=1", MARL_OK, "", 3, 1, 200000000,
     3},
    {"ticks", "0,1\n5,2\n", "t=1[10 us]; temp=2", MARL_OK, "", 2, 0, 50000, 2},
    {"ticks of a watch crystal", "0,1\n32768,2\n", "t=1[30.517578125 us]; temp=2", MARL_OK, "", 2, 0,
     1000000000, 2},
    {"a count's worth", "0,1,1,1\n1,100,1,1\n", "t=1; accel=2,3,4[0.5 mg]", MARL_OK, "", 2, 0, 1000000000,
     0.05f * G},
    {"Kelvin", "0,300\n1,301\n", "t=1; temp=2[K]", MARL_OK, "", 2, 0, 1000000000, 27.85f},
    {"words before the header", "Pod 7\n\nmade by hand, at noon\ntime,temp\n0,1\n1,2\n",
     "t=time[s]; temp=temp[degC]", MARL_OK, "", 2, 0, 1000000000, 2},
    {"header behind a comment sign", "# time temp\n0 1\n1 2\n", "t=time; temp=temp", MARL_OK, "", 2, 0,
     1000000000, 2},
    {"byte order mark before numbers",
     "\xef\xbb\xbf"
     "0,1\r\n1,2\r\n",
     "t=1; temp=2", MARL_OK, "", 2, 0, 1000000000, 2},
    {"names with blanks", "\"the time\",\"a, b\"\n0,1\n1,2\n", "t=\"the time\"[s]; temp=\"a, b\"", MARL_OK,
     "", 2, 0, 1000000000, 2},
    {"a row of units behind the header", "time,temp\nms,C\n0,1\n1,2\n2,3\n", "t=time[ms]; temp=temp", MARL_OK,
     "", 3, 1, 1000000, 2},
    {"comments and lines in the map", "0,1\n1,2\n", "# of the pod\nt=1[s]\n\ntemp=2 ;\n", MARL_OK, "", 2, 0,
     1000000000, 2},
    {"repeats are not fresh", "0,7\n1,7\n2,8\n", "t=1; temp=2 changed", MARL_OK, "", 3, 0, 1000000000, -1},
    {"dates", "2024-02-29T23:59:59.5Z,1\n2024-03-01T00:00:00.75Z,2\n", "t=1[date]; temp=2", MARL_OK, "", 2, 0,
     INT64_C(1709251200750000000), 2},
    {"dates with a blank and an offset", "2026-11-03 12:00:00,1\n2026-11-03 13:30:00.000000001+01:30,2\n",
     "t=1[date]; temp=2", MARL_OK, "", 2, 0, INT64_C(1793707200000000001), 2},
    {"times of day", "12:00:00;1\n12:00:00,25;2\n", "t=1[date]; temp=2", MARL_OK, "", 2, 0,
     INT64_C(43200250000000), 2},
    {"a date that is none", "2026-11-03T12:00:00,1\n2026-02-29T12:00:01,9\n2026-11-03T12:00:02,2\n",
     "t=1[date]; temp=2", MARL_OK, "", 2, 1, INT64_C(1793707202000000000), 2},
    {"labels", "T=0 A=7 B=1\nT=5 A=-8.5 B=2\n", "t=1[ms]; temp=2", MARL_OK, "", 2, 0, 5000000, -8.5f},
    {"labels with blanks", "t: 0, temp_2 : 7\nt: 5, temp_2 : 8\n", "t=1[ms]; temp=2", MARL_OK, "", 2, 0,
     5000000, 8},
    {"no such name", "time,temp\n0,1\n", "t=time; temp=heat", MARL_ERR_INPUT,
     ": no line has all the columns time, heat (the best has 1 of them)", 0, 0, 0, 0},
    {"no such number", "0,1\n1,2\n", "t=1; temp=3", MARL_ERR_INPUT, ": no line has numbers", 0, 0, 0, 0},
    {"name twice", "t,a,a\n0,1,2\n", "t=t; temp=a", MARL_ERR_INPUT, ":1: column 'a' stands there twice", 0, 0,
     0, 0},
    {"unknown unit in the file", "t (turns),a\n0,1\n", "t=1; temp=2", MARL_ERR_INPUT,
     ":2: t has the unknown unit 'turns'", 0, 0, 0, 0},
    {"counts without a sheet", "0,1\n1,2\n", "t=1; accel_x=2[count]", MARL_ERR_INPUT,
     ":1: accel_x is in counts", 0, 0, 0, 0},
    {"a column for two", "0,1\n1,2\n", "t=1; temp=1", MARL_ERR_USE, "column map: column 1 is used for t and",
     0, 0, 0, 0},
    {"empty file", "", "t=1", MARL_ERR_INPUT, ":1: the file is empty", 0, 0, 0, 0},
    {"header alone", "time,temp\n", "t=time; temp=temp", MARL_ERR_INSUFFICIENT, ": a header and no samples",
     0, 0, 0, 0},
    {"no t", "0,1\n", "temp=2", MARL_ERR_USE, "column map: no t;", 0, 0, 0, 0},
    {"two times", "0,1\n", "t=1; t=@50", MARL_ERR_USE, "column map: t is a column or a rate", 0, 0, 0, 0},
    {"target twice", "0,1\n", "t=1; temp=2; temp=3", MARL_ERR_USE, "column map: temp stands there twice", 0,
     0, 0, 0},
    {"unknown target", "0,1\n", "t=1; heat=2", MARL_ERR_USE, "column map: 'heat' is no column of a log", 0, 0,
     0, 0},
    {"two of three", "0,1\n", "t=1; accel=2,3", MARL_ERR_USE, "column map: three columns are needed at", 0, 0,
     0, 0},
    {"open bracket", "0,1\n", "t=1[ms", MARL_ERR_USE, "column map: a ] is missing", 0, 0, 0, 0},
    {"open quote", "0,1\n", "t=\"a", MARL_ERR_USE, "column map: a quote is not closed", 0, 0, 0, 0},
    {"column 0", "0,1\n", "t=0", MARL_ERR_USE, "column map: columns are numbered from 1", 0, 0, 0, 0},
    {"no rate", "0,1\n", "t=@fast", MARL_ERR_USE, "column map: a rate in Hz is missing", 0, 0, 0, 0},
    {"factor of nothing", "0,1\n", "t=1[0 ms]", MARL_ERR_USE,
     "column map: a factor that lies outside 1e-15 to 1e15", 0, 0, 0, 0},
    {"words between", "0,1\n", "t=1 temp=2", MARL_ERR_INPUT, ": no line has all the columns", 0, 0, 0, 0},
};

static float second_value(const marl_sample *s)
{
    return s->fresh & MARL_FRESH_ACCEL  ? s->accel.x
           : s->fresh & MARL_FRESH_GYRO ? s->gyro.x
           : s->fresh & MARL_FRESH_MAG  ? s->mag.x
           : s->fresh & MARL_FRESH_TEMP ? s->temp
                                        : -1;
}

START_TEST(each_case)
{
    temporary dir = temporary_make();
    marl_column_map map;
    marl_log log;
    marl_error error = {0};
    const char *path = temporary_text(&dir, "a.txt", cases[_i].text), *message = cases[_i].message;
    marl_status status = marl_column_map_read(&map, cases[_i].map, &error);
    const marl_log_options options = {.columns = &map};
    status = status != MARL_OK ? status : marl_log_load(&log, path, &options, &error);
    ck_assert_msg(status == cases[_i].status, "%s: %s", cases[_i].name, error.text);
    if (status != MARL_OK) {
        const char *text = message[0] == ':' ? error.text + strlen(path) : error.text;
        ck_assert_msg(strncmp(text, message, strlen(message)) == 0, "%s: %s", cases[_i].name, error.text);
    } else {
        const marl_sample *s = &log.row[1].sample;
        ck_assert_msg(log.n == cases[_i].rows && log.report.rows_dropped == cases[_i].dropped, "%s: %zu rows",
                      cases[_i].name, log.n);
        ck_assert_msg(s->t_ns == cases[_i].t_ns, "%s: %ld", cases[_i].name, (long)s->t_ns);
        ck_assert_msg(fabsf(second_value(s) - cases[_i].value) <= 1e-6f * fabsf(cases[_i].value), "%s: %.9g",
                      cases[_i].name, (double)second_value(s));
        marl_log_free(&log);
    }
    temporary_remove(&dir);
}
END_TEST

/* How a log may be written elsewhere. */
typedef struct shape {
    char delimiter;
    int header, order[3], flip; /* order of the sensors */
    double t_factor, accel_factor, gyro_factor, mag_factor;
    const char *t_unit, *accel_unit, *gyro_unit, *mag_unit;
} shape;

static shape random_shape(dice *d)
{
    static const char delimiters[] = {',', ';', '\t', ' ', '|'};
    static const int orders[][3] = {{0, 1, 2}, {1, 0, 2}, {0, 2, 1}, {2, 1, 0}};
    static const struct {
        double factor;
        const char *unit;
    } times[] = {{1e-9, "s"}, {1e-6, "ms"}, {1e-3, "us"}, {1, "ns"}},
      accels[] = {{1, "m/s^2"}, {1 / 9.80665, "g"}, {1000 / 9.80665, "mg"}},
      gyros[] = {{1, "rad/s"}, {57.29577951308232, "deg/s"}}, mags[] = {{1, "uT"}, {0.01, "G"}, {10, "mG"}};
    shape s = {.delimiter = delimiters[dice_below(d, 5)], .header = (int)dice_below(d, 2)};
    memcpy(s.order, orders[dice_below(d, 4)], sizeof s.order);
    uint32_t k = dice_below(d, 4);
    s.t_factor = times[k].factor;
    s.t_unit = times[k].unit;
    k = dice_below(d, 3);
    s.accel_factor = accels[k].factor;
    s.accel_unit = accels[k].unit;
    k = dice_below(d, 2);
    s.gyro_factor = gyros[k].factor;
    s.gyro_unit = gyros[k].unit;
    k = dice_below(d, 3);
    s.mag_factor = mags[k].factor;
    s.mag_unit = mags[k].unit;
    return s;
}

static void write_shape(const shape *s, const marl_log *log, const char *path)
{
    FILE *f = fopen(path, "w");
    static const char *const names[3] = {"acc", "gyr", "mag"};
    ck_assert_ptr_nonnull(f);
    if (s->header) {
        fputs("time", f);
        for (int i = 0; i < 9; i++) {
            fprintf(f, "%c%s_%c", s->delimiter, names[s->order[i / 3]], 'x' + i % 3);
        }
        fputc('\n', f);
    }
    marl_vec3 mag = log->row[0].sample.mag;
    for (size_t i = 0; i < log->n; i++) {
        const marl_sample *r = &log->row[i].sample;
        mag = r->fresh & MARL_FRESH_MAG ? r->mag : mag;
        const marl_vec3 *v[3] = {&r->accel, &r->gyro, &mag};
        const double factor[3] = {s->accel_factor, s->gyro_factor, s->mag_factor};
        fprintf(f, "%.7f", (double)r->t_ns * s->t_factor);
        for (int k = 0; k < 3; k++) {
            int o = s->order[k];
            fprintf(f, "%c%.8f%c%.8f%c%.8f", s->delimiter, (double)v[o]->x * factor[o], s->delimiter,
                    (double)v[o]->y * factor[o], s->delimiter, (double)v[o]->z * factor[o]);
        }
        fputc('\n', f);
    }
    fclose(f);
}

/* Three turns in any order are the product of the turns about the body's axes; zyx is roll, pitch and yaw the other way
 * round. */
START_TEST(angles_in_any_order)
{
    static const char *const orders[] = {"xyz", "xzy", "yxz", "yzx", "zxy", "zyx"};
    temporary dir = temporary_make();
    const double angle[3] = {20, -35, 110};
    for (int i = 0; i < 6; i++) {
        char text[200], map_text[80];
        marl_column_map map;
        marl_log log;
        marl_quat wanted = marl_quat_identity();
        for (int k = 0; k < 3; k++) {
            float a = (float)(angle[k] * MARL_DEGREE);
            wanted = marl_quat_product(wanted, marl_quat_from_rpy(orders[i][k] == 'x' ? a : 0,
                                                                  orders[i][k] == 'y' ? a : 0,
                                                                  orders[i][k] == 'z' ? a : 0));
        }
        snprintf(text, sizeof text, "0;%g;%g;%g\n1;%g;%g;%g\n", angle[0], angle[1], angle[2], angle[0],
                 angle[1], angle[2]);
        snprintf(map_text, sizeof map_text, "t=1[s]; angles_%s=2,3,4[deg]", orders[i]);
        const char *path = temporary_text(&dir, "angles.txt", text);
        ck_assert_int_eq(marl_column_map_read(&map, map_text, NULL), MARL_OK);
        ck_assert_int_eq(marl_log_load(&log, path, &(marl_log_options){.columns = &map}, NULL), MARL_OK);
        marl_quat q = log.row[1].q;
        double same = fabs((double)(q.w * wanted.w + q.x * wanted.x + q.y * wanted.y + q.z * wanted.z));
        ck_assert_msg(log.row[1].has_q && same > 1 - 1e-6, "%s: %g", orders[i], same);
        marl_log_free(&log);
    }
    marl_column_map map;
    ck_assert_int_eq(marl_column_map_read(&map, "t=1[s]; angles_zxz=2,3,4[deg]", NULL), MARL_ERR_USE);
    temporary_remove(&dir);
}
END_TEST

/* Whatever the delimiter, the units and the order of a tumble's columns: the map that is proposed reads the
 * recording back. Without names the order accelerometer, gyroscope, magnetometer is assumed among what cannot
 * be determined otherwise. */
START_TEST(a_guessed_map_reads_the_recording_back)
{
    temporary dir = temporary_make();
    marl_sheet sheet = marl_sheet_grommet();
    marl_log all = memory_log_simulated(MARL_SCENE_TUMBLE, &sheet, 100, 45, 5);
    const char *path = temporary_path(&dir, "a.txt");
    dice d = {11};
    for (int trial = 0; trial < 40; trial++) {
        shape s = random_shape(&d);
        s.header |= s.order[0] != 0;
        write_shape(&s, &all, path);
        marl_columns_guess guess;
        marl_column_map map;
        marl_log log;
        marl_error error = {0};
        ck_assert_msg(marl_columns_guess_file(&guess, path, '.', &error) == MARL_OK, "%s", error.text);
        ck_assert_msg(marl_column_map_read(&map, guess.map, &error) == MARL_OK, "%s", error.text);
        const marl_log_options options = {.columns = &map};
        ck_assert_msg(marl_log_load(&log, path, &options, &error) == MARL_OK, "%s", error.text);
        ck_assert_uint_eq(log.n, all.n);
        for (size_t i = 0; i < all.n; i += 97) {
            const marl_sample *was = &all.row[i].sample, *is = &log.row[i].sample;
            ck_assert_msg(llabs(was->t_ns - is->t_ns) < 101, "%s", guess.map);
            ck_assert_msg(fabsf(was->accel.z - is->accel.z) < 1e-5f &&
                              fabsf(was->gyro.y - is->gyro.y) < 1e-5f &&
                              was->fresh == (is->fresh | MARL_FRESH_TEMP),
                          "%s: row %zu, %x %x", guess.map, i, was->fresh, is->fresh);
            ck_assert_msg(!(is->fresh & MARL_FRESH_MAG) || fabsf(was->mag.x - is->mag.x) < 1e-4f, "%s",
                          guess.map);
        }
        marl_log_free(&log);
    }
    marl_log_free(&all);
    temporary_remove(&dir);
}
END_TEST

START_TEST(what_is_no_table_is_reported)
{
    temporary dir = temporary_make();
    marl_columns_guess guess;
    marl_error error = {0};
    const char *path = temporary_text(&dir, "a.txt", "once upon a time\nthere was a hook\n");
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', &error), MARL_ERR_INPUT);
    ck_assert_ptr_nonnull(strstr(error.text, "no rows of numbers"));
    temporary_remove(&dir);
}
END_TEST

/* Names that end in z, y, x are not mirrored by the order of the columns; rates alone are proposed, with a
 * remark. */
START_TEST(axes_go_by_their_names)
{
    temporary dir = temporary_make();
    marl_columns_guess guess;
    marl_error error = {0};
    char text[40000] = "time,z,y,x\n", *end = text + strlen(text);
    for (int i = 0; i < 200; i++) {
        end += sprintf(end, "%.2f,%.3f,%.3f,%.3f\n", 0.01 * i, 9.80 + 0.001 * (i % 7), 0.1 + 0.001 * (i % 5),
                       0.3);
    }
    const char *path = temporary_text(&dir, "a.csv", text);
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', &error), MARL_OK);
    ck_assert_ptr_nonnull(strstr(guess.map, "accel=x,y,z"));
    end = text + sprintf(text, "time,rx,ry,rz\n");
    for (int i = 0; i < 200; i++) {
        double level = 1.5 * pow(sin(0.03 * i), 2);
        end += sprintf(end, "%.2f,%.3f,%.3f,%.3f\n", 0.01 * i, level * sin(0.05 * i), level * cos(0.07 * i),
                       0.01 * (i % 9));
    }
    path = temporary_text(&dir, "b.csv", text);
    ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', &error), MARL_OK);
    ck_assert_ptr_nonnull(strstr(guess.map, "gyro=rx,ry,rz"));
    ck_assert_ptr_nonnull(strstr(guess.remark, "may be angular rates"));
    temporary_remove(&dir);
}
END_TEST

/* A table of a rig: row number, time, quaternion in the order of `letters`, and where the body is. */
static void write_poses(char *text, const char *head, const char *letters)
{
    char *end = text + sprintf(text, "%s", head);
    for (int i = 0; i < 200; i++) {
        marl_quat q = marl_quat_from_rpy(0.3f * sinf(0.05f * (float)i), 0.01f * (float)i, 1.0f);
        end += sprintf(end, "%d,%.2f", i, 0.01 * i);
        for (const char *l = letters; *l != '\0'; l++) {
            float v = i == 77 ? 0 : *l == 'w' ? q.w : *l == 'x' ? q.x : *l == 'y' ? q.y : q.z;
            end += sprintf(end, ",%.4f", (double)v);
        }
        end += sprintf(end, ",%.3f,%.3f,%.3f\n", 0.2 + 0.001 * i, 0.3, 0.1);
    }
}

/* Four columns of length one are a quaternion, in the order of their names; what counts the rows is no time where there is
 * one; positions of 0.37 m are no field of 0.37 G. A table's gravity beside a spare column is no quaternion. */
START_TEST(four_of_length_one_are_a_quaternion)
{
    static const struct {
        const char *head, *letters, *map;
        int sure;
    } tables[] = {
        {"Frame,Time (s),X,Y,Z,W,X,Y,Z\n", "xyzw", "t=2[s]; q=W,3,4,5", 1},
        {"n,time,rot.w,rot.x,rot.y,rot.z,px,py,pz\n", "wxyz", "t=time[s]; q=rot.w,rot.x,rot.y,rot.z", 1},
        {"", "wxyz", "t=2[s]; q=3,4,5,6", 0}};
    temporary dir = temporary_make();
    marl_columns_guess guess;
    static char text[40000];
    for (size_t k = 0; k < 3; k++) {
        write_poses(text, tables[k].head, tables[k].letters);
        const char *path = temporary_text(&dir, "a.csv", text);
        ck_assert_int_eq(marl_columns_guess_file(&guess, path, '.', NULL), MARL_OK);
        ck_assert_str_eq(guess.map, tables[k].map);
        ck_assert_int_eq(strstr(guess.remark, "w may stand first") == NULL, tables[k].sure);
    }
    char *end = text;
    for (int i = 0; i < 200; i++) {
        end += sprintf(end, "%.2f,%.3f,%.3f,%.3f,0\n", 0.01 * i, 0.001 * (i % 3), 0.002, 1 + 0.001 * (i % 5));
    }
    ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "b.csv", text), '.', NULL),
                     MARL_OK);
    ck_assert_str_eq(guess.map, "t=1[s]; accel=2,3,4[g]");
    temporary_remove(&dir);
}
END_TEST

/* Times that stand still from row to row, as of batches of five or of whole seconds, give the rate. */
START_TEST(batches_give_the_rate)
{
    temporary dir = temporary_make();
    marl_columns_guess guess;
    static char text[40000];
    char *end = text + sprintf(text, "host_ms,ax,ay,az\n");
    for (int i = 0; i < 500; i++) {
        end += sprintf(end, "%d,0,%.3f,1.0\n", 25 * (i / 5) + i / 5 % 3, 0.001 * (i % 3));
    }
    ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "a.csv", text), '.', NULL),
                     MARL_OK);
    ck_assert_double_eq_tol(guess.rate_hz, 200, 0.2);
    ck_assert_msg(strncmp(guess.map, "t=@", 3) == 0 && strstr(guess.map, "accel=ax,ay,az[g]") != NULL, "%s",
                  guess.map);
    ck_assert_ptr_nonnull(strstr(guess.remark, "stands still from row to row"));
    end = text + sprintf(text, "when,ax,ay,az\n");
    for (int i = 0; i < 500; i++) {
        end += sprintf(end, "12:00:%02d,0,%.3f,1.0\n", i / 50, 0.001 * (i % 3));
    }
    ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "b.csv", text), '.', NULL),
                     MARL_OK);
    ck_assert_double_eq_tol(guess.rate_hz, 50, 1e-9);
    temporary_remove(&dir);
}
END_TEST

/* Any bytes: no crash, an answer or a message. */
START_TEST(any_bytes_are_survived)
{
    temporary dir = temporary_make();
    static const char bytes[] = "0123456789.-+eE,;\t |\"#\n\n\r[](): abxyzt\xef\xbb\xbf";
    char text[400];
    dice d = {3};
    for (int trial = 0; trial < 3000; trial++) {
        size_t n = dice_below(&d, (uint32_t)sizeof text - 1);
        for (size_t i = 0; i < n; i++) {
            text[i] = bytes[dice_below(&d, (uint32_t)sizeof bytes - 1)];
        }
        text[n] = '\0';
        const char *path = temporary_text(&dir, "a.txt", text);
        marl_columns_guess guess;
        marl_column_map map;
        marl_log log;
        if (marl_columns_guess_file(&guess, path, '.', NULL) == MARL_OK &&
            marl_column_map_read(&map, guess.map, NULL) == MARL_OK) {
            const marl_log_options options = {.columns = &map};
            if (marl_log_load(&log, path, &options, NULL) == MARL_OK) {
                marl_log_free(&log);
            }
        }
        marl_status status = marl_column_map_read(&map, text, NULL);
        ck_assert(status == MARL_OK || status == MARL_ERR_USE || status == MARL_ERR_INPUT);
    }
    temporary_remove(&dir);
}
END_TEST

/* Where a reading is from changes nothing of what it is. */
START_TEST(names_with_an_origin)
{
    static const char *const headers[] = {
        "t_ms,IMU_AccX_g,IMU_AccY_g,IMU_AccZ_g,IMU_GyrX_dps,IMU_GyrY_dps,IMU_GyrZ_dps",
        "millis,imu1.accel.x[g],imu1.accel.y[g],imu1.accel.z[g],imu1.gyro.x[dps],imu1.gyro.y[dps],imu1.gyro."
        "z[dps]",
        "time (ms),raw acc x (g),raw acc y (g),raw acc z (g),raw gyro x (deg/s),raw gyro y (deg/s),raw gyro "
        "z (deg/s)",
        "t_ms,pod/imu/accel/x[g],pod/imu/accel/y[g],pod/imu/accel/z[g],state.angular_velocity.x[dps],state."
        "angular_velocity.y[dps],state.angular_velocity.z[dps]",
        "t_ms,acc_x[g],acc_y[g],acc_z[g],angular_velocity_x[dps],angular_velocity_y[dps],angular_velocity_z["
        "dps]",
    };
    temporary dir = temporary_make();
    for (size_t k = 0; k < sizeof headers / sizeof headers[0]; k++) {
        char text[400];
        marl_columns_guess guess;
        snprintf(text, sizeof text, "%s\n0,0,0,1,1,2,3\n10,0,0,1,1,2,3\n20,0,0,1,1,2,3\n", headers[k]);
        ck_assert_int_eq(marl_columns_guess_file(&guess, temporary_text(&dir, "a.csv", text), '.', NULL),
                         MARL_OK);
        for (int i = 0; i < 6; i++) {
            ck_assert_msg(guess.column[1 + i].target == (int)MARL_COLUMN_ACCEL_X + i &&
                              guess.column[1 + i].sure,
                          "%s: %d", headers[k], i);
        }
    }
    temporary_remove(&dir);
}
END_TEST

MARL_SUITE_OF_CASES("columns", cases, each_case, names_with_an_origin, angles_in_any_order,
                    CAMPAIGN(a_guessed_map_reads_the_recording_back), axes_go_by_their_names,
                    four_of_length_one_are_a_quaternion, batches_give_the_rate, what_is_no_table_is_reported,
                    CAMPAIGN(any_bytes_are_survived))
