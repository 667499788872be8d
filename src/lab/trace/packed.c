/* SPDX-License-Identifier: MIT
 * A log with its reference in few bytes. */
#include "marlinspike/trace.h"
#include <stdlib.h>
#include <string.h>

static const uint8_t head[5] = {'M', 'R', 'L', 'P', 1};
enum { SAME_TEMP = 128, READINGS = 11 };

/* The time of the item before, and its step. */
typedef struct clock_state {
    uint64_t t, step;
} clock_state;

/* The floats of a sample in the order in which they are packed, with their flag. */
static void readings_of(const marl_sample *s, float value[READINGS])
{
    const float all[READINGS] = {s->accel.x, s->accel.y, s->accel.z, s->gyro.x, s->gyro.y, s->gyro.z,
                                 s->mag.x,   s->mag.y,   s->mag.z,   s->temp,   s->speed};
    memcpy(value, all, sizeof all);
}

static uint8_t flag_of(int reading)
{
    static const uint8_t flags[READINGS] = {MARL_FRESH_ACCEL, MARL_FRESH_ACCEL, MARL_FRESH_ACCEL,
                                            MARL_FRESH_GYRO,  MARL_FRESH_GYRO,  MARL_FRESH_GYRO,
                                            MARL_FRESH_MAG,   MARL_FRESH_MAG,   MARL_FRESH_MAG,
                                            MARL_FRESH_TEMP,  MARL_FRESH_SPEED};
    return flags[reading];
}

static uint32_t bits_of(float value)
{
    uint32_t bits;
    memcpy(&bits, &value, sizeof bits);
    return bits;
}

/* ---- writing ---- */

static void put_byte(marl_packed *p, uint8_t byte)
{
    if (p->n == p->capacity && !p->failed) {
        size_t larger = 2 * p->capacity + 4096;
        uint8_t *bytes = realloc(p->bytes, larger);
        p->failed = bytes == NULL;
        p->bytes = p->failed ? p->bytes : bytes;
        p->capacity = p->failed ? p->capacity : larger;
    }
    if (!p->failed) {
        p->bytes[p->n++] = byte;
    }
}

static void put_varint(marl_packed *p, uint64_t value)
{
    for (; value >= 128; value >>= 7) {
        put_byte(p, (uint8_t)(value | 128));
    }
    put_byte(p, (uint8_t)value);
}

static void put_signed(marl_packed *p, uint64_t value)
{
    put_varint(p, (value << 1) ^ (0 - (value >> 63)));
}

static void put_float(marl_packed *p, float value)
{
    uint32_t bits = bits_of(value);
    for (int i = 0; i < 32; i += 8) {
        put_byte(p, (uint8_t)(bits >> i));
    }
}

static void put_time(marl_packed *p, clock_state *clock, int64_t t_ns)
{
    uint64_t step = (uint64_t)t_ns - clock->t;
    put_signed(p, step - clock->step);
    clock->step = clock->t == 0 && clock->step == 0 ? 0 : step;
    clock->t = (uint64_t)t_ns;
}

static void put_row(marl_packed *p, clock_state *clock, const marl_sample *s, float *temp)
{
    int same = (s->fresh & MARL_FRESH_TEMP) && bits_of(s->temp) == bits_of(*temp);
    float value[READINGS];
    readings_of(s, value);
    put_time(p, clock, s->t_ns);
    put_byte(p, (uint8_t)((s->fresh & 31) | (same ? SAME_TEMP : 0)));
    for (int i = 0; i < READINGS; i++) {
        if ((s->fresh & flag_of(i)) && !(same && flag_of(i) == MARL_FRESH_TEMP)) {
            put_float(p, value[i]);
        }
    }
    *temp = s->fresh & MARL_FRESH_TEMP ? s->temp : *temp;
}

static void put_reference(marl_packed *p, const marl_series *reference)
{
    clock_state clock = {0, 0};
    put_varint(p, reference != NULL ? reference->n : 0);
    for (size_t i = 0; reference != NULL && i < reference->n; i++) {
        const marl_attitude *a = &reference->at[i];
        put_time(p, &clock, a->t_ns);
        put_float(p, a->q.w);
        put_float(p, a->q.x);
        put_float(p, a->q.y);
        put_float(p, a->q.z);
    }
}

static void put_spans(marl_packed *p, const marl_spans *spans)
{
    uint64_t before = 0;
    put_varint(p, spans->n);
    for (size_t i = 0; i < spans->n; i++) {
        uint64_t from = (uint64_t)spans->span[i].from_ns, to = (uint64_t)spans->span[i].to_ns;
        put_signed(p, from - before);
        put_varint(p, to - from);
        before = to;
    }
}

marl_status marl_packed_write(marl_packed *packed, const marl_log *log, const marl_series *reference,
                              const marl_conditions *conditions)
{
    static const marl_spans none = {0, NULL};
    clock_state clock = {0, 0};
    float temp = 0.0f;
    *packed = (marl_packed){NULL, 0, 0, 0};
    for (size_t i = 0; i < sizeof head; i++) {
        put_byte(packed, head[i]);
    }
    put_varint(packed, log->n);
    for (size_t i = 0; i < log->n; i++) {
        put_row(packed, &clock, &log->row[i].sample, &temp);
    }
    put_reference(packed, reference);
    for (int i = 0; i < MARL_CONDITION_COUNT; i++) {
        put_spans(packed, conditions != NULL ? &conditions->spans[i] : &none);
    }
    return packed->failed ? MARL_ERR_SYSTEM : MARL_OK;
}

/* ---- reading ---- */

typedef struct reader {
    const uint8_t *at, *end;
    int damaged;
} reader;

static uint8_t get_byte(reader *r)
{
    r->damaged |= r->at == r->end;
    return r->damaged ? 0 : *r->at++;
}

static uint64_t get_varint(reader *r)
{
    uint64_t value = 0;
    for (unsigned shift = 0; shift < 64; shift += 7) {
        uint8_t byte = get_byte(r);
        value |= (uint64_t)(byte & 127) << shift;
        if (byte < 128) {
            return value;
        }
    }
    r->damaged = 1;
    return 0;
}

static uint64_t get_signed(reader *r)
{
    uint64_t value = get_varint(r);
    return (value >> 1) ^ (0 - (value & 1));
}

/* How many items follow, each of at least so many bytes: a damaged number must not ask for memory. */
static size_t get_count(reader *r, size_t bytes)
{
    uint64_t n = get_varint(r);
    r->damaged |= n > (uint64_t)(r->end - r->at) / bytes;
    return r->damaged ? 0 : (size_t)n;
}

static float get_float(reader *r)
{
    uint32_t bits = 0;
    float value;
    for (int i = 0; i < 32; i += 8) {
        bits |= (uint32_t)get_byte(r) << i;
    }
    memcpy(&value, &bits, sizeof value);
    return value;
}

static int64_t get_time(reader *r, clock_state *clock)
{
    uint64_t step = clock->step + get_signed(r);
    clock->step = clock->t == 0 && clock->step == 0 ? 0 : step;
    clock->t += step;
    return (int64_t)clock->t;
}

static marl_sample get_row(reader *r, clock_state *clock, float *temp)
{
    marl_sample s = {.t_ns = get_time(r, clock)};
    uint8_t flags = get_byte(r);
    float value[READINGS] = {0};
    s.fresh = flags & 31;
    for (int i = 0; i < READINGS; i++) {
        if (s.fresh & flag_of(i)) {
            value[i] = (flags & SAME_TEMP) && flag_of(i) == MARL_FRESH_TEMP ? *temp : get_float(r);
        }
    }
    s.accel = (marl_vec3){value[0], value[1], value[2]};
    s.gyro = (marl_vec3){value[3], value[4], value[5]};
    s.mag = (marl_vec3){value[6], value[7], value[8]};
    s.temp = value[9];
    s.speed = value[10];
    *temp = s.fresh & MARL_FRESH_TEMP ? s.temp : *temp;
    return s;
}

static marl_status get_rows(reader *r, marl_log *log)
{
    clock_state clock = {0, 0};
    float temp = 0.0f;
    size_t n = get_count(r, 2);
    log->row = calloc(n + 1, sizeof *log->row);
    for (; log->row != NULL && log->n < n && !r->damaged; log->n++) {
        log->row[log->n].sample = get_row(r, &clock, &temp);
    }
    return log->row != NULL ? MARL_OK : MARL_ERR_SYSTEM;
}

static marl_status get_reference(reader *r, marl_series *reference)
{
    clock_state clock = {0, 0};
    size_t n = get_count(r, 17);
    reference->at = calloc(n + 1, sizeof *reference->at);
    for (; reference->at != NULL && reference->n < n && !r->damaged; reference->n++) {
        marl_attitude *a = &reference->at[reference->n];
        a->t_ns = get_time(r, &clock);
        a->q.w = get_float(r);
        a->q.x = get_float(r);
        a->q.y = get_float(r);
        a->q.z = get_float(r);
    }
    return reference->at != NULL ? MARL_OK : MARL_ERR_SYSTEM;
}

static marl_status get_spans(reader *r, marl_spans *spans)
{
    uint64_t before = 0;
    size_t n = get_count(r, 2);
    spans->span = calloc(n + 1, sizeof *spans->span);
    for (; spans->span != NULL && spans->n < n && !r->damaged; spans->n++) {
        uint64_t from = before + get_signed(r), to = from + get_varint(r);
        spans->span[spans->n] = (marl_span){(int64_t)from, (int64_t)to};
        before = to;
    }
    return spans->span != NULL ? MARL_OK : MARL_ERR_SYSTEM;
}

marl_status marl_packed_read(marl_packed_case *read, const uint8_t *bytes, size_t n)
{
    reader r = {bytes, bytes + n, 0};
    memset(read, 0, sizeof *read);
    for (size_t i = 0; i < sizeof head; i++) {
        r.damaged |= get_byte(&r) != head[i];
    }
    MARL_TRY(get_rows(&r, &read->log));
    MARL_TRY(get_reference(&r, &read->reference));
    for (int i = 0; i < MARL_CONDITION_COUNT; i++) {
        MARL_TRY(get_spans(&r, &read->conditions.spans[i]));
    }
    return r.damaged || r.at != r.end ? MARL_ERR_INPUT : MARL_OK;
}

void marl_packed_case_free(marl_packed_case *read)
{
    free(read->log.row);
    marl_series_free(&read->reference);
    marl_conditions_free(&read->conditions);
}
