/* SPDX-License-Identifier: MIT
 * The table of units. */
#include "lab/log/units.h"
#include "marlinspike/error.h"
#include "marlinspike/log.h"
#include "marlinspike/quat.h"
#include <stddef.h>
#include <string.h>

/* The first unit of a quantity is the one inside and in written logs. */
static const lab_unit units[] = {
    {LAB_TIME, "s", 1e9, 0, 9},
    {LAB_TIME, "ms", 1e6, 0, 6},
    {LAB_TIME, "us", 1e3, 0, 3},
    {LAB_TIME, "ns", 1, 0, 0},
    {LAB_TIME, "date", 0, 0, 0}, /* no number: a date and time by ISO 8601, or a time of day */
    {LAB_ACCEL, "m/s^2", 1, 0, 0},
    {LAB_ACCEL, "g", MARL_STANDARD_GRAVITY, 0, 0},
    {LAB_ACCEL, "mg", MARL_STANDARD_GRAVITY / 1000, 0, 0},
    {LAB_GYRO, "rad/s", 1, 0, 0},
    {LAB_GYRO, "deg/s", MARL_DEGREE, 0, 0},
    {LAB_GYRO, "mdeg/s", MARL_DEGREE / 1000, 0, 0},
    {LAB_MAG, "uT", 1, 0, 0},
    {LAB_MAG, "nT", 1e-3, 0, 0},
    {LAB_MAG, "mT", 1e3, 0, 0},
    {LAB_MAG, "T", 1e6, 0, 0},
    {LAB_MAG, "G", 100, 0, 0},
    {LAB_MAG, "mG", 0.1, 0, 0},
    {LAB_TEMP, "degC", 1, 0, 0},
    {LAB_TEMP, "K", 1, -273.15, 0},
    {LAB_TEMP, "degF", 5.0 / 9.0, -160.0 / 9.0, 0},
    {LAB_SPEED, "m/s", 1, 0, 0},
    {LAB_SPEED, "km/h", 1 / 3.6, 0, 0},
    {LAB_SPEED, "kn", 1852.0 / 3600, 0, 0},
    {LAB_SPEED, "mph", 0.44704, 0, 0},
    {LAB_ANGLE, "deg", 1, 0, 0},
    {LAB_ANGLE, "rad", 1 / MARL_DEGREE, 0, 0},
    {LAB_PURE, "1", 1, 0, 0},
};
#define COUNT (sizeof units / sizeof units[0])

const lab_unit *lab_unit_find(lab_quantity quantity, const char *name)
{
    for (size_t i = 0; i < COUNT; i++) {
        if (units[i].quantity == quantity && strcmp(units[i].name, name) == 0) {
            return &units[i];
        }
    }
    return NULL;
}

const lab_unit *lab_unit_si(lab_quantity quantity)
{
    const lab_unit *unit = units;
    while (unit->quantity != quantity) {
        unit++;
    }
    return unit;
}

void lab_unit_list(lab_quantity quantity, char *text, size_t size)
{
    text[0] = '\0';
    for (size_t i = 0; i < COUNT; i++) {
        if (units[i].quantity == quantity) {
            marl_list_append(text, size, units[i].name);
        }
    }
}
