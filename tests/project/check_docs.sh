#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# What the documentation says is so: check_docs.sh SOURCE TOOL.
set -euo pipefail
source=$1 tool=$2
cd "$source"
bad=0
complain() {
    echo "$*"
    bad=1
}

# Every link leads somewhere.
for page in README.md CONTRIBUTING.md docs/*.md; do
    while read -r link; do
        [ -e "$(dirname "$page")/${link%%#*}" ] || complain "$page: $link leads nowhere"
    done < <(grep -oE '\]\([^)h][^)]*\)' "$page" | sed 's/^](//; s/)$//')
done

# Every parameter of the code stands in the table with its default and range, and in the schema; no other does.
documented=$(sed -n '/^## Tuning/,/^## Sheet/p' docs/formats.md | awk -F'|' 'NF == 8 && $2 ~ /^ `/' | wc -l)
parameters=src/device/attitude/parameter_list.h
coded=$(grep -c '^    ROW(' $parameters)
[ "$documented" = "$coded" ] || complain "docs/formats.md has $documented parameters, the code $coded"
sed -n 's/^    ROW([A-Z_]*, "\([a-z_]*\)", "[^"]*", \([A-Z]*\), [A-Z]*, \([0-9.]*\)f, \(-\{0,1\}[0-9.]*\)f, \([0-9.]*\)f,.*/\1 \2 \3 \4 \5/p' \
    $parameters >"${TMPDIR:-/tmp}/parameters.$$"
[ "$(wc -l <"${TMPDIR:-/tmp}/parameters.$$")" = "$coded" ] || complain "the list in $parameters cannot be read"
while read -r name kind standard low high; do
    grep -q "\"$name\"" docs/schema/tuning.schema.json || complain "$name is not in the schema"
    [ "$kind" = SWITCH ] && continue
    short() { printf '%g' "$1"; }
    row="| $(short "$standard") | $(printf '%.10g' "$low") to $(printf '%.10g' "$high") |"
    grep -F "| \`$name\`" docs/formats.md | grep -qF "$row" || complain "docs/formats.md: $name should say $row"
    grep -qE "\"$name\": \{ \"type\": \"number\", \"minimum\": $(short "$low"), \"maximum\": $(printf '%.10g' "$high") \}" \
        docs/schema/tuning.schema.json || complain "the schema has another range for $name"
done <"${TMPDIR:-/tmp}/parameters.$$"
rm -f "${TMPDIR:-/tmp}/parameters.$$"

# Numbers that the pages give in words are those of the code.
words=(zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen twenty)
says() { # PAGE NUMBER WHAT
    grep -qi "\b${words[$2]:-$2} $3" "$1" || grep -q "\b$2 $3" "$1" || complain "$1: there are $2 $3"
}
scenes=$("$tool" simulate --help | grep -cE '^  [a-z]+ +.*; [0-9]+ s$')
filters=$(grep -c '^    \[MARL_FILTER_[A-Z_]*\] = "' src/device/attitude/tuning_names.c)
classes=$(sed -n 's/.*ACCURACY_CLASSES = \([0-9]*\).*/\1/p' tests/trials/accuracy_scenes.h)
says docs/commands.md "$scenes" scenes
says docs/which-filter.md "$filters" filters
says README.md "$classes" "classes of motion"
says docs/which-filter.md "$classes" classes
says docs/methods/estimators.md "$classes" "classes of motion"
says docs/architecture.md "$(ls include/marlinspike | wc -l)" "public headers"

# Every compiler line of the pages compiles as it stands, in a folder as the page has it.
lines=$(mktemp -d)
ln -s "$source"/{src,include,examples} "$lines/"
mkdir "$lines/marlinspike"
ln -s "$source"/{src,include} "$lines/marlinspike/"
tests/project/code_of_page.sh docs/porting.md "$lines/my_port.c"
sed -n '/hal_microseconds(void);/,/hal_uart_get(/p' docs/porting.md | sed -n 's/^\([a-z].*\)(\(.*\));.*/\1(\2) { return 0; }/p' | sed 's/^void \(.*\)return 0; /void \1/' >"$lines/hal.c"
{ printf '#include <stdint.h>\n'; cat "$lines/hal.c"; printf 'int main(void) { return 0; }\n'; } >"$lines/main.c"
for page in README.md docs/porting.md; do
    count=0
    while read -r line; do
        count=$((count + 1))
        (cd "$lines" && eval "${line/cc /cc -w }") || complain "$page: does not compile: $line"
    done < <(grep -E '^    cc -std=c11' "$page" | sed 's/^ *//')
    [ $count -gt 0 ] || complain "$page: has no line that compiles the device layer"
done
rm -rf "$lines"

# Every command stands in docs/commands.md.
"$tool" --help | sed -n 's/^  \([a-z]*\) .*/\1/p' | while read -r command; do
    grep -q "^| \`$command" docs/commands.md || { echo "docs/commands.md: no $command"; exit 1; }
done || bad=1

# Every unit of the code stands in docs/formats.md, those of sensors in the schemas of sheets and chips, too.
while read -r quantity unit; do
    grep -qE "(\`| )${unit//^/\\^}(\`| |,)" docs/formats.md || complain "docs/formats.md: no unit $unit"
    case $quantity in ACCEL | GYRO | MAG) ;; *) continue ;; esac
    for schema in sheet chip; do
        grep -qF "\"$unit\"" docs/schema/$schema.schema.json || complain "docs/schema/$schema.schema.json: no unit $unit"
    done
done < <(sed -n 's/^    {LAB_\([A-Z]*\), "\([^"]*\)".*/\1 \2/p' src/lab/log/units.c)

# Every measure beside the errors is defined in docs/measures.md.
for key in $(sed -n 's/^    \[MARL_SCALAR_[A-Z_]*\] = {"\([a-z_]*\)".*/\1/p' src/lab/compare/measures.c); do
    grep -q "^| \`$key\` |" docs/measures.md || complain "docs/measures.md: no $key"
done

# Every package that ./run installs has its reason in docs/dependencies.md.
for package in $(sed -n 's/^ *need \([a-z0-9.+-]*\) .*/\1/p' run | sort -u); do
    grep -qwF -- "$package" docs/dependencies.md || [ "$package" = libc6-dev ] || complain "docs/dependencies.md: no $package"
done

# The keys of the stream are the same in the schema and at both ends.
for kind in SAMPLE:1 IDENTITY:2 ACK:3 EVENT:4 IDENTIFY:16 CALIBRATION:17 TUNING:18 COMMIT:19 ZERO:20; do
    name=$(tr '[:upper:]' '[:lower:]' <<<"${kind%:*}")
    grep -q "^$name = \[${kind#*:}, number" docs/schema/stream.cddl || complain "docs/schema/stream.cddl: no $name = ${kind#*:}"
    grep -q "MARL_ITEM_${kind%:*} = ${kind#*:}\b" include/marlinspike/app.h || complain "app.h: no ${kind%:*} = ${kind#*:}"
done

shots=$(git ls-files docs/screenshots 2>/dev/null | grep -c png || true)
[ "$shots" -lt 20 ] || complain "more than 19 pictures"
exit $bad
