/* SPDX-License-Identifier: MIT
 * Texts of the status codes. */
#include "marlinspike/status.h"

const char *marl_status_text(marl_status status)
{
    switch (status) {
    case MARL_OK:
        return "done";
    case MARL_ERR_ARGUMENT:
        return "an argument is out of its range";
    case MARL_ERR_NOT_FINITE:
        return "a reading is NaN or infinite";
    case MARL_ERR_IMPLAUSIBLE:
        return "a reading is implausibly large";
    case MARL_ERR_TIME:
        return "time stood still or went back";
    case MARL_ERR_GAP:
        return "too long without a sample";
    case MARL_ERR_NOT_READY:
        return "no good reading to start from yet";
    case MARL_ERR_DEGENERATE:
        return "the vectors do not determine an attitude";
    case MARL_ERR_ARITHMETIC:
        return "this machine or build does not compute the agreed bits";
    case MARL_ERR_BUS_SILENT:
        return "no chip responds at this address";
    case MARL_ERR_BUS_LATE:
        return "the chip responds too late";
    case MARL_ERR_BUS_GARBAGE:
        return "the chip sends garbage";
    case MARL_ERR_IDENTITY:
        return "another chip than expected responds";
    case MARL_ERR_STORE:
        return "the non-volatile memory failed";
    case MARL_ERR_EMPTY:
        return "the store is empty";
    case MARL_ERR_CAPACITY:
        return "it does not fit";
    case MARL_ERR_MESSAGE:
        return "the message is not understood";
    case MARL_ERR_MOVING:
        return "the board moves; it must be at rest";
    case MARL_ERR_DEVICE:
        return "meant for another device";
    case MARL_ERR_OVERFLOW:
        return "readings were lost: its FIFO ran over";
    case MARL_END:
        return "nothing more to read";
    case MARL_ERR_USE:
        return "the call contradicts itself";
    case MARL_ERR_INPUT:
        return "the input is unreadable or contradictory";
    case MARL_ERR_INSUFFICIENT:
        return "too little data to determine it";
    case MARL_ERR_SYSTEM:
        return "the machine failed";
    case MARL_STATUS_COUNT:
        break;
    }
    return "unknown status";
}
