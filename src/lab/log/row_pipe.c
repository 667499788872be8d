/* SPDX-License-Identifier: MIT
 * A ring of blocks under one lock, which is taken once a block. */
#include "lab/log/row_pipe.h"
#include <pthread.h>
#include <stdlib.h>

enum { ROWS = 1024, BLOCKS = 6 };

typedef struct block {
    size_t n;
    marl_log_row row[ROWS];
} block;

struct lab_row_pipe {
    pthread_mutex_t lock;
    pthread_cond_t change;
    pthread_t thread;
    lab_row_work *work;
    void *context;
    size_t filled, emptied; /* blocks so far */
    int closed, stopped;
    block ring[BLOCKS];
    size_t put, taken; /* rows in the block that is filled, and of the one that is emptied */
};

static void *run(void *context)
{
    lab_row_pipe *p = context;
    p->work(p->context, p);
    return NULL;
}

lab_row_pipe *lab_row_pipe_start(lab_row_work *work, void *context)
{
    lab_row_pipe *p = calloc(1, sizeof *p);
    if (p == NULL) {
        return NULL;
    }
    p->work = work;
    p->context = context;
    if (pthread_mutex_init(&p->lock, NULL) != 0) {
        free(p);
        return NULL;
    }
    if (pthread_cond_init(&p->change, NULL) != 0 || pthread_create(&p->thread, NULL, run, p) != 0) {
        pthread_mutex_destroy(&p->lock);
        free(p);
        return NULL;
    }
    return p;
}

static void hand_over(lab_row_pipe *p, size_t *blocks)
{
    pthread_mutex_lock(&p->lock);
    (*blocks)++;
    pthread_cond_broadcast(&p->change);
    pthread_mutex_unlock(&p->lock);
}

marl_log_row *lab_row_pipe_slot(lab_row_pipe *p)
{
    if (p->put == 0) { /* a new block */
        pthread_mutex_lock(&p->lock);
        while (p->filled - p->emptied == BLOCKS && !p->stopped) {
            pthread_cond_wait(&p->change, &p->lock);
        }
        int stopped = p->stopped;
        pthread_mutex_unlock(&p->lock);
        if (stopped) {
            return NULL;
        }
    }
    return &p->ring[p->filled % BLOCKS].row[p->put];
}

void lab_row_pipe_put(lab_row_pipe *p)
{
    block *b = &p->ring[p->filled % BLOCKS];
    b->n = ++p->put;
    if (p->put == ROWS) {
        p->put = 0;
        hand_over(p, &p->filled);
    }
}

void lab_row_pipe_close(lab_row_pipe *p)
{
    pthread_mutex_lock(&p->lock);
    p->filled += p->put > 0;
    p->put = 0;
    p->closed = 1;
    pthread_cond_broadcast(&p->change);
    pthread_mutex_unlock(&p->lock);
}

const marl_log_row *lab_row_pipe_take(lab_row_pipe *p)
{
    if (p->taken > 0 && p->taken == p->ring[p->emptied % BLOCKS].n) {
        p->taken = 0;
        hand_over(p, &p->emptied);
    }
    if (p->taken == 0) {
        pthread_mutex_lock(&p->lock);
        while (p->filled == p->emptied && !p->closed) {
            pthread_cond_wait(&p->change, &p->lock);
        }
        int at_end = p->filled == p->emptied;
        pthread_mutex_unlock(&p->lock);
        if (at_end) {
            return NULL;
        }
    }
    return &p->ring[p->emptied % BLOCKS].row[p->taken++];
}

void lab_row_pipe_stop(lab_row_pipe *p)
{
    pthread_mutex_lock(&p->lock);
    p->stopped = 1;
    pthread_cond_broadcast(&p->change);
    pthread_mutex_unlock(&p->lock);
}

void lab_row_pipe_join(lab_row_pipe *p)
{
    if (p != NULL) {
        pthread_join(p->thread, NULL);
        pthread_cond_destroy(&p->change);
        pthread_mutex_destroy(&p->lock);
        free(p);
    }
}
