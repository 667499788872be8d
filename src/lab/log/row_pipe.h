/* SPDX-License-Identifier: MIT
 * Rows from one thread to another, in blocks; one of the two is started here. */
#ifndef LAB_ROW_PIPE_H
#define LAB_ROW_PIPE_H

#include "marlinspike/log.h"

typedef struct lab_row_pipe lab_row_pipe;

/* The other thread's work; it puts or takes rows until the call says that there is no more. */
typedef void lab_row_work(void *context, lab_row_pipe *pipe);

/* NULL without memory or thread: then the caller does the work himself. */
lab_row_pipe *lab_row_pipe_start(lab_row_work *work, void *context);

/* Where the next row goes; NULL when nobody takes any more. Blocks while the pipe is full. */
marl_log_row *lab_row_pipe_slot(lab_row_pipe *pipe);
/* Puts the row that was filled in there. */
void lab_row_pipe_put(lab_row_pipe *pipe);
/* No more rows come: what was put can still be taken. */
void lab_row_pipe_close(lab_row_pipe *pipe);
/* Takes one row, which stays until the next is taken; NULL at the end. Blocks while the pipe is empty. */
const marl_log_row *lab_row_pipe_take(lab_row_pipe *pipe);
/* No more rows are wanted. */
void lab_row_pipe_stop(lab_row_pipe *pipe);

/* Waits for the other thread and frees; NULL is allowed. Close or stop before. */
void lab_row_pipe_join(lab_row_pipe *pipe);

#endif
