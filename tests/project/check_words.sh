#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# One word for one thing, the trade's term where there is one (docs/glossary.md): check_words.sh SOURCE. The words
# below stood for such terms once; none stands in an identifier, a key or a message.
set -euo pipefail
cd "$1"
words='belief|doubt|slack|linger|unrest|misfit|likeness|lossy|hinge|station|amplification|explained|alike|skew|gathered|MOST|LEAST|EVIDENCE'
bad=0
# Code without its comments; strings stay. Part of an identifier between underscores counts as a word.
for file in $(find src include port -name '*.[ch]' | sort); do
    found=$(awk '
        {
            line = $0
            while (1) {
                if (inside) {
                    end = index(line, "*/")
                    if (!end) { line = ""; break }
                    line = substr(line, end + 2)
                    inside = 0
                }
                start = index(line, "/*")
                if (!start) break
                rest = substr(line, start + 2)
                printf "%s", substr(line, 1, start - 1)
                line = rest
                inside = 1
            }
            print line
        }' "$file" | grep -nE "(^|[^A-Za-z])($words)([^A-Za-z]|$)" |
        grep -vE '"(trust|linger|[a-z]+_slack)"|CLOCK_|LAB_(NUMBER|CSV)_SLACK|MIN_EVIDENCE' || true)
    [ -z "$found" ] || { echo "$file: $found"; bad=1; }
done
# The keys of the JSON files.
found=$(grep -nE "\"[a-z_]*($words)[a-z_]*\":" docs/schema/*.json || true)
[ -z "$found" ] || { echo "$found"; bad=1; }
exit $bad
