/* SPDX-License-Identifier: MIT
 * Classes of motion with their truth in memory. */
#include "accuracy_scenes.h"
#include "lab/maths/random.h"
#include "lab/maths/statistics.h"
#include "lab/simulate/simulator.h"
#include "sensor_faults.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define SETTLED_NS INT64_C(5000000000)
#define FASTEST_WARMING_S 30.0
#define FIELD 48.7 /* uT, of the simulator */
#define RATE_HZ 200.0
#define MAG_RATE_HZ 25.0
#define COUNT_EVERY 4 /* one attitude in so many is held against the truth */

const accuracy_class accuracy_classes[ACCURACY_CLASSES] = {
    {"lift", MARL_SCENE_LIFT, 0, 120, 0},
    {"shake", MARL_SCENE_SHAKE, 0, 60, 0},
    {"slew", MARL_SCENE_SLEW, 0, 100, 0},
    {"steel", MARL_SCENE_STEEL, 0, 90, 0},
    {"upside", MARL_SCENE_UPSIDE, 0, 60, 0},
    {"tumble", MARL_SCENE_TUMBLE, 0, 120, 0},
    {"handle", MARL_SCENE_HANDLE, 0, 120, 0},
    {"carry", MARL_SCENE_CARRY, 0, 120, 0},
    {"drive", MARL_SCENE_DRIVE, 0, 150, 0},
    {"drive, speed known", MARL_SCENE_DRIVE, 0, 150, 1},
    {"swing", MARL_SCENE_SWING, 0, 90, 0},
    {"spin", MARL_SCENE_SPIN, 0, 120, 0},
    {"day", MARL_SCENE_DAY, 0, 600, 0},
    {"handle from 30 s", MARL_SCENE_HANDLE, 30, 90, 0},
    {"shake from 20 s", MARL_SCENE_SHAKE, 20, 40, 0},
    {"lift from 35 s", MARL_SCENE_LIFT, 35, 85, 0},
};

const accuracy_class accuracy_untuned[ACCURACY_UNTUNED] = {
    {"turns", MARL_SCENE_TURNS, 0, 120, 0},           {"poses", MARL_SCENE_POSES, 0, 120, 0},
    {"swing from 30 s", MARL_SCENE_SWING, 30, 90, 0}, {"carry from 60 s", MARL_SCENE_CARRY, 60, 120, 0},
    {"spin from 40 s", MARL_SCENE_SPIN, 40, 120, 0},
};

const accuracy_class accuracy_harder[ACCURACY_HARDER] = {
    {"road", MARL_SCENE_ROAD, 0, 300, 0},
    {"road, speed known", MARL_SCENE_ROAD, 0, 300, 1},
    {"road from 60 s", MARL_SCENE_ROAD, 60, 120, 0},
    {"whirl", MARL_SCENE_WHIRL, 0, 120, 0},
    {"whirl from 30 s", MARL_SCENE_WHIRL, 30, 90, 0},
};

const accuracy_class *accuracy_class_of(int c)
{
    int untuned = c - ACCURACY_CLASSES, harder = untuned - ACCURACY_UNTUNED;
    return untuned < 0  ? &accuracy_classes[c]
           : harder < 0 ? &accuracy_untuned[untuned]
                        : &accuracy_harder[harder];
}

static void draw_errors(marl_sensor_sheet *sensor, double scale, lab_random *random)
{
    for (int i = 0; i < 3; i++) {
        sensor->bias[i] = 0;
        sensor->scale_error[i] = scale * lab_random_normal(random);
        for (int k = 0; k < 3; k++) {
            sensor->cross_axis[i][k] = i == k ? 0 : 0.5 * scale * lab_random_normal(random);
        }
    }
}

marl_sheet accuracy_sheet(uint64_t seed)
{
    marl_sheet sheet = marl_sheet_grommet();
    lab_random random = lab_random_seeded(seed, 77);
    double direction[3], length = 0, size = (0.3 + 0.3 * lab_random_uniform(&random)) * MARL_DEGREE;
    draw_errors(&sheet.accel, 5e-4, &random);
    draw_errors(&sheet.gyro, 7e-4, &random);
    draw_errors(&sheet.mag, 1e-3, &random);
    for (int i = 0; i < 3; i++) {
        direction[i] = lab_random_normal(&random);
        length += direction[i] * direction[i];
        sheet.accel.bias[i] = 0.012 * lab_random_normal(&random);
        sheet.mag.bias[i] = 0.15 * lab_random_normal(&random);
    }
    for (int i = 0; i < 3; i++) {
        sheet.gyro.bias[i] = size * direction[i] / sqrt(length);
    }
    sheet.accel.bias_spread = sheet.gyro.bias_spread = sheet.mag.bias_spread = 0;
    return sheet;
}

accuracy_run accuracy_run_make(const accuracy_class *of, uint64_t seed)
{
    return accuracy_run_make_at(of, seed, RATE_HZ, MAG_RATE_HZ);
}

accuracy_run accuracy_run_make_with(const accuracy_class *of, uint64_t seed, const marl_sheet *sheet)
{
    accuracy_run run = {.seed = seed, .sheet = *sheet};
    marl_simulator simulator;
    run.n = (size_t)(of->seconds * run.sheet.gyro.rate_hz);
    run.sample = malloc(run.n * sizeof *run.sample);
    run.truth = malloc(run.n * sizeof *run.truth);
    if (run.sample == NULL || run.truth == NULL ||
        lab_simulator_init(&simulator, of->kind, &run.sheet, 0, seed) != MARL_OK ||
        marl_simulator_set(&simulator, of->skip_s, of->speed) != MARL_OK) {
        fprintf(stderr, "no memory\n");
        exit(1);
    }
    for (size_t i = 0; i < run.n; i++) {
        marl_simulator_next(&simulator, &run.sample[i], &run.truth[i]);
    }
    return run;
}

accuracy_run accuracy_run_make_at(const accuracy_class *of, uint64_t seed, double rate_hz, double mag_hz)
{
    marl_sheet sheet = accuracy_sheet(seed);
    sheet.accel.rate_hz = sheet.gyro.rate_hz = rate_hz;
    sheet.mag.rate_hz = mag_hz;
    accuracy_run run = accuracy_run_make_with(of, seed, &sheet);
    run.calibrated = 1;
    return run;
}

accuracy_run accuracy_run_make_biased(const accuracy_class *of, uint64_t seed, double factor)
{
    marl_sheet sheet = accuracy_sheet(seed);
    sheet.accel.rate_hz = sheet.gyro.rate_hz = RATE_HZ;
    sheet.mag.rate_hz = MAG_RATE_HZ;
    for (int i = 0; i < 3; i++) {
        sheet.gyro.bias[i] *= factor;
    }
    return accuracy_run_make_with(of, seed, &sheet);
}

static void draw_grade(marl_sensor_sheet *sensor, const accuracy_grade *grade, double bias,
                       lab_random *random)
{
    for (int i = 0; i < 3; i++) {
        sensor->bias[i] = bias > 0 ? bias * lab_random_normal(random) : sensor->bias[i];
        sensor->scale_error[i] = grade->scale * lab_random_normal(random);
        for (int k = 0; k < 3; k++) {
            sensor->cross_axis[i][k] = i == k ? 0 : grade->misalignment * lab_random_normal(random);
        }
    }
}

static void multiply_errors(marl_sensor_sheet *sensor, double times)
{
    for (int i = 0; i < 3 && times > 0; i++) {
        sensor->bias[i] *= times;
        sensor->scale_error[i] *= times;
        for (int k = 0; k < 3; k++) {
            sensor->cross_axis[i][k] *= times;
        }
    }
}

static void spoil_sheet(marl_sheet *sheet, const accuracy_grade *grade, lab_random *random)
{
    const accuracy_grade gyro_alone = {.scale = grade->gyro_scale, .misalignment = 0.5 * grade->gyro_scale};
    marl_sensor_sheet *sensor[] = {&sheet->accel, &sheet->gyro, &sheet->mag};
    if (grade->scale > 0) {
        draw_grade(&sheet->gyro, grade, 0, random);
        draw_grade(&sheet->accel, grade, grade->accel_bias, random);
        draw_grade(&sheet->mag, grade, grade->mag_bias, random);
    } else if (grade->gyro_scale > 0) {
        draw_grade(&sheet->gyro, &gyro_alone, 0, random);
    }
    multiply_errors(&sheet->accel, grade->accel_times);
    multiply_errors(&sheet->mag, grade->mag_times);
    for (int i = 0; i < 3 && grade->noise_times > 0; i++) {
        sensor[i]->white *= grade->noise_times;
    }
    sheet->gyro.white *= grade->gyro_noise_times > 0 ? grade->gyro_noise_times : 1;
}

/* The field becomes one that dips by so much, of the same strength. */
static void dip_field(accuracy_run *run, double dip_deg)
{
    const double was = 61.2 * MARL_DEGREE, is = dip_deg * MARL_DEGREE;
    marl_vec3 change = {0, (float)(FIELD * (cos(is) - cos(was))), (float)(-FIELD * (sin(is) - sin(was)))};
    for (size_t i = 0; i < run->n; i++) {
        marl_vec3 more = marl_quat_rotate_back(run->truth[i], change);
        run->sample[i].mag.x += more.x;
        run->sample[i].mag.y += more.y;
        run->sample[i].mag.z += more.z;
    }
}

/* Twelve waves of random direction, phase and frequency are added to the acceleration. */
static void shake(accuracy_run *run, double rms, lab_random *random)
{
    enum { WAVES = 12 };
    double frequency[WAVES], phase[WAVES], amplitude[WAVES][3];
    for (int w = 0; w < WAVES; w++) {
        frequency[w] = 0.3 * pow(20, lab_random_uniform(random));
        phase[w] = 2 * LAB_PI * lab_random_uniform(random);
        for (int i = 0; i < 3; i++) {
            amplitude[w][i] = lab_random_normal(random) * rms * sqrt(2.0 / (3 * WAVES));
        }
    }
    for (size_t k = 0; k < run->n; k++) {
        double t = 1e-9 * (double)run->sample[k].t_ns, a[3] = {0, 0, 0};
        for (int w = 0; w < WAVES; w++) {
            double wave = sin(2 * LAB_PI * frequency[w] * t + phase[w]);
            for (int i = 0; i < 3; i++) {
                a[i] += amplitude[w][i] * wave;
            }
        }
        marl_vec3 more =
            marl_quat_rotate_back(run->truth[k], (marl_vec3){(float)a[0], (float)a[1], (float)a[2]});
        run->sample[k].accel.x += more.x;
        run->sample[k].accel.y += more.y;
        run->sample[k].accel.z += more.z;
    }
}

/* The gyroscope warms up after the first sample. */
static void warm_up(accuracy_run *run, double sigma, lab_random *random)
{
    double constant_s = FASTEST_WARMING_S * pow(20, lab_random_uniform(random)), end[3];
    for (int i = 0; i < 3; i++) {
        end[i] = sigma * MARL_DEGREE * lab_random_normal(random);
    }
    for (size_t k = 0; k < run->n; k++) {
        double share = 1 - exp(-1e-9 * (double)(run->sample[k].t_ns - run->sample[0].t_ns) / constant_s);
        run->sample[k].gyro.x += (float)(share * end[0]);
        run->sample[k].gyro.y += (float)(share * end[1]);
        run->sample[k].gyro.z += (float)(share * end[2]);
    }
}

/* A turned board has another bias then. */
static void read_forces(accuracy_run *run, double sigma, lab_random *random)
{
    double by_force[9];
    for (int i = 0; i < 9; i++) {
        by_force[i] = sigma * MARL_DEGREE / MARL_STANDARD_GRAVITY * lab_random_normal(random);
    }
    for (size_t k = 0; k < run->n; k++) {
        read_force(&run->sample[k], by_force);
    }
}

accuracy_run accuracy_run_make_graded(const accuracy_class *of, uint64_t seed, const accuracy_grade *grade)
{
    marl_sheet sheet = accuracy_sheet(seed);
    lab_random random = lab_random_seeded(seed * 31 + (uint64_t)of->kind, 78);
    double *bias = sheet.gyro.bias, length = sqrt(bias[0] * bias[0] + bias[1] * bias[1] + bias[2] * bias[2]);
    double size = grade->gyro_low + (grade->gyro_high - grade->gyro_low) * lab_random_uniform(&random);
    sheet.accel.rate_hz = sheet.gyro.rate_hz = RATE_HZ;
    sheet.mag.rate_hz = MAG_RATE_HZ;
    for (int i = 0; i < 3 && grade->gyro_high > 0; i++) {
        bias[i] *= size * MARL_DEGREE / length;
    }
    spoil_sheet(&sheet, grade, &random);
    accuracy_run run = accuracy_run_make_with(of, seed, &sheet);
    run.calibrated = grade->declared;
    if (grade->shaken > 0) {
        shake(&run, grade->shaken, &random);
    }
    if (grade->dip_deg > 0) {
        dip_field(&run, grade->dip_deg);
    }
    if (grade->warm_gyro > 0) {
        warm_up(&run, grade->warm_gyro, &random);
    }
    if (grade->by_force > 0) {
        read_forces(&run, grade->by_force, &random);
    }
    return run;
}

void accuracy_run_free(accuracy_run *run)
{
    free(run->sample);
    free(run->truth);
}

void accuracy_run_cut(accuracy_run *run, double gap_s, double every_s)
{
    size_t kept = 0;
    for (size_t i = 0; i < run->n; i++) {
        double t = 1e-9 * (double)run->sample[i].t_ns;
        if (t < every_s || fmod(t, every_s) >= gap_s) {
            run->sample[kept] = run->sample[i];
            run->truth[kept++] = run->truth[i];
        }
    }
    run->n = kept;
}

static int is_counted(const accuracy_run *run, size_t i)
{
    return i % COUNT_EVERY == 0 && run->sample[i].t_ns - run->sample[0].t_ns >= SETTLED_NS;
}

void accuracy_add(accuracy_sum *sum, const accuracy_run *run, size_t i, marl_quat q)
{
    if (!is_counted(run, i)) {
        return;
    }
    marl_error_angles e = marl_error_between(q, run->truth[i]);
    double heading = isfinite(e.heading_deg) ? e.heading_deg : 180;
    sum->total += e.total_deg * e.total_deg;
    sum->tilt += e.tilt_deg * e.tilt_deg;
    sum->heading += heading * heading;
    sum->n++;
}

static void add_stated(accuracy_sum *sum, const accuracy_run *run, size_t i, const marl_estimator *e,
                       marl_quat q)
{
    float tilt, heading;
    if (!is_counted(run, i) || marl_estimator_sigma(e, &tilt, &heading) != MARL_OK) {
        return;
    }
    marl_error_angles error = marl_error_between(q, run->truth[i]);
    double t = error.tilt_deg * MARL_DEGREE / (double)tilt;
    double h = isfinite(error.heading_deg) ? error.heading_deg * MARL_DEGREE / (double)heading : 0;
    sum->tilt_ratio += t * t;
    sum->heading_ratio += h * h;
    sum->stated++;
}

double accuracy_rms(double squares, size_t n)
{
    return n > 0 ? sqrt(squares / (double)n) : NAN;
}

const accuracy_plain accuracy_textbook[MARL_FILTER_COUNT] = {
    [MARL_FILTER_GYRO] = {plain_gyro, 0, 0, 0, 0},
    [MARL_FILTER_VECTORS] = {plain_vectors, 0, 0, 0, 0},
    [MARL_FILTER_COMPLEMENTARY] = {plain_complementary, 5.623f, 0.631f, 0.1f, 1},
    [MARL_FILTER_GRADIENT_DESCENT] = {plain_gradient, 0.1308f, 0.007943f, 0.1f, 2},
    [MARL_FILTER_KALMAN] = {plain_kalman, 0.1122f, 1.585e-5f, 0.1f, 1},
};

/* Is the vector's length that of the undisturbed one? */
static int passes(marl_vec3 v, double length, float gate)
{
    return gate <= 0.0f || fabs((double)marl_vec3_norm(v) - length) < (double)gate;
}

void accuracy_run_plain(const accuracy_plain *plain, const accuracy_run *run, accuracy_sum *sum)
{
    plain_state s = {.gain = plain->gain, .bias_gain = plain->bias_gain};
    marl_vec3 mag = run->sample[0].mag;
    int64_t before = run->sample[0].t_ns;
    s.q = plain_two_vectors(run->sample[0].accel, mag);
    plain_kalman_init(&s, (marl_vec3){0.0f, 0.48175f, -0.87631f}); /* the true field, 61.2 degrees down */
    for (size_t i = 0; i < run->n; i++) {
        const marl_sample *now = &run->sample[i];
        int fresh = (now->fresh & MARL_FRESH_MAG) != 0;
        mag = fresh ? now->mag : mag;
        const marl_vec3 *level = passes(now->accel, 9.80665, plain->accel_gate) ? &now->accel : NULL;
        const marl_vec3 *north =
            (fresh && passes(mag, FIELD, plain->mag_gate)) || plain->step == plain_vectors ? &mag : NULL;
        plain->step(&s, now->gyro, level, north, (float)(now->t_ns - before) * 1e-9f);
        before = now->t_ns;
        accuracy_add(sum, run, i, s.q);
    }
}

void accuracy_run_ours(const marl_tuning *tuning, const accuracy_run *run, accuracy_sum *sum)
{
    marl_pipeline_config config = {
        .tuning = *tuning,
        .calibration = marl_calibration_none(),
        .sensors = MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG,
        .corrected = run->calibrated ? MARL_FRESH_ACCEL | MARL_FRESH_GYRO | MARL_FRESH_MAG : 0};
    marl_pipeline pipeline;
    marl_quat q;
    if (marl_pipeline_init(&pipeline, &config) != MARL_OK) {
        fprintf(stderr, "a parameter is out of its range\n");
        exit(1);
    }
    for (size_t i = 0; i < run->n; i++) {
        if (marl_pipeline_step(&pipeline, &run->sample[i], &q) == MARL_OK) {
            accuracy_add(sum, run, i, q);
            add_stated(sum, run, i, &pipeline.estimator, q);
        }
    }
}

marl_vec3 accuracy_lever(uint64_t seed)
{
    marl_scene scene = marl_scene_make(MARL_SCENE_SLEW, seed);
    marl_motion m = marl_scene_at(&scene, 50);
    marl_quat q = {(float)m.q[0], (float)m.q[1], (float)m.q[2], (float)m.q[3]};
    marl_vec3 from_axis = {(float)m.position[0], (float)m.position[1], (float)m.position[2]};
    return marl_quat_rotate_back(q, from_axis);
}
