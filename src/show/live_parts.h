/* SPDX-License-Identifier: MIT
 * What the live page's server is made of. */
#ifndef SHOW_LIVE_PARTS_H
#define SHOW_LIVE_PARTS_H

#include "marlinspike/show.h"
#include "show/page_assets.h"
#include <microhttpd.h>
#include <pthread.h>
#include <stdint.h>

enum { LIVE_PAGE, LIVE_STYLE, LIVE_DYGRAPH, LIVE_THREE, LIVE_SCRIPT, LIVE_FILES };
enum { LIVE_TOKEN = 32, LIVE_MESSAGES = 128, LIVE_WAITING = 32, LIVE_VIEWERS = 32 };

/* A text on its way to viewers; whoever holds one counts in `holders`. */
typedef struct live_message {
    int holders;
    size_t n;
    char text[];
} live_message;

typedef struct live_viewer {
    marl_live_server *server;
    struct MHD_Connection *connection;
    uint64_t next; /* number of the next message for it */
    live_message *now;
    size_t sent; /* of `now` */
    int rests;   /* suspended until there is something */
    struct live_viewer *other;
} live_viewer;

typedef struct live_request {
    struct MHD_Connection *connection;
    const char *refused; /* why; NULL = it is good so far */
    unsigned code;
    char *answer; /* NULL: not yet */
    size_t n;
    char text[MARL_LIVE_REQUEST_MAX + 1];
} live_request;

struct marl_live_server {
    struct MHD_Daemon *daemon;
    int port;
    char token[LIVE_TOKEN + 1], address[100];
    char *file[LIVE_FILES];
    pthread_mutex_t mutex; /* for everything below */
    live_message *ring[LIVE_MESSAGES];
    uint64_t written;    /* messages so far; number k stands in ring[k % LIVE_MESSAGES] */
    live_message *state; /* the last one, for those who come later */
    live_viewer *viewers;
    int viewers_n;
    live_request *waiting[LIVE_WAITING];
    int waiting_n;
    int ended;
};

int show_live_init(marl_live_server *server); /* 0 when that fails */
/* Wakes every connection, and lets none rest any more. */
void show_live_end(marl_live_server *server);
void show_live_free(marl_live_server *server);
/* The events for one more viewer; NULL when there are too many, or without memory. */
struct MHD_Response *show_live_viewer_response(marl_live_server *server, struct MHD_Connection *connection);
/* Lets its connection rest until it is answered; 0 when too many wait. */
int show_live_requests_put(marl_live_server *server, live_request *request);

#endif
