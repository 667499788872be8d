/* SPDX-License-Identifier: MIT
 * What a report page needs to compute a study anew. */
#include "cli/common/study_compute.h"
#include "marlinspike/trace.h"
#include <nettle/base64.h>
#include <stdio.h>
#include <stdlib.h>
#include <zlib.h>

enum { MAX_ROWS = 150000 }; /* of one log in a page: 12 minutes at 200 Hz, about 8 MB */
enum { MAX_WORD = 4200 };

/* Compressed (RFC 1950) and as base64; NULL without memory. */
static json_t *text_json(const marl_packed *packed)
{
    uLongf n = compressBound(packed->n);
    uint8_t *small = malloc(n);
    char *text = malloc(BASE64_ENCODE_RAW_LENGTH(n) + 1);
    json_t *value = NULL;
    if (small != NULL && text != NULL &&
        compress2(small, &n, packed->bytes, packed->n, Z_BEST_SPEED) == Z_OK) {
        base64_encode_raw(text, n, small);
        value = json_stringn(text, BASE64_ENCODE_RAW_LENGTH(n));
    }
    free(small);
    free(text);
    return value;
}

static void append_numbers(json_t *list, const float *value, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        json_array_append_new(list, cli_number((double)value[i]));
    }
}

static void append_correction(json_t *list, const marl_correction *c)
{
    const float flags[2] = {c->present ? 1.0f : 0.0f, c->has_curve ? 1.0f : 0.0f};
    append_numbers(list, &flags[0], 1);
    append_numbers(list, &c->matrix.m[0][0], 9);
    append_numbers(list, &c->bias.x, 3);
    append_numbers(list, &flags[1], 1);
    append_numbers(list, &c->curve.reference_degC, 1);
    append_numbers(list, &c->curve.low_degC, 1);
    append_numbers(list, &c->curve.high_degC, 1);
    append_numbers(list, &c->curve.per_degC.x, 3);
    append_numbers(list, &c->curve.per_degC2.x, 3);
}

/* In the order in which the module takes it. */
static json_t *calibration_json(const marl_calibration *c)
{
    const float mount[5] = {c->has_mount ? 1.0f : 0.0f, c->mount.w, c->mount.x, c->mount.y, c->mount.z};
    json_t *list = json_array();
    append_correction(list, &c->accel);
    append_correction(list, &c->gyro);
    append_correction(list, &c->mag);
    append_numbers(list, mount, 5);
    return list;
}

static json_t *quat_json(const marl_quat *q)
{
    const float part[4] = {q->w, q->x, q->y, q->z};
    json_t *list = json_array();
    append_numbers(list, part, 4);
    return list;
}

/* null: from vectors. */
static json_t *start_json(const marl_study *study)
{
    switch (study->options.start) {
    case MARL_START_REFERENCE:
        return cli_text("reference");
    case MARL_START_GIVEN:
        return quat_json(&study->options.start_q);
    default:
        return json_null();
    }
}

static void add_degradation(json_t *root, const marl_degradation *d)
{
    json_object_set_new(root, "every", json_integer(d->every > 1 ? d->every : 0));
    json_object_set_new(root, "drop", json_real(d->drop));
    json_object_set_new(root, "jitter_s", json_real(d->jitter_s));
    json_object_set_new(root, "seed", json_integer((json_int_t)d->seed));
    json_object_set_new(root, "gap",
                        d->gap.to_ns > d->gap.from_ns
                            ? json_pack("[f,f]", 1e-9 * (double)d->gap.from_ns, 1e-9 * (double)d->gap.to_ns)
                            : json_null());
}

json_t *cli_compute_case(const marl_study *study, const marl_study_case *it)
{
    marl_packed packed;
    const marl_calibration calibration = study->options.record != NULL
                                             ? marl_calibration_for_device(study->options.record)
                                             : marl_calibration_none();
    if (it->log.n > MAX_ROWS) {
        return json_null();
    }
    int whole = marl_packed_write(&packed, &it->log, &it->reference, &it->conditions) == MARL_OK;
    json_t *root = json_object(), *text = whole ? text_json(&packed) : NULL;
    free(packed.bytes);
    if (text == NULL) {
        json_decref(root);
        return NULL;
    }
    json_object_set_new(root, "packed", text);
    json_object_set_new(root, "rows", json_integer((json_int_t)it->log.n));
    json_object_set_new(root, "sensors", json_integer(marl_replay_sensors(&it->log.info)));
    json_object_set_new(root, "corrected", json_integer(marl_replay_corrected(&it->log.info)));
    json_object_set_new(root, "calibration", calibration_json(&calibration));
    json_object_set_new(root, "start", start_json(study));
    json_object_set_new(root, "reference_start", it->has_start ? quat_json(&it->start) : json_null());
    add_degradation(root, &study->options.degradation);
    return root;
}

json_t *cli_compute_slot(const marl_study *study, const marl_run *run)
{
    const marl_tuning *t = &run->tuning->tuning;
    char digest[16];
    json_t *root = json_object(), *values = json_array();
    append_numbers(values, t->value, MARL_PARAMETER_COUNT);
    snprintf(digest, sizeof digest, "%08x", (unsigned)run->digest);
    size_t at = (size_t)(run - study->runs);
    json_object_set_new(root, "id", json_integer((json_int_t)(at / study->case_n)));
    json_object_set_new(root, "run", json_integer((json_int_t)at));
    json_object_set_new(root, "filter", json_integer(run->tuning->recorded ? -1 : (json_int_t)t->filter));
    json_object_set_new(root, "values", values);
    json_object_set_new(root, "rate_hz", json_real(run->rate_hz));
    json_object_set_new(root, "digest", cli_text(digest));
    return root;
}

static json_t *ranges_json(marl_filter filter)
{
    json_t *list = json_array();
    for (int i = 0; i < MARL_PARAMETER_COUNT; i++) {
        marl_range range;
        if ((marl_parameter_row((marl_parameter_id)i)->filters >> filter) & 1u) {
            int first = marl_range_usual(filter, (marl_parameter_id)i, &range);
            json_array_append_new(list,
                                  json_pack("{s:i,s:f,s:f,s:b,s:b}", "id", i, "low", range.low, "high",
                                            range.high, "logarithmic", range.logarithmic, "first", first));
        }
    }
    return list;
}

json_t *cli_compute_filters(const marl_sheet *sheet)
{
    json_t *list = json_array();
    for (int f = 0; f < MARL_FILTER_COUNT; f++) {
        json_t *one = json_object(), *values = sheet != NULL ? json_array() : json_null();
        if (sheet != NULL) {
            const marl_tuning by_sheet = marl_tuning_for_sheet((marl_filter)f, sheet);
            append_numbers(values, by_sheet.value, MARL_PARAMETER_COUNT);
        }
        json_object_set_new(one, "name", cli_text(marl_filter_name((marl_filter)f)));
        json_object_set_new(one, "sheet", values);
        json_object_set_new(one, "ranges", ranges_json((marl_filter)f));
        json_array_append_new(list, one);
    }
    return list;
}

static void add_word(json_t *list, const char *word)
{
    json_array_append_new(list, cli_text(word));
}

json_t *cli_compute_command(const marl_study *study)
{
    static const char *const matches[] = {"none", "start", "heading", "world", "world+body"};
    const marl_study_options *o = &study->options;
    json_t *list = json_array();
    char word[MAX_WORD];
    int compares = study->cases[0].reference_path != NULL;
    add_word(list, "marlinspike");
    add_word(list, compares ? "compare" : "replay");
    for (size_t i = 0; i < study->case_n; i++) {
        const char *log = study->cases[i].log_path, *reference = study->cases[i].reference_path;
        snprintf(word, sizeof word, "%.2000s%s%.2000s", log, compares ? "=" : "", compares ? reference : "");
        if (compares) {
            add_word(list, "--case");
        }
        add_word(list, word);
    }
    if (o->record_path != NULL) {
        add_word(list, "--calibration");
        add_word(list, o->record_path);
    }
    if (o->match != MARL_MATCH_NONE) {
        add_word(list, "--match");
        add_word(list, matches[o->match]);
    }
    if (o->find_offset) {
        add_word(list, "--time-offset");
        add_word(list, "auto");
    }
    return list;
}
