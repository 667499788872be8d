/* SPDX-License-Identifier: MIT
 * Figures by gnuplot. */
#include "marlinspike/error.h"
#include "marlinspike/show.h"
#include "show/gnuplot.h"
#include "show/script.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* A curve with more points is drawn by the extremes of this many columns. */
#define COLUMNS 1200
/* Entries of a key in one row, and in two that are not set closer. */
enum { MAX_IN_ROW = 6, MAX_WIDE = 8, MAX_SINGLE = 4, FEW_DOTS = 60 };

/* Distinguishable for colour-blind readers ("Points of view: Color blindness", 2011), and by dash in grey. */
static const struct {
    const char *colour, *dash;
} styles[MARL_FIGURE_CURVES] = {
    {"#0072b2", "1"},   {"#e69f00", "1"},   {"#000000", "1"},   {"#009e73", "1"},
    {"#d55e00", "'-'"}, {"#cc79a7", "'-'"}, {"#56b4e9", "'-'"}, {"#7f7f7f", "'.'"},
};

/* Light enough that every curve stands out. */
static const struct {
    const char *fill, *low, *high;
} shades[MARL_FIGURE_SHADES] = {
    {"fc rgb '#dbe9f6' fs solid noborder", "0", "1"},
    {"fc rgb '#fff3cd' fs solid noborder", "0", "1"},
    {"fc rgb '#b05080' fs transparent pattern 4 noborder", "0", "1"},
    {"fc rgb '#909090' fs solid noborder", "0", "0.025"},
};

static const char *ending(const char *path)
{
    const char *dot = strrchr(path, '.');
    return dot != NULL ? dot : "";
}

marl_status marl_figure_check_path(const char *path, marl_error *error)
{
    const char *end = ending(path);
    if (strcmp(end, ".png") == 0 || strcmp(end, ".svg") == 0 || strcmp(end, ".gp") == 0) {
        return MARL_OK;
    }
    return marl_fail(error, MARL_ERR_USE, "%s: a figure ends in .png, .svg or .gp", path);
}

static void put_point(show_script *out, double x, double y)
{
    if (isfinite(x) && isfinite(y)) {
        show_put(out, "%.9g %.6g\n", x, y);
    } else {
        show_put(out, "\n");
    }
}

/* Least and greatest y of [from, to), in the order in which they stand. */
static void put_extremes(show_script *out, const marl_curve *curve, size_t from, size_t to)
{
    size_t min = from, max = from;
    for (size_t i = from; i < to; i++) {
        if (!isfinite(curve->y[i])) {
            put_point(out, NAN, NAN);
            return;
        }
        min = curve->y[i] < curve->y[min] ? i : min;
        max = curve->y[i] > curve->y[max] ? i : max;
    }
    size_t first = min < max ? min : max, second = min < max ? max : min;
    put_point(out, curve->x[first], curve->y[first]);
    if (second != first) {
        put_point(out, curve->x[second], curve->y[second]);
    }
}

static void put_data(show_script *out, const marl_curve *curve, size_t panel, size_t number)
{
    show_put(out, "$p%zuc%zu << END\n", panel, number);
    size_t columns = curve->n > 2 * COLUMNS ? COLUMNS : curve->n;
    if (curve->points) { /* of many, an even share */
        columns = curve->n > 4 * COLUMNS ? 4 * COLUMNS : curve->n;
    }
    for (size_t i = 0; i < columns; i++) {
        if (curve->points) {
            size_t at = i * curve->n / columns;
            put_point(out, curve->x[at], curve->y[at]);
            continue;
        }
        put_extremes(out, curve, i * curve->n / columns, (i + 1) * curve->n / columns);
    }
    show_put(out, "END\n");
}

/* A text between gnuplot's single quotes. A line end would end the string, and what follows would be a
 * command; invalid UTF-8 would make an SVG malformed: such bytes are replaced. */
static void put_quoted(show_script *out, const char *before, const char *text, const char *after)
{
    char shown[400];
    snprintf(shown, sizeof shown, "%s", text);
    marl_text_clean(shown);
    show_put(out, "%s'", before);
    for (const char *c = shown; *c != '\0'; c++) {
        show_put(out, *c == '\'' ? "''" : "%c", *c);
    }
    show_put(out, "'%s", after);
}

/* At most five labelled places below a narrow panel, at 1, 2 or 5 times a power of ten. */
static void put_few_tics(show_script *out, const marl_panel *panel)
{
    double min = INFINITY, max = -INFINITY;
    for (size_t i = 0; i < panel->curves; i++) {
        const marl_curve *c = &panel->curve[i];
        for (size_t k = 0; k < c->n; k++) {
            min = fmin(min, c->x[k]);
            max = fmax(max, c->x[k]);
        }
    }
    double wanted = (max - min) / 5, step = pow(10, floor(log10(wanted)));
    step *= wanted > 5 * step ? 10 : wanted > 2 * step ? 5 : wanted > step ? 2 : 1;
    if (isfinite(step) && step > 0) {
        show_put(out, "set xtics %.9g\n", step);
    }
}

static void put_shades(show_script *out, const marl_panel *panel)
{
    show_put(out, "unset object\n");
    for (size_t i = 0; i < panel->shades; i++) {
        const marl_shade *s = &panel->shade[i];
        for (size_t k = 0; k < s->n; k++) {
            show_put(out, "set object rectangle from %.9g, graph %s to %.9g, graph %s behind %s\n",
                     s->from[k], shades[i].low, s->to[k], shades[i].high, shades[i].fill);
        }
    }
}

/* What stands in the key without being a curve of this panel. */
static void put_key_entry(show_script *out, const char *how, const char *label)
{
    show_put(out, ", keyentry with %s", how);
    put_quoted(out, " title ", label, "");
}

static size_t key_entries(const marl_figure *figure)
{
    return figure->panel[0].curves + figure->panel[0].shades;
}

/* Does the key need two rows? */
static int is_crowded(const marl_figure *figure)
{
    return key_entries(figure) > MAX_IN_ROW;
}

/* Shades and the panels beside them end where the data do, so that all show the same time. */
static int ends_with_data(const marl_figure *figure, const marl_panel *panel)
{
    for (size_t p = 0; p < figure->panels; p++) {
        if (figure->panel[p].shades > 0 && strcmp(figure->panel[p].x_label, panel->x_label) == 0) {
            return 1;
        }
    }
    return 0;
}

static void put_scales(show_script *out, const marl_panel *panel)
{
    if (panel->logarithmic) {
        show_put(out, "set logscale xy\nset format xy '%%g'\nset xtics 100\n");
        return;
    }
    show_put(out, "unset logscale\nset format xy '%%h'\nset xtics autofreq\n");
    if (panel->logarithmic_x) {
        show_put(out, "set logscale x\nset format x '%%g'\n");
    }
    if (panel->logarithmic_y) {
        show_put(out, "set logscale y\nset format y '%%g'\n");
    }
}

static void put_axes(show_script *out, const marl_figure *figure, size_t number)
{
    const marl_panel *panel = &figure->panel[number];
    put_quoted(out, "set xlabel ", panel->x_label, "\n");
    put_quoted(out, "set ylabel ", panel->y_label, "\n");
    if (number > 0) {
        show_put(out, "set key off\n");
    } else if (figure->columns > 1 || key_entries(figure) > MAX_SINGLE) {
        show_put(
            out,
            "set key at screen 0.53,0.955 center top vertical maxrows %d samplen 1.5 width %d font ',13'\n",
            is_crowded(figure) ? 2 : 1, key_entries(figure) > MAX_WIDE ? -2 : 0);
    } else {
        show_put(out, "set key at screen 0.53,0.95 center top horizontal maxrows 2 samplen 2 width 2\n");
    }
    put_scales(out, panel);
    show_put(out, "%s", panel->square ? "set size ratio -1\n" : "set size noratio\n");
    if (figure->columns > 1 && !panel->logarithmic && !panel->logarithmic_x && !panel->square) {
        put_few_tics(out, panel);
    }
    show_put(out, "%s", ends_with_data(figure, panel) ? "set autoscale xfix\n" : "set autoscale x\n");
    if (panel->tight) {
        show_put(out, "set autoscale fix\n");
    } else if (panel->y_from < panel->y_to) {
        show_put(out, "set yrange [%.9g:%.9g]\n", panel->y_from, panel->y_to);
    } else {
        show_put(out, "set autoscale y\n");
    }
}

static void put_curve(show_script *out, const marl_panel *panel, size_t number, size_t i, int first)
{
    const marl_curve *c = &panel->curve[i];
    size_t like = (size_t)c->like, from = c->place > 0            ? (size_t)c->place - 1
                                          : like > 0 && like <= i ? i - like
                                                                  : i;
    char pen[80];
    if (c->points && c->n == 1) { /* what is marked, over what is scattered */
        snprintf(pen, sizeof pen, "points pt 13 ps 2.6 lc rgb '%s'", styles[from].colour);
    } else if (c->points) {
        /* few dots are large, many do not hide each other */
        snprintf(pen, sizeof pen, "points pt 7 ps %s lc rgb '%s'", c->n < FEW_DOTS ? "1.1" : "0.4",
                 styles[from].colour);
    } else if (c->wide) {
        snprintf(pen, sizeof pen, "lines lc rgb '#b0b0b0' lw 7 dt 1");
    } else {
        snprintf(pen, sizeof pen, "lines lc rgb '%s' lw 2 dt %s", styles[from].colour,
                 like > 0 ? "'-'" : styles[from].dash);
    }
    if (c->n == 0) {
        put_key_entry(out, pen, c->label);
        return;
    }
    show_put(out, "%s$p%zuc%zu with %s ", first ? "" : ", ", number, i, pen);
    if (c->label != NULL) {
        put_quoted(out, "title ", c->label, "");
    } else {
        show_put(out, "notitle");
    }
}

static void put_plot(show_script *out, const marl_figure *figure, size_t number)
{
    const marl_panel *panel = &figure->panel[number];
    put_axes(out, figure, number);
    put_shades(out, panel);
    show_put(out, "plot ");
    int first = 1;
    for (int key_only = 0; key_only < 2; key_only++) {
        for (size_t i = 0; i < panel->curves; i++) {
            int named = panel->curve[i].label != NULL;
            if (key_only ? panel->curve[i].n == 0 && named : panel->curve[i].n > 0) {
                put_curve(out, panel, number, i, first);
                first = 0;
            }
        }
    }
    for (size_t i = 0; i < panel->shades && number == 0; i++) {
        char pen[120];
        if (panel->shade[i].n == 0) {
            continue;
        }
        snprintf(pen, sizeof pen, "boxes %s", shades[i].fill);
        put_key_entry(out, pen, panel->shade[i].label);
    }
    show_put(out, "\n");
}

static int has_data(const marl_panel *panel)
{
    size_t n = 0;
    for (size_t i = 0; i < panel->curves; i++) {
        n += panel->curve[i].n;
    }
    return n > 0;
}

static void put_script(show_script *out, const marl_figure *figure, const char *end)
{
    char line[120];
    show_put(out, "# gnuplot\n");
    show_put(out, "%s",
             strcmp(end, ".svg") == 0
                 ? "set terminal svg size 1280,800 font 'sans,16' background 'white' noenhanced\n"
                 : "set terminal pngcairo size 1280,800 font 'sans,16' noenhanced\n");
    for (size_t p = 0; p < figure->panels; p++) {
        for (size_t c = 0; c < figure->panel[p].curves; c++) {
            put_data(out, &figure->panel[p].curve[c], p, c);
        }
    }
    if (figure->columns > 1) {
        show_put(out,
                 "set tics font ',12'\nset xlabel font ',13' offset 0,0.6\nset ylabel font ',13' offset 1\n");
    }
    show_put(out, "set grid lc rgb '#d0d0d0' lt 1\nset border 3\nset tics nomirror\n");
    size_t columns = figure->columns > 0 ? figure->columns : 1;
    size_t rows = (figure->panels + columns - 1) / columns;
    const char *top_and_bottom = rows == 1 || columns == 1 ? "0.1,0.88"
                                 : is_crowded(figure)      ? "0.075,0.86"
                                                           : "0.075,0.89";
    snprintf(line, sizeof line, "set multiplot layout %zu,%zu margins %s,0.98,%s spacing %s title ", rows,
             columns, columns > 1 ? "0.1" : "0.11", top_and_bottom, columns > 1 ? "0.11,0.115" : "0.1,0.12");
    put_quoted(out, line, figure->title, "\n");
    for (size_t p = 0; p < figure->panels; p++) {
        if (has_data(&figure->panel[p])) {
            put_plot(out, figure, p);
        } else {
            show_put(out, "set multiplot next\n");
        }
    }
    show_put(out, "unset multiplot\n");
}

static marl_status write_file(const char *path, const char *bytes, size_t n, marl_error *error)
{
    marl_outfile *out;
    MARL_TRY(marl_outfile_open(&out, path, error));
    marl_outfile_write(out, bytes, n);
    return marl_outfile_commit(out, error);
}

marl_status marl_figure_draw(const marl_figure *figure, const char *path, marl_error *error)
{
    show_script script = {0};
    char *image = NULL;
    size_t size;
    MARL_TRY(marl_figure_check_path(path, error));
    put_script(&script, figure, ending(path));
    marl_status status = MARL_OK;
    if (script.no_memory) {
        status = marl_fail(error, MARL_ERR_SYSTEM, "no memory");
    } else if (strcmp(ending(path), ".gp") == 0) {
        status = write_file(path, script.text, script.n, error);
    } else {
        status = show_gnuplot_draw(script.text, script.n, &image, &size, error);
        status = status == MARL_OK ? write_file(path, image, size, error) : status;
    }
    free(script.text);
    free(image);
    return status;
}
