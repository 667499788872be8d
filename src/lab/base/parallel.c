/* SPDX-License-Identifier: MIT
 * A counter that threads take the next piece from. */
#include "lab/base/parallel.h"
#include <pthread.h>
#include <stdatomic.h>
#include <unistd.h>

enum { MAX_THREADS = 64 };

typedef struct queue {
    atomic_size_t next;
    size_t n;
    lab_piece *work;
    void *context;
} queue;

static void *take_pieces(void *context)
{
    queue *q = context;
    for (size_t i = atomic_fetch_add(&q->next, 1); i < q->n; i = atomic_fetch_add(&q->next, 1)) {
        q->work(q->context, i);
    }
    return NULL;
}

unsigned lab_cores(void)
{
    long n = sysconf(_SC_NPROCESSORS_ONLN);
    return n < 1 ? 1 : n > MAX_THREADS ? MAX_THREADS : (unsigned)n;
}

void lab_parallel(unsigned threads, size_t n, lab_piece *work, void *context)
{
    pthread_t thread[MAX_THREADS];
    unsigned started = 0, most = threads > MAX_THREADS ? MAX_THREADS : threads;
    queue q = {.n = n, .work = work, .context = context};
    atomic_init(&q.next, 0);
    while (started + 1 < most && started + 1 < n &&
           pthread_create(&thread[started], NULL, take_pieces, &q) == 0) {
        started++;
    }
    take_pieces(&q);
    for (unsigned i = 0; i < started; i++) {
        pthread_join(thread[i], NULL);
    }
}
