/* SPDX-License-Identifier: MIT
 * marlinspike export */
#include "cli/common/cli.h"
#include "cli/export/export_registers.h"
#include <stdio.h>
#include <string.h>

typedef enum form { FORM_HEADER, FORM_STORE, FORM_REGISTERS } form;
static const char *const form_name[] = {"c-header", "store", "chip-registers"};

typedef struct options {
    char *as, *tuning, *out;
    export_registers_options registers;
    form form;
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

static marl_status find_form(options *o, marl_error *error)
{
    char meant[80] = "";
    marl_nearest_word nearest = {.given = o->as != NULL ? o->as : ""};
    for (int i = 0; i < (int)(sizeof form_name / sizeof form_name[0]); i++) {
        if (o->as != NULL && strcmp(o->as, form_name[i]) == 0) {
            o->form = (form)i;
            return MARL_OK;
        }
        marl_nearest(&nearest, form_name[i]);
    }
    cli_meant(&nearest, meant, sizeof meant);
    return marl_fail(error, MARL_ERR_USE, "export: --as is c-header, store or chip-registers%s%s%s",
                     o->as != NULL ? ", and not " : "", o->as != NULL ? o->as : "", meant);
}

static marl_status check(options *o, marl_error *error)
{
    MARL_TRY(find_form(o, error));
    if (o->out == NULL) {
        return marl_fail(error, MARL_ERR_USE, "export: -o FILE is needed");
    }
    int for_registers = o->registers.chip != NULL || o->registers.mount != NULL || o->registers.rest != NULL;
    if (o->form == FORM_REGISTERS ? o->tuning != NULL : for_registers) {
        return marl_fail(error, MARL_ERR_USE, "export: %s does not go with --as %s",
                         o->form == FORM_REGISTERS ? "--tuning" : "--chip, --mount or --rest", o->as);
    }
    return MARL_OK;
}

static marl_status write(const cli *c, options *o, marl_error *error)
{
    marl_calibration_record record;
    marl_named_tuning named, *tuning = o->tuning != NULL ? &named : NULL;
    MARL_TRY(check(o, error));
    MARL_TRY(marl_calibration_read(&record, c->file[0], error));
    MARL_TRY(tuning != NULL ? marl_tuning_read(tuning, o->tuning, NULL, error) : MARL_OK);
    return o->form == FORM_STORE       ? write_store(&record, tuning, o, error)
           : o->form == FORM_REGISTERS ? export_registers(&record, &o->registers, o->out, error)
                                       : marl_calibration_write_header(&record, tuning, o->out, error);
}

static int report(const cli *c, const options *o)
{
    if (c->json) {
        json_t *root = json_object();
        json_object_set_new(root, "as", cli_text(o->as));
        json_object_set_new(root, "written", cli_text(o->out));
        if (o->form == FORM_REGISTERS) {
            export_registers_json(&o->registers, root);
        }
        return cli_print_json(root);
    }
    if (!c->quiet) {
        cli_print("written: %s\n", o->out);
        if (o->form == FORM_STORE) {
            cli_print(
                "%zu bytes for the start of the store's memory; the rest of it is to be erased (0xff)\n",
                o->bytes);
        } else if (o->form == FORM_REGISTERS) {
            export_registers_print(&o->registers);
        } else {
            cli_print("in the firmware: #include it, and set marl_pipeline_config's calibration%s\n",
                      o->tuning != NULL ? " and tuning" : "");
        }
    }
    if (!c->quiet) {
        cli_print_warnings(&o->registers.warnings);
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
         "to be flashed; chip-registers: the biases as values of the chip's offset registers",
         "FORM"},
        {"tuning", '\0', POPT_ARG_STRING, &o.tuning, CLI_TUNING, "this tuning, too", "T"},
        {"chip", '\0', POPT_ARG_STRING, &o.registers.chip, CLI_READS,
         "of chip-registers: the chip's table (default: the Grommet)", "FILE"},
        {"mount", '\0', POPT_ARG_STRING, &o.registers.mount, 0,
         "of chip-registers: the chip's axes that the body's x, y and z are, as 2,-1,3 (default 1,2,3)",
         "AXES"},
        {"rest", '\0', POPT_ARG_STRING, &o.registers.rest, CLI_WRITES,
         "of chip-registers: the calibration of what the registers leave", "FILE"},
        {NULL, 'o', POPT_ARG_STRING, &o.out, CLI_WRITES, "the file to write", "FILE"},
        POPT_TABLEEND,
    };
    const cli_usage usage = {
        "CAL",
        CLI_READS,
        1,
        1,
        "Writes a calibration, and a tuning, in a form that a board takes. The numbers of c-header "
        "and store\n"
        "are those of the files bit for bit; registers round them, and --rest has what is left.",
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
