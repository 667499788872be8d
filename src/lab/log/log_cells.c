/* SPDX-License-Identifier: MIT
 * From cells to readings. */
#include "lab/log/log_cells.h"
#include <math.h>

/* Is a group of columns a reading? An empty cell where others are filled is a missing one. */
static int complete_group(const lab_cells *cells, unsigned present, unsigned *missing)
{
    unsigned empty = present & ~cells->good & ~cells->bad;
    if (empty != present) {
        *missing |= empty;
    }
    return present != 0 && (cells->good & present) == present;
}

static uint8_t fresh_flags(const lab_cells *cells, unsigned columns, unsigned *missing)
{
    static const struct {
        unsigned group;
        uint8_t flag;
    } sensors[] = {{MARL_COLUMNS_ACCEL, MARL_FRESH_ACCEL},
                   {MARL_COLUMNS_GYRO, MARL_FRESH_GYRO},
                   {MARL_COLUMNS_MAG, MARL_FRESH_MAG},
                   {MARL_COLUMNS_TEMP, MARL_FRESH_TEMP},
                   {MARL_COLUMNS_SPEED, MARL_FRESH_SPEED}};
    uint8_t fresh = 0;
    for (size_t i = 0; i < sizeof sensors / sizeof sensors[0]; i++) {
        if (complete_group(cells, columns & sensors[i].group, missing)) {
            fresh = (uint8_t)(fresh | sensors[i].flag);
        }
    }
    return fresh;
}

uint8_t lab_cells_all_fresh(unsigned columns)
{
    lab_cells full = {.good = columns};
    unsigned missing = 0;
    return fresh_flags(&full, columns, &missing);
}

static marl_vec3 vector_at(const lab_cells *cells, marl_column x)
{
    return (marl_vec3){(float)cells->value[x], (float)cells->value[x + 1], (float)cells->value[x + 2]};
}

static int quaternion(const double *v, marl_quat *q)
{
    *q = (marl_quat){(float)v[MARL_COLUMN_Q_W], (float)v[MARL_COLUMN_Q_X], (float)v[MARL_COLUMN_Q_Y],
                     (float)v[MARL_COLUMN_Q_Z]};
    return marl_quat_normalize(q) == MARL_OK;
}

/* References of the trade give angles; in double, as trigonometry is free on the desk. */
static marl_quat from_angles(const double *v)
{
    const double half = 0.5 * 0.017453292519943295;
    double cr = cos(v[MARL_COLUMN_ROLL] * half), sr = sin(v[MARL_COLUMN_ROLL] * half);
    double cp = cos(v[MARL_COLUMN_PITCH] * half), sp = sin(v[MARL_COLUMN_PITCH] * half);
    double cy = cos(v[MARL_COLUMN_YAW] * half), sy = sin(v[MARL_COLUMN_YAW] * half);
    return (marl_quat){(float)(cy * cp * cr + sy * sp * sr), (float)(cy * cp * sr - sy * sp * cr),
                       (float)(cy * sp * cr + sy * cp * sr), (float)(sy * cp * cr - cy * sp * sr)};
}

/* Three turns about axes of the body, one after the other. */
static marl_quat from_turns(const double *v, const char turns[4])
{
    const double half = 0.5 * 0.017453292519943295;
    marl_quat q = marl_quat_identity();
    for (int k = 0; k < 3; k++) {
        float cosine = (float)cos(v[MARL_COLUMN_ROLL + k] * half),
              sine = (float)sin(v[MARL_COLUMN_ROLL + k] * half);
        q = marl_quat_product(q, (marl_quat){cosine, turns[k] == 'x' ? sine : 0, turns[k] == 'y' ? sine : 0,
                                             turns[k] == 'z' ? sine : 0});
    }
    return q;
}

/* The attitude of a row, from q where the log has it, else from roll, pitch, yaw. Returns 0 when there is
 * none. */
static int attitude(const lab_cells *cells, unsigned columns, marl_quat *q, unsigned *missing)
{
    if ((columns & MARL_COLUMNS_Q) == MARL_COLUMNS_Q) {
        return complete_group(cells, MARL_COLUMNS_Q, missing) && quaternion(cells->value, q);
    }
    if ((columns & MARL_COLUMNS_RPY) != MARL_COLUMNS_RPY ||
        !complete_group(cells, MARL_COLUMNS_RPY, missing)) {
        return 0;
    }
    *q = cells->turns[0] != '\0' ? from_turns(cells->value, cells->turns) : from_angles(cells->value);
    return 1;
}

static float value_at(const lab_cells *cells, marl_column column)
{
    return cells->good & (1u << column) ? (float)cells->value[column] : -1.0f;
}

unsigned lab_cells_to_row(const lab_cells *cells, unsigned columns, uint8_t all_fresh, marl_log_row *row)
{
    unsigned missing = cells->bad;
    marl_sample *s = &row->sample;
    s->fresh = cells->good == columns ? all_fresh : fresh_flags(cells, columns, &missing);
    s->accel = vector_at(cells, MARL_COLUMN_ACCEL_X);
    s->gyro = vector_at(cells, MARL_COLUMN_GYRO_X);
    s->mag = vector_at(cells, MARL_COLUMN_MAG_X);
    s->temp = (float)cells->value[MARL_COLUMN_TEMP];
    s->speed = (float)cells->value[MARL_COLUMN_SPEED];
    row->has_q = attitude(cells, columns, &row->q, &missing);
    row->weight[0] = value_at(cells, MARL_COLUMN_WEIGHT_ACCEL);
    row->weight[1] = value_at(cells, MARL_COLUMN_WEIGHT_MAG);
    row->sigma_deg[0] = value_at(cells, MARL_COLUMN_SIGMA_TILT);
    row->sigma_deg[1] = value_at(cells, MARL_COLUMN_SIGMA_HEADING);
    return missing;
}

void lab_changes_init(lab_changes *changes, unsigned set)
{
    changes->set = set;
    for (int i = 0; i < MARL_COLUMN_COUNT; i++) {
        changes->last[i] = NAN;
    }
}

void lab_changes_keep(lab_changes *changes, lab_cells *c)
{
    static const unsigned groups[] = {MARL_COLUMNS_ACCEL, MARL_COLUMNS_GYRO,  MARL_COLUMNS_MAG,
                                      MARL_COLUMNS_TEMP,  MARL_COLUMNS_SPEED, MARL_COLUMNS_Q,
                                      MARL_COLUMNS_RPY};
    for (size_t g = 0; changes->set != 0 && g < sizeof groups / sizeof groups[0]; g++) {
        unsigned set = groups[g] & changes->set & c->good;
        int same = set != 0;
        for (int i = 0; i < MARL_COLUMN_COUNT; i++) {
            if (set & (1u << i)) {
                same = same && fabs(c->value[i] - changes->last[i]) <= 0;
                changes->last[i] = c->value[i];
            }
        }
        c->good &= same ? ~set : ~0u;
    }
}
