/* SPDX-License-Identifier: MIT
 * What the name of a file, or the label of rows, says of columns that are called x, y and z. */
#include "lab/import/columns_guess.h"
#include <ctype.h>
#include <string.h>

/* What the file's own name says of columns called x, y and z. */
static const struct {
    const char *word;
    marl_column first;
    int axes;
    int whole; /* a word of its own: too short to be looked for within others */
} file_words[] = {
    {"acceler", MARL_COLUMN_ACCEL_X, 3, 0},     {"accel", MARL_COLUMN_ACCEL_X, 3, 1},
    {"acc", MARL_COLUMN_ACCEL_X, 3, 1},         {"gyroscope", MARL_COLUMN_GYRO_X, 3, 0},
    {"rotationrate", MARL_COLUMN_GYRO_X, 3, 0}, {"angularvelocity", MARL_COLUMN_GYRO_X, 3, 0},
    {"angularrate", MARL_COLUMN_GYRO_X, 3, 0},  {"gyro", MARL_COLUMN_GYRO_X, 3, 1},
    {"gyr", MARL_COLUMN_GYRO_X, 3, 1},          {"magnet", MARL_COLUMN_MAG_X, 3, 0},
    {"compass", MARL_COLUMN_MAG_X, 3, 0},       {"mag", MARL_COLUMN_MAG_X, 3, 1},
    {"orientation", MARL_COLUMN_Q_W, 4, 0},     {"attitude", MARL_COLUMN_Q_W, 4, 0},
    {"quaternion", MARL_COLUMN_Q_W, 4, 0},      {"rotationvector", MARL_COLUMN_Q_W, 4, 0},
};

/* Is the word, of small letters, a word of its own in the text? */
static int stands_alone(const char *text, const char *word)
{
    size_t n = strlen(word);
    for (const char *p = strstr(text, word); p != NULL; p = strstr(p + 1, word)) {
        if ((p == text || !isalpha((unsigned char)p[-1])) && !isalpha((unsigned char)p[n])) {
            return 1;
        }
    }
    return 0;
}

lab_file_hint lab_guess_file_hint(const char *path)
{
    const char *slash = strrchr(path, '/');
    char small[MARL_NAME_MAX], plain[MARL_NAME_MAX];
    size_t n = 0;
    for (const char *p = slash != NULL ? slash + 1 : path; *p != '\0' && n + 1 < sizeof small; p++) {
        small[n++] = (char)tolower((unsigned char)*p);
    }
    small[n] = '\0';
    lab_guess_simplify(small, plain, sizeof plain);
    lab_file_hint hint = {.first = -1, .unwanted = lab_guess_is_unwanted(plain)};
    for (size_t i = 0; i < sizeof file_words / sizeof file_words[0] && hint.first < 0; i++) {
        int here = file_words[i].whole ? stands_alone(small, file_words[i].word)
                                       : strstr(plain, file_words[i].word) != NULL;
        hint.first = here ? (int)file_words[i].first : -1;
        hint.axes = here ? file_words[i].axes : 0;
    }
    return hint;
}

lab_file_hint lab_guess_label_hint(const char *label)
{
    char plain[MARL_NAME_MAX];
    lab_file_hint hint = lab_guess_file_hint(label);
    lab_guess_simplify(label, plain, sizeof plain);
    if (hint.first < 0) {
        hint.first = lab_guess_word(plain, &hint.axes);
    }
    return hint;
}
