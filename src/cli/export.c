/* SPDX-License-Identifier: MIT
 * marlinspike export */
#include "cli/common/cli.h"
#include <stdio.h>
#include <string.h>

typedef struct options {
    char *as, *tuning, *out;
    size_t bytes; /* of an image */
} options;

static marl_status write_store(const marl_calibration_record *record, const marl_named_tuning *tuning,
                               options *o, marl_error *error)
{
    uint8_t image[MARL_STORE_IMAGE_MAX];
    marl_outfile *out;
    MARL_TRY(marl_store_image(record, tuning != NULL ? &tuning->tuning : NULL, image, &o->bytes, error));
    MARL_TRY(marl_outfile_open(&out, o->out, error));
    marl_outfile_write(out, (const char *)image, o->bytes);
    return marl_outfile_commit(out, error);
}

static marl_status write(const cli *c, options *o, marl_error *error)
{
    marl_calibration_record record;
    marl_named_tuning named, *tuning = o->tuning != NULL ? &named : NULL;
    int is_store = o->as != NULL && strcmp(o->as, "store") == 0;
    if (!is_store && (o->as == NULL || strcmp(o->as, "c-header") != 0)) {
        char meant[80] = "";
        marl_nearest_word nearest = {.given = o->as != NULL ? o->as : ""};
        marl_nearest(&nearest, "c-header");
        marl_nearest(&nearest, "store");
        cli_meant(&nearest, meant, sizeof meant);
        return marl_fail(error, MARL_ERR_USE, "export: --as is c-header or store%s%s%s",
                         o->as != NULL ? ", and not " : "", o->as != NULL ? o->as : "", meant);
    }
    if (o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "export: -o FILE is needed");
    }
    MARL_TRY(marl_calibration_read(&record, c->file[0], error));
    MARL_TRY(tuning != NULL ? marl_tuning_read(tuning, o->tuning, NULL, error) : MARL_OK);
    return is_store ? write_store(&record, tuning, o, error)
                    : marl_calibration_write_header(&record, tuning, o->out, error);
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
        if (o->bytes > 0) {
            cli_print(
                "%zu bytes for the start of the store's memory; the rest of it is to be erased (0xff)\n",
                o->bytes);
        } else {
            cli_print("in the firmware: #include it, and set marl_pipeline_config's calibration%s\n",
                      o->tuning != NULL ? " and tuning" : "");
        }
    }
    return cli_print_done();
}

int cli_export(int argc, const char **argv)
{
    options o = {0};
    marl_error error = {0};
    cli c;
    const struct poptOption table[] = {
        {"as", '\0', POPT_ARG_STRING, &o.as, 0,
         "c-header: constants that the device takes as they are; store: what the board's store would hold, "
         "to be flashed",
         "FORM"},
        {"tuning", '\0', POPT_ARG_STRING, &o.tuning, CLI_TUNING, "this tuning, too", "T"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES, "the file to write", "FILE"},
        POPT_TABLEEND,
    };
    const cli_usage usage = {"CAL",
                             CLI_READS,
                             1,
                             1,
                             "Writes a calibration, and a tuning, in a form that a board takes. The numbers "
                             "are those of the files\n"
                             "bit for bit.",
                             "export pod-07.json --as c-header --tuning kalman -o pod_07.h"};
    int code = cli_open(&c, argc, argv, table, &usage);
    if (code == CLI_GO) {
        (void)!write(&c, &o, &error);
        code = cli_exit(&error);
        code = code == CLI_DONE ? report(&c, &o) : code;
    }
    cli_close(&c);
    return code;
}
