/* SPDX-License-Identifier: MIT
 * What live is made of: one recording with filters, a page and the network looking on. */
#ifndef CLI_LIVE_JOB_H
#define CLI_LIVE_JOB_H

#include "cli/common/cli.h"
#include "cli/common/recording.h"
#include "marlinspike/live.h"
#include <pthread.h>
#include <stdatomic.h>

enum { LIVE_TRACE_COLUMNS = 1 + 9 + 9 + 3 * MARL_LIVE_RUNS, LIVE_TRACE_ROWS = 64, LIVE_POINTS = 64 };

/* What has come since the last frame, thinned. */
typedef struct live_batch {
    int rows, points;
    float row[LIVE_TRACE_ROWS][LIVE_TRACE_COLUMNS]; /* readings raw and corrected, and three angles a run */
    double t[LIVE_TRACE_ROWS];
    float point[LIVE_POINTS][6]; /* magnetometer, raw and corrected, uT */
    int64_t row_ns, point_ns;    /* of the last of each */
} live_batch;

/* How fast each sensor's readings come, over the last second. */
typedef struct live_rates {
    unsigned n[MARL_SENSOR_COUNT];
    double hz[MARL_SENSOR_COUNT];
    int64_t from_ns;
} live_rates;

/* A guided recording, and the fit behind it, which runs on a thread of its own. */
typedef struct live_guide {
    marl_guide *guide; /* NULL: none */
    marl_guide_kind kind;
    marl_log log; /* what it has recorded */
    size_t capacity;
    int too_long;
    marl_session *session; /* under way, or the last one */
    marl_error error;      /* of its fit */
    pthread_t thread;
    int fitting;
    atomic_int fitted;
} live_guide;

/* A message to the board that waits for its acknowledgement. */
typedef struct live_message {
    marl_live_request request;
    int waits, tries;
    uint8_t bytes[MARL_MESSAGE_MAX];
    size_t n;
    uint32_t number;
    double sent_s;
} live_message;

typedef enum live_status { LIVE_WAITING, LIVE_RUNNING, LIVE_LOST, LIVE_OVER, LIVE_FAILED } live_status;

typedef struct live_options {
    char **sources, **tunings, *calibration, *record, *osc, *faults, *device, **chips;
    double pace, updates, duration, rate, turn_angle;
    long long seed;
    int port, no_page;
} live_options;

typedef struct live_job {
    const live_options *options;
    const cli_reading *reading;
    int json, quiet;
    source_options where;
    source from;
    recording recording;
    marl_named_tuning tunings[MARL_LIVE_RUNS];
    size_t tuning_n;
    marl_calibration_record record;
    int has_record;
    marl_live *live; /* NULL before the columns are settled */
    marl_live_server *server;
    marl_osc *osc;
    live_status status;
    const char *failure; /* why, of LIVE_FAILED */
    live_batch batch;
    live_rates rates;
    live_guide guide;
    live_message message;
    double duration_s;            /* of the source's time */
    double began_wall_s, began_s; /* for --pace */
    double shown_wall_s;          /* the last frame */
    int64_t shown_ns;             /* time of its last sample */
    double latency_s;             /* greatest, from a sample's arrival to its frame, since the last one */
    double oldest_wall_s;         /* arrival of the oldest sample that is in no frame; negative: none */
    uint32_t frames;
    uint32_t limited[MARL_LIVE_RUNS]; /* corrections with the bias at its limit, a second ago */
    int64_t limited_ns;
    unsigned every;
} live_job;

double live_wall_s(void);
/* As fast as it goes: frames go by the samples' own time, and stdout is waited for. */
int live_is_unpaced(const live_job *job);

/* Calls of the recording. */
recording_viewer live_viewer(live_job *job);
/* A change: applied, written into the recording, and shown. */
MARL_CHECKED marl_status live_change(live_job *job, marl_change *change, marl_error *error);
/* Does it keep all state of its run, or the attitude alone? Before it is applied. */
int live_change_keeps_all(const live_job *job, const marl_change *change);

/* A row into what the next frame shows. */
void live_batch_row(live_job *job, const marl_sample *raw);
/* A frame to viewers, network and stdout. */
void live_show_frame(live_job *job);
/* To viewers: what is set and what goes on. */
void live_show_state(live_job *job);
/* To viewers: why it ends. */
void live_show_failure(live_job *job, const marl_error *error);

/* What became of it: a line, and the recording's warnings. */
int live_print_end(live_job *job, const cli *c);

/* All requests that wait. */
void live_answer_requests(live_job *job);
/* Acknowledgements of the board, and what becomes of a message without. */
void live_follow_message(live_job *job);
MARL_CHECKED marl_status live_send_message(live_job *job, const marl_live_request *request,
                                           const marl_message *message, marl_error *error);

MARL_CHECKED marl_status live_guide_start(live_job *job, marl_guide_kind kind, marl_error *error);
void live_guide_feed(live_job *job, const marl_log_row *row);
MARL_CHECKED marl_status live_guide_fit(live_job *job, marl_error *error);
/* Takes over a fit that is done. */
void live_guide_follow(live_job *job);
void live_guide_free(live_guide *guide);
json_t *live_guide_json(const live_job *job);
json_t *live_fit_json(const live_job *job);

#endif
