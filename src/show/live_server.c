/* SPDX-License-Identifier: MIT
 * The live page's server: pages and events to viewers, requests from them. libmicrohttpd's own thread speaks to the
 * viewers; the thread that filters hands over texts and never waits for one. */
#include "marlinspike/error.h"
#include "marlinspike/show.h"
#include "show/library.h"
#include "show/live_parts.h"
#include <arpa/inet.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

enum { MAX_CONNECTIONS = 64, MEMORY_OF_CONNECTION = 64 * 1024, IDLE_S = 60, LAST_WORDS_MS = 100 };

static const char policy[] =
    "default-src 'none'; script-src 'self'; style-src 'self'; style-src-attr 'unsafe-inline'; img-src data: "
    "blob:; "
    "connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";

static const char page[] =
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>Marlinspike "
    "live</title>\n"
    "<link rel=\"icon\" href=\"data:,\">\n<link rel=\"stylesheet\" href=\"/style.css\">\n</head>\n<body>\n"
    "<noscript>This page needs JavaScript.</noscript>\n<main id=\"page\"></main>\n"
    "<script src=\"/dygraph.js\"></script>\n<script src=\"/three.js\"></script>\n"
    "<script src=\"/page.js\"></script>\n</body>\n</html>\n";

static const struct {
    const char *path, *type;
} files[LIVE_FILES] = {
    [LIVE_PAGE] = {"/", "text/html; charset=utf-8"},
    [LIVE_STYLE] = {"/style.css", "text/css; charset=utf-8"},
    [LIVE_DYGRAPH] = {"/dygraph.js", "text/javascript; charset=utf-8"},
    [LIVE_THREE] = {"/three.js", "text/javascript; charset=utf-8"},
    [LIVE_SCRIPT] = {"/page.js", "text/javascript; charset=utf-8"},
};

static char *joined(const char *a, const char *b)
{
    size_t n = strlen(a) + strlen(b) + 1;
    char *text = malloc(n);
    if (text != NULL) {
        snprintf(text, n, "%s%s", a, b);
    }
    return text;
}

static marl_status read_files(marl_live_server *s, marl_error *error)
{
    char *style = show_library_read(SHOW_LIBRARY_STYLE, error);
    s->file[LIVE_DYGRAPH] = style != NULL ? show_library_read(SHOW_LIBRARY_DYGRAPH, error) : NULL;
    s->file[LIVE_THREE] = s->file[LIVE_DYGRAPH] != NULL ? show_library_read(SHOW_LIBRARY_THREE, error) : NULL;
    if (s->file[LIVE_THREE] == NULL) {
        free(style);
        return error->status;
    }
    s->file[LIVE_PAGE] = joined(page, "");
    s->file[LIVE_STYLE] = joined(style, show_page_style);
    s->file[LIVE_SCRIPT] = joined(show_page_script, show_live_script);
    free(style);
    return s->file[LIVE_PAGE] != NULL && s->file[LIVE_STYLE] != NULL && s->file[LIVE_SCRIPT] != NULL
               ? MARL_OK
               : marl_fail(error, MARL_ERR_SYSTEM, "no memory");
}

static marl_status make_token(marl_live_server *s, marl_error *error)
{
    uint8_t bytes[LIVE_TOKEN / 2];
    int fd = open("/dev/urandom", O_RDONLY | O_CLOEXEC);
    ssize_t got = fd >= 0 ? read(fd, bytes, sizeof bytes) : -1;
    if (fd >= 0) {
        close(fd);
    }
    if (got != (ssize_t)sizeof bytes) {
        return marl_fail(error, MARL_ERR_SYSTEM, "/dev/urandom: cannot be read");
    }
    for (size_t i = 0; i < sizeof bytes; i++) {
        snprintf(s->token + 2 * i, 3, "%02x", bytes[i]);
    }
    return MARL_OK;
}

/* ---- answers ---- */

static void add_headers(struct MHD_Response *response, const char *type)
{
    (void)MHD_add_response_header(response, "Content-Type", type);
    (void)MHD_add_response_header(response, "Content-Security-Policy", policy);
    (void)MHD_add_response_header(response, "X-Content-Type-Options", "nosniff");
    (void)MHD_add_response_header(response, "Referrer-Policy", "no-referrer");
    (void)MHD_add_response_header(response, "Cross-Origin-Resource-Policy", "same-origin");
    (void)MHD_add_response_header(response, "Cache-Control", "no-store");
}

static enum MHD_Result queue_text(struct MHD_Connection *connection, unsigned code, const char *type,
                                  char *text, enum MHD_ResponseMemoryMode mode)
{
    struct MHD_Response *response = MHD_create_response_from_buffer(strlen(text), text, mode);
    if (response == NULL) {
        return MHD_NO;
    }
    add_headers(response, type);
    if (code == MHD_HTTP_METHOD_NOT_ALLOWED) {
        (void)MHD_add_response_header(response, "Allow", "GET, HEAD, POST");
    }
    enum MHD_Result result = MHD_queue_response(connection, code, response);
    MHD_destroy_response(response);
    return result;
}

static enum MHD_Result refuse(struct MHD_Connection *connection, unsigned code, const char *why)
{
    char text[200];
    snprintf(text, sizeof text, "{\"error\": \"%s\"}\n", why);
    return queue_text(connection, code, "application/json", text, MHD_RESPMEM_MUST_COPY);
}

/* ---- who asks ---- */

static int is_here(const marl_live_server *s, const char *host)
{
    char numeric[40], named[40];
    snprintf(numeric, sizeof numeric, "127.0.0.1:%d", s->port);
    snprintf(named, sizeof named, "localhost:%d", s->port);
    return host != NULL && (strcmp(host, numeric) == 0 || strcmp(host, named) == 0);
}

/* Another site's page may send requests, by its own name or by one that it has made to point here. */
static int is_from_here(const marl_live_server *s, struct MHD_Connection *connection)
{
    const char *host = MHD_lookup_connection_value(connection, MHD_HEADER_KIND, "Host");
    const char *origin = MHD_lookup_connection_value(connection, MHD_HEADER_KIND, "Origin");
    return is_here(s, host) &&
           (origin == NULL || (strncmp(origin, "http://", 7) == 0 && is_here(s, origin + 7)));
}

/* In a time that does not depend on where they differ. */
static int has_token(const marl_live_server *s, struct MHD_Connection *connection)
{
    const char *given = MHD_lookup_connection_value(connection, MHD_HEADER_KIND, "Marlinspike-Token");
    unsigned differ = given == NULL || strlen(given) != LIVE_TOKEN;
    for (size_t i = 0; !differ && i < LIVE_TOKEN; i++) {
        differ |= (unsigned)(given[i] ^ s->token[i]);
    }
    return !differ;
}

static int is_json(struct MHD_Connection *connection)
{
    const char *type = MHD_lookup_connection_value(connection, MHD_HEADER_KIND, "Content-Type");
    return type != NULL && strncmp(type, "application/json", 16) == 0;
}

/* ---- requests ---- */

static enum MHD_Result begin_request(marl_live_server *s, struct MHD_Connection *connection, void **context)
{
    live_request *r = calloc(1, sizeof *r);
    if (r == NULL) {
        return MHD_NO;
    }
    r->connection = connection;
    r->refused = !has_token(s, connection) ? "the token of the printed address is missing or wrong"
                 : !is_json(connection)    ? "application/json is wanted"
                                           : NULL;
    r->code =
        r->refused != NULL && is_json(connection) ? MHD_HTTP_FORBIDDEN : MHD_HTTP_UNSUPPORTED_MEDIA_TYPE;
    *context = r;
    return MHD_YES;
}

static void take_part(live_request *r, const char *data, size_t n)
{
    if (r->refused == NULL && r->n + n > MARL_LIVE_REQUEST_MAX) {
        r->refused = "the request is too long";
        r->code = MHD_HTTP_CONTENT_TOO_LARGE;
    }
    if (r->refused == NULL) {
        memcpy(r->text + r->n, data, n);
        r->n += n;
        r->text[r->n] = '\0';
    }
}

static enum MHD_Result end_request(marl_live_server *s, live_request *r)
{
    if (r->refused == NULL && r->answer == NULL && show_live_requests_put(s, r)) {
        return MHD_YES; /* the connection rests until the answer is there */
    }
    if (r->answer != NULL) {
        return queue_text(r->connection, r->code, "application/json", r->answer, MHD_RESPMEM_MUST_COPY);
    }
    return r->refused != NULL ? refuse(r->connection, r->code, r->refused)
                              : refuse(r->connection, MHD_HTTP_SERVICE_UNAVAILABLE, "too many requests wait");
}

static enum MHD_Result take_request(marl_live_server *s, struct MHD_Connection *connection, const char *data,
                                    size_t *size, void **context)
{
    live_request *r = *context;
    if (r == NULL) {
        return begin_request(s, connection, context);
    }
    if (*size > 0) {
        take_part(r, data, *size);
        *size = 0;
        return MHD_YES;
    }
    return end_request(s, r);
}

static enum MHD_Result give(marl_live_server *s, struct MHD_Connection *connection, const char *path)
{
    if (strcmp(path, "/events") == 0) {
        struct MHD_Response *response = show_live_viewer_response(s, connection);
        if (response == NULL) {
            return refuse(connection, MHD_HTTP_SERVICE_UNAVAILABLE, "too many viewers");
        }
        add_headers(response, "text/event-stream");
        enum MHD_Result result = MHD_queue_response(connection, MHD_HTTP_OK, response);
        MHD_destroy_response(response);
        return result;
    }
    for (int i = 0; i < LIVE_FILES; i++) {
        if (strcmp(path, files[i].path) == 0) {
            return queue_text(connection, MHD_HTTP_OK, files[i].type, s->file[i], MHD_RESPMEM_PERSISTENT);
        }
    }
    return refuse(connection, MHD_HTTP_NOT_FOUND, "there is no such page");
}

static enum MHD_Result respond(void *context, struct MHD_Connection *connection, const char *url,
                               const char *method, const char *version, const char *data, size_t *size,
                               void **of_request)
{
    marl_live_server *s = context;
    (void)version;
    if (!is_from_here(s, connection)) {
        return refuse(connection, MHD_HTTP_FORBIDDEN, "Host and Origin must be this server's address");
    }
    if (strcmp(method, "POST") == 0 && strcmp(url, "/command") == 0) {
        return take_request(s, connection, data, size, of_request);
    }
    if (strcmp(method, "GET") == 0 || strcmp(method, "HEAD") == 0) {
        return give(s, connection, url);
    }
    return refuse(connection, MHD_HTTP_METHOD_NOT_ALLOWED, "GET a page, or POST to /command");
}

static void completed(void *context, struct MHD_Connection *connection, void **of_request,
                      enum MHD_RequestTerminationCode code)
{
    live_request *r = *of_request;
    (void)context;
    (void)connection;
    (void)code;
    if (r != NULL) {
        free(r->answer);
        free(r);
    }
    *of_request = NULL;
}

/* ---- server ---- */

static marl_status listen_on(marl_live_server *s, int port, marl_error *error)
{
    struct sockaddr_in at = {.sin_family = AF_INET, .sin_port = htons((uint16_t)port)};
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    errno = 0;
    s->daemon = MHD_start_daemon(
        MHD_USE_INTERNAL_POLLING_THREAD | MHD_USE_EPOLL | MHD_ALLOW_SUSPEND_RESUME | MHD_USE_ITC, 0, NULL,
        NULL, respond, s, MHD_OPTION_SOCK_ADDR, &at, MHD_OPTION_CONNECTION_LIMIT, (unsigned)MAX_CONNECTIONS,
        MHD_OPTION_CONNECTION_MEMORY_LIMIT, (size_t)MEMORY_OF_CONNECTION, MHD_OPTION_CONNECTION_TIMEOUT,
        (unsigned)IDLE_S, MHD_OPTION_NOTIFY_COMPLETED, completed, NULL, MHD_OPTION_END);
    if (s->daemon == NULL) {
        return marl_fail(error, MARL_ERR_SYSTEM, "--http %d: cannot listen there: %s", port,
                         errno == EADDRINUSE ? "the port is in use"
                                             : strerror(errno != 0 ? errno : EADDRINUSE));
    }
    const union MHD_DaemonInfo *info = MHD_get_daemon_info(s->daemon, MHD_DAEMON_INFO_BIND_PORT);
    s->port = info != NULL ? info->port : port;
    snprintf(s->address, sizeof s->address, "http://127.0.0.1:%d/?token=%s", s->port, s->token);
    return MARL_OK;
}

marl_status marl_live_server_open(marl_live_server **server, int port, marl_error *error)
{
    *server = NULL;
    marl_live_server *s = calloc(1, sizeof *s);
    if (s == NULL || !show_live_init(s)) {
        free(s);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    marl_status status = read_files(s, error);
    status = status != MARL_OK ? status : make_token(s, error);
    status = status != MARL_OK ? status : listen_on(s, port, error);
    if (status != MARL_OK) {
        marl_live_server_close(s);
        return status;
    }
    *server = s;
    return MARL_OK;
}

const char *marl_live_server_address(const marl_live_server *server)
{
    return server->address;
}

void marl_live_server_close(marl_live_server *s)
{
    if (s == NULL) {
        return;
    }
    show_live_end(s);
    if (s->daemon != NULL && s->viewers_n > 0) {
        const struct timespec last = {.tv_nsec = LAST_WORDS_MS * 1000000L};
        nanosleep(&last, NULL); /* for what viewers have not yet got */
    }
    if (s->daemon != NULL) {
        MHD_stop_daemon(s->daemon);
    }
    show_live_free(s);
    for (int i = 0; i < LIVE_FILES; i++) {
        free(s->file[i]);
    }
    free(s);
}
