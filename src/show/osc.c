/* SPDX-License-Identifier: MIT
 * Attitudes over the network. */
#include "marlinspike/quat.h"
#include "marlinspike/show.h"
#include <lo/lo.h>
#include <math.h>
#include <netdb.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>

#define ADDRESS "/marlinspike/attitude"

struct marl_osc {
    lo_address to;
};

static int is_port(const char *text)
{
    char *end;
    long port = strtol(text, &end, 10);
    return end != text && *end == '\0' && port > 0 && port < 65536;
}

marl_status marl_osc_open(marl_osc **osc, const char *to, marl_error *error)
{
    char host[256];
    const char *colon = strrchr(to, ':');
    const struct addrinfo hints = {.ai_family = AF_UNSPEC, .ai_socktype = SOCK_DGRAM};
    struct addrinfo *found = NULL;
    *osc = NULL;
    if (colon == NULL || colon == to || (size_t)(colon - to) >= sizeof host || !is_port(colon + 1)) {
        return marl_fail(error, MARL_ERR_USE, "--osc '%s': wanted HOST:PORT, as 127.0.0.1:9000", to);
    }
    snprintf(host, sizeof host, "%.*s", (int)(colon - to), to);
    int fault = getaddrinfo(host, colon + 1, &hints, &found);
    if (fault != 0) {
        return marl_fail(error, MARL_ERR_SYSTEM, "--osc %s: the host '%s' has no address: %s", to, host,
                         gai_strerror(fault));
    }
    freeaddrinfo(found);
    marl_osc *o = calloc(1, sizeof *o);
    if (o != NULL) {
        o->to = lo_address_new(host, colon + 1);
    }
    if (o == NULL || o->to == NULL) {
        free(o);
        return marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    }
    *osc = o;
    return MARL_OK;
}

int marl_osc_send(marl_osc *osc, const char *run, double t_s, marl_quat q)
{
    const marl_rpy rpy = marl_quat_to_rpy(q);
    const float degree = (float)MARL_DEGREE;
    float heading = 0.0f;
    (void)!marl_frame_heading(q, MARL_WORLD_ENU, &heading); /* 0 where the body's x axis stands upright */
    return lo_send(osc->to, ADDRESS, "sdfffffff", run, t_s, (double)q.w, (double)q.x, (double)q.y,
                   (double)q.z, (double)(rpy.roll / degree), (double)(rpy.pitch / degree),
                   (double)(heading / degree)) >= 0;
}

void marl_osc_close(marl_osc *osc)
{
    if (osc != NULL) {
        lo_address_free(osc->to);
        free(osc);
    }
}
