/* SPDX-License-Identifier: MIT
 * Units of columns and sheets, and their factors to SI. */
#ifndef LAB_UNITS_H
#define LAB_UNITS_H

#include <stddef.h>

typedef enum lab_quantity {
    LAB_TIME, /* to ns: `decimals` is the power of ten */
    LAB_ACCEL,
    LAB_GYRO,
    LAB_MAG,
    LAB_TEMP,
    LAB_SPEED,
    LAB_ANGLE,
    LAB_PURE, /* quaternion components */
    LAB_QUANTITY_COUNT
} lab_quantity;

typedef struct lab_unit {
    lab_quantity quantity;
    const char *name;
    double factor, offset; /* SI = factor * value + offset */
    int decimals;          /* time only */
} lab_unit;

/* NULL when the quantity has no such unit. */
const lab_unit *lab_unit_find(lab_quantity quantity, const char *name);
/* The unit in which logs are written. */
const lab_unit *lab_unit_si(lab_quantity quantity);
/* "m/s^2, g, mg": the units of a quantity, into `text`. */
void lab_unit_list(lab_quantity quantity, char *text, size_t size);

#endif
