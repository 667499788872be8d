/* SPDX-License-Identifier: MIT
 * Events to viewers, each at its own speed, and requests that wait for their answers. */
#include "show/live_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { BLOCK = 32 * 1024 };

static void let_go(live_message *m)
{
    if (m != NULL && --m->holders == 0) {
        free(m);
    }
}

static live_message *hold(live_message *m)
{
    m->holders++;
    return m;
}

/* "Server-sent events" of the HTML standard: the JSON holds no end of line. */
static live_message *message_of(const char *event, const char *json)
{
    size_t n = strlen(event) + strlen(json) + 20;
    live_message *m = malloc(sizeof *m + n);
    if (m != NULL) {
        m->holders = 1;
        m->n = (size_t)snprintf(m->text, n, "event: %s\ndata: %s\n\n", event, json);
    }
    return m;
}

static void wake(live_viewer *v)
{
    if (v->rests) {
        v->rests = 0;
        MHD_resume_connection(v->connection);
    }
}

void marl_live_server_publish(marl_live_server *s, const char *event, const char *json)
{
    live_message *m = message_of(event, json);
    if (m == NULL) {
        return; /* viewers lose a message, nobody waits */
    }
    pthread_mutex_lock(&s->mutex);
    live_message **place = &s->ring[s->written++ % LIVE_MESSAGES];
    let_go(*place);
    *place = m;
    if (strcmp(event, "state") == 0) {
        let_go(s->state);
        s->state = hold(m);
    }
    for (live_viewer *v = s->viewers; v != NULL; v = v->other) {
        wake(v);
    }
    pthread_mutex_unlock(&s->mutex);
}

int marl_live_server_viewers(marl_live_server *s)
{
    pthread_mutex_lock(&s->mutex);
    int n = s->viewers_n;
    pthread_mutex_unlock(&s->mutex);
    return n;
}

/* The next message; one who has fallen behind gets the state, and goes on with the newest. */
static live_message *next_message(live_viewer *v)
{
    marl_live_server *s = v->server;
    if (v->next + LIVE_MESSAGES <= s->written) {
        v->next = s->written;
        return s->state != NULL ? hold(s->state) : NULL;
    }
    return v->next < s->written ? hold(s->ring[v->next++ % LIVE_MESSAGES]) : NULL;
}

static ssize_t read_events(void *context, uint64_t position, char *out, size_t max)
{
    live_viewer *v = context;
    marl_live_server *s = v->server;
    ssize_t n = 0;
    (void)position;
    pthread_mutex_lock(&s->mutex);
    if (v->now == NULL) {
        v->now = next_message(v);
        v->sent = 0;
    }
    if (v->now == NULL && s->ended) {
        n = MHD_CONTENT_READER_END_OF_STREAM;
    } else if (v->now == NULL) {
        v->rests = 1;
        MHD_suspend_connection(v->connection);
    } else {
        size_t left = v->now->n - v->sent, part = left < max ? left : max;
        memcpy(out, v->now->text + v->sent, part);
        v->sent += part;
        n = (ssize_t)part;
        if (v->sent == v->now->n) {
            let_go(v->now);
            v->now = NULL;
        }
    }
    pthread_mutex_unlock(&s->mutex);
    return n;
}

static void forget_viewer(void *context)
{
    live_viewer *v = context;
    marl_live_server *s = v->server;
    pthread_mutex_lock(&s->mutex);
    for (live_viewer **at = &s->viewers; *at != NULL; at = &(*at)->other) {
        if (*at == v) {
            *at = v->other;
            s->viewers_n--;
            break;
        }
    }
    let_go(v->now);
    pthread_mutex_unlock(&s->mutex);
    free(v);
}

struct MHD_Response *show_live_viewer_response(marl_live_server *s, struct MHD_Connection *connection)
{
    live_viewer *v = calloc(1, sizeof *v);
    struct MHD_Response *response = NULL;
    pthread_mutex_lock(&s->mutex);
    if (v != NULL && s->viewers_n < LIVE_VIEWERS && !s->ended) {
        *v = (live_viewer){.server = s, .connection = connection, .next = s->written, .other = s->viewers};
        response = MHD_create_response_from_callback(MHD_SIZE_UNKNOWN, BLOCK, read_events, v, forget_viewer);
    }
    if (response != NULL) {
        v->now = s->state != NULL ? hold(s->state) : NULL;
        s->viewers = v;
        s->viewers_n++;
    }
    pthread_mutex_unlock(&s->mutex);
    if (response == NULL) {
        free(v);
    }
    return response;
}

/* ---- requests ---- */

int show_live_requests_put(marl_live_server *s, live_request *r)
{
    pthread_mutex_lock(&s->mutex);
    int room = s->waiting_n < LIVE_WAITING && !s->ended;
    if (room) {
        s->waiting[s->waiting_n++] = r;
        MHD_suspend_connection(r->connection);
    }
    pthread_mutex_unlock(&s->mutex);
    return room;
}

int marl_live_server_take(marl_live_server *s, marl_live_request *request)
{
    pthread_mutex_lock(&s->mutex);
    live_request *r = s->waiting_n > 0 ? s->waiting[0] : NULL;
    if (r != NULL) {
        s->waiting_n--;
        for (int i = 0; i < s->waiting_n; i++) {
            s->waiting[i] = s->waiting[i + 1];
        }
    }
    pthread_mutex_unlock(&s->mutex);
    *request = (marl_live_request){r, r != NULL ? r->text : NULL};
    return r != NULL;
}

static void answer(live_request *r, unsigned code, const char *json)
{
    r->code = code;
    r->answer = strdup(json);
    r->refused = r->answer == NULL ? "no memory" : NULL;
    MHD_resume_connection(r->connection);
}

void marl_live_server_answer(marl_live_server *s, const marl_live_request *request, int code,
                             const char *json)
{
    pthread_mutex_lock(&s->mutex);
    answer(request->handle, (unsigned)code, json);
    pthread_mutex_unlock(&s->mutex);
}

/* ---- begin and end ---- */

int show_live_init(marl_live_server *s)
{
    return pthread_mutex_init(&s->mutex, NULL) == 0;
}

void show_live_end(marl_live_server *s)
{
    pthread_mutex_lock(&s->mutex);
    s->ended = 1;
    for (live_viewer *v = s->viewers; v != NULL; v = v->other) {
        wake(v);
    }
    for (int i = 0; i < s->waiting_n; i++) {
        answer(s->waiting[i], MHD_HTTP_SERVICE_UNAVAILABLE, "{\"error\": \"the program ends\"}\n");
    }
    s->waiting_n = 0;
    pthread_mutex_unlock(&s->mutex);
}

void show_live_free(marl_live_server *s)
{
    for (int i = 0; i < LIVE_MESSAGES; i++) {
        let_go(s->ring[i]);
    }
    let_go(s->state);
    pthread_mutex_destroy(&s->mutex);
}
