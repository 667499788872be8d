/* SPDX-License-Identifier: MIT
 * marlinspike export */
#include "cli/common/cli.h"
#include <stdio.h>
#include <string.h>

typedef struct options {
    char *as, *tuning, *out;
} options;

static marl_status write(const cli *c, const options *o, marl_error *error)
{
    marl_calibration_record record;
    marl_named_tuning tuning;
    if (o->as == NULL || strcmp(o->as, "c-header") != 0) {
        return marl_fail(error, MARL_ERR_USE, "export: --as is c-header%s%s",
                         o->as != NULL ? ", and not " : "", o->as != NULL ? o->as : "");
    }
    if (o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "export: -o FILE is needed");
    }
    MARL_TRY(marl_calibration_read(&record, c->file[0], error));
    MARL_TRY(o->tuning != NULL ? marl_tuning_read(&tuning, o->tuning, NULL, error) : MARL_OK);
    return marl_calibration_write_header(&record, o->tuning != NULL ? &tuning : NULL, o->out, error);
}

static int report(const cli *c, const options *o)
{
    if (c->json) {
        json_t *root = json_object();
        json_object_set_new(root, "as", cli_text(o->as));
        json_object_set_new(root, "written", cli_text(o->out));
        return cli_print_json(root);
    }
    if (!c->quiet) {
        cli_print("written: %s\n", o->out);
        cli_print("in the firmware: #include it, and set marl_pipeline_config's calibration%s\n",
                  o->tuning != NULL ? " and tuning" : "");
    }
    return cli_print_done();
}

int cli_export(int argc, const char **argv)
{
    options o = {0};
    marl_error error = {0};
    cli c;
    const struct poptOption table[] = {
        {"as", '\0', POPT_ARG_STRING, &o.as, 0, "c-header: constants that the device takes as they are",
         "FORM"},
        {"tuning", '\0', POPT_ARG_STRING, &o.tuning, CLI_TUNING, "this tuning, too", "T"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES, "the file to write", "FILE"},
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "CAL",
        CLI_READS,
        1,
        1,
        "Writes a calibration, and a tuning, in a form that firmware takes. The numbers of a C header are\n"
        "those of the files bit for bit.",
        "export pod-07.json --as c-header --tuning calm.json -o pod_07.h"};
    int code = cli_open(&c, argc, argv, table, &usage);
    if (code == CLI_GO) {
        (void)!write(&c, &o, &error);
        code = cli_exit(&error);
        code = code == CLI_DONE ? report(&c, &o) : code;
    }
    cli_close(&c);
    return code;
}
