/* SPDX-License-Identifier: MIT
 * What a log's reader repaired or left out, in words. */
#include "marlinspike/log.h"

void marl_log_warn(marl_warnings *w, const marl_log_report *r, const char *path)
{
    if (r->assumed_units[0] != '\0') {
        marl_warn(w, "units-assumed", "%s:1: no unit given, assumed: %s", path, r->assumed_units);
    }
    if (r->unknown_columns[0] != '\0') {
        marl_warn(w, "unknown-column", "%s:1: columns not known and ignored: %s", path, r->unknown_columns);
    }
    if (r->rows_dropped > 0) {
        marl_warn(w, "bad-rows", "%s:%ld: %s; %lu of %lu rows dropped", path, r->first_dropped_line,
                  r->first_dropped_why, r->rows_dropped, r->rows + r->rows_dropped);
    }
    if (r->nuls_at_end > 0) {
        marl_warn(w, "nul-tail", "%s: %lu NUL bytes at its end, as a power cut leaves them; left out", path,
                  r->nuls_at_end);
    }
    if (r->time_repeated > 0) {
        marl_warn(w, "time-repeat", "%s: time stands still in %lu rows", path, r->time_repeated);
    }
    if (r->time_back > 0) {
        marl_warn(w, "time-back", "%s: time goes back in %lu rows", path, r->time_back);
    }
    if (r->cells_missing > 0) {
        marl_warn(w, "bad-cells", "%s:%ld: no usable number; %lu such cells count as missing", path,
                  r->first_missing_line, r->cells_missing);
    }
    if (r->clock_wraps > 0) {
        marl_warn(w, "clock-wrap", "%s: the 32-bit microsecond clock wrapped %lu times; unwrapped", path,
                  r->clock_wraps);
    }
}
