/* SPDX-License-Identifier: MIT
 * Messages to a simulated board, as the tool sends them. */
#ifndef PORT_MESSAGES_H
#define PORT_MESSAGES_H

#include "marlinspike/files.h"
#include "port_test.h"

static inline void give(sim_test *t, const marl_message *message)
{
    uint8_t bytes[MARL_MESSAGE_MAX];
    size_t n;
    ck_assert_int_eq(marl_message_make(message, bytes, &n, NULL), MARL_OK);
    marl_sim_give(t->sim, bytes, n);
}

/* Sends and returns the outcome; the answer must name the message. */
static inline marl_outcome ask(sim_test *t, marl_message message)
{
    static uint32_t number = 100;
    marl_ack ack;
    message.number = ++number;
    give(t, &message);
    ck_assert_int_eq(sim_test_run(t, marl_sim_seconds(t->sim) + 0.1), MARL_OK);
    ck_assert_int_eq(marl_receiver_ack(t->receiver, &ack), MARL_OK);
    ck_assert_uint_eq(ack.answered, number);
    ck_assert_int_eq(marl_receiver_ack(t->receiver, &ack), MARL_ERR_NOT_READY);
    return ack.outcome;
}

static inline marl_outcome ask_for(sim_test *t, marl_item_kind kind)
{
    return ask(t, (marl_message){.kind = kind});
}

static inline marl_outcome send_tuning(sim_test *t, const marl_tuning *tuning)
{
    return ask(t, (marl_message){.kind = MARL_ITEM_TUNING, .tuning = tuning});
}

static inline marl_calibration_record calibration_for(const char *device)
{
    marl_calibration_record c = marl_calibration_record_empty();
    strcpy(c.device, device);
    c.fit[MARL_GYRO].present = 1;
    c.fit[MARL_GYRO].bias[0] = 0.0139;
    c.fit[MARL_GYRO].bias[1] = -0.0087;
    c.fit[MARL_GYRO].matrix[1][0] = 0.002;
    return c;
}

#endif
