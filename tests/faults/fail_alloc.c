/* SPDX-License-Identifier: MIT
 * Preloaded into the tool: lets one allocation fail, or all from one on. MARL_FAIL_AT is the number of the
 * first that fails (0: none), MARL_FAIL_ON=1 lets all later ones fail, too; MARL_FAIL_COUNT names a file that
 * gets the number of allocations at the end. Programs that the tool starts are left alone. */
#define _GNU_SOURCE /* NOLINT(bugprone-reserved-identifier): RTLD_NEXT */
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static void *(*next_malloc)(size_t);
static void *(*next_calloc)(size_t, size_t);
static void *(*next_realloc)(void *, size_t);
static unsigned long count, fail_at;
static int for_ever, armed;
static char report[512];
static char early[65536]; /* dlsym allocates before its own result is known */
static size_t early_used;

static int fails(void)
{
    if (!armed) {
        return 0;
    }
    count++;
    int now = fail_at > 0 && (for_ever ? count >= fail_at : count == fail_at);
    if (now) {
        errno = ENOMEM;
    }
    return now;
}

static void *early_block(size_t size)
{
    size = (size + 15) & ~(size_t)15;
    if (early_used + size > sizeof early) {
        return NULL;
    }
    early_used += size;
    return early + early_used - size;
}

static void find(void)
{
    next_malloc = (void *(*)(size_t))dlsym(RTLD_NEXT, "malloc");
    next_calloc = (void *(*)(size_t, size_t))dlsym(RTLD_NEXT, "calloc");
    next_realloc = (void *(*)(void *, size_t))dlsym(RTLD_NEXT, "realloc");
}

__attribute__((constructor)) static void arm(void)
{
    const char *at = getenv("MARL_FAIL_AT"), *on = getenv("MARL_FAIL_ON"), *to = getenv("MARL_FAIL_COUNT");
    if (next_malloc == NULL) {
        find();
    }
    fail_at = at != NULL ? strtoul(at, NULL, 10) : 0;
    for_ever = on != NULL && on[0] == '1';
    if (to != NULL) {
        snprintf(report, sizeof report, "%s", to);
    }
    unsetenv("LD_PRELOAD");
    armed = 1;
}

__attribute__((destructor)) static void tell_count(void)
{
    char text[32];
    int n = snprintf(text, sizeof text, "%lu\n", count);
    int f = report[0] ? open(report, O_WRONLY | O_CREAT | O_TRUNC, 0600) : -1;
    if (f >= 0) {
        (void)!write(f, text, (size_t)n);
        close(f);
    }
}

void *malloc(size_t size)
{
    if (next_malloc == NULL) {
        return early_block(size);
    }
    return fails() ? NULL : next_malloc(size);
}

void *calloc(size_t n, size_t size)
{
    if (next_calloc == NULL) {
        void *block = early_block(n * size);
        return block != NULL ? memset(block, 0, n * size) : NULL;
    }
    return fails() ? NULL : next_calloc(n, size);
}

void *realloc(void *old, size_t size)
{
    return fails() ? NULL : next_realloc(old, size);
}

void free(void *block)
{
    static void (*next_free)(void *);
    if (next_free == NULL) {
        next_free = (void (*)(void *))dlsym(RTLD_NEXT, "free");
    }
    if ((char *)block < early || (char *)block >= early + sizeof early) {
        next_free(block);
    }
}
