/* SPDX-License-Identifier: MIT
 * Vector table and reset of the bare-metal image. There is no .data or .bss to set up: a check holds that. */
#include <stdint.h>

extern uint32_t image_stack_top;
int main(void);
void image_reset(void);

static void image_halt(void)
{
    for (;;) {
    }
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
    (void)main();
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
