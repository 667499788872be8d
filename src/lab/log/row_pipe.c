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

/* A thread's own place in the ring. */
typedef struct end {
    block *block;
    size_t row, n;
} end;

/* The two ends change at every row. The ring stands between them, since a line of the cache that two threads
 * write goes to and fro. */
struct lab_row_pipe {
    end put;
    block ring[BLOCKS];
    end taken;
    pthread_mutex_t lock;
    pthread_cond_t change;
    pthread_t thread;
    lab_row_work *work;
    void *context;
    size_t filled, emptied; /* blocks so far */
    int closed, stopped;
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
    if (p->put.row == 0) { /* a new block */
        pthread_mutex_lock(&p->lock);
        while (p->filled - p->emptied == BLOCKS && !p->stopped) {
            pthread_cond_wait(&p->change, &p->lock);
        }
        p->put.block = &p->ring[p->filled % BLOCKS];
        int stopped = p->stopped;
        pthread_mutex_unlock(&p->lock);
        if (stopped) {
            return NULL;
        }
    }
    return &p->put.block->row[p->put.row];
}

void lab_row_pipe_put(lab_row_pipe *p)
{
    if (++p->put.row == ROWS) {
        p->put.block->n = ROWS;
        p->put.row = 0;
        hand_over(p, &p->filled);
    }
}

void lab_row_pipe_close(lab_row_pipe *p)
{
    pthread_mutex_lock(&p->lock);
    if (p->put.row > 0) {
        p->put.block->n = p->put.row;
        p->put.row = 0;
        p->filled++;
    }
    p->closed = 1;
    pthread_cond_broadcast(&p->change);
    pthread_mutex_unlock(&p->lock);
}

const marl_log_row *lab_row_pipe_take(lab_row_pipe *p)
{
    end *e = &p->taken;
    if (e->row > 0 && e->row == e->n) {
        e->row = 0;
        hand_over(p, &p->emptied);
    }
    if (e->row == 0) {
        pthread_mutex_lock(&p->lock);
        while (p->filled == p->emptied && !p->closed) {
            pthread_cond_wait(&p->change, &p->lock);
        }
        int at_end = p->filled == p->emptied;
        e->block = &p->ring[p->emptied % BLOCKS];
        e->n = e->block->n;
        pthread_mutex_unlock(&p->lock);
        if (at_end) {
            return NULL;
        }
    }
    return &e->block->row[e->row++];
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
