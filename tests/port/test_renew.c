/* SPDX-License-Identifier: MIT
 * Calibrations that the simulated board makes itself: by messages, by its button, at rest; and what the store keeps of
 * them. */
#include "check_main.h"
#include "port_messages.h"
#include "random_values.h"

static const double gyro_bias[3] = {0.0139, -0.0087, 0.0032}; /* rad/s */
static const double mag_bias[3] = {12, -7, 25};               /* uT */
static const double accel_bias[3] = {0.2, -0.1, 0.3};

/* A board whose sensors are perfect but for their biases. */
static void start(sim_test *t, marl_scene_kind scene)
{
    sim_test_prepare(t, scene, 100);
    memcpy(t->sheet.gyro.bias, gyro_bias, sizeof gyro_bias);
    memcpy(t->sheet.mag.bias, mag_bias, sizeof mag_bias);
    memcpy(t->sheet.accel.bias, accel_bias, sizeof accel_bias);
    t->app.silent = 1;
    sim_test_start(t);
    ck_assert_int_eq(sim_test_run(t, 0.5), MARL_OK);
}

static marl_outcome ask_to_renew(sim_test *t, marl_renewal_kind kind)
{
    return ask(t, (marl_message){.kind = MARL_ITEM_CALIBRATE, .renewal = kind});
}

/* Until the board says that it is over, or for so long. */
static marl_renewal_report wait_for_end(sim_test *t, double seconds)
{
    marl_renewal_report r = {0};
    double until = marl_sim_seconds(t->sim) + seconds;
    while (r.stage != MARL_RENEWAL_DONE && r.stage != MARL_RENEWAL_REFUSED &&
           marl_sim_seconds(t->sim) < until) {
        ck_assert_int_eq(sim_test_run(t, marl_sim_seconds(t->sim) + 0.05), MARL_OK);
        (void)!marl_receiver_renewal(t->receiver, &r);
    }
    return r;
}

static const marl_calibration *used_by(const sim_test *t)
{
    return &marl_sim_app(t->sim)->settings.calibration;
}

static void power_cycle(sim_test *t)
{
    marl_sim_power_on(t->sim);
    ck_assert_int_eq(marl_sim_start(t->sim, &t->app, NULL), MARL_OK);
    ck_assert_int_eq(sim_test_run(t, marl_sim_seconds(t->sim) + 0.2), MARL_OK);
}

static void is_near(marl_vec3 v, const double truth[3], double off)
{
    ck_assert_double_eq_tol((double)v.x, truth[0], off);
    ck_assert_double_eq_tol((double)v.y, truth[1], off);
    ck_assert_double_eq_tol((double)v.z, truth[2], off);
}

START_TEST(a_message_renews_what_is_used_and_commit_keeps_it)
{
    static const struct {
        marl_renewal_kind kind;
        marl_scene_kind scene;
        marl_sensor sensor;
        const double *bias;
        double off; /* of what the counts of the chip resolve */
    } row[] = {{MARL_RENEW_STILL, MARL_SCENE_STILL, MARL_GYRO, gyro_bias, 2e-4},
               {MARL_RENEW_POSES, MARL_SCENE_POSES, MARL_ACCEL, accel_bias, 5e-3},
               {MARL_RENEW_TUMBLE, MARL_SCENE_TUMBLE, MARL_MAG, mag_bias, 0.05}};
    for (size_t i = 0; i < 3; i++) {
        sim_test t;
        start(&t, row[i].scene);
        ck_assert_int_eq(ask_to_renew(&t, row[i].kind), MARL_OUTCOME_DONE);
        marl_renewal_report r = wait_for_end(&t, 150);
        ck_assert_int_eq(r.stage, MARL_RENEWAL_DONE);
        ck_assert_int_eq(r.kind, row[i].kind);
        const marl_calibration *c = used_by(&t);
        const marl_correction *used = row[i].sensor == MARL_GYRO    ? &c->gyro
                                      : row[i].sensor == MARL_ACCEL ? &c->accel
                                                                    : &c->mag;
        is_near(used->bias, row[i].bias, row[i].off);
        is_near(r.found.correction.bias, row[i].bias, row[i].off);
        ck_assert_float_eq(used->bias.x, r.found.correction.bias.x);
        const marl_correction kept = *used;
        power_cycle(&t); /* it was not committed */
        ck_assert(!used_by(&t)->gyro.present && !used_by(&t)->accel.present && !used_by(&t)->mag.present);
        ck_assert_int_eq(ask_to_renew(&t, row[i].kind), MARL_OUTCOME_DONE);
        ck_assert_int_eq(wait_for_end(&t, 150).stage, MARL_RENEWAL_DONE);
        ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
        power_cycle(&t);
        ck_assert_double_eq_tol((double)used->bias.y, (double)kept.bias.y, row[i].off);
        ck_assert_int_eq(used->present, 1);
        sim_test_end(&t);
    }
}
END_TEST

START_TEST(undo_goes_back_to_what_was_kept_before)
{
    sim_test t;
    start(&t, MARL_SCENE_STILL);
    marl_calibration_record first = calibration_for("pod-07"), second = first;
    second.fit[MARL_GYRO].bias[0] = 0.5;
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO),
                     MARL_OUTCOME_OUT_OF_RANGE); /* there is nothing to go back to */
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &first}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO),
                     MARL_OUTCOME_DONE); /* what was not kept goes, on a new board, too */
    ck_assert(!used_by(&t)->gyro.present);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &first}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_DONE); /* and the first that was kept */
    ck_assert(!used_by(&t)->gyro.present);
    power_cycle(&t);
    ck_assert(!used_by(&t)->gyro.present);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_DONE); /* an undo can be undone */
    ck_assert_float_eq(used_by(&t)->gyro.bias.x, 0.0139f);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &second}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_DONE); /* what was not kept goes */
    ck_assert_float_eq(used_by(&t)->gyro.bias.x, 0.0139f);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &second}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    ck_assert_float_eq(used_by(&t)->gyro.bias.x, 0.5f);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_DONE); /* what was kept last, too */
    ck_assert_float_eq(used_by(&t)->gyro.bias.x, 0.0139f);
    power_cycle(&t);
    ck_assert_float_eq(used_by(&t)->gyro.bias.x, 0.0139f);
    sim_test_end(&t);
}
END_TEST

/* Offsets that the registers of the chip take away go back with the calibration. */
START_TEST(undo_gives_back_what_the_registers_took)
{
    sim_test t;
    start(&t, MARL_SCENE_STILL);
    marl_calibration_record c = calibration_for("pod-07");
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_DONE);
    ck_assert_int_ne(marl_sim_app(t.sim)->settings.takes, 0);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_DONE);
    ck_assert_int_eq(marl_sim_app(t.sim)->settings.takes, 0);
    /* readings are as at first: what is found is the whole bias again, not the rest that the registers left */
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_STILL), MARL_OUTCOME_DONE);
    marl_renewal_report r = wait_for_end(&t, 20);
    ck_assert_int_eq(r.stage, MARL_RENEWAL_DONE);
    is_near(r.found.correction.bias, gyro_bias, 4e-4);
    sim_test_end(&t);
}
END_TEST

START_TEST(one_calibration_at_a_time)
{
    sim_test t;
    start(&t, MARL_SCENE_TUMBLE);
    marl_calibration_record c = calibration_for("pod-07");
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_TUMBLE), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_STILL), MARL_OUTCOME_BUSY);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                     MARL_OUTCOME_BUSY);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_OFFSETS), MARL_OUTCOME_BUSY);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_UNDO), MARL_OUTCOME_BUSY);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_NOTHING), MARL_OUTCOME_DONE);
    marl_renewal_report r = wait_for_end(&t, 1);
    ck_assert_int_eq(r.stage, MARL_RENEWAL_REFUSED);
    ck_assert_int_eq(r.reason, MARL_RENEWAL_STOPPED);
    ck_assert(!used_by(&t)->mag.present);
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_TUMBLE), MARL_OUTCOME_DONE);
    ck_assert_int_eq(wait_for_end(&t, 150).stage, MARL_RENEWAL_DONE);
    sim_test_end(&t);
}
END_TEST

START_TEST(what_makes_no_sense_is_refused)
{
    sim_test t;
    start(&t, MARL_SCENE_STILL);
    marl_renewal_options o = marl_renewal_default(MARL_RENEW_POSES);
    o.length = 3;
    ck_assert_int_eq(
        ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATE, .renewal = MARL_RENEW_POSES, .options = &o}),
        MARL_OUTCOME_OUT_OF_RANGE);
    o = marl_renewal_default(MARL_RENEW_TUMBLE);
    o.patience_s = 20;
    ck_assert_int_eq(
        ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATE, .renewal = MARL_RENEW_TUMBLE, .options = &o}),
        MARL_OUTCOME_DONE);
    marl_renewal_report r = wait_for_end(&t, 30); /* it lies still: no tumble */
    ck_assert_int_eq(r.stage, MARL_RENEWAL_REFUSED);
    ck_assert_int_ne(r.reason, MARL_RENEWAL_NO_REASON);
    ck_assert(!used_by(&t)->mag.present);
    ck_assert_int_eq(marl_sim_app(t.sim)->changed, 0);
    sim_test_end(&t);
}
END_TEST

/* No desk: the lamp shows the way, and what was found survives the power. */
START_TEST(the_button_does_it_without_a_desk)
{
    sim_test t;
    int seen[8] = {0};
    start(&t, MARL_SCENE_TUMBLE);
    marl_sim_press(t.sim, MARL_RENEW_TUMBLE);
    for (int i = 0; i < 3000 && !seen[MARL_RENEWAL_DONE]; i++) {
        ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 0.02), MARL_OK);
        seen[marl_sim_lamp(t.sim)] = 1;
    }
    ck_assert(seen[MARL_RENEWAL_MOVE_ON] && seen[MARL_RENEWAL_WAIT] && seen[MARL_RENEWAL_DONE]);
    power_cycle(&t);
    is_near(used_by(&t)->mag.bias, mag_bias, 0.05);
    sim_test_end(&t);
}
END_TEST

static marl_status worn_out(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)at;
    (void)bytes;
    (void)n;
    return MARL_ERR_STORE;
}

/* A memory that is worn out: the lamp does not show that it is done, and what is in use is what will be there after the next
 * boot. */
START_TEST(what_the_memory_does_not_keep_is_not_used)
{
    sim_test t;
    start(&t, MARL_SCENE_STILL);
    marl_calibration_record c = calibration_for("pod-07");
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_DONE);
    const marl_calibration before = *used_by(&t);
    ((marl_port *)marl_sim_port(t.sim))->nv_write = worn_out;
    marl_sim_press(t.sim, MARL_RENEW_STILL);
    ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 13), MARL_OK);
    ck_assert_int_eq(marl_sim_lamp(t.sim), MARL_RENEWAL_REFUSED);
    marl_renewal_report r;
    ck_assert_int_eq(marl_receiver_renewal(t.receiver, &r), MARL_OK);
    ck_assert_int_eq(r.reason, MARL_RENEWAL_STORE);
    ck_assert(memcmp(&before.gyro, &used_by(&t)->gyro, sizeof before.gyro) == 0);
    /* by a message it is used, and the commit says that it is not kept */
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_STILL), MARL_OUTCOME_DONE);
    ck_assert_int_eq(wait_for_end(&t, 20).stage, MARL_RENEWAL_DONE);
    ck_assert_int_eq(ask_for(&t, MARL_ITEM_COMMIT), MARL_OUTCOME_STORE_FAILED);
    power_cycle(&t);
    ck_assert(memcmp(&before.gyro, &used_by(&t)->gyro, sizeof before.gyro) == 0);
    sim_test_end(&t);
}
END_TEST

START_TEST(at_each_rest_the_bias_of_the_gyroscope_is_renewed)
{
    static marl_app_renewal renewal;
    sim_test t;
    sim_test_prepare(&t, MARL_SCENE_STILL, 100);
    memcpy(t.sheet.gyro.bias, gyro_bias, sizeof gyro_bias);
    marl_app_renewal_init(&renewal, MARL_APP_RENEWS_BIAS);
    t.app.renewal = &renewal;
    sim_test_start(&t);
    ck_assert_int_eq(sim_test_run(&t, 13), MARL_OK);
    is_near(used_by(&t)->gyro.bias, gyro_bias, 2e-4);
    ck_assert_int_eq(marl_sim_app(t.sim)->changed, 1); /* in use, not in the store */
    const marl_vec3 first = used_by(&t)->gyro.bias;
    /* a stored bias that is out of date is replaced; one that agrees stays */
    ck_assert_int_eq(sim_test_run(&t, 26), MARL_OK);
    is_near(first, gyro_bias, 2e-4);
    marl_calibration_record wrong = calibration_for("pod-07");
    wrong.fit[MARL_GYRO].bias[2] = 0.05;
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &wrong}),
                     MARL_OUTCOME_DONE);
    ck_assert_float_eq(used_by(&t)->gyro.bias.z, 0.05f);
    ck_assert_int_eq(sim_test_run(&t, 52), MARL_OK);
    is_near(used_by(&t)->gyro.bias, gyro_bias, 2e-4);
    /* a calibration that comes in the middle of a rest keeps its matrix */
    ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 5), MARL_OK);
    wrong.fit[MARL_GYRO].matrix[0][1] = 0.01;
    ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &wrong}),
                     MARL_OUTCOME_DONE);
    ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 15), MARL_OK);
    is_near(used_by(&t)->gyro.bias, gyro_bias, 2e-4);
    ck_assert_float_eq(used_by(&t)->gyro.matrix.m[0][1], 0.01f);
    /* asked for, it comes first */
    ck_assert_int_eq(ask_to_renew(&t, MARL_RENEW_STILL), MARL_OUTCOME_DONE);
    ck_assert_int_eq(wait_for_end(&t, 15).stage, MARL_RENEWAL_DONE);
    sim_test_end(&t);
}
END_TEST

/* A calibration that is wrong by as much as a new battery makes it is found out while the board is carried about; a right
 * one is not, nor one that is only as wrong as calibrations are. */
START_TEST(a_hard_iron_that_has_changed_is_reported)
{
    static const struct {
        marl_scene_kind scene;
        double off;
        int wanted;
    } row[] = {{MARL_SCENE_HANDLE, 6, 1}, {MARL_SCENE_CARRY, 6, 1}, {MARL_SCENE_TUMBLE, 4, 1},
               {MARL_SCENE_HANDLE, 0, 0}, {MARL_SCENE_CARRY, 0, 0}, {MARL_SCENE_TUMBLE, 0.5, 0}};
    for (size_t i = 0; i < sizeof row / sizeof row[0]; i++) {
        sim_test t;
        marl_renewal_report r = {0};
        int reports = 0;
        start(&t, row[i].scene);
        marl_calibration_record c = marl_calibration_record_empty();
        c.fit[MARL_MAG].present = 1;
        memcpy(c.fit[MARL_MAG].bias, mag_bias, sizeof mag_bias);
        c.fit[MARL_MAG].bias[0] += row[i].off;
        ck_assert_int_eq(ask(&t, (marl_message){.kind = MARL_ITEM_CALIBRATION, .calibration = &c}),
                         MARL_OUTCOME_DONE);
        for (int k = 0; k < 600; k++) {
            ck_assert_int_eq(sim_test_run(&t, marl_sim_seconds(t.sim) + 1), MARL_OK);
            reports += marl_receiver_renewal(t.receiver, &r) == MARL_OK;
        }
        ck_assert_msg(reports == row[i].wanted, "%s, off by %g: %d reports", marl_scene_name(row[i].scene),
                      row[i].off, reports);
        if (reports > 0) {
            ck_assert_int_eq(r.stage, MARL_RENEWAL_AGAIN);
            ck_assert_float_le(fabsf(r.found.change.x + (float)row[i].off), 4 * r.found.bias_sigma.x + 1.5f);
        }
        sim_test_end(&t);
    }
}
END_TEST

/* The power goes at any erase or write, or at any moment of a calibration, `times` times: afterwards the board has the
 * correction before or the new one, whole, and goes on. */
static void cut_power(sim_test *t, marl_renewal_kind kind, double seconds, const double truth[3], double off,
                      int times)
{
    dice d = {11};
    int kept = 0, cut = 0;
    for (int i = 0; i < times; i++) {
        const marl_calibration before = *used_by(t);
        const marl_correction *old = kind == MARL_RENEW_STILL ? &before.gyro : &before.mag;
        const marl_correction *now = kind == MARL_RENEW_STILL ? &used_by(t)->gyro : &used_by(t)->mag;
        ck_assert_int_eq(sim_test_run(t, marl_sim_seconds(t->sim) + dice_between(&d, 0, 2)), MARL_OK);
        double wait = dice_below(&d, 4) == 0 ? dice_between(&d, 0, seconds) : seconds;
        double until = marl_sim_seconds(t->sim) + wait;
        unsigned long starts = marl_sim_counted(t->sim)->starts;
        marl_sim_cut_flash(t->sim, 1 + dice_below(&d, 100));
        marl_sim_press(t->sim, kind);
        while (marl_sim_seconds(t->sim) < until && marl_sim_counted(t->sim)->starts == starts) {
            ck_assert_int_eq(sim_test_run(t, marl_sim_seconds(t->sim) + 0.5), MARL_OK);
        }
        cut += marl_sim_counted(t->sim)->starts != starts;
        marl_sim_cut_flash(t->sim, 0);
        power_cycle(t);
        int is_old = memcmp(now, old, sizeof *now) == 0;
        ck_assert(is_old || now->present);
        if (!is_old) {
            is_near(now->bias, truth, off);
        }
        kept += !is_old;
    }
    ck_assert_int_gt(cut, times / 20);
    ck_assert_int_gt(kept, times / 20);
}

static void start_with_noise(sim_test *t, marl_scene_kind scene)
{
    sim_test_prepare(t, scene, 25);
    memcpy(t->sheet.gyro.bias, gyro_bias, sizeof gyro_bias);
    memcpy(t->sheet.mag.bias, mag_bias, sizeof mag_bias);
    t->sheet.gyro.white = 1e-4; /* so that no two results are the same */
    t->sheet.mag.white = 0.02;
    t->app.silent = 1;
    sim_test_start(t);
}

START_TEST(a_thousand_power_cuts_leave_the_old_or_the_new)
{
    sim_test t;
    start_with_noise(&t, MARL_SCENE_STILL);
    cut_power(&t, MARL_RENEW_STILL, 13, gyro_bias, 1e-3, 1000);
    sim_test_end(&t);
}
END_TEST

#ifdef __SANITIZE_ADDRESS__
enum { TUMBLES = 40 }; /* seven times as slow */
#else
enum { TUMBLES = 1000 };
#endif

/* Boot, restore, be tumbled, fit, keep, lose the power at any of it, boot again. */
START_TEST(power_cuts_of_a_tumbled_board_leave_the_old_or_the_new)
{
    sim_test t;
    start_with_noise(&t, MARL_SCENE_TUMBLE);
    cut_power(&t, MARL_RENEW_TUMBLE, 60, mag_bias, 0.5, TUMBLES);
    sim_test_end(&t);
}
END_TEST

MARL_SUITE("renew", a_message_renews_what_is_used_and_commit_keeps_it, undo_goes_back_to_what_was_kept_before,
           undo_gives_back_what_the_registers_took, one_calibration_at_a_time, what_makes_no_sense_is_refused,
           the_button_does_it_without_a_desk, what_the_memory_does_not_keep_is_not_used,
           at_each_rest_the_bias_of_the_gyroscope_is_renewed, a_hard_iron_that_has_changed_is_reported,
           a_thousand_power_cuts_leave_the_old_or_the_new,
           power_cuts_of_a_tumbled_board_leave_the_old_or_the_new)
