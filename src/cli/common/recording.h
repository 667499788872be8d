/* SPDX-License-Identifier: MIT
 * One recording: from the source through the receiver into the log, with the guide looking on. */
#ifndef RECORDING_H
#define RECORDING_H

#include "cli/common/source.h"
#include "marlinspike/live.h"

/* Why a recording ended. */
typedef enum recording_end {
    END_ENOUGH,   /* the guide has what it wants */
    END_STOPPED,  /* Ctrl-C */
    END_OVER,     /* end of file, of the scene, of the log */
    END_VANISHED, /* the line is gone */
    END_SILENT,   /* nothing came for long */
    END_COUNT
} recording_end;

typedef struct recording recording;

/* Who looks on while it runs. A call that is NULL is not made. */
typedef struct recording_viewer {
    void *context;
    /* The columns are settled: recording.info. Before the first row. */
    marl_status (*begin)(void *context, recording *r, marl_error *error);
    marl_status (*row)(void *context, recording *r, const marl_log_row *row, marl_error *error);
    /* Before every look at the source, which may be made to wait by it. MARL_END: stop. */
    marl_status (*idle)(void *context, recording *r, marl_error *error);
    /* The source is over, vanished, or silent (recording.end). MARL_OK: it is back. Without this call, the end. */
    marl_status (*ended)(void *context, recording *r, marl_error *error);
} recording_viewer;

enum { RECORDING_FIRST_ROWS = 64 }; /* looked at before the columns are settled */

struct recording {
    const char *out; /* NULL: no log is written */
    int quiet;       /* the guide stays silent */
    int wanted;      /* a limit was given */
    int guided;      /* and that is not a number of seconds */
    int is_mapped;   /* lines of text by a map of columns */
    source *from;
    marl_guide *guide;
    marl_receiver *receiver;
    marl_log_writer *log;
    marl_log_info info; /* as the log has it */
    unsigned long rows; /* in the log */
    size_t first_n;
    marl_log_row first[RECORDING_FIRST_ROWS];
    recording_end end;
    int on_terminal, drawn;           /* redraws in place; lines on the screen */
    double drawn_wall_s, drawn_log_s; /* when the guide was last shown */
    double flushed_s;
    char given[MARL_GUIDE_WIDTH];
    marl_warnings warnings;
    recording_viewer viewer;
    int begun;                /* the columns are settled */
    const marl_live *watched; /* shown below the guide; NULL: none */
};

/* Runs to the end and completes the log. Fails when no row came, or the log cannot be written. */
MARL_CHECKED marl_status recording_run(recording *r, const marl_log_options *options, marl_error *error);
/* Has somebody asked for the end, by Ctrl-C or a signal? */
int recording_is_stopped(void);
/* 1 unless a limit was given and there is less. */
int recording_is_enough(const recording *r);
/* Adds what was wrong with the stream to its warnings. */
void recording_warn(recording *r);
int recording_print(recording *r);
int recording_print_json(recording *r);
void recording_free(recording *r);

/* Shows the guide when it is time to; `now` in any case. */
void recording_show(recording *r, int now);

#endif
