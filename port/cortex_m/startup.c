/* SPDX-License-Identifier: MIT
 * Vector table and reset of the bare-metal image. There is no .data or .bss to set up: a check holds that.
 * When main returns, its value goes to the debugger or emulator by semihosting ("Semihosting for AArch32 and
 * AArch64"). */
#include <stdint.h>

extern uint32_t image_stack_top;
int main(void);
void image_reset(void);

static void image_halt(void)
{
    for (;;) {
    }
}

static void image_exit(int code)
{
    const uint32_t report[2] = {0x20026u /* the application ended */, (uint32_t)code};
    register uint32_t operation __asm__("r0") = 0x20u; /* exit, extended */
    register const uint32_t *block __asm__("r1") = report;
    __asm__ volatile("bkpt 0xab" : : "r"(operation), "r"(block) : "memory");
}

/* The FPU, where there is one, is off after reset. */
#if defined(__ARM_FP)
static void image_enable_fpu(void)
{
    volatile uint32_t *access_control = (volatile uint32_t *)0xe000ed88u;
    *access_control |= 0xfu << 20;
}
#else
static void image_enable_fpu(void)
{
}
#endif

void image_reset(void)
{
    image_enable_fpu();
    image_exit(main());
    image_halt();
}

typedef void (*image_handler)(void);

__attribute__((section(".vectors"), used)) static const struct {
    uint32_t *stack;
    image_handler handler[15];
} image_vectors = {&image_stack_top,
                   {image_reset, image_halt, image_halt, image_halt, image_halt, image_halt, image_halt,
                    image_halt, image_halt, image_halt, image_halt, image_halt, image_halt, image_halt,
                    image_halt}};
