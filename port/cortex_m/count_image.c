/* SPDX-License-Identifier: MIT
 * Instructions per update of each filter at 100 Hz and a magnetometer at 25 Hz. Runs on an
 * emulated core whose clock advances by 64 ns with every instruction (qemu -icount shift=6), read from the
 * system timer; prints by semihosting. Returns 1 when a limit is exceeded. */
#include "known_answers.h"
#include "known_renewal.h"

/* The system timer: 24 bits, counting down, and the clock of this machine, in instructions of 64 ns. */
#define TICKS_PER_INSTRUCTION 1.6f                                        /* 25 MHz */
static volatile uint32_t *const timer = (volatile uint32_t *)0xe000e010u; /* control, reload, value */
enum { CONTROL, RELOAD, VALUE, MASK = 0xffffff };
enum { SAMPLES = 6000 }; /* a minute */

static const struct {
    uint32_t mean, worst; /* instructions; 0: no limit */
} limit[MARL_FILTER_COUNT] = {[MARL_FILTER_COMPLEMENTARY] = {460, 1400},
                              [MARL_FILTER_GRADIENT_DESCENT] = {460, 1400},
                              [MARL_FILTER_KALMAN] = {800, 5000}};

enum {
    STACK = 700,
    RENEWAL_WORST = 20000
}; /* bytes that an update may take; instructions of a renewal's call */

static void print(const char *text)
{
    register uint32_t operation __asm__("r0") = 0x04u; /* write a text that ends with zero */
    register const char *block __asm__("r1") = text;
    __asm__ volatile("bkpt 0xab" : "+r"(operation) : "r"(block) : "memory");
}

static void print_number(uint32_t number)
{
    char text[12];
    int i = 11;
    text[i] = '\0';
    do {
        text[--i] = (char)('0' + number % 10);
        number /= 10;
    } while (number > 0);
    while (i > 4) {
        text[--i] = ' ';
    }
    print(text + i);
}

/* Stack below this call, found by painting it first. */
enum { PAINTED = 1024, PAINT = 0x5a5a5a5a }; /* words */

typedef void (*counted_call)(void *of, const marl_sample *s);

static void update(void *estimator, const marl_sample *s)
{
    (void)!marl_estimator_update(estimator, s);
}

static void renew(void *job, const marl_sample *s)
{
    marl_renewal_feed(job, s);
}

__attribute__((noinline)) static uint32_t stack_of(counted_call call, void *of, const marl_sample *s)
{
    volatile uint32_t here = 0;
    volatile uint32_t *volatile frame = &here; /* below it nothing is in use but this call's own few words */
    volatile uint32_t *const top = frame - 16;
    uint32_t untouched = 0;
    for (uint32_t i = 1; i <= PAINTED; i++) {
        *(top - i) = PAINT;
    }
    call(of, s);
    while (untouched < PAINTED && *(top - PAINTED + untouched) == PAINT) {
        untouched++;
    }
    return 4u * (PAINTED - untouched) + 64u;
}

static uint32_t ticks_of(counted_call call, void *of, const marl_sample *s)
{
    uint32_t before = timer[VALUE];
    call(of, s);
    return (before - timer[VALUE]) & MASK;
}

/* A restart, a start, and half a minute of updates. */
static uint32_t worst_stack(marl_filter filter)
{
    static marl_estimator estimator;
    marl_tuning tuning = known_tuning(filter);
    uint32_t worst = 0;
    if (marl_estimator_init(&estimator, &tuning) != MARL_OK) {
        return 0;
    }
    for (int32_t i = 0; i < SAMPLES / 2; i++) {
        marl_sample s = known_sample(i);
        s.t_ns += i >= SAMPLES / 4 ? INT64_C(5000000000) : 0; /* a gap that it does not bridge */
        uint32_t stack = stack_of(update, &estimator, &s);
        worst = stack > worst ? stack : worst;
    }
    return worst;
}

/* 1 when over a limit. */
static int count(marl_filter filter)
{
    marl_tuning tuning = known_tuning(filter);
    marl_estimator estimator;
    uint32_t sum = 0, worst = 0;
    if (marl_estimator_init(&estimator, &tuning) != MARL_OK) {
        return 1;
    }
    for (int32_t i = 0; i < SAMPLES; i++) {
        marl_sample s = known_sample(i);
        uint32_t ticks = ticks_of(update, &estimator, &s);
        sum += ticks;
        worst = ticks > worst ? ticks : worst;
    }
    uint32_t mean = (uint32_t)((float)sum / (TICKS_PER_INSTRUCTION * SAMPLES));
    worst = (uint32_t)((float)worst / TICKS_PER_INSTRUCTION);
    print("  ");
    print(marl_filter_name(filter));
    print(": mean ");
    print_number(mean);
    print(", worst ");
    print_number(worst);
    uint32_t stack = worst_stack(filter);
    print(", stack ");
    print_number(stack);
    print("\n");
    return stack > STACK || (limit[filter].mean > 0 && mean > limit[filter].mean) ||
           (limit[filter].worst > 0 && worst > limit[filter].worst);
}

/* 1 when a call takes more than its limit, or the tumble is not accepted. */
static int count_renewal(void)
{
    static marl_renewal job;
    const marl_calibration none = marl_calibration_none();
    marl_renewal_options options = marl_renewal_default(MARL_RENEW_TUMBLE);
    uint32_t worst[2] = {0, 0};
    options.coverage = 1.0f;
    options.patience_s = 60.0f;
    for (int painted = 0; painted < 2; painted++) { /* painting takes its own time */
        marl_renewal_init(&job);
        if (marl_renewal_start(&job, MARL_RENEW_TUMBLE, &none, &options) != MARL_OK) {
            return 1;
        }
        for (int32_t i = 0; i < SAMPLES + 200; i++) {
            marl_sample s = known_renewal_sample(MARL_RENEW_TUMBLE, i);
            uint32_t now = painted ? stack_of(renew, &job, &s) : ticks_of(renew, &job, &s);
            worst[painted] = now > worst[painted] ? now : worst[painted];
        }
        if (job.stage != MARL_RENEWAL_DONE) {
            print("the tumble is refused\n");
            return 1;
        }
    }
    worst[0] = (uint32_t)((float)worst[0] / TICKS_PER_INSTRUCTION);
    print("  a renewal: worst ");
    print_number(worst[0]);
    print(", stack ");
    print_number(worst[1]);
    print(", state ");
    print_number((uint32_t)sizeof job);
    print("\n");
    return worst[0] > RENEWAL_WORST;
}

int main(void)
{
    int over = 0;
    timer[RELOAD] = MASK;
    timer[VALUE] = 0;
    timer[CONTROL] = 5; /* on, by the core's clock */
    print("instructions per update at 100 Hz:\n");
    for (int i = 0; i < MARL_FILTER_COUNT; i++) {
        over |= count((marl_filter)i);
    }
    over |= count_renewal();
    print("  a pipeline: ");
    print_number((uint32_t)sizeof(marl_pipeline));
    print(" bytes\n");
    return over;
}
