/* SPDX-License-Identifier: MIT
 * Faults by name. */
#include "marlinspike/sim.h"
#include <math.h>
#include <stddef.h>
#include <stdlib.h>
#include <string.h>

static const struct {
    const char *name;
    size_t offset;
    double low, high;
    const char *unit;
} names[] = {
    {"late", offsetof(marl_sim_faults, late), 0, 1, ""},
    {"silent", offsetof(marl_sim_faults, silent), 0, 1, ""},
    {"garbage", offsetof(marl_sim_faults, garbage), 0, 1, ""},
    {"drop", offsetof(marl_sim_faults, drop), 0, 1, ""},
    {"stuck", offsetof(marl_sim_faults, stuck_s), 0, 1e6, " s"},
    {"jitter", offsetof(marl_sim_faults, jitter_us), 0, 1e6, " us"},
    {"ppm", offsetof(marl_sim_faults, clock_ppm), -1e5, 1e5, ""},
    {"dip", offsetof(marl_sim_faults, dip_s), 0, 1e6, " s"},
    {"cut", offsetof(marl_sim_faults, cut_s), 0, 1e6, " s"},
    {"wrap", offsetof(marl_sim_faults, wrap_s), 0, 4294, " s"},
    {"lose", offsetof(marl_sim_faults, lose), 0, 1, ""},
    {"noise", offsetof(marl_sim_faults, noise), 0, 1, ""},
    {"unplug", offsetof(marl_sim_faults, unplug_s), 0, 1e6, " s"},
};
enum { NAMES = sizeof names / sizeof names[0] };

marl_sim_faults marl_sim_faults_none(void)
{
    return (marl_sim_faults){.stuck_s = NAN, .dip_s = NAN, .cut_s = NAN, .wrap_s = NAN, .unplug_s = NAN};
}

static marl_status unknown(const char *text, size_t n, marl_error *error)
{
    char known[200] = "";
    for (int i = 0; i < NAMES; i++) {
        marl_list_append(known, sizeof known, names[i].name);
    }
    return marl_fail(error, MARL_ERR_USE, "unknown fault '%.*s'; known: %s", (int)n, text, known);
}

/* One NAME=VALUE of n characters. */
static marl_status parse_one(marl_sim_faults *faults, const char *text, size_t n, marl_error *error)
{
    size_t length = strcspn(text, "=");
    for (int i = 0; i < NAMES && length < n; i++) {
        if (strlen(names[i].name) != length || strncmp(names[i].name, text, length) != 0) {
            continue;
        }
        char *end;
        double value = strtod(text + length + 1, &end);
        if (end != text + n || n == length + 1 || !(value >= names[i].low && value <= names[i].high)) {
            return marl_fail(error, MARL_ERR_USE, "fault '%.*s': %s lies between %g and %g%s", (int)n, text,
                             names[i].name, names[i].low, names[i].high, names[i].unit);
        }
        memcpy((char *)faults + names[i].offset, &value, sizeof value);
        return MARL_OK;
    }
    return unknown(text, length < n ? length : n, error);
}

marl_status marl_sim_faults_parse(marl_sim_faults *faults, const char *text, marl_error *error)
{
    for (;;) {
        size_t n = strcspn(text, ",");
        marl_status status = parse_one(faults, text, n, error);
        if (status != MARL_OK || text[n] == '\0') {
            return status;
        }
        text += n + 1;
    }
}
