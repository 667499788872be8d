/* SPDX-License-Identifier: MIT
 * Names and comments of exported C headers. */
#include "lab/files/c_text.h"
#include <ctype.h>

void lab_c_name(const char *device, char name[LAB_C_NAME], char upper[LAB_C_NAME])
{
    size_t n = 0;
    if (device[0] == '\0' || isdigit((unsigned char)device[0])) {
        n = (size_t)snprintf(name, LAB_C_NAME, "board%s", device[0] == '\0' ? "" : "_");
    }
    for (; *device != '\0' && n + 1 < LAB_C_NAME; device++) {
        name[n++] = isalnum((unsigned char)*device) ? *device : '_';
    }
    name[n] = '\0';
    for (size_t i = 0; i <= n; i++) {
        upper[i] = (char)toupper((unsigned char)name[i]);
    }
}

void lab_c_comment(marl_outfile *out, const char *text)
{
    for (; *text != '\0'; text++) {
        char one[2] = {
            *text == '*' || *text == '/' || *text == '\\' || !isprint((unsigned char)*text) ? '_' : *text,
            '\0'};
        marl_outfile_text(out, one);
    }
}

void lab_c_title(marl_outfile *out, const char *what, const marl_calibration_record *record)
{
    LAB_C_PUT(out, "/* %s", what);
    lab_c_comment(out, record->device[0] != '\0' ? record->device : "a board without a name");
    marl_outfile_text(out, record->made[0] != '\0' ? ", made " : "");
    lab_c_comment(out, record->made);
    LAB_C_PUT(out, ". Written by marlinspike %s: do not edit, export it again.\n", marl_version());
}
