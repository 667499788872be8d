/* SPDX-License-Identifier: MIT
 * The names of the tunings in a table: what differs between them. */
#include "marlinspike/compare.h"
#include <stdio.h>
#include <string.h>

/* Where the changes of a name begin, behind its filter or file; its end without any. */
static size_t base_of(const char *name)
{
    return strcspn(name, ":");
}

static int has_same_base(const char *a, const char *b)
{
    size_t n = base_of(a);
    return n == base_of(b) && memcmp(a, b, n) == 0;
}

/* Does the name hold this change, n characters long? */
static int has_change(const char *name, const char *change, size_t n)
{
    for (const char *at = name + base_of(name); *at != '\0'; at += strcspn(at, ",")) {
        at++; /* the colon, or a comma */
        if (strcspn(at, ",") == n && memcmp(at, change, n) == 0) {
            return 1;
        }
    }
    return 0;
}

/* Is the change in all tunings of this base, and are there others? */
static int is_common(const marl_study *study, const char *name, const char *change, size_t n)
{
    int others = 0;
    for (size_t i = 0; i < study->tuning_n; i++) {
        const char *other = study->tunings[i].name;
        if (has_same_base(name, other)) {
            others += other != name;
            if (!has_change(other, change, n)) {
                return 0;
            }
        }
    }
    return others > 0;
}

/* The changes of a name that are common, or those that are not. */
static void list_changes(const marl_study *study, const char *name, int common, char *text, size_t size)
{
    size_t n = 0;
    text[0] = '\0';
    for (const char *at = name + base_of(name); *at != '\0'; at += strcspn(at, ",")) {
        size_t length = strcspn(++at, ",");
        if (is_common(study, name, at, length) == common && n < size) {
            n += (size_t)snprintf(text + n, size - n, "%s%.*s", n > 0 ? "," : "", (int)length, at);
        }
    }
}

/* Have all tunings one base, and each something of its own? Then the base need not be said with each. */
static int differ_by_changes(const marl_study *study)
{
    char changes[sizeof study->tunings[0].name];
    for (size_t i = 0; i < study->tuning_n; i++) {
        list_changes(study, study->tunings[i].name, 0, changes, sizeof changes);
        if (changes[0] == '\0' || !has_same_base(study->tunings[0].name, study->tunings[i].name)) {
            return 0;
        }
    }
    return study->tuning_n > 1;
}

void marl_study_label(const marl_study *study, size_t tuning, char *text, size_t size)
{
    const char *name = study->tunings[tuning].name;
    char changes[sizeof study->tunings[0].name];
    list_changes(study, name, 0, changes, sizeof changes);
    if (differ_by_changes(study)) {
        snprintf(text, size, "%s", changes);
    } else {
        snprintf(text, size, "%.*s%s%s", (int)base_of(name), name, changes[0] ? ":" : "", changes);
    }
}

void marl_study_common(const marl_study *study, char *text, size_t size)
{
    size_t n = 0;
    text[0] = '\0';
    for (size_t i = 0; i < study->tuning_n && n < size; i++) {
        const char *name = study->tunings[i].name;
        char changes[sizeof study->tunings[0].name];
        int seen = 0;
        for (size_t k = 0; k < i; k++) {
            seen |= has_same_base(name, study->tunings[k].name);
        }
        list_changes(study, name, 1, changes, sizeof changes);
        if (!seen && (changes[0] != '\0' || differ_by_changes(study))) {
            n += (size_t)snprintf(text + n, size - n, "%s%.*s%s%s", n > 0 ? "; " : "", (int)base_of(name),
                                  name, changes[0] ? ":" : "", changes);
        }
    }
}
